"""Upright stripes."""

from __future__ import annotations

import math
from collections.abc import Callable

from kakushi.colour.lanes import lanes_at
from kakushi.colour.layer_kind import LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import StripesLayer


def stripe_lanes(lanes: int, surface: Surface) -> list[list[int]]:
    """Lane of every slot, lanes upright: a packed row lies half a slot round, so they climb in zigzags."""
    return [
        lanes_at(surface, row, (row % 2) * math.pi / count if row else 0.0, lanes)
        for row, count in enumerate(surface.counts)
    ]


def laid(layer: StripesLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """The colour of the stripe that each slot falls into."""
    lanes = stripe_lanes(len(layer.lanes), surface)
    return [[layer.lanes[lane] for lane in line] for line in lanes]


KIND = LayerKind(
    value=StripesLayer,
    explained="Upright stripes. Packed rows lie half a slot round, so they climb in zigzags.",
    made=lambda palette: StripesLayer(lanes=(palette.first, palette.second)),
    colours=lambda layer: layer.lanes,
    laid=laid,
)
