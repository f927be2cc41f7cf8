"""Colour for the buffers: soft light from the upper left, a highlight, darkening where balloons touch."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from kakushi.model.catalogue import Finish
from kakushi.picture.buffers import NOTHING, Buffers, rim_code

_LIGHT = np.array([-0.42, 0.58, 0.70]) / np.linalg.norm([-0.42, 0.58, 0.70])
_HALF = _LIGHT + np.array([0.0, 0.0, 1.0])
_HALF = _HALF / np.linalg.norm(_HALF)
_LIGHT_XYZ = tuple(float(v) for v in _LIGHT)
_HALF_XYZ = tuple(float(v) for v in _HALF)
_STEPS = 1024
_POLE_RGB = (0.55, 0.53, 0.50)
_CREASE_MM, _CREASE_DEPTH_MM = 45.0, 60.0


@dataclass(frozen=True, slots=True)
class Paint:
    """A balloon's colour (r, g, b in 0 to 1) and finish."""

    rgb: tuple[float, float, float]
    finish: Finish = Finish.PLAIN


@dataclass(frozen=True, slots=True)
class _Gloss:
    strength: float
    sharpness: float
    contrast: float
    opacity: float


_GLOSS = {
    Finish.PLAIN: _Gloss(0.42, 38.0, 1.00, 1.0),
    Finish.PEARL: _Gloss(0.50, 12.0, 0.90, 1.0),
    Finish.METALLIC: _Gloss(0.85, 60.0, 1.35, 1.0),
    Finish.CLEAR: _Gloss(0.55, 50.0, 0.60, 0.45),
    Finish.PRINTED: _Gloss(0.42, 38.0, 1.00, 1.0),
}


def paint_of(hex_colour: str, finish: Finish = Finish.PLAIN) -> Paint:
    """Paint from ``#rrggbb``. Raises ValueError for anything else."""
    if len(hex_colour) != 7:
        raise ValueError(f"not a colour: {hex_colour}")
    r, g, b = (int(hex_colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return Paint((r, g, b), finish)


def shade(buffers: Buffers, paints: Sequence[Paint], lit: Sequence[int] = ()) -> NDArray[np.uint8]:
    """RGBA picture, (height, width, 4) uint8, straight alpha.

    `paints` has one entry per balloon; balloons in `lit` are brightened (pointed at).
    """
    picture = np.zeros((*buffers.identity.shape, 4), dtype=np.uint8)
    line, column = np.nonzero(buffers.identity != NOTHING)
    if not len(line):
        return picture
    identity = buffers.identity[line, column]
    owner = np.where(identity <= rim_code(0), rim_code(0) - identity, identity)
    owner = np.where(identity == -2, len(paints), owner)
    rgb, finish, gloss = _tables(paints, lit)
    nx, ny = buffers.normal_x[line, column], buffers.normal_y[line, column]
    nz = np.sqrt(np.maximum(1 - nx * nx - ny * ny, 0.0))
    light = _light_table(gloss)[finish[owner], _step(0.5 + 0.5 * _dot(nx, ny, nz, _LIGHT_XYZ))]
    light = light * _crease(buffers)[line, column]
    shine = _shine_table(gloss)[finish[owner], _step(_dot(nx, ny, nz, _HALF_XYZ))]
    away = 1 - nz
    shine = shine + np.float32(0.10) * away * away * away
    colour = rgb[owner] * light[:, None]
    colour += (1 - colour) * shine[:, None]
    picture[line, column, :3] = np.clip(colour * 255 + 0.5, 0, 255)
    opacity = np.array([g.opacity for g in gloss], dtype=np.float32)[finish[owner]]
    see_through = opacity + (1 - opacity) * away * away
    picture[line, column, 3] = np.clip(buffers.coverage[line, column] * see_through * 255 + 0.5, 0, 255)
    return picture


def _dot(
    x: NDArray[np.float32], y: NDArray[np.float32], z: NDArray[np.float32], w: tuple[float, ...]
) -> NDArray[np.float32]:
    return np.asarray(x * w[0] + y * w[1] + z * w[2])


def _step(value: NDArray[np.float32]) -> NDArray[np.int32]:
    return np.asarray(np.clip(value * (_STEPS - 1), 0, _STEPS - 1).astype(np.int32))


def _light_table(gloss: Sequence[_Gloss]) -> NDArray[np.float32]:
    wrapped = np.linspace(0.0, 1.0, _STEPS) ** 1.6
    return np.array([0.50 + 0.62 * (g.contrast * (wrapped - 0.5) + 0.5) for g in gloss], dtype=np.float32)


def _shine_table(gloss: Sequence[_Gloss]) -> NDArray[np.float32]:
    mirror = np.linspace(0.0, 1.0, _STEPS)
    return np.array([g.strength * mirror**g.sharpness for g in gloss], dtype=np.float32)


def _tables(paints: Sequence[Paint], lit: Sequence[int]) -> tuple[NDArray[np.float32], NDArray[np.int32], list[_Gloss]]:
    """Colour and row of the gloss tables per balloon, the pole last; the gloss of each row."""
    rgb = np.array([paint.rgb for paint in paints] + [_POLE_RGB], dtype=np.float32)
    for index in lit:
        rgb[index] = rgb[index] + (1 - rgb[index]) * 0.35
    finishes = list(_GLOSS)
    finish = np.array([finishes.index(paint.finish) for paint in paints] + [len(finishes)], dtype=np.int32)
    return rgb, finish, [*_GLOSS.values(), _Gloss(0.2, 10.0, 1.0, 1.0)]


def _crease(buffers: Buffers) -> NDArray[np.float32]:
    """Light left where a pixel lies deeper than its surroundings, (height, width), 0.5 to 1."""
    window = max(int(_CREASE_MM / buffers.view.mm_per_px) | 1, 3)
    nearest = buffers.depth[np.isfinite(buffers.depth)]
    behind = float(nearest.max()) if len(nearest) else 0.0
    depth = np.where(np.isfinite(buffers.depth), buffers.depth, behind).astype(np.float32)
    sunk = depth - uniform_filter(depth, window, mode="nearest")
    return np.asarray(1 - 0.5 * np.clip(sunk / _CREASE_DEPTH_MM, 0.0, 1.0), dtype=np.float32)
