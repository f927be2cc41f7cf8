"""How well a settled column fills its outline: intersection over union of silhouettes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.packing.stack import Geometry
from kakushi.shape.profile import Profile

POOR_MATCH = 0.75
"""Match below which rows do not look like their outline: the eye sees another shape."""
# mm between the lines of the comparison.
GRID_MM = 5.0
_MOST_LINES = 1000
"""Most lines compared on the tallest pieces: chords are exact, and many lines still cross each balloon."""
SIDES = 13
"""Sides compared over half a turn. A prime, and off the front: rows of three to eight look different from each."""
# Rounds in which the worst side is looked for around the worst ones seen, and sides looked at in each.
_WORST_ROUNDS, _WORST_SIDES = 3, 9
# Worst sides around which it is looked for, and how many times further apart the lines are meanwhile.
_WORST_OF, _WORST_COARSER = 2, 3


@dataclass(frozen=True, slots=True)
class Match:
    """Intersection over union of the projected balloons and the outline, per side.

    `worst` is the lowest of all sides and `worst_azimuth` where it is seen from, radians anticlockwise from the front.
    """

    by_azimuth: tuple[float, ...]
    worst: float
    worst_azimuth: float

    @property
    def mean(self) -> float:
        """Mean over the sides, 0 to 1."""
        return float(np.mean(self.by_azimuth))


def match_of(
    geometry: Geometry,
    profile: Profile,
    foot_mm: float = 0.0,
    grid_mm: float = GRID_MM,
    sides: int = SIDES,
    worst_searched: bool = True,
) -> Match:
    """Match of a geometry with an outline standing at height `foot_mm`.

    Widths are exact, on lines `grid_mm` apart, from `sides` sides spread over half a turn (over a whole one where the
    outline's sides differ: opposite sides then see different things). With `worst_searched` the worst side is looked
    for between them, else it is the worst of them.
    """
    grid_mm = max(grid_mm, max(profile.height + foot_mm, geometry.top) / _MOST_LINES)
    silhouettes = _Silhouettes(geometry, profile, foot_mm, grid_mm)
    # Opposite sides are mirror images: where the outline is symmetric, half of them tell all.
    half = np.array_equal(profile.left, profile.right)
    step = (np.pi if half else 2 * np.pi) / sides
    azimuths = (np.arange(sides) + 0.5) * step
    shares = silhouettes.shares(azimuths)
    worst = int(np.argmin(shares))
    lowest, where = float(shares[worst]), float(azimuths[worst])
    if worst_searched:
        coarse = _Silhouettes(geometry, profile, foot_mm, grid_mm * _WORST_COARSER)
        azimuths_found = np.array(
            [_lowest_near(coarse, float(azimuths[k]), step) for k in np.argsort(shares)[:_WORST_OF]]
        )
        shares_found = silhouettes.shares(azimuths_found)
        if shares_found.min() < lowest:
            lowest, where = float(shares_found.min()), float(azimuths_found[np.argmin(shares_found)])
    return Match(tuple(shares.tolist()), lowest, where)


def _lowest_near(silhouettes: _Silhouettes, azimuth: float, step: float) -> float:
    """The azimuth of the lowest share within a `step`, radians, of one, found by looking ever closer."""
    for _ in range(_WORST_ROUNDS):
        tried = azimuth + np.linspace(-1, 1, _WORST_SIDES) * step
        azimuth = float(tried[np.argmin(silhouettes.shares(tried))])
        step *= 2 / (_WORST_SIDES - 1)
    return azimuth % (2 * np.pi)


class _Silhouettes:
    """A geometry's silhouettes on lines over the height, against an outline."""

    def __init__(self, geometry: Geometry, profile: Profile, foot_mm: float, grid_mm: float) -> None:
        top = max(profile.height + foot_mm, geometry.top)
        lines = (np.arange(int(np.ceil(top / grid_mm))) + 0.5) * grid_mm
        self._left, self._right = profile.sides(lines - foot_mm)
        self._wanted = float((self._left + self._right).sum())
        # Where balloons cross the lines, and half the chord's length, (c,): line by line.
        low, high = (geometry.centres[:, 2] + side * geometry.shape_radii for side in (-1, 1))
        first = np.clip(np.ceil(low / grid_mm - 0.5).astype(int), 0, len(lines))
        crossed = np.clip(np.ceil(high / grid_mm - 0.5).astype(int), 0, len(lines)) - first
        balloon = np.repeat(np.arange(len(first)), crossed)
        line = np.arange(len(balloon)) - np.repeat(np.cumsum(crossed) - crossed, crossed) + first[balloon]
        order = np.argsort(line, kind="stable")
        self._line, balloon = line[order], balloon[order]
        offset = lines[self._line] - geometry.centres[balloon, 2]
        self._half = np.sqrt(np.maximum(geometry.shape_radii[balloon] ** 2 - offset**2, 0.0))
        self._x, self._y = geometry.centres[balloon, 0], geometry.centres[balloon, 1]

    def shares(self, azimuths: Floats) -> Floats:
        """Intersection over union with the outline from each side, (a,)."""
        if not self._line.size:
            return np.zeros(len(azimuths))
        x = np.cos(azimuths)[:, None] * self._x + np.sin(azimuths)[:, None] * self._y
        low, high = x - self._half, x + self._half
        # Lines are laid end to end, far enough apart, so that one order and one running maximum serve them all.
        apart = 2 * float(max(np.abs(low).max(), np.abs(high).max(), self._left.max(), self._right.max())) + 1.0
        start = self._line * apart
        # Sorted, every line keeps its places: what belongs to a line needs no sorting.
        order = np.argsort(low + start, axis=1)
        low, high = np.take_along_axis(low, order, axis=1), np.take_along_axis(high, order, axis=1)
        left, right = -self._left[self._line], self._right[self._line]
        covered = _lengths(low + start, high + start)
        inside = _lengths(np.clip(low, left, right) + start, np.clip(high, left, right) + start)
        union = covered + self._wanted - inside
        return np.asarray(np.where(union > 0, inside / np.maximum(union, 1e-9), 0.0))


def _lengths(low: Floats, high: Floats) -> Floats:
    """Length covered from `low` to `high` (a, c), mm, sorted by `low`; overlaps counted once, (a,)."""
    reached = np.maximum.accumulate(high, axis=1)
    begun = low[:, 1:].clip(min=reached[:, :-1])
    return np.asarray((high[:, 0] - low[:, 0]) + np.maximum(high[:, 1:] - begun, 0.0).sum(axis=1))
