"""Accents: last decorations."""

from __future__ import annotations

import math

from kakushi.dress.kind import PartKind, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Accent

_OFF_POLE_MM = 150.0
"""Distance of a new accent from the pole, mm: the surface of a column of 11-inch quads."""


def _made(key: int, around: Surroundings) -> Accent:
    high = around.at_most(1000)
    return Accent(
        key=key,
        name="accent",
        height_mm=high,
        offset_mm=min(_OFF_POLE_MM, round(high / 4, -1)),
        mass_g=20,
        balloons=around.balloon(),
    )


def _things(part: Accent) -> int:
    """Every balloon and every other thing is stuck on by itself."""
    items = math.ceil(sum(item.count for item in part.items))
    return max(sum(balloons.count for balloons in part.balloons) + items, 1)


KIND = PartKind(
    value=Accent,
    words="accent",
    order=5,
    made=_made,
    counted_as="accent",
    things=_things,
    has_balloons=True,
    spot=placed_spot,
    wind=extended_wind,
    lies_on=True,
)
