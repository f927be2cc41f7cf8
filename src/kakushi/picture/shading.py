"""Colour for the buffers: soft light from the upper left, a highlight, darkening where balloons touch."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.model.catalogue import Finish
from kakushi.picture.buffers import NOTHING, POLE, Buffers, pole_across

_LIGHT = np.array([-0.42, 0.58, 0.70]) / np.linalg.norm([-0.42, 0.58, 0.70])
_HALF = _LIGHT + np.array([0.0, 0.0, 1.0])
_HALF = _HALF / np.linalg.norm(_HALF)
_LIGHT_XYZ = tuple(float(v) for v in _LIGHT)
_HALF_XYZ = tuple(float(v) for v in _HALF)
_STEPS = 1024
_DOTS, _DOT_EDGE = 8.0, 0.45
_POLE_RGB = (0.55, 0.53, 0.50)
_CREASE_MM, _CREASE_DEPTH_MM = 45.0, 60.0
_EVENED_MM = 24.0
"""Over that the skin of what is drawn as balls is evened out: farther than its balls stand apart."""


@dataclass(frozen=True, slots=True, eq=False)
class Letters:
    """What of a balloon's front is covered by film, a square of pixels over its disc, and the film's colour."""

    mask: NDArray[np.bool_]
    rgb: tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Paint:
    """A balloon's colour (r, g, b in 0 to 1) and finish, and the letters on it.

    `is_smooth`: a ball of something that is no balloon, like a board or a foil shape, whose skin runs on from ball to
    ball.
    """

    rgb: tuple[float, float, float]
    finish: Finish = Finish.PLAIN
    letters: Letters | None = None
    is_smooth: bool = False


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


def paint_of(hex_colour: str, finish: Finish = Finish.PLAIN, is_smooth: bool = False) -> Paint:
    """Paint from ``#rrggbb``. Raises ValueError for anything else."""
    if len(hex_colour) != 7:
        raise ValueError(f"not a colour: {hex_colour}")
    r, g, b = (int(hex_colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return Paint((r, g, b), finish, is_smooth=is_smooth)


def shade(buffers: Buffers, paints: Sequence[Paint], lit: Sequence[int] = ()) -> NDArray[np.uint8]:
    """RGBA picture, (height, width, 4) uint8, straight alpha.

    `paints` has one entry per balloon; balloons in `lit` are brightened (pointed at).
    """
    picture = np.zeros((*buffers.identity.shape, 4), dtype=np.uint8)
    window = max(int(_CREASE_MM / buffers.view.mm_per_px) | 1, 3)
    crop = _drawn_area(buffers.identity != NOTHING, window)
    if crop is None:
        return picture
    crease = _crease(buffers.depth[crop], window)
    line, column = np.nonzero(buffers.identity[crop] != NOTHING)
    crease = crease[line, column]
    line, column = line + crop[0].start, column + crop[1].start
    owner, nx, ny, coverage = _surface(buffers, line, column)
    smooth = np.array([paint.is_smooth for paint in paints] + [False])[owner]
    if smooth.any():
        nx[smooth], ny[smooth] = _smoothed(buffers, line[smooth], column[smooth])
        crease[smooth] = 1.0
    rgb, finish, gloss = _tables(paints, lit)
    nz = np.sqrt(np.maximum(1 - nx * nx - ny * ny, 0.0))
    light = _light_table(gloss)[finish[owner], _step(0.5 + 0.5 * _dot(nx, ny, nz, _LIGHT_XYZ))]
    light = light * crease
    shine = _shine_table(gloss)[finish[owner], _step(_dot(nx, ny, nz, _HALF_XYZ))]
    away = 1 - nz
    shine = shine + np.float32(0.10) * away * away * away
    colour = _with_print(rgb[owner], finish[owner], nx, ny)
    for balloon, paint in enumerate(paints):
        if paint.letters is not None:
            mine = np.flatnonzero(owner == balloon)
            _write(colour, mine, paint.letters, (nx[mine], ny[mine], nz[mine]), buffers.view.azimuth)
    colour = colour * light[:, None]
    colour += (1 - colour) * shine[:, None]
    picture[line, column, :3] = np.clip(colour * 255 + 0.5, 0, 255)
    opacity = np.array([g.opacity for g in gloss], dtype=np.float32)[finish[owner]]
    see_through = opacity + (1 - opacity) * away * away
    picture[line, column, 3] = np.clip(coverage * see_through * 255 + 0.5, 0, 255)
    return picture


def _surface(
    buffers: Buffers, line: NDArray[np.int64], column: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Owner (balloons, then the pole), normal x and y (right, up) and coverage of pixels, each (k,)."""
    identity = buffers.identity[line, column]
    on_pole = identity == POLE
    owner = np.where(on_pole, len(buffers.radii), identity)
    placed = np.concatenate([buffers.placed, np.zeros((1, 3), dtype=np.float32)])
    radii = np.concatenate([buffers.radii, np.ones(1, dtype=np.float32)])
    dx, dy = column + np.float32(0.5) - placed[owner, 0], line + np.float32(0.5) - placed[owner, 1]
    radius = radii[owner]
    away = np.sqrt(dx * dx + dy * dy)
    # Rims fade over one pixel, but only against the empty ground: elsewhere a balloon lies behind.
    fading = np.clip(radius + 0.5 - away, 0.0, 1.0)
    coverage = np.where(_borders_nothing(buffers.identity)[line, column] & ~on_pole, fading, 1.0).astype(np.float32)
    scale = 1 / np.maximum(radius, away)
    nx, ny = dx * scale, -dy * scale
    if buffers.pole is not None:
        nx[on_pole] = np.clip(pole_across(buffers.view, buffers.pole, column[on_pole]), -1.0, 1.0)
        ny[on_pole] = 0.0
    return owner, nx.astype(np.float32), ny.astype(np.float32), coverage


def _smoothed(
    buffers: Buffers, line: NDArray[np.int64], column: NDArray[np.int64]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Normal x and y of pixels whose skin runs on from one to the next: the slope of the depth, evened out."""
    window = max(int(_EVENED_MM / buffers.view.mm_per_px) | 1, 3)
    top, left = max(int(line.min()) - window, 0), max(int(column.min()) - window, 0)
    area = np.s_[top : int(line.max()) + window + 1, left : int(column.max()) + window + 1]
    there = np.zeros(buffers.depth[area].shape, dtype=np.float32)
    there[line - top, column - left] = 1
    depth: NDArray[np.float32] = np.where(there > 0, buffers.depth[area], 0).astype(np.float32)
    # Twice a running mean over what is there.
    for _ in range(2):
        share = _box_mean(_box_mean(there, window, 0), window, 1)
        evened = _box_mean(_box_mean(depth * there, window, 0), window, 1) / np.maximum(share, 1e-6)
        depth = evened.astype(np.float32)
    down, across = (np.gradient(depth, buffers.view.mm_per_px, axis=axis) for axis in (0, 1))
    x, y = across[line - top, column - left], -down[line - top, column - left]
    long = np.sqrt(1 + x * x + y * y)
    return (x / long).astype(np.float32), (y / long).astype(np.float32)


def _with_print(
    colour: NDArray[np.float32], finish: NDArray[np.int32], nx: NDArray[np.float32], ny: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Dots on printed balloons, (k, 3): lighter on dark colours, darker on light ones."""
    printed = np.flatnonzero(finish == list(_GLOSS).index(Finish.PRINTED))
    if len(printed):
        across, up = np.arcsin(np.clip(nx[printed], -1, 1)), np.arcsin(np.clip(ny[printed], -1, 1))
        dots = printed[np.cos(_DOTS * across) * np.cos(_DOTS * up) > _DOT_EDGE]
        light = colour[dots].mean(axis=1, keepdims=True) > 0.5
        colour[dots] = np.where(light, colour[dots] * 0.62, colour[dots] + (1 - colour[dots]) * 0.55)
    return colour


def _write(
    colour: NDArray[np.float32],
    mine: NDArray[np.int64],
    letters: Letters,
    normals: tuple[NDArray[np.float32], ...],
    azimuth: float,
) -> None:
    """Colour the pixels `mine` of a balloon that its letters cover; normals right, up and towards the viewer."""
    nx, ny, nz = normals
    c, s = math.cos(azimuth), math.sin(azimuth)
    # As seen from the front: `View.project` turned back.
    across, towards = nx * c + nz * s, nz * c - nx * s
    size = len(letters.mask)
    column = np.clip(((across + 1) / 2 * size).astype(int), 0, size - 1)
    line = np.clip(((1 - ny) / 2 * size).astype(int), 0, size - 1)
    colour[mine[(towards > 0) & letters.mask[line, column]]] = letters.rgb


def _borders_nothing(identity: NDArray[np.int32]) -> NDArray[np.bool_]:
    """Pixels beside an empty one, (h, w)."""
    empty = np.asarray(identity == NOTHING)
    beside = np.zeros_like(empty)
    beside[1:] |= empty[:-1]
    beside[:-1] |= empty[1:]
    beside[:, 1:] |= empty[:, :-1]
    beside[:, :-1] |= empty[:, 1:]
    return np.asarray(beside)


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


def _drawn_area(drawn: NDArray[np.bool_], margin: int) -> tuple[slice, slice] | None:
    """The part of the picture that holds everything drawn, with a margin; None for an empty picture."""
    lines, columns = np.flatnonzero(drawn.any(axis=1)), np.flatnonzero(drawn.any(axis=0))
    if not len(lines):
        return None
    return (
        slice(max(int(lines[0]) - margin, 0), int(lines[-1]) + margin + 1),
        slice(max(int(columns[0]) - margin, 0), int(columns[-1]) + margin + 1),
    )


def _crease(depth: NDArray[np.float32], window: int) -> NDArray[np.float32]:
    """Light left where a pixel lies deeper than its surroundings, (height, width), 0.5 to 1."""
    seen = np.isfinite(depth)
    behind = depth[seen].max(initial=0.0)
    filled = np.where(seen, depth, behind)
    sunk = filled - _box_mean(_box_mean(filled, window, 0), window, 1)
    return np.asarray(1 - 0.5 * np.clip(sunk / _CREASE_DEPTH_MM, 0.0, 1.0), dtype=np.float32)


def _box_mean(values: NDArray[np.float32], window: int, axis: int) -> NDArray[np.float32]:
    """Running mean over `window` (odd) pixels along an axis of (h, w), edges repeated."""
    reach = window // 2
    wide = [(0, 0), (0, 0)]
    wide[axis] = (reach + 1, reach)
    sums = np.cumsum(np.pad(values, wide, mode="edge"), axis=axis, dtype=np.float64)
    ends, starts = (sums[window:], sums[:-window]) if axis == 0 else (sums[:, window:], sums[:, :-window])
    return ((ends - starts) / window).astype(np.float32)
