"""Toppers: what ends the column, standing on the highest balloons unless a height says otherwise."""

from __future__ import annotations

from kakushi.dress.kind import PartKind, PointMm, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Fixing, Topper


def _made(key: int, around: Surroundings) -> Topper:
    return Topper(key=key, name="topper", tall_mm=300, wide_mm=300, fixing=Fixing.STRIP, balloons=around.balloon(16.0))


def _spot(part: Topper, top_mm: float) -> PointMm:
    spot = placed_spot(part, top_mm)
    return spot if part.height_mm else spot._replace(z=top_mm + part.tall_mm / 2)


KIND = PartKind(
    value=Topper,
    words="topper",
    order=0,
    step="topper",
    made=_made,
    counted_as="topper",
    has_balloons=True,
    spot=_spot,
    standing=lambda part: part.tall_mm,
    wind=extended_wind,
)
