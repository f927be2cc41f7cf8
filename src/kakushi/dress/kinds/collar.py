"""Collars: rings of small balloons that hide a joint."""

from __future__ import annotations

from kakushi.dress.kind import PartKind, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Collar


def _made(key: int, around: Surroundings) -> Collar:
    return Collar(key=key, name="collar", height_mm=around.at_most(100), balloons=around.balloon())


KIND = PartKind(
    value=Collar,
    words="collar",
    order=2,
    made=_made,
    has_balloons=True,
    spot=placed_spot,
    wind=extended_wind,
    lies_on=True,
    is_ring=True,
)
