"""The shape of a foil balloon as balls that fill it: silhouette and fullness to a few millimetres, drawn like balloons.

Shapes are given on a unit square, as polygons or, for digits and letters, as strokes; all drawn for this program.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats
from kakushi.model.outline import PointsOutline
from kakushi.model.parts import FoilShape
from kakushi.picture.film import Film, puffed_film

_LINES = 96
"""Height of a shape's mask, px: a metre of foil is true to a centimetre."""
_FILM_LINES = 288
"""Height of the mask that film is drawn from, px: half a metre is true to 2 mm, the ends of thin tips to 5 mm."""
_COVERED, _MOST_BALLS = 0.99, 400
"""Share of the silhouette that balls must cover, and the most balls: as many draw in a few milliseconds."""
_APART_SHARE, _ALONG_EDGES, _FLAT = 0.5, 0.95, 0.05
"""How near balls stand, over their radius: close where the film is full and smooth, in a line along edges and tips,
where they are smaller than a twentieth of the height."""
_EXTENT_LINES = 400
"""Lines each way on which the extent of a shape with holes is found: a quarter of a per cent."""
_STROKE = 0.17
"""Width of a letter's stroke, as a share of its height, as letter foils are made."""


def _star(points: int = 5, inner: float = 0.45) -> Floats:
    angle = np.arange(2 * points) * math.pi / points
    out = np.where(np.arange(2 * points) % 2 == 0, 1.0, inner)
    return np.stack([out * np.sin(angle), out * np.cos(angle)], axis=1)


def _heart() -> Floats:
    t = np.linspace(0, 2 * math.pi, 80, endpoint=False)
    return np.stack(
        [16 * np.sin(t) ** 3, 13 * np.cos(t) - 5 * np.cos(2 * t) - 2 * np.cos(3 * t) - np.cos(4 * t)], axis=1
    )


def _round(radius: float = 1.0, x: float = 0.0) -> Floats:
    t = np.linspace(0, 2 * math.pi, 64, endpoint=False)
    return np.stack([x + radius * np.cos(t), radius * np.sin(t)], axis=1)


def _fish() -> Floats:
    t = np.linspace(math.radians(25), math.radians(335), 50)
    body = np.stack([-0.25 + 0.75 * -np.cos(t + math.pi), 0.45 * np.sin(t)], axis=1)
    tail = np.array([[0.95, -0.5], [0.8, 0.0], [0.95, 0.5]])
    return np.concatenate([body, tail])


_WITH_HOLES: Mapping[str, tuple[Floats, ...]] = {
    "star": (_star(),),
    "heart": (_heart(),),
    "round": (_round(),),
    "ring": (_round(), _round(0.55)),
    "crescent": (_round(), _round(0.8, 0.42)),
    "fish": (_fish(),),
}
"""Shapes by name: the first polygon, less the others."""
SHAPES = (*_WITH_HOLES, "letters")
_GLYPHS = {
    "0": "10 01 05 16 36 45 41 30 10", "1": "15 26 20;10 30", "2": "05 16 36 45 44 00 40",
    "3": "05 16 36 45 44 33 13;33 42 41 30 10 01", "4": "30 36 02 42", "5": "46 06 03 33 42 41 30 10 01",
    "6": "45 36 16 05 01 10 30 41 42 33 13 02", "7": "06 46 20", "8": "13 04 05 16 36 45 44 33 13 02 01 10 30 41 42 33",
    "9": "01 10 30 41 45 36 16 05 04 13 33 44", "A": "00 26 40;12 32", "B": "00 06 36 45 44 33 03;33 42 41 30 00",
    "C": "45 36 16 05 01 10 30 41", "D": "00 06 26 44 42 20 00", "E": "46 06 00 40;03 33", "F": "46 06 00;03 33",
    "G": "45 36 16 05 01 10 30 41 43 23", "H": "00 06;40 46;03 43", "I": "20 26;10 30;16 36", "J": "46 41 30 10 01",
    "K": "00 06;46 03 40", "L": "06 00 40", "M": "00 06 23 46 40", "N": "00 06 40 46",
    "O": "10 01 05 16 36 45 41 30 10", "P": "00 06 36 45 44 33 03", "Q": "10 01 05 16 36 45 41 30 10;22 40",
    "R": "00 06 36 45 44 33 03;23 40", "S": "45 36 16 05 04 13 33 42 41 30 10 01", "T": "06 46;20 26",
    "U": "06 01 10 30 41 46", "V": "06 20 46", "W": "06 10 23 30 46", "X": "00 46;06 40", "Y": "06 23 46;23 20",
    "Z": "06 46 00 40", "&": "40 05 16 25 01 10 20 43", "!": "26 22;20 20", "-": "13 33", "+": "13 33;22 24",
}  # fmt: skip
"""Strokes on a grid of 4 by 6: corners as two digits, x and y; strokes parted by semicolons."""
LETTERS = frozenset(_GLYPHS) | {" "}
"""Characters that a letter foil has a shape for."""
_WIDE, _HIGH, _APART, _NARROWEST = 4.0, 6.0, 0.5, 0.15
"""Width and height of the letter grid, space between letters, and the narrowest a letter is squeezed to."""


def letters_of(text: str) -> str:
    """The signs of a text that have a shape, in capitals."""
    return "".join(sign for sign in text.upper() if sign in LETTERS)


def balls_of(part: FoilShape) -> tuple[Floats, Floats]:
    """Balls that fill a full foil: middles (k, 3) to the right, away and up from its middle, radii (k,), mm."""
    return _filled(*_made_alike(part))


def film_of(part: FoilShape) -> Film | None:
    """The shape as it is drawn, full; None of one without width or height."""
    if min(part.wide_mm, part.tall_mm) <= 0:
        return None
    return _film(*_made_alike(part))


_Alike = tuple["PointsOutline | None", str, str, float, float, float]
"""Own outline, name of the shape, text; width, height and depth, mm: foils alike in these share one body."""


def _made_alike(part: FoilShape) -> _Alike:
    outline = part.outline if isinstance(part.outline, PointsOutline) else None
    return outline, part.shape, part.text, part.wide_mm, part.tall_mm, part.deep_mm or part.tall_mm


def _mask_of(outline: PointsOutline | None, shape: str, text: str, ratio: float, lines: int) -> NDArray[np.bool_]:
    """The silhouette of a shape on pixels, the top line first; all of it where nothing else is known."""
    columns = int(np.clip(round(lines * ratio), 12, 6 * lines))
    x, y = np.meshgrid((np.arange(columns) + 0.5) / columns, 1 - (np.arange(lines) + 0.5) / lines)
    if outline is not None:
        mask = _of_outline(outline, x, y)
    elif shape == "letters":
        mask = _of_letters(letters_of(text), x, y, ratio)
    else:
        mask = _of_polygons(_WITH_HOLES.get(shape, (_round(),)), x, y)
    return mask if mask.any() else np.ones_like(mask)


def _of_polygons(polygons: tuple[Floats, ...], x: Floats, y: Floats) -> NDArray[np.bool_]:
    first = polygons[0]
    low, high = first.min(axis=0), first.max(axis=0)
    if len(polygons) > 1:
        # What is left of it may be narrower: a crescent is as wide as it is asked for.
        sides = np.linspace(0, 1, _EXTENT_LINES)
        grid = np.stack([each.ravel() for each in np.meshgrid(sides, sides)], axis=1) * (high - low) + low
        left_over = grid[_within(polygons, grid)]
        low, high = left_over.min(axis=0), left_over.max(axis=0)
    points = np.stack([x.ravel(), y.ravel()], axis=1) * (high - low) + low
    return _within(polygons, points).reshape(x.shape)


def _within(polygons: tuple[Floats, ...], points: Floats) -> NDArray[np.bool_]:
    """Whether points (k, 2) lie in the first polygon and in none of the others."""
    inside = _inside(polygons[0], points)
    for hole in polygons[1:]:
        inside &= ~_inside(hole, points)
    return inside


def _inside(polygon: Floats, points: Floats) -> NDArray[np.bool_]:
    """Even-odd rule."""
    inside = np.zeros(len(points), dtype=bool)
    for (ax, ay), (bx, by) in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
        if ay == by:
            continue
        crosses = (points[:, 1] < ay) != (points[:, 1] < by)
        inside ^= crosses & (points[:, 0] < ax + (points[:, 1] - ay) / (by - ay) * (bx - ax))
    return inside


def _of_outline(outline: PointsOutline, x: Floats, y: Floats) -> NDArray[np.bool_]:
    heights = np.array([point.height_mm for point in outline.points])
    left = np.array([point.left_mm for point in outline.points])
    right = np.array([point.right_mm for point in outline.points])
    at = heights[0] + y * (heights[-1] - heights[0])
    wide = max(float(left.max() + right.max()), 1e-9)
    across = x * wide - float(left.max())
    if outline.contours:
        points = np.stack([across.ravel(), at.ravel()], axis=1)
        inside = np.zeros(len(points), dtype=bool)
        for contour in outline.contours:
            inside ^= _inside(np.array([(corner.x_mm, corner.height_mm) for corner in contour]), points)
        return inside.reshape(x.shape)
    return np.asarray((across >= -np.interp(at, heights, left)) & (across <= np.interp(at, heights, right)))


def _of_letters(text: str, x: Floats, y: Floats, ratio: float) -> NDArray[np.bool_]:
    if not text.strip():
        return np.zeros(x.shape, dtype=bool)
    # As tall as the shape, drawn out or pressed together sideways so that all fit its width; strokes stay round.
    edge = _STROKE * _HIGH / 2
    wide, gap = ratio * (_HIGH + 2 * edge), 2 * edge + _APART
    squeeze = max((wide - 2 * edge - (len(text) - 1) * gap) / (_WIDE * len(text)), _NARROWEST)
    across, up = x * wide - edge, y * (_HIGH + 2 * edge) - edge
    mask = np.zeros(x.shape, dtype=bool)
    for place, sign in enumerate(text):
        begin = place * (_WIDE * squeeze + gap)
        for stroke in filter(None, _GLYPHS.get(sign, "").split(";")):
            corners = [(begin + float(c[0]) * squeeze, float(c[1])) for c in stroke.split()]
            for a, b in pairwise(corners):
                mask |= _near(a, b, across, up) <= edge
    return mask


def _near(a: tuple[float, float], b: tuple[float, float], x: Floats, y: Floats) -> Floats:
    """Distance of points from the stroke from a to b."""
    along = np.array([b[0] - a[0], b[1] - a[1]])
    dx, dy = x - a[0], y - a[1]
    square = float(along @ along)
    share = np.clip((dx * along[0] + dy * along[1]) / square, 0.0, 1.0) if square else np.zeros_like(dx)
    return np.asarray(np.hypot(dx - share * along[0], dy - share * along[1]))


@lru_cache(maxsize=256)
def _film(outline: PointsOutline | None, shape: str, text: str, wide: float, tall: float, deep: float) -> Film:
    return puffed_film(_mask_of(outline, shape, text, wide / max(tall, 1.0), _FILM_LINES), wide, tall, deep)


@lru_cache(maxsize=512)
def _filled(
    outline: PointsOutline | None, shape: str, text: str, wide: float, tall: float, deep: float
) -> tuple[Floats, Floats]:
    """Balls within a silhouette, the largest first, none deeper than the shape: middles and radii, mm."""
    from scipy.ndimage import distance_transform_edt  # noqa: PLC0415 - needed for foils only

    mask = _mask_of(outline, shape, text, wide / max(tall, 1.0), _LINES)
    inside = np.pad(mask, 1)
    step = (tall / mask.shape[0], wide / mask.shape[1])
    # To the edge of the next pixel, not to its middle; tips are one pixel wide.
    edge = min(step) / 2
    room = np.minimum(np.maximum(distance_transform_edt(inside, sampling=step) - edge, edge * inside), deep / 2)
    # Room of what is not covered yet.
    left_over, most_left = room.copy(), (1 - _COVERED) * int(inside.sum())
    pixels_left = int(inside.sum())
    middles: list[tuple[float, float, float]] = []
    radii: list[float] = []
    while pixels_left > most_left and len(radii) < _MOST_BALLS:
        # What has most room: of a wide flat part the balls stand close together.
        line, column = (int(at) for at in np.unravel_index(int(left_over.argmax()), room.shape))
        radius = float(room[line, column])
        if left_over[line, column] <= 0:
            break
        reach = radius * (_APART_SHARE if radius > _FLAT * tall else _ALONG_EDGES)
        down, across = int(reach / step[0]) + 1, int(reach / step[1]) + 1
        top, left = max(line - down, 0), max(column - across, 0)
        near = np.s_[top : min(line + down + 1, room.shape[0]), left : min(column + across + 1, room.shape[1])]
        lines, columns = np.ogrid[near]
        covered = np.hypot((lines - line) * step[0], (columns - column) * step[1]) <= reach
        pixels_left -= int((covered & (left_over[near] > 0)).sum())
        left_over[near][covered] = 0.0
        middles.append(((column - 0.5) * step[1] - wide / 2, 0.0, tall / 2 - (line - 0.5) * step[0]))
        radii.append(radius)
    return np.array(middles).reshape(-1, 3), np.array(radii)
