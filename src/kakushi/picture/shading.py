"""Colour for the buffers: skin in the light of a small studio (`materials`), darker where balloons press."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kakushi.model.catalogue import Finish
from kakushi.picture.buffers import NOTHING, POLE, Buffers, pole_across
from kakushi.picture.materials import FINISHES, GRID, LEVELS, MOST_GAMMA, index_of, tables

_DOTS, _DOT_EDGE = 8.0, 0.45
_POLE_RGB = (0.55, 0.53, 0.50)
_CREASE_MM, _CREASE_DEPTH_MM = 45.0, 60.0
_EVENED_MM = 38.0
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
    skin = _skin(buffers, crop)
    crease = _crease(buffers.depth[crop], window, skin)
    if any(paint.is_smooth for paint in paints):
        smooth = np.array([*(paint.is_smooth for paint in paints), False])[skin.owner]
        if smooth.any():
            line, column = np.divmod(skin.at[smooth], skin.shape[1])
            skin.nx[smooth], skin.ny[smooth] = _smoothed(buffers, line + crop[0].start, column + crop[1].start)
            crease[smooth] = 1.0
    colour, opacity = _lit(skin, crease, paints, lit, buffers.view.azimuth)
    drawn = np.empty((len(skin.at), 4), dtype=np.float32)
    np.multiply(colour, np.float32(255), out=drawn[:, :3])
    np.multiply(skin.coverage, opacity * np.float32(255), out=drawn[:, 3])
    drawn += np.float32(0.5)
    # Four bytes are moved at once.
    packed = np.zeros(skin.shape[0] * skin.shape[1], dtype=np.uint32)
    packed[skin.at] = drawn.astype(np.uint8).view(np.uint32)[:, 0]
    whole = packed.view(np.uint8).reshape(-1, 4)
    _soften_rims(whole, skin, len(buffers.radii))
    picture[crop] = whole.reshape(*skin.shape, 4)
    return picture


def _lit(
    skin: _Skin, crease: NDArray[np.float32], paints: Sequence[Paint], lit: Sequence[int], azimuth: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Colour (k, 3) and opacity (k,) of pixels; `crease` is the light left where balloons press."""
    known, (rows, ramps) = tables(), _paint_rows(paints, lit)
    at = index_of(skin.nx, skin.ny) + rows.finish[skin.owner] * np.int32(GRID * GRID)
    gain, level, white = (table.reshape(-1).take(at) for table in (known.gain, known.level, known.white))
    # Where balloons press there is less light, and what there is has come through skins: saturated, not grey.
    dark = 1 - crease
    level += dark * np.float32(_CREASE_LEVELS)
    step = np.minimum(level, np.float32(LEVELS - 1)).astype(np.int32)
    colour = ramps.take(rows.ramp[skin.owner] * np.int32(LEVELS) + step, axis=0)
    gain *= 1 - np.float32(_CREASE_DARKENS) * dark
    white *= crease
    if rows.is_printed.any():
        colour = _with_print(colour, rows.is_printed[skin.owner], skin.nx, skin.ny)
    for balloon, paint in enumerate(paints):
        if paint.letters is not None:
            mine = np.flatnonzero(skin.owner == balloon)
            nx, ny = skin.nx[mine], skin.ny[mine]
            nz = np.sqrt(np.maximum(1 - nx * nx - ny * ny, 0.0))
            _write(colour, mine, paint.letters, (nx, ny, nz), azimuth)
    # The colour times the light, then so much of the way to white.
    gain *= 1 - white
    colour *= gain[:, None]
    colour += white[:, None]
    np.minimum(colour, np.float32(1.0), out=colour)
    opacity = known.opacity[rows.finish[skin.owner]]
    if (opacity < 1).any():
        away = 1 - np.sqrt(np.maximum(1 - skin.nx * skin.nx - skin.ny * skin.ny, 0.0))
        opacity = np.maximum(opacity + (1 - opacity) * away * away, white)
    return colour, opacity


_CREASE_LEVELS, _CREASE_DARKENS = 12.0, 0.55
"""Where it is darkest: so many steps of saturation more, and so much less light."""


class _Rows(NamedTuple):
    """Of each balloon, the pole last: its finish's table, the row of its colour, whether it is printed."""

    finish: NDArray[np.int32]
    ramp: NDArray[np.int32]
    is_printed: NDArray[np.bool_]


def _paint_rows(paints: Sequence[Paint], lit: Sequence[int]) -> tuple[_Rows, NDArray[np.float32]]:
    """Rows of the paints, and every colour at every saturation, (colours · LEVELS, 3)."""
    bright = set(lit)
    colours: dict[tuple[float, float, float], int] = {}
    ramp = []
    for index, paint in enumerate(paints):
        rgb = paint.rgb
        if index in bright:
            r, g, b = (each + (1 - each) * 0.35 for each in rgb)
            rgb = (r, g, b)
        ramp.append(colours.setdefault(rgb, len(colours)))
    ramp.append(colours.setdefault(_POLE_RGB, len(colours)))
    finishes = {finish: row for row, finish in enumerate(FINISHES)}
    rows = _Rows(
        np.array([*(finishes[paint.finish] for paint in paints), len(FINISHES)], dtype=np.int32),
        np.array(ramp, dtype=np.int32),
        np.array([*(paint.finish is Finish.PRINTED for paint in paints), False]),
    )
    base = np.array(list(colours), dtype=np.float64)[:, None, :]
    gamma = 1 + (MOST_GAMMA - 1) * np.arange(LEVELS)[None, :, None] / (LEVELS - 1)
    # As light as before by the strongest of the three: only the weaker ones fade, which saturates.
    strongest = np.maximum(base.max(axis=2, keepdims=True), 1e-3)
    ramps = strongest * (base / strongest) ** gamma
    return rows, ramps.reshape(-1, 3).astype(np.float32)


@dataclass(frozen=True, slots=True, eq=False)
class _Skin:
    """The pixels of a crop that show something, (k,): `at` in the crop, line by line, `owner` (the pole last).

    `dx`, `dy`, `away`: from the middle of its balloon of that `radius`, px; `nx`, `ny`: the normal to the right and up;
    `coverage`: how much of the pixel is covered where nothing lies behind.
    """

    shape: tuple[int, int]
    at: NDArray[np.int64]
    owner: NDArray[np.int32]
    dx: NDArray[np.float32]
    dy: NDArray[np.float32]
    away: NDArray[np.float32]
    radius: NDArray[np.float32]
    nx: NDArray[np.float32]
    ny: NDArray[np.float32]
    coverage: NDArray[np.float32]


def _skin(buffers: Buffers, crop: tuple[slice, slice]) -> _Skin:
    identity = buffers.identity[crop]
    height, width = identity.shape
    at = np.flatnonzero(identity != NOTHING)
    found = identity.reshape(-1).take(at)
    on_pole = found == POLE
    owner = np.where(on_pole, np.int32(len(buffers.radii)), found)
    line, column = np.divmod(at, width)
    # The middles in the crop, half a pixel off: pixels are looked at in their middles.
    middles = np.concatenate([buffers.placed, np.zeros((1, 3), dtype=np.float32)])
    radii = np.concatenate([buffers.radii, np.ones(1, dtype=np.float32)])
    left, top = np.float32(crop[1].start + 0.5), np.float32(crop[0].start + 0.5)
    dx = column.astype(np.float32) + (left - middles[:, 0]).take(owner)
    dy = line.astype(np.float32) + (top - middles[:, 1]).take(owner)
    radius = radii.take(owner)
    away = np.sqrt(dx * dx + dy * dy)
    scale = 1 / np.maximum(radius, away)
    nx, ny = dx * scale, -dy * scale
    # Rims fade over one pixel against the empty ground.
    coverage = np.ones(len(at), dtype=np.float32)
    edge = np.flatnonzero(_borders_nothing(identity).reshape(-1).take(at) & ~on_pole)
    coverage[edge] = np.clip(radius[edge] + np.float32(0.5) - away[edge], 0.0, 1.0)
    if buffers.pole is not None and on_pole.any():
        nx[on_pole] = np.clip(pole_across(buffers.view, buffers.pole, column[on_pole] + crop[1].start), -1.0, 1.0)
        ny[on_pole] = 0.0
        away[on_pole] = 0.0
    return _Skin((height, width), at, owner, dx, dy, away, radius, nx, ny, coverage)


def _soften_rims(drawn: NDArray[np.uint8], skin: _Skin, balloons: int) -> None:
    """Rims before other balloons fade over one pixel into what is behind: the pixel just outside, which shows it."""
    rim = np.flatnonzero((skin.away > skin.radius - np.float32(0.5)) & (skin.owner < balloons))
    if not len(rim):
        return
    dx, dy, away, radius = skin.dx[rim], skin.dy[rim], skin.away[rim], skin.radius[rim]
    line, column = np.divmod(skin.at[rim], skin.shape[1])
    # One and a half pixels farther out.
    out_line = np.clip(np.rint(line + 1.5 * dy / away).astype(int), 0, skin.shape[0] - 1)
    out_column = np.clip(np.rint(column + 1.5 * dx / away).astype(int), 0, skin.shape[1] - 1)
    behind = drawn[out_line * skin.shape[1] + out_column].astype(np.float32)
    covered = np.clip(radius + np.float32(0.5) - away, 0.0, 1.0)[:, None]
    front = drawn[skin.at[rim]].astype(np.float32)
    mixed = front * covered + behind * (1 - covered) + np.float32(0.5)
    mixed[:, 3] = front[:, 3]
    # Before the empty ground they fade by their coverage.
    drawn[skin.at[rim]] = np.where((behind[:, 3] > 252)[:, None], mixed, front).astype(np.uint8)


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
    # Three times a running mean over what is there: nearly a Gaussian one.
    for _ in range(3):
        share = _box_mean(_box_mean(there, window, 0), window, 1)
        evened = _box_mean(_box_mean(depth * there, window, 0), window, 1) / np.maximum(share, 1e-6)
        depth = evened.astype(np.float32)
    down, across = (np.gradient(depth, buffers.view.mm_per_px, axis=axis) for axis in (0, 1))
    x, y = across[line - top, column - left], -down[line - top, column - left]
    long = np.sqrt(1 + x * x + y * y)
    return (x / long).astype(np.float32), (y / long).astype(np.float32)


def _with_print(
    colour: NDArray[np.float32], printed: NDArray[np.bool_], nx: NDArray[np.float32], ny: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Dots on printed balloons, (k, 3): lighter on dark colours, darker on light ones."""
    mine = np.flatnonzero(printed)
    if len(mine):
        across, up = np.arcsin(np.clip(nx[mine], -1, 1)), np.arcsin(np.clip(ny[mine], -1, 1))
        dots = mine[np.cos(_DOTS * across) * np.cos(_DOTS * up) > _DOT_EDGE]
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


def _drawn_area(drawn: NDArray[np.bool_], margin: int) -> tuple[slice, slice] | None:
    """The part of the picture that holds everything drawn, with a margin; None for an empty picture."""
    lines, columns = np.flatnonzero(drawn.any(axis=1)), np.flatnonzero(drawn.any(axis=0))
    if not len(lines):
        return None
    return (
        slice(max(int(lines[0]) - margin, 0), int(lines[-1]) + margin + 1),
        slice(max(int(columns[0]) - margin, 0), int(columns[-1]) + margin + 1),
    )


def _crease(depth: NDArray[np.float32], window: int, skin: _Skin) -> NDArray[np.float32]:
    """Light left at the pixels of a skin that lie deeper than their surroundings, (k,), 0.5 to 1.

    Worked out on every second pixel each way: surroundings are wide.
    """
    coarse = depth[::2, ::2]
    seen = np.isfinite(coarse)
    behind = coarse[seen].max(initial=0.0)
    filled = np.where(seen, coarse, behind)
    half = max(window // 2 | 1, 3)
    around = _box_mean(_box_mean(filled, half, 0), half, 1)
    whole = np.repeat(np.repeat(around, 2, axis=0), 2, axis=1)[: skin.shape[0], : skin.shape[1]]
    sunk = (depth - whole).reshape(-1).take(skin.at)
    return np.asarray(1 - 0.5 * np.clip(sunk / _CREASE_DEPTH_MM, 0.0, 1.0), dtype=np.float32)


def _box_mean(values: NDArray[np.float32], window: int, axis: int) -> NDArray[np.float32]:
    """Running mean over `window` (odd) pixels along an axis of (h, w), edges repeated."""
    reach = window // 2
    wide = [(0, 0), (0, 0)]
    wide[axis] = (reach + 1, reach)
    sums = np.cumsum(np.pad(values, wide, mode="edge"), axis=axis, dtype=np.float64)
    ends, starts = (sums[window:], sums[:-window]) if axis == 0 else (sums[:, window:], sums[:, :-window])
    return ((ends - starts) / window).astype(np.float32)
