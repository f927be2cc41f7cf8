"""Diamonds round the piece."""

from __future__ import annotations

import math
from collections.abc import Callable

from kakushi.colour.layer_kind import NONE, LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import DiamondsLayer


def laid(layer: DiamondsLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """Diamonds from the middle out."""
    return [
        [_diamond(layer, row, surface.slot_angle(row, slot)) for slot in range(n)]
        for row, n in enumerate(surface.counts)
    ]


def _diamond(layer: DiamondsLayer, row: int, angle: float) -> str:
    tier, place = divmod(row, layer.high)
    moved = 0.5 if layer.staggered and tier % 2 else 0.0
    # Distances from the middle, 0 to 1, round the row and up the tier; their sum is the diamond’s norm.
    across = 2 * abs((angle / (2 * math.pi) * layer.around + moved + 0.5) % 1.0 - 0.5)
    up = abs(2 * (place + 0.5) / layer.high - 1)
    rings = len(layer.colours) - 1
    if not rings:
        return layer.colours[0] if across + up < 1 else NONE
    return layer.colours[min(int((across + up) * rings), rings)]


KIND = LayerKind(
    value=DiamondsLayer,
    explained="Diamonds from the middle out; the last colour is the ground.",
    made=lambda palette: DiamondsLayer(colours=(palette.accent, palette.first)),
    colours=lambda layer: layer.colours,
    laid=laid,
)
