"""Caps: balloons pulled over a sharp pole end."""

from __future__ import annotations

from kakushi.dress.kind import PartKind, PointMm, Surroundings
from kakushi.model.parts import Cap


def _made(key: int, around: Surroundings) -> Cap:
    return Cap(key=key, name="cap", balloons=around.balloon())


KIND = PartKind(
    value=Cap,
    words="cap",
    order=0,
    step="cap",
    made=_made,
    has_balloons=True,
    spot=lambda _part, top: PointMm(0, 0, top),
)
