"""Ribbons: tails that hang down from one place."""

from __future__ import annotations

from collections.abc import Iterator

from kakushi.dress.bodies import MOST_BALLS, NO_BODY, Body, chain, joined, turned
from kakushi.dress.fixings import RIBBON
from kakushi.dress.kind import BallMaterial, PartKind, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Ribbons
from kakushi.model.used import Used

KNOT_M = 0.3
"""Ribbon that goes into tying them on, m."""
_BAND_MM = 12.0
"""Width of a ribbon as drawn, mm: usual curling ribbon is 5 to 20."""
_SPREAD = 0.25
"""Spread of the ends of the tails, as a share of their length."""


def tails_body(tail_count: int, long: float, thick: float, colour: str) -> Body:
    """Tails of ribbon that hang down from the middle of a part and spread a little."""
    tails = []
    for tail in range(tail_count):
        aside = (tail - (tail_count - 1) / 2) / max(tail_count - 1, 1) * _SPREAD * long
        near = 0.3 * abs(aside)
        tails.append(
            chain(
                [(0, 0, 0), (aside * 0.8, -near, -long * 0.5), (aside, -near, -long)],
                thick,
                colour,
                thick / 2,
                MOST_BALLS // tail_count,
            )
        )
    return joined(tails)


def _made(key: int, around: Surroundings) -> Ribbons:
    high = around.at_most(1000)
    return Ribbons(
        key=key, name="ribbons", height_mm=high, offset_mm=min(180.0, round(high / 4, -1)), mass_g=20,
        tall_mm=min(400.0, high), wide_mm=100, deep_mm=20, colour=around.colour,
    )  # fmt: skip


def _body(part: Ribbons) -> Body:
    if not part.colour or not part.tall_mm:
        return NO_BODY
    # Their middle is the part's.
    return turned(tails_body(part.tails, part.tall_mm, _BAND_MM, part.colour), 0.0, (0.0, 0.0, part.tall_mm / 2))


def _uses(part: Ribbons) -> Iterator[Used]:
    yield Used(item=RIBBON, count=part.tails * part.tall_mm / 1000 + KNOT_M, unit="m")


KIND = PartKind(
    value=Ribbons,
    words="ribbons",
    order=5,
    made=_made,
    spot=placed_spot,
    wind=extended_wind,
    uses=_uses,
    body=_body,
    skin=BallMaterial.RIBBON,
)
