"""Bands of rows from the foot up."""

from __future__ import annotations

from collections.abc import Callable
from itertools import accumulate

from kakushi.colour.layer_kind import LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import Band, BandsLayer


def band_colour(layer: BandsLayer, row: int) -> str:
    """Colour of a row (from 0) in bands repeated to the top."""
    ends = list(accumulate(band.rows for band in layer.bands))
    place = row % ends[-1]
    return next(band.colour for band, end in zip(layer.bands, ends, strict=True) if place < end)


def laid(layer: BandsLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """Bands repeated to the top."""
    return [[band_colour(layer, row)] * n for row, n in enumerate(surface.counts)]


KIND = LayerKind(
    value=BandsLayer,
    explained="Bands from the foot up, repeated to the top.",
    made=lambda palette: BandsLayer(bands=(Band(colour=palette.first, rows=2), Band(colour=palette.second, rows=2))),
    colours=lambda layer: [band.colour for band in layer.bands],
    laid=laid,
)
