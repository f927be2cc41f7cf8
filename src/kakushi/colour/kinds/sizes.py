"""Colours bound to size: some lanes for the large balloons, others for the small ones."""

from __future__ import annotations

from collections.abc import Callable

from kakushi.colour.layer_kind import LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import SizesLayer


def laid(layer: SizesLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """The lanes of each size, dealt out in slot order within the row and moved on by `lead` from row to row."""
    lines = []
    for row, first in enumerate(surface.firsts[:-1]):
        dealt = {True: 0, False: 0}
        line = []
        for balloon in range(first, first + surface.counts[row]):
            large = bool(surface.is_large[balloon])
            lanes = layer.large if large else layer.small
            line.append(lanes[(dealt[large] + row * layer.lead) % len(lanes)])
            dealt[large] += 1
        lines.append(line)
    return lines


KIND = LayerKind(
    value=SizesLayer,
    explained="Large balloons in some colours, small ones in others: of one row, or of large and small rows in turn.",
    made=lambda palette: SizesLayer(large=(palette.first,), small=(palette.second,)),
    colours=lambda layer: (*layer.large, *layer.small),
    laid=laid,
)
