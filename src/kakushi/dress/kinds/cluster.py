"""Clusters: fillers tied in afterwards."""

from __future__ import annotations

import math

from kakushi.dress.kind import PartKind, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Cluster


def _made(key: int, around: Surroundings) -> Cluster:
    return Cluster(key=key, name="fillers", height_mm=around.at_most(300), balloons=around.balloon())


_BALLOONS_A_CLUSTER = 4
"""Fillers are usually small quads."""


def _things(part: Cluster) -> int:
    """Clusters of four; a few balloons are one as well."""
    return max(math.ceil(sum(balloons.count for balloons in part.balloons) / _BALLOONS_A_CLUSTER), 1)


KIND = PartKind(
    value=Cluster,
    words="cluster",
    order=0,
    made=_made,
    counted_as="cluster",
    things=_things,
    has_balloons=True,
    spot=placed_spot,
    wind=extended_wind,
)
