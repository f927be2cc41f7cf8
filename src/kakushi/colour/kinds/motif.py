"""A small picture laid on the surface: which of its cells a balloon's middle falls on."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from kakushi.colour.layer_kind import NONE, LayerKind, Lines, Palette
from kakushi.colour.surface import Surface
from kakushi.model.layers import MotifLayer, Side

_SEEN_COSINE = 0.26
"""Balloons up to 75 degrees round from where a motif faces take part in it."""


def laid(layer: MotifLayer, surface: Surface, _cover: Callable[[], Lines]) -> Lines:
    """Colour keys in slot order for every row, "" where the motif does not reach."""
    lines = [[NONE] * n for n in surface.counts]
    down = 0.5 + (layer.middle * surface.tall - surface.heights) / max(layer.tall * surface.tall, 1e-9)
    rows = surface.row_of
    firsts = surface.firsts
    for across in _across(layer, surface):
        for i in np.flatnonzero((across >= 0) & (across < 1) & (down >= 0) & (down < 1)):
            line = layer.cells[int(down[i] * len(layer.cells))]
            # Just below one, or the mirrored left edge would fall off the right.
            share = 1 - across[i] - 1e-12 if layer.mirrored else across[i]
            cell = line[min(int(share * len(line)), len(line) - 1)]
            if cell:
                lines[rows[i]][i - firsts[rows[i]]] = cell
    return lines


def _across(layer: MotifLayer, surface: Surface) -> list[np.ndarray]:
    """Place of every balloon across the picture, 0 to 1 from its left, for every place it is laid, each (n,)."""
    turn = math.radians(layer.turn_deg)
    if layer.side is Side.ALL_ROUND:
        return [np.asarray((surface.angles - turn) / (2 * np.pi) + 0.5) % 1.0]
    # Cells are square on the surface.
    wide = layer.tall * surface.tall * len(layer.cells[0]) / len(layer.cells)
    places = []
    for facing in (turn, turn + math.pi) if layer.side is Side.FRONT_AND_BACK else (turn,):
        angles = surface.angles - facing
        across = 0.5 + surface.rings * np.sin(angles) / wide
        places.append(np.where(np.cos(angles) > _SEEN_COSINE, across, -1.0))
    return places


def _made(palette: Palette) -> MotifLayer:
    diamond = (("", palette.accent, ""), (palette.accent,) * 3, ("", palette.accent, ""))
    return MotifLayer(cells=diamond, side=palette.side)


KIND = LayerKind(
    value=MotifLayer,
    explained="A small picture on the surface. Click its cells with the brush's colour.",
    made=_made,
    colours=lambda layer: [cell for line in layer.cells for cell in line],
    laid=laid,
    said=lambda layer: layer.side.value,
)
