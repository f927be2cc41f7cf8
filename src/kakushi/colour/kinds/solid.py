"""One colour all over."""

from __future__ import annotations

from collections.abc import Callable

from kakushi.colour.layer_kind import LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import SolidLayer


def laid(layer: SolidLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """One colour on every balloon."""
    return [[layer.colour] * n for n in surface.counts]


KIND = LayerKind(
    value=SolidLayer,
    explained="One colour all over.",
    made=lambda palette: SolidLayer(colour=palette.first),
    colours=lambda layer: (layer.colour,),
    laid=laid,
)
