"""Flat bodies with an outline, as what they are: boards, and foil shapes puffed from their outline to a seam."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kakushi.sight.buffers import Buffers
from kakushi.sight.view import View

_APART_PX = 0.7
"""How far apart the points of a film are drawn: no pixel is left out."""
_MOST_POINTS = 1_000_000
"""Of one face: they draw in some 0.1 s."""
_SEAM = 0.012
"""Width of the flat seam over the height of a shape: 6 mm of half a metre."""
_SEAM_DEEP_MM = 1.0
"""Thickness of the seam at the edge of a foil balloon, mm."""
_EVENED_PX = 1.6
"""Over so much of its silhouette an edge is evened out, so that it does not show the pixels."""
_CREASES, _CREASE_DEEP, _CREASE_REACH = 26, 0.07, 0.22
"""Creases all round, how deep they are over the fullness, and how far in they reach over the widest room."""
_LEVEL = 0.02
"""Sine of the turn up to which a film is seen from the front: its far face would show by less than a pixel."""
_CORNER, _CORNER_STEPS, _MOST_LINES = 0.08, 12, 240
"""Of things of cloth or wood: corners over the shorter side, values along a corner's radius, and at most so many."""
_ROUNDED = 0.03
"""Over so much of the height ridges are rounded."""


@dataclass(frozen=True, slots=True, eq=False)
class Film:
    """A flat body about its middle: how far inside its edge it is, and how thick.

    `inside` (lines, columns), the top line first: mm from the edge, below 0 outside; `half`: half its thickness there,
    mm; values are `step` (down, across) mm apart.
    `spot`: its middle, mm, and `azimuth`: where its face looks, radians anticlockwise from the front.
    """

    inside: NDArray[np.float32]
    half: NDArray[np.float32]
    step: tuple[float, float]
    spot: tuple[float, float, float] = (0.0, 0.0, 0.0)
    azimuth: float = 0.0

    def moved(self, azimuth: float, spot: Sequence[float]) -> Film:
        """The same film elsewhere."""
        x, y, z = spot
        return replace(self, azimuth=azimuth, spot=(float(x), float(y), float(z)))


def flat_film(wide: float, tall: float, deep: float) -> Film:
    """A board."""
    lines = columns = 9
    down, across = np.abs(np.linspace(-1, 1, lines)) * tall / 2, np.abs(np.linspace(-1, 1, columns)) * wide / 2
    inside = np.minimum(tall / 2 - down[:, None], wide / 2 - across[None]).astype(np.float32)
    return Film(inside, np.full_like(inside, deep / 2), (tall / (lines - 1), wide / (columns - 1)))


def rounded_film(wide: float, tall: float, deep: float) -> Film:
    """A thing of wood or cloth with rounded corners and edges; thin ones are flat, like a cloth."""
    corner = min(max(deep / 2, _CORNER * min(wide, tall)), wide / 2, tall / 2)
    lines, columns = (max(math.ceil(side / corner * _CORNER_STEPS), 2 * _CORNER_STEPS) + 1 for side in (tall, wide))
    lines, columns = min(lines, _MOST_LINES), min(columns, _MOST_LINES)
    down, across = (np.abs(np.linspace(-1, 1, points)) * side / 2 for points, side in ((lines, tall), (columns, wide)))
    y, x = (down - (tall / 2 - corner))[:, None], (across - (wide / 2 - corner))[None]
    inside = corner - np.hypot(np.maximum(x, 0), np.maximum(y, 0)) - np.minimum(np.maximum(x, y), 0)
    edge = min(deep / 2, float(inside.max()))
    share = np.clip(inside / max(edge, 1e-6), 0.0, 1.0)
    half = deep / 2 * np.sqrt(1 - (1 - share) ** 2)
    return Film(inside.astype(np.float32), half.astype(np.float32), (tall / (lines - 1), wide / (columns - 1)))


def puffed_film(mask: NDArray[np.bool_], wide: float, tall: float, deep: float) -> Film:
    """A foil shape, full: from a seam along the edge of its silhouette (lines, columns) it swells, creased at first."""
    from scipy.ndimage import distance_transform_edt, gaussian_filter  # noqa: PLC0415 - needed for foils only

    inside = np.pad(mask, 2)
    step = (tall / mask.shape[0], wide / mask.shape[1])
    within, without = (distance_transform_edt(area, sampling=step) for area in (inside, ~inside))
    # Half a pixel to the edge on either side of it.
    away = gaussian_filter(np.where(inside, within - min(step) / 2, min(step) / 2 - without), _EVENED_PX)
    seam = _SEAM * tall
    share = np.clip((away - seam) / max(float(away.max()) - seam, 1e-6), 0.0, 1.0)
    lines, columns = inside.shape
    turn = np.arctan2(*np.meshgrid(np.arange(columns) - (columns - 1) / 2, (lines - 1) / 2 - np.arange(lines)))
    creases = 1 - _CREASE_DEEP * (0.5 + 0.5 * np.cos(_CREASES * turn)) * np.exp(-share / _CREASE_REACH)
    full = gaussian_filter(np.sqrt(1 - (1 - share) ** 2), _ROUNDED * mask.shape[0] * np.array([1.0, step[0] / step[1]]))
    half = deep / 2 * full / max(float(full.max()), 1e-6) * creases * np.clip(share * 12, 0.0, 1.0) + _SEAM_DEEP_MM
    return Film(away.astype(np.float32), half.astype(np.float32), step)


def with_films(buffers: Buffers, films: Sequence[tuple[int, int, Film]]) -> Buffers:
    """Buffers in which films are drawn instead of their balls: (first ball, number of balls, film) each.

    A film's pixels show its first ball.
    """
    drawn = np.ones(len(buffers.radii), dtype=bool)
    for first, count, _ in films:
        drawn[first : first + count] = False
    shown = buffers.again(drawn)
    for first, _, film in films:
        top, left, depth = _depth(film, buffers.view)
        window = np.s_[top : top + depth.shape[0], left : left + depth.shape[1]]
        nearer = depth < shown.depth[window]
        shown.depth[window][nearer], shown.identity[window][nearer] = depth[nearer], first
    return shown


@lru_cache(maxsize=8)
def _depth(film: Film, view: View) -> tuple[int, int, NDArray[np.float32]]:
    """Depth of a film, (h, w) mm, inf where it is not; also its first line and column.

    Remembered: when only the light on a row changes, what is drawn stays where it is.
    """
    faces = [view.project(points) for points in _faces(film, view)]
    low = np.min([points[:, :2].min(axis=0) for points in faces if len(points)], axis=0)
    high = np.max([points[:, :2].max(axis=0) for points in faces if len(points)], axis=0) + 1
    (left, top), (right, bottom) = (
        np.clip(at, 0, (view.width, view.height)).astype(int).tolist() for at in (low, high)
    )
    areas = []
    for points in faces:
        area = np.full((bottom - top, right - left), np.inf, dtype=np.float32)
        column, line = np.floor(points[:, :2]).astype(np.int64).T - np.array([[left], [top]])
        there = (column >= 0) & (column < area.shape[1]) & (line >= 0) & (line < area.shape[0])
        area[line[there], column[there]] = points[there, 2]
        # Where a face curves away its points lie farther apart than pixels: what lies between two of them is filled.
        for each in (area, area.T):
            between = np.isinf(each[1:-1]) & np.isfinite(each[:-2]) & np.isfinite(each[2:])
            each[1:-1][between] = np.maximum(each[:-2], each[2:])[between]
        areas.append(area)
    return top, left, np.minimum.reduce(areas)


def _faces(film: Film, view: View) -> list[NDArray[np.float64]]:
    """Points (n, 3) mm of the faces that can be seen, near enough for every pixel, in each the farther ones first."""
    lines, columns = film.inside.shape
    tall, wide = (lines - 1) * film.step[0], (columns - 1) * film.step[1]
    apart = max(_APART_PX * view.mm_per_px, math.sqrt(tall * wide / _MOST_POINTS))
    turned = film.azimuth - view.azimuth
    across = np.linspace(0, columns - 1, math.ceil(wide / apart) + 1)[:: -1 if math.sin(turned) > 0 else 1]
    down = np.linspace(0, lines - 1, math.ceil(tall / apart) + 1)
    inside, half = (_between(_between(values, down).T, across).T for values in (film.inside, film.half))
    seen = inside > -view.mm_per_px / 2
    up = np.broadcast_to(((lines - 1) / 2 - down[:, None]) * film.step[0], seen.shape)[seen]
    right = np.broadcast_to((across[None] - (columns - 1) / 2) * film.step[1], seen.shape)[seen]
    inside, half = inside[seen], half[seen] * (1 if math.cos(turned) > 0 else -1)
    faces = [(right, -half, up)]
    if abs(math.sin(turned)) > _LEVEL:
        # Of a film that is turned its far face shows beyond the rim of the near one, and its edge.
        edge = np.flatnonzero(inside < apart)
        thick = 2 * float(np.abs(half[edge]).max(initial=0.0))
        sheets = int(min(math.ceil(thick / apart) + 1, _MOST_POINTS // max(len(edge), 1) + 1))
        layers = np.repeat(np.linspace(1, -1, sheets), len(edge))
        faces += [
            (right, half, up),
            (np.tile(right[edge], sheets), np.tile(half[edge], sheets) * layers, np.tile(up[edge], sheets)),
        ]
    c, s = math.cos(film.azimuth), math.sin(film.azimuth)
    return [np.stack([x * c - y * s, x * s + y * c, z], axis=1) + np.array(film.spot) for x, y, z in faces]


def _between(values: NDArray[np.floating], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Lines of values at places between them."""
    low = np.minimum(at.astype(np.int64), len(values) - 2)
    share = (at - low)[:, None]
    return np.asarray(values[low] * (1 - share) + values[low + 1] * share)
