"""Colour for the buffers: skin in the light of a small studio (`materials`), darker where balloons press."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kakushi.model.catalogue import Finish
from kakushi.picture.edges import soften_contours, soften_cuts, soften_rims
from kakushi.picture.film import with_films
from kakushi.picture.inside import show_outer, show_things_inside
from kakushi.picture.materials import FINISHES, GRID, LEVELS, MOST_GAMMA, index_of, tables
from kakushi.picture.paint import Letters, Paint
from kakushi.picture.prints import PRINTS, printed_share
from kakushi.picture.skin import VisiblePixels, skin_of
from kakushi.sight.buffers import NOTHING, Buffers

_POLE_RGB = (0.55, 0.53, 0.50)
"""Colour of a bare pole: grey plastic."""
_CREASE_MM, _CREASE_DEPTH_MM = 45.0, 60.0
"""Width over which depths are compared, and the difference that counts as a full crease, mm."""
SOLID_EVENED_MM = 38.0
"""Over that the skin of a thing drawn as balls is evened out: farther than its balls stand apart."""
TUBE_EVENED_MM = 10.0
"""And that of tubes, whose balls are small and close."""
_FILM_EVENED_MM = 9.0
"""And that of films: creases stay."""


def shade(buffers: Buffers, paints: Sequence[Paint], lit: Sequence[int] = ()) -> NDArray[np.uint8]:
    """RGBA picture, (height, width, 4) uint8, straight alpha.

    `paints` has one entry per balloon; balloons in `lit` are brightened (pointed at).
    """
    films = [(index, *paint.film) for index, paint in enumerate(paints) if paint.film]
    if films:
        buffers = with_films(buffers, films)
    picture = np.zeros((*buffers.identity.shape, 4), dtype=np.uint8)
    window = max(int(_CREASE_MM / buffers.view.mm_per_px) | 1, 3)
    crop = _drawn_area(buffers.identity != NOTHING, window)
    if crop is None:
        return picture
    skin = skin_of(buffers, crop)
    crease = _crease(buffers.depth[crop], window, skin, float(buffers.placed[:, 2].max(initial=0.0)))
    for first, _, _ in films:
        of_first = skin.owner == first
        _lay_film(skin, of_first, buffers, crop)
        crease[of_first] = 1.0
    _even_out_balls(skin, crease, paints, buffers, crop)
    # Four bytes are moved at once.
    packed = np.zeros(skin.shape[0] * skin.shape[1], dtype=np.uint32)
    packed[skin.at] = _coloured(skin, crease, paints, lit, buffers)
    whole = packed.view(np.uint8).reshape(-1, 4)
    soften_rims(whole, skin, len(buffers.radii))
    soften_cuts(whole, skin, buffers, crop)
    if films:
        soften_contours(whole, skin, [first for first, _, _ in films])
    picture[crop] = whole.reshape(*skin.shape, 4)
    return picture


def _coloured(
    skin: VisiblePixels, crease: NDArray[np.float32], paints: Sequence[Paint], lit: Sequence[int], buffers: Buffers
) -> NDArray[np.uint32]:
    """The pixels of a skin, (k,), four bytes each; `crease` is the light left where balloons press."""
    rows = _rows(paints, lit)
    # Most skin is bare and does not press: a look by its colour, its finish and where it faces.
    drawn = _looks(rows).reshape(-1).take(index_of(skin.nx, skin.ny) + (rows.look * (GRID * GRID)).take(skin.owner))
    marked = np.array([*(paint.has_marks for paint in paints), False])
    rest = np.flatnonzero((crease < 1) | marked.take(skin.owner) if marked.any() else crease < 1)
    if len(rest):
        drawn[rest] = _pixels(*_lit(skin.only(rest), crease[rest], paints, rows, buffers))
    fading = np.flatnonzero(skin.coverage < 1)
    opacity = drawn.view(np.uint8)[3::4]
    opacity[fading] = opacity[fading] * skin.coverage[fading] + np.float32(0.5)
    return drawn


def _lit(
    skin: VisiblePixels, crease: NDArray[np.float32], paints: Sequence[Paint], rows: _Rows, buffers: Buffers
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Colour (3, k) and opacity (k,) of pixels."""
    known, dark, azimuth = tables(), 1 - crease, buffers.view.azimuth
    at = index_of(skin.nx, skin.ny) + (rows.finish * (GRID * GRID)).take(skin.owner)
    gain, level, white = (table.reshape(-1).take(at) for table in (known.gain, known.level, known.white))
    # Where balloons press there is less light, and what there is has come through skins: saturated, not grey.
    level += dark * np.float32(_CREASE_LEVELS)
    colour = rows.saturated(level, skin.owner)
    gain *= 1 - np.float32(_CREASE_DARKENS) * dark
    white *= crease
    away = _turned_away(skin.nx, skin.ny)
    show_outer(colour, skin, paints, away, _POLE_RGB)
    show_things_inside(colour, skin, paints)
    marked = _print(colour, skin, paints, azimuth)
    for balloon, paint in enumerate(paints):
        if paint.letters is not None:
            of_balloon = np.flatnonzero(skin.owner == balloon)
            nx, ny = skin.nx[of_balloon], skin.ny[of_balloon]
            nz = np.sqrt(np.maximum(1 - nx * nx - ny * ny, 0.0))
            _write(colour, of_balloon, paint.letters, (nx, ny, nz), azimuth)
    _bleed(colour, skin, dark, rows, buffers.usual_radius)
    opacity = known.opacity[rows.finish[skin.owner]]
    return _in_light(colour, gain, white), _seen_through(opacity, away, white, marked)


def _in_light(
    colour: NDArray[np.float32], gain: NDArray[np.float32], white: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Colour (3, k) times the light, then part of the way to white."""
    colour *= gain * (1 - white)
    colour += white
    return np.minimum(colour, np.float32(1.0), out=colour)


def _seen_through(
    opacity: NDArray[np.float32], away: NDArray[np.float32], white: NDArray[np.float32], marked: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Opacity of skin: more where it is looked at along itself, where it reflects, and where it is printed on."""
    through = np.maximum(np.maximum(opacity + (1 - opacity) * away * away, white), marked)
    return np.where(opacity < 1, through, opacity)


def _turned_away(nx: NDArray[np.float32], ny: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far skin faces away from the viewer, 0 to 1."""
    return np.asarray(1 - np.sqrt(np.maximum(1 - nx * nx - ny * ny, 0.0)))


def _pixels(colour: NDArray[np.float32], opacity: NDArray[np.float32]) -> NDArray[np.uint32]:
    """Four bytes each, (k,), of colour (3, k) and opacity (k,)."""
    drawn = np.empty((len(opacity), 4), dtype=np.uint8)
    for channel, values in enumerate((*colour, opacity)):
        drawn[:, channel] = values * np.float32(255) + np.float32(0.5)
    return drawn.view(np.uint32)[:, 0]


_CREASE_LEVELS, _CREASE_DARKENS = 12.0, 0.55
"""Where it is darkest: so many steps of saturation more, and so much less light."""


@dataclass(frozen=True, slots=True, eq=False)
class _Rows:
    """Of each balloon, the pole last, (n,): rows of its finish's table, of its colour and of its look.

    `looks`: each a row of a finish and a colour; `ramps`: every colour at every saturation, (3, colours · LEVELS).
    """

    finish: NDArray[np.int64]
    ramp: NDArray[np.int64]
    look: NDArray[np.int64]
    looks: tuple[tuple[int, tuple[float, float, float]], ...]
    ramps: NDArray[np.float32]

    @property
    def base(self) -> NDArray[np.float32]:
        """Each one's own colour, (3, n)."""
        return self.ramps[:, self.ramp * LEVELS]

    def saturated(self, level: NDArray[np.float32], owner: NDArray[np.int64]) -> NDArray[np.float32]:
        """Colours (3, k) of the balloons `owner` at levels of saturation."""
        step = np.minimum(level, np.float32(LEVELS - 1)).astype(np.int64) + (self.ramp * LEVELS).take(owner)
        return np.stack([channel.take(step) for channel in self.ramps])


def _rows(paints: Sequence[Paint], lit: Sequence[int]) -> _Rows:
    bright = set(lit)
    colours: dict[tuple[float, float, float], int] = {}
    looks: dict[tuple[int, tuple[float, float, float]], int] = {}
    rows = []
    numbers = {finish: row for row, finish in enumerate(FINISHES)}
    for index, paint in enumerate((*paints, None)):
        finish, rgb = (len(FINISHES), _POLE_RGB) if paint is None else (numbers[paint.finish], paint.rgb)
        if index in bright:
            r, g, b = (each + (1 - each) * 0.35 for each in rgb)
            rgb = (r, g, b)
        rows.append((finish, colours.setdefault(rgb, len(colours)), looks.setdefault((finish, rgb), len(looks))))
    ramps = np.concatenate([_ramp(rgb) for rgb in colours], axis=1)
    finish_of, ramp_of, look_of = np.array(rows, dtype=np.int64).T
    return _Rows(finish_of, ramp_of, look_of, tuple(looks), ramps)


def _ramp(rgb: tuple[float, float, float]) -> NDArray[np.float32]:
    """A colour at every saturation, (3, LEVELS): as light as before by the strongest of the three.

    Only the weaker ones fade, which saturates.
    """
    base = np.array(rgb)[:, None]
    gamma = 1 + (MOST_GAMMA - 1) * np.arange(LEVELS) / (LEVELS - 1)
    strongest = max(*rgb, 1e-3)
    return (strongest * (base / strongest) ** gamma).astype(np.float32)


def _looks(rows: _Rows) -> NDArray[np.uint32]:
    """Pixels of bare skin by where it faces, of every look, (looks, GRID · GRID)."""
    return np.stack([_look(*look) for look in rows.looks])


@lru_cache(maxsize=64)
def _look(finish: int, rgb: tuple[float, float, float]) -> NDArray[np.uint32]:
    """Pixels of bare skin by where it faces, (GRID · GRID,): a quarter of a megabyte."""
    known, axis = tables(), np.linspace(-1, 1, GRID, dtype=np.float32)
    step = np.minimum(known.level[finish], np.float32(LEVELS - 1)).astype(np.int64)
    white = known.white[finish]
    colour = _in_light(_ramp(rgb)[:, step], known.gain[finish], white)
    away = _turned_away(np.tile(axis, GRID), np.repeat(-axis, GRID))
    opacity = np.full(GRID * GRID, known.opacity[finish], dtype=np.float32)
    return _pixels(colour, _seen_through(opacity, away, white, np.zeros_like(white)))


def _even_out_balls(
    skin: VisiblePixels,
    crease: NDArray[np.float32],
    paints: Sequence[Paint],
    buffers: Buffers,
    crop: tuple[slice, slice],
) -> None:
    """Give what is drawn as balls, but is neither balloon nor film, one continuous skin."""
    over = np.array([*(0.0 if paint.film else paint.evened_mm for paint in paints), 0.0])
    for evened_mm in sorted(set(over[over > 0].tolist())):
        of_ball = (over == evened_mm).take(skin.owner)
        if of_ball.any():
            _even_out(skin, of_ball, buffers, crop, evened_mm)
            crease[of_ball] = 1.0


def _even_out(
    skin: VisiblePixels, which: NDArray[np.bool_], buffers: Buffers, crop: tuple[slice, slice], evened_mm: float
) -> None:
    """Turn the normals of pixels to those of one skin that runs on over all of them."""
    line, column = skin.places(which)
    skin.nx[which], skin.ny[which] = _smoothed(buffers, line + crop[0].start, column + crop[1].start, evened_mm)


def _lay_film(skin: VisiblePixels, of_film: NDArray[np.bool_], buffers: Buffers, crop: tuple[slice, slice]) -> None:
    """The pixels `mine` show a film: no rim of a ball, an edge that fades by how much of its surroundings it covers."""
    if not of_film.any():
        return
    _even_out(skin, of_film, buffers, crop, _FILM_EVENED_MM)
    skin.away[of_film] = 0.0
    covered = _evened((buffers.identity[crop] != NOTHING).astype(np.float32), 3).reshape(-1).take(skin.at[of_film])
    # A straight edge has two thirds about its pixels, which then are half covered.
    skin.coverage[of_film] = np.clip(1.5 * covered - 0.5, 0.0, 1.0)


def _smoothed(
    buffers: Buffers, line: NDArray[np.int64], column: NDArray[np.int64], evened_mm: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Normal x and y of pixels whose skin runs on from one to the next: the slope of the depth, evened out."""
    window = max(int(evened_mm / buffers.view.mm_per_px) | 1, 3)
    top, left = max(int(line.min()) - window, 0), max(int(column.min()) - window, 0)
    area = np.s_[top : int(line.max()) + window + 1, left : int(column.max()) + window + 1]
    there = np.zeros(buffers.depth[area].shape, dtype=np.float32)
    there[line - top, column - left] = 1
    depth: NDArray[np.float32] = np.where(there > 0, buffers.depth[area], 0).astype(np.float32)
    # Three times a running mean over what is there: nearly a Gaussian one.
    for _ in range(3):
        share = _evened(there, window)
        evened = _evened(depth * there, window) / np.maximum(share, 1e-6)
        depth = evened.astype(np.float32)
    down, across = (np.gradient(depth, buffers.view.mm_per_px, axis=axis) for axis in (0, 1))
    x, y = across[line - top, column - left], -down[line - top, column - left]
    long = np.sqrt(1 + x * x + y * y)
    return (x / long).astype(np.float32), (y / long).astype(np.float32)


def _print(
    colour: NDArray[np.float32], skin: VisiblePixels, paints: Sequence[Paint], azimuth: float
) -> NDArray[np.float32]:
    """Print on the balloons that have marks: lighter on dark colours, darker on light ones; the share covered, (k,)."""
    covered = np.zeros(len(skin.at), dtype=np.float32)
    for finish in PRINTS:
        has = np.array([*(paint.finish is finish for paint in paints), False])
        if not has.any():
            continue
        printed = np.flatnonzero(has[skin.owner])
        nx, ny = skin.nx[printed], skin.ny[printed]
        nz = np.sqrt(np.maximum(1 - nx * nx - ny * ny, 0.0))
        across, towards = _from_front(nx, nz, azimuth)
        pixel: NDArray[np.float32] = (1 / np.maximum(skin.radius[printed], 1)).astype(np.float32)
        share = printed_share(finish, (across, towards, ny), pixel)
        base = np.array([*(paint.rgb for paint in paints), _POLE_RGB], dtype=np.float32)
        if finish is Finish.CONFETTI:
            # The skin is clear, with a breath of the confetti's colour.
            marks = base
            colour[:, printed] = 1 - (1 - colour[:, printed]) * np.float32(0.25)
        else:
            is_light = base.mean(axis=1, keepdims=True) > 0.5
            marks = np.where(is_light, base * np.float32(0.55), 1 - (1 - base) * np.float32(0.4))
        colour[:, printed] += (marks.T[:, skin.owner[printed]] - colour[:, printed]) * share
        covered[printed] = share
    return covered


def _bleed(
    colour: NDArray[np.float32], skin: VisiblePixels, dark: NDArray[np.float32], rows: _Rows, radius: float
) -> None:
    """Where balloons press they take some of the colour of those about them; `dark`: how much they press, (k,)."""
    deep = np.flatnonzero(dark > _BLEED_FROM)
    if not len(deep):
        return
    # Balloons' own colours on every fourth pixel each way; of the empty ground there is nothing.
    coarse = skin.identity[::_BLEED_STEP, ::_BLEED_STEP]
    seen, whose = coarse != NOTHING, np.where(coarse >= 0, coarse, len(rows.ramp) - 1)
    window = max(int(2 * radius * _BLEED_REACH / _BLEED_STEP) | 1, 3)
    weight = np.maximum(_evened(seen.astype(np.float32), window), np.float32(1e-3))
    line, column = skin.places(deep)
    cell = (line // _BLEED_STEP) * np.int32(coarse.shape[1]) + column // _BLEED_STEP
    amount = (dark[deep] - np.float32(_BLEED_FROM)) * np.float32(_BLEEDS)
    for channel, base in zip(colour, rows.base, strict=True):
        near = _evened(np.where(seen, base.take(whose), np.float32(0)), window) / weight
        values = channel.take(deep)
        values += (near.reshape(-1).take(cell) - values) * amount
        channel[deep] = values


_BLEED_STEP, _BLEED_REACH, _BLEED_FROM, _BLEEDS = 4, 0.5, 0.05, 0.55
"""Colour bleeds over half a balloon's width, from a twentieth of light lost on; where balloons press hardest, a quarter
of it is the neighbours'."""


def _evened(values: NDArray[np.float32], window: int) -> NDArray[np.float32]:
    return _box_mean(_box_mean(values, window, 0), window, 1)


def _write(
    colour: NDArray[np.float32],
    values: NDArray[np.int64],
    letters: Letters,
    normals: tuple[NDArray[np.float32], ...],
    azimuth: float,
) -> None:
    """Colour the pixels `mine` of a balloon that its letters cover; normals right, up and towards the viewer."""
    nx, ny, nz = normals
    across, towards = _from_front(nx, nz, azimuth)
    size = len(letters.mask)
    column = np.clip(((across + 1) / 2 * size).astype(int), 0, size - 1)
    line = np.clip(((1 - ny) / 2 * size).astype(int), 0, size - 1)
    colour[:, values[(towards > 0) & letters.mask[line, column]]] = np.array(letters.rgb, dtype=np.float32)[:, None]


def _from_front(
    nx: NDArray[np.float32], nz: NDArray[np.float32], azimuth: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Normals to the right and to the viewer as seen from the front: `View.project` turned back."""
    c, s = math.cos(azimuth), math.sin(azimuth)
    return (nx * c + nz * s).astype(np.float32), (nz * c - nx * s).astype(np.float32)


def _drawn_area(drawn: NDArray[np.bool_], margin: int) -> tuple[slice, slice] | None:
    """The part of the picture that holds everything drawn, with a margin; None for an empty picture.

    It begins where the coarse pixels of the whole picture do, so that a part of it is shaded as the whole is.
    """
    lines, columns = np.flatnonzero(drawn.any(axis=1)), np.flatnonzero(drawn.any(axis=0))
    if not len(lines):
        return None
    return (
        slice(max(int(lines[0]) - margin, 0) // _BLEED_STEP * _BLEED_STEP, int(lines[-1]) + margin + 1),
        slice(max(int(columns[0]) - margin, 0) // _BLEED_STEP * _BLEED_STEP, int(columns[-1]) + margin + 1),
    )


def _crease(depth: NDArray[np.float32], window: int, skin: VisiblePixels, deepest: float) -> NDArray[np.float32]:
    """Light left at the pixels of a skin that lie deeper than their surroundings, (k,), 0.5 to 1.

    Worked out on every second pixel each way: surroundings are wide. Empty ground is as deep as the `deepest` balloon.
    """
    coarse = depth[::2, ::2]
    seen = np.isfinite(coarse)
    filled = np.where(seen, coarse, np.float32(deepest))
    half = max(window // 2 | 1, 3)
    around = _evened(filled, half)
    whole = np.repeat(np.repeat(around, 2, axis=0), 2, axis=1)[: skin.shape[0], : skin.shape[1]]
    sunk = np.subtract(depth, whole, out=whole).reshape(-1).take(skin.at)
    sunk *= np.float32(0.5 / _CREASE_DEPTH_MM)
    return np.asarray(np.subtract(1, np.clip(sunk, 0.0, 0.5, out=sunk), out=sunk))


def _box_mean(values: NDArray[np.float32], window: int, axis: int) -> NDArray[np.float32]:
    """Running mean over `window` (odd) pixels along an axis of (h, w), edges repeated."""
    reach = window // 2
    wide = [(0, 0), (0, 0)]
    wide[axis] = (reach + 1, reach)
    sums = np.cumsum(np.pad(values, wide, mode="edge"), axis=axis, dtype=np.float64)
    ends, starts = (sums[window:], sums[:-window]) if axis == 0 else (sums[:, window:], sums[:, :-window])
    return ((ends - starts) / window).astype(np.float32)
