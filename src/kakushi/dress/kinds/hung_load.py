"""Hung loads: something heavy that hangs on the piece, and what all hung things have in common."""

from __future__ import annotations

from collections.abc import Iterator

from kakushi.dress.bodies import NO_BODY, Body, lump
from kakushi.dress.kind import PartKind, Skin, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Hung, HungLoad

FIXINGS_WANTED = 2
"""Each able to hold the load alone, so that one may fail: the usual rule for what hangs over people."""
OFF_POLE_MM = 250.0
"""In front of a column of 11-inch quads."""


def _made(key: int, around: Surroundings) -> HungLoad:
    high = around.at_most(1200)
    return HungLoad(
        key=key,
        name="hung load",
        height_mm=high,
        offset_mm=min(OFF_POLE_MM, round(high / 4, -1)),
        mass_g=500,
        tall_mm=200,
        wide_mm=200,
        fixings=FIXINGS_WANTED,
        colour=around.colour,
    )


def _body(part: HungLoad) -> Body:
    if not part.colour:
        return NO_BODY
    return lump(part.wide_mm, part.wide_mm if part.deep_mm is None else part.deep_mm, part.tall_mm, part.colour)


def fixing_wishes(part: Hung, words: str) -> Iterator[str]:
    """Fewer fixings than what hangs over people should have; `words` names a part without a name."""
    if part.fixings < FIXINGS_WANTED:
        many = f"{part.fixings} fixing{'' if part.fixings == 1 else 's'}"
        yield f"“{part.name or words}” hangs by {many}: give it two, each able to hold it alone."


KIND = PartKind(
    value=HungLoad,
    words="hung load",
    order=3,
    step="hang",
    made=_made,
    counted_as="hung load",
    is_marked=True,
    spot=placed_spot,
    wind=extended_wind,
    wishes=lambda part: fixing_wishes(part, "Hung load"),
    body=_body,
    skin=Skin.SOLID,
)
