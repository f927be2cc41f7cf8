"""Weights: ballast on the piece or its foot."""

from __future__ import annotations

from collections.abc import Iterator

from kakushi.dress.kind import PartKind, Surroundings, placed_spot
from kakushi.model.parts import Weight
from kakushi.model.used import Used

WEIGHTS = "weights"
"""Ballast as it is named on the lists; it has no price of its own."""


def _made(key: int, _around: Surroundings) -> Weight:
    return Weight(key=key, name="weight", mass_g=2000)


def _uses(part: Weight) -> Iterator[Used]:
    if part.mass_g:
        yield Used(item=WEIGHTS, count=part.mass_g / 1000, unit="kg")


KIND = PartKind(
    value=Weight,
    words="weight",
    # Before what leans on it: a sign hung first would tip the piece.
    order=-1,
    step="weight",
    made=_made,
    is_marked=True,
    spot=placed_spot,
    uses=_uses,
)
