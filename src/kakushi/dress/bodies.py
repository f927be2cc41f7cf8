"""What parts look like as balls: chains, sheets and boxes, about a part's own middle; mm.

Axes of a part: to the right, away from who looks at its face, up. A part that hangs faces away from the pole.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats
from kakushi.picture.film import Film, flat_film, rounded_film

_EVEN = 1e-3
"""Logarithm of the ratio of both end radii above which a line counts as tapering."""
_APART = 0.5
"""Spacing of the balls of a chain, in radii: its skin is then even to 3 % of the radius."""
_MOST_TUBE_BALLS = 2000
"""Most balls of one tube: as many draw in about 50 ms."""
_SHEET_APART = 1.3
"""Spacing of the balls of a sheet, in radii: four close the middle between them below 1.41."""
_BORDER, _BORDER_APART = 0.3, 1.0
"""Balls along the edges of a sheet: radius relative to the inner ones, and spacing in their own radii."""
MOST_BALLS = 300
"""Most balls of one part: as many draw in a few milliseconds."""
_MOST_POINTS, _FEWEST_LINES = 2500, 48
"""Most points at which a flat thing is tried for touching, and fewest lines of them each way."""
_CORNER = 1.2
"""Reach of a rounded box towards its corners, where the box spans −1 to 1."""
_THIN = 0.3
"""Depth, as a share of the shorter side, below which a thing is drawn flat, like a cloth."""
GOLDEN = math.pi * (3 - math.sqrt(5))
"""The golden angle, radians: points laid at its multiples cover a sphere evenly."""


@dataclass(frozen=True, slots=True, eq=False)
class Body:
    """Balls of a part: middles (k, 3) and radii (k,), mm, and the colour key of each (k,).

    `film`: what they stand for where pictures can show it as what it is: all of them, or the first `filmed`.
    """

    centres: Floats
    radii: Floats
    colours: tuple[str, ...]
    film: Film | None = None
    filmed: int | None = None

    def __len__(self) -> int:
        return len(self.radii)


NO_BODY = Body(np.zeros((0, 3)), np.zeros(0), ())


def joined(parts: Sequence[Body]) -> Body:
    """Several bodies as one."""
    if not parts:
        return NO_BODY
    return Body(
        np.concatenate([part.centres for part in parts]),
        np.concatenate([part.radii for part in parts]),
        tuple(colour for part in parts for colour in part.colours),
    )


def balls(centres: Floats, radii: Floats, colour: str) -> Body:
    """Balls of one colour from `centres` (n, 3) and `radii` (n,), mm."""
    return Body(centres, radii, (colour,) * len(radii))


def chain(
    points: Sequence[Sequence[float]] | Floats,
    thick: float,
    colour: str,
    end: float | None = None,
    most: int = MOST_BALLS,
) -> Body:
    """A line through points (n, 3), `thick` mm wide, `end` mm at its end where it tapers, of `most` balls.

    Its balls stand apart in proportion to their radii.
    """
    corners = np.array(points, dtype=float).reshape(-1, 3)
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(corners, axis=0), axis=1))])
    first, last = max(thick / 2, 0.5), max((thick if end is None else end) / 2, 0.5)
    tapers = abs(math.log(last / first)) > _EVEN
    # Steps of the line over the radii along it: its length over their logarithmic mean.
    steps = along[-1] * (math.log(last / first) / (last - first) if tapers else 1 / first)
    share = np.linspace(0.0, 1.0, min(math.ceil(steps / _APART), most) + 1)
    radii = first * (last / first) ** share if tapers else np.full(len(share), first)
    at = along[-1] * ((radii - first) / (last - first) if tapers else share)
    middles = np.stack([np.interp(at, along, corners[:, axis]) for axis in range(3)], axis=1)
    return balls(middles, radii, colour)


def tube(points: Sequence[Sequence[float]] | Floats, thick: float, colour: str) -> Body:
    """A long balloon `thick` mm wide along a line through points (n, 3), round at its ends: many more balls."""
    return chain(points, thick, colour, most=_MOST_TUBE_BALLS)


def sheet(wide: float, tall: float, thick: float, colour: str) -> Body:
    """An upright sheet of balls around its middle: at least `thick`, and thick enough for its balls to close it."""
    if min(wide, tall) <= 0:
        return NO_BODY
    radius = max(thick / 2, math.sqrt(wide * tall / MOST_BALLS) / _SHEET_APART, 1.0)
    radius = min(radius, wide / 2, tall / 2)
    columns, lines = (max(math.ceil((side - 2 * radius) / (_SHEET_APART * radius)) + 1, 1) for side in (wide, tall))
    x = np.linspace(-1, 1, columns) * (wide / 2 - radius) if columns > 1 else np.zeros(1)
    z = np.linspace(-1, 1, lines) * (tall / 2 - radius) if lines > 1 else np.zeros(1)
    across, up = (each.ravel() for each in np.meshgrid(x, z))
    middles = np.stack([across, np.zeros_like(across), up], axis=1)[: 2 * MOST_BALLS]
    inner = balls(middles, np.full(len(middles), radius), colour)
    return replace(joined([inner, _border(wide, tall, radius, colour)]), film=flat_film(wide, tall, thick))


def _border(wide: float, tall: float, radius: float, colour: str) -> Body:
    """Small balls along the edges of a sheet of balls of a radius: straight edges, sharp corners."""
    small = max(radius * _BORDER, 2 * (wide + tall) / (_BORDER_APART * MOST_BALLS))
    if small >= min(radius, wide / 2, tall / 2):
        return NO_BODY
    x, z = wide / 2 - small, tall / 2 - small
    corners = [(-x, 0.0, -z), (x, 0.0, -z), (x, 0.0, z), (-x, 0.0, z), (-x, 0.0, -z)]
    points = int(4 * (x + z) / (_BORDER_APART * small)) + 1
    at, along = np.linspace(0.0, 4 * (x + z), points), np.cumsum([0.0, 2 * x, 2 * z, 2 * x, 2 * z])
    middles = np.stack([np.interp(at, along, [corner[axis] for corner in corners]) for axis in range(3)], axis=1)
    return balls(middles, np.full(points, small), colour)


def lump(wide: float, deep: float, tall: float, colour: str) -> Body:
    """A round thing that wide, deep and tall about its middle: a row of balls along its longest side."""
    sides = np.array([wide, deep, tall], dtype=float)
    if sides.min() <= 0:
        return NO_BODY
    flat, long = int(sides.argmin()), int(sides.argmax())
    broad = 3 - flat - long if flat != long else (long + 1) % 3
    radius = float(sides[flat]) / 2
    rows, columns = (
        int(np.clip(math.ceil((side - 2 * radius) / (_APART * radius)) + 1, 1, math.isqrt(MOST_BALLS)))
        for side in (float(sides[broad]), float(sides[long]))
    )
    middles = np.zeros((rows * columns, 3))
    middles[:, broad] = np.repeat(np.linspace(-1, 1, rows) if rows > 1 else np.zeros(1), columns)
    middles[:, long] = np.tile(np.linspace(-1, 1, columns) if columns > 1 else np.zeros(1), rows)
    if min(rows, columns) > 3:
        # Rounded corners.
        middles = middles[np.hypot(middles[:, broad], middles[:, long]) < _CORNER]
    middles[:, broad] *= float(sides[broad]) / 2 - radius
    middles[:, long] *= float(sides[long]) / 2 - radius
    thing = balls(middles, np.full(len(middles), radius), colour)
    is_thin = deep < _THIN * min(wide, tall)
    return replace(thing, film=rounded_film(wide, tall, deep)) if is_thin else thing


def film_points(body: Body, both_faces: bool = False) -> Floats:
    """Points of the back of a body's film, towards the pole, or of both its faces, (k, 3) in place, mm."""
    film = body.film
    assert film is not None
    high, wide = film.inside.shape
    # Between the values of a board, which has few.
    lines, columns = (np.linspace(0, size - 1, max(size, _FEWEST_LINES)) for size in (high, wide))
    within, half = (_between(values, lines, columns) for values in (film.inside, film.half))
    down, across = np.nonzero(within > 0)
    every = max(len(down) // _MOST_POINTS, 1)
    down, across = down[::every], across[::every]
    x = (columns[across] - (wide - 1) / 2) * film.step[1]
    z = ((high - 1) / 2 - lines[down]) * film.step[0]
    half = half[down, across]
    c, s = math.cos(film.azimuth), math.sin(film.azimuth)
    faces = [np.stack([x * c - y * s, x * s + y * c, z], axis=1) for y in ((half, -half) if both_faces else (half,))]
    return np.asarray(np.concatenate(faces) + np.array(film.spot))


def _between(values: NDArray[np.float32], lines: Floats, columns: Floats) -> Floats:
    """Values of a grid at lines and columns between its own, (len(lines), len(columns))."""
    own = np.arange(values.shape[0]), np.arange(values.shape[1])
    along = np.array([np.interp(columns, own[1], line) for line in values])
    return np.array([np.interp(lines, own[0], column) for column in along.T]).T


def directions(count: int) -> Floats:
    """`many` directions spread evenly over the sphere, (many, 3)."""
    up = 1 - (2 * np.arange(count) + 1) / count
    across = np.sqrt(1 - up**2)
    turn = np.arange(count) * GOLDEN
    return np.stack([across * np.cos(turn), across * np.sin(turn), up], axis=1)


def turned(body: Body, azimuth: float, spot: Sequence[float]) -> Body:
    """A body with its middle at `spot`, its face `azimuth` radians anticlockwise from the front."""
    c, s = math.cos(azimuth), math.sin(azimuth)
    x, y, z = body.centres.T if len(body) else np.zeros((3, 0))
    return Body(
        np.stack([x * c - y * s, x * s + y * c, z], axis=1) + np.array(spot, dtype=float),
        body.radii,
        body.colours,
        body.film.moved(azimuth, spot) if body.film else None,
        body.filmed,
    )
