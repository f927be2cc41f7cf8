"""Spirals and chevrons."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from kakushi.colour.lanes import lanes_at
from kakushi.colour.layer_kind import LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import Hand, SpiralLayer


def spiral_lanes(layer: SpiralLayer, surface: Surface) -> list[list[int]]:
    """Lane of every slot. A lane climbs `lead` half slots per row: anticlockwise for the right hand.

    The helix advances by lead * pi / n per row, n the mean count of two neighbours; a slot takes
    the lane its angle falls into, so lanes hold through changes of count.
    """
    lanes = len(layer.lanes)
    phase, lanes_of_rows = 0.0, []
    for row, count in enumerate(surface.counts):
        if row:
            # Half a slot of the mean count: the helix keeps its slope where the count changes.
            between = 2 * math.pi / (surface.counts[row - 1] + count)
            phase += _sign(layer, row) * layer.lead * between
        lanes_of_rows.append(lanes_at(surface, row, phase, lanes))
    return lanes_of_rows


def climb_of(layer: SpiralLayer, counts: Sequence[int]) -> float:
    """Angle that lanes climb from the first of rows of so many balloons to the last, radians anticlockwise."""
    steps = (
        _sign(layer, row) * layer.lead * 2 * math.pi / (counts[row - 1] + counts[row]) for row in range(1, len(counts))
    )
    return math.fsum(steps)


def _sign(layer: SpiralLayer, row: int) -> float:
    """Which way the helix goes from the row below to this one, anticlockwise positive."""
    turned = bool(layer.reverse_every) and (row - 1) // layer.reverse_every % 2 == 1
    return 1.0 if (layer.hand is Hand.RIGHT) != turned else -1.0


def laid(layer: SpiralLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """The colour of the lane that each slot falls into."""
    return [[layer.lanes[lane] for lane in line] for line in spiral_lanes(layer, surface)]


def _said(layer: SpiralLayer) -> str:
    return f"{layer.hand.value} hand" + (" · chevrons" if layer.reverse_every else "")


KIND = LayerKind(
    value=SpiralLayer,
    explained="Lanes lie round the row in slot order and climb half a balloon per row.",
    made=lambda palette: SpiralLayer(lanes=(palette.first, palette.first, palette.second, palette.second)),
    colours=lambda layer: layer.lanes,
    laid=laid,
    said=_said,
    climbs=True,
)
