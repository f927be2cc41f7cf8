"""Staggered checks."""

from __future__ import annotations

import math
from collections.abc import Callable

from kakushi.colour.lanes import lanes_at
from kakushi.colour.layer_kind import LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import ChecksLayer


def laid(layer: ChecksLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """Checks that are staggered from tier to tier."""
    lines = []
    for row, count in enumerate(surface.counts):
        # A whole number of checks, or they would not close round the row.
        across = max(round(count / layer.wide), 1)
        columns = lanes_at(surface, row, (row % 2) * math.pi / count, across)
        lines.append([layer.colours[(column + row // layer.high) % len(layer.colours)] for column in columns])
    return lines


KIND = LayerKind(
    value=ChecksLayer,
    explained="Staggered checks. They close round the row where its count divides evenly.",
    made=lambda palette: ChecksLayer(colours=(palette.first, palette.second)),
    colours=lambda layer: layer.colours,
    laid=laid,
)
