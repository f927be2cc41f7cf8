"""Clusters: fillers tied in afterwards."""

from __future__ import annotations

from kakushi.dress.kind import PartKind, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Cluster


def _made(key: int, around: Surroundings) -> Cluster:
    return Cluster(key=key, name="fillers", height_mm=around.at_most(300), balloons=around.balloon())


KIND = PartKind(
    value=Cluster,
    words="cluster",
    order=0,
    made=_made,
    counted_as="cluster",
    has_balloons=True,
    spot=placed_spot,
    wind=extended_wind,
)
