"""Colour graded up the piece."""

from __future__ import annotations

from collections.abc import Callable

from kakushi.colour.layer_kind import LayerKind, Lines
from kakushi.colour.surface import Surface
from kakushi.model.layers import GradientLayer


def laid(layer: GradientLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """Shares follow the rows' place from foot to top; what rounding leaves over goes on to the next row."""
    rows, steps = len(surface.counts), len(layer.colours) - 1
    lines, owed = [], 0.0
    for row, count in enumerate(surface.counts):
        at = (row + 0.5) / rows * steps
        low = min(int(at), steps - 1)
        # Error diffusion: what rounding takes from one row is given to the next.
        owed += (at - low) * count
        here = round(owed / count) * count if not layer.dithered else round(owed)
        here = min(max(here, 0), count)
        owed -= here
        if row + 1 < rows and min(int((row + 1.5) / rows * steps), steps - 1) != low:
            owed = 0.0
        # Evenly round the row (Bresenham), moved on by one from row to row so that no column forms.
        spread = [(slot * here + row) % count < here for slot in range(count)]
        lines.append([layer.colours[low + 1] if upper else layer.colours[low] for upper in spread])
    return lines


KIND = LayerKind(
    value=GradientLayer,
    explained="From foot to top: whole rows that take turns where two colours meet, or balloon by balloon.",
    made=lambda palette: GradientLayer(colours=(palette.first, palette.second)),
    colours=lambda layer: layer.colours,
    laid=laid,
)
