"""Rings of accent."""

from __future__ import annotations

from collections.abc import Callable

from kakushi.colour.layer_kind import NONE, LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import RingsLayer


def ring_colour(layer: RingsLayer, row: int) -> str:
    """Colour of a row (from 0) of rings of accent, or none."""
    since = row - (layer.first - 1)
    return layer.colour if since >= 0 and since % layer.every < layer.high else NONE


def laid(layer: RingsLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """Rings; nothing between them."""
    return [[ring_colour(layer, row)] * n for row, n in enumerate(surface.counts)]


KIND = LayerKind(
    value=RingsLayer,
    explained="Rings of accent; what lies under shows between.",
    made=lambda palette: RingsLayer(colour=palette.accent),
    colours=lambda layer: (layer.colour,),
    laid=laid,
)
