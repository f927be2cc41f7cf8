"""Paths of strands as curves by arc length: presets, drawn ones, and which part passes in front at a crossing.

Axes as everywhere: x right, y away from the viewer, z up; a path lies in the plane of the front, but where one part
passes another.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.paths import DrawnPath, Path, PathPreset, PresetPath
from kakushi.packing.frames import FRONT, Frames

_POINTS = 2000
"""Fewest points of a curve: on ten metres half a centimetre apart, straight between them to a hundredth of a mm."""
_STEP_MM = 5.0
"""Longest distance between two points of a curve, mm."""
_SAME_MM = 1e-6
"""Points of a path no farther apart are one."""
_SPIRAL_HOLE = 0.25
"""Where a spiral ends, as a share of where it begins: tighter than that no strand can be bent."""
_PASSES_OVER = 3.0
"""Length over which a part of a strand comes forward to pass another, each way, in strand widths."""


@dataclass(frozen=True, slots=True, eq=False)
class Curve:
    """A curve through `points` (k, 3), mm, its arc length at each `along` (k,); the last is the first where closed."""

    points: Floats
    along: Floats
    is_closed: bool = False

    @property
    def length(self) -> float:
        """Arc length, mm."""
        return float(self.along[-1])

    def scaled(self, by: float) -> Curve:
        """The same curve `by` times as large."""
        return Curve(self.points * by, self.along * by, self.is_closed)

    def moved(self, right: float, up: float) -> Curve:
        """The same curve farther to the right and up, mm."""
        return replace(self, points=self.points + np.array([right, 0.0, up]))

    def height_of(self, reach: float) -> float:
        """Height, mm, of a strand that reaches so far, mm, across the curve; where upright it adds nothing."""
        steps = np.diff(self.points, axis=0)
        aside = reach * np.abs(steps[:, 0]) / np.linalg.norm(steps, axis=1)
        middles = (self.points[1:, 2] + self.points[:-1, 2]) / 2
        high, low = max(float(self.points[:, 2].max()), float((middles + aside).max())), float((middles - aside).min())
        return high - min(float(self.points[:, 2].min()), low)

    def frames_at(self, along: Floats) -> Frames:
        """Frames at arc lengths (m,), mm. Before its beginning and beyond its end an open curve goes on straight."""
        at = np.asarray(along, dtype=float)
        inside = at % self.length if self.is_closed else np.clip(at, 0.0, self.length)
        origins = np.stack([np.interp(inside, self.along, axis) for axis in self.points.T], axis=1)
        tangents = self._tangents(inside)
        origins = origins + tangents * (at - inside)[:, None] * (not self.is_closed)
        front = np.tile(FRONT, (len(at), 1))
        normals = front - tangents * (front * tangents).sum(axis=1)[:, None]
        return Frames(origins, tangents, normals / np.linalg.norm(normals, axis=1)[:, None], at)

    def _tangents(self, inside: Floats) -> Floats:
        """Unit tangents, (m, 3): the means of those of the lengths between points, weighted by how near they are."""
        steps = np.diff(self.points, axis=0)
        of_steps = steps / np.linalg.norm(steps, axis=1)[:, None]
        middles = (self.along[1:] + self.along[:-1]) / 2
        if self.is_closed:
            middles = np.concatenate([[middles[-1] - self.length], middles, [middles[0] + self.length]])
            of_steps = np.concatenate([of_steps[-1:], of_steps, of_steps[:1]])
        found = np.stack([np.interp(inside, middles, axis) for axis in of_steps.T], axis=1)
        return np.asarray(found / np.linalg.norm(found, axis=1)[:, None])


@lru_cache(maxsize=64)
def curve_of(path: Path) -> Curve:
    """A path as a curve in the plane of the front, its lowest point wherever it was drawn. Raises BadInput."""
    flat = _PRESETS[path.preset](path) if isinstance(path, PresetPath) else _drawn(path)
    points = np.stack([flat[:, 0], np.zeros(len(flat)), flat[:, 1]], axis=1)
    return _by_length(points, path.is_closed)


def _by_length(points: Floats, is_closed: bool) -> Curve:
    """A curve through points (k, 3), mm, those that are the same taken once."""
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    kept = np.concatenate([[True], steps > _SAME_MM])
    along = np.concatenate([[0.0], np.cumsum(steps[steps > _SAME_MM])])
    if len(along) < 2:
        raise BadInput("The path has no length.", "path")
    # Evenly along it: the direction between two points is then that of the curve there, at corners too.
    evenly = np.linspace(0.0, along[-1], max(_POINTS, math.ceil(along[-1] / _STEP_MM)) + 1)
    return Curve(np.stack([np.interp(evenly, along, axis) for axis in points[kept].T], axis=1), evenly, is_closed)


def _drawn(path: DrawnPath) -> Floats:
    """Points (k, 2) of a drawn path: the corners, or a smooth curve through them."""
    from scipy.interpolate import CubicSpline  # noqa: PLC0415 - takes a moment to load, and few pieces need it

    corners = np.array([(point.x_mm, point.z_mm) for point in path.points])
    if path.closed:
        corners = np.concatenate([corners, corners[:1]])
    steps = np.linalg.norm(np.diff(corners, axis=0), axis=1)
    corners = corners[np.concatenate([[True], steps > _SAME_MM])]
    along = np.concatenate([[0.0], np.cumsum(steps[steps > _SAME_MM])])
    if len(along) < 2:
        raise BadInput("The path has no length.", "path")
    if not path.smooth or len(corners) < 3:
        return np.asarray(corners)
    if path.closed:
        corners[-1] = corners[0]
    spline = CubicSpline(along, corners, bc_type="periodic" if path.closed else "natural")
    return np.asarray(spline(np.linspace(0.0, along[-1], max(_POINTS, 2 * len(along)))))


# --- presets -------------------------------------------------------------------------------------


def _arc(centre: tuple[float, float], radii: tuple[float, float], first: float, last: float) -> Floats:
    """Points of an arc of an ellipse from one angle to another, degrees anticlockwise from the right, (k, 2)."""
    angle = np.radians(np.linspace(first, last, _POINTS))
    return np.stack([centre[0] + radii[0] * np.cos(angle), centre[1] + radii[1] * np.sin(angle)], axis=1)


def _arch(path: PresetPath) -> Floats:
    """Two legs and a half circle; where it is too low for one, part of a circle. Both feet on the ground."""
    half, height = path.width_mm / 2, path.height_mm
    if height >= half:
        top = _arc((0.0, height - half), (half, half), 180.0, 0.0)
        return np.concatenate([[[-half, 0.0]], top, [[half, 0.0]]])
    radius = (half**2 + height**2) / (2 * height)
    opening = math.degrees(math.asin(min(half / radius, 1.0)))
    return _arc((0.0, height - radius), (radius, radius), 90.0 + opening, 90.0 - opening)


def _pointed_arch(path: PresetPath) -> Floats:
    """Two arcs that meet in a point, each round a centre on the ground."""
    half, height = path.width_mm / 2, path.height_mm
    radius = (half**2 + height**2) / (2 * half)
    opening = math.degrees(math.asin(min(height / radius, 1.0)))
    left = _arc((radius - half, 0.0), (radius, radius), 180.0, 180.0 - opening)
    return np.concatenate([left, left[::-1] * [-1.0, 1.0]])


def _ring(path: PresetPath) -> Floats:
    half, tall = path.width_mm / 2, path.height_mm / 2
    return _arc((0.0, tall), (half, tall), 270.0, -90.0)


def _loop(path: PresetPath) -> Floats:
    """A circle, two straight lengths that cross under it, and their tails."""
    radius, height, tail = path.width_mm / 2, path.height_mm, path.tail_mm

    def too_tall(lean: float) -> bool:
        return tail * math.cos(lean) + radius / math.sin(lean) + radius > height

    # The steeper the lines the taller it is: the lean at which it is as tall as asked, by halving.
    low, high = math.radians(1), math.radians(89)
    for _ in range(60):
        lean = (low + high) / 2
        low, high = (lean, high) if too_tall(lean) else (low, lean)
    lean = (low + high) / 2
    down = tail * math.cos(lean)
    middle = down + radius / math.sin(lean)
    # From the left tail up to the right, anticlockwise over the top, and down to the right tail.
    first = math.degrees(-lean)
    round_it = _arc((0.0, middle), (radius, radius), first, 180.0 - first)
    across = tail * math.sin(lean)
    return np.concatenate([[[-across, 0.0]], round_it, [[across, 0.0]]])


def _heart(path: PresetPath) -> Floats:
    t = np.linspace(math.pi, 3 * math.pi, _POINTS)
    x, z = 16 * np.sin(t) ** 3, 13 * np.cos(t) - 5 * np.cos(2 * t) - 2 * np.cos(3 * t) - np.cos(4 * t)
    return np.stack([x / np.ptp(x) * path.width_mm, (z - z.min()) / np.ptp(z) * path.height_mm], axis=1)


def _wave(path: PresetPath) -> Floats:
    share = np.linspace(0.0, 1.0, _POINTS)
    z = path.height_mm / 2 * (1 - np.cos(2 * math.pi * path.turns * share))
    return np.stack([(share - 0.5) * path.width_mm, z], axis=1)


def _spiral(path: PresetPath) -> Floats:
    """From the outside at the foot inwards, going up on the left."""
    share = np.linspace(0.0, 1.0, _POINTS)
    out = 1 - (1 - _SPIRAL_HOLE) * share
    angle = -math.pi / 2 - 2 * math.pi * path.turns * share
    x, z = path.width_mm / 2 * out * np.cos(angle), path.height_mm / 2 * (1 + out * np.sin(angle))
    return np.stack([x, z], axis=1)


def _s(path: PresetPath) -> Floats:
    half, quarter = path.width_mm / 2, path.height_mm / 4
    low = _arc((0.0, quarter), (half, quarter), 180.0, 450.0)
    high = _arc((0.0, 3 * quarter), (half, quarter), 270.0, 0.0)
    return np.concatenate([low, high])


_PRESETS: Mapping[PathPreset, Callable[[PresetPath], Floats]] = {
    "arch": _arch, "pointed-arch": _pointed_arch, "ring": _ring, "loop": _loop, "heart": _heart, "wave": _wave,
    "spiral": _spiral, "s": _s,
}  # fmt: skip


# --- crossings -----------------------------------------------------------------------------------


@lru_cache(maxsize=64)
def crossings_of(curve: Curve) -> tuple[tuple[float, float], ...]:
    """Arc lengths (first, later), mm, at which a curve crosses itself in the plane of the front.

    Straight lengths are tried against each other through a grid, so that a curve of many points is no matter.
    """
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second, and few pieces need it

    flat = curve.points[:, [0, 2]]
    steps = np.diff(flat, axis=0)
    middles, longest = (flat[1:] + flat[:-1]) / 2, float(np.linalg.norm(steps, axis=1).max())
    pairs = cKDTree(middles).query_pairs(longest, output_type="ndarray")
    apart = np.abs(pairs[:, 1] - pairs[:, 0])
    if curve.is_closed:
        apart = np.minimum(apart, len(steps) - apart)
    pairs = np.sort(pairs[apart > 1], axis=1)
    a, b = flat[pairs[:, 0]], flat[pairs[:, 1]]
    u, v = steps[pairs[:, 0]], steps[pairs[:, 1]]
    turned = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    between = b - a
    with np.errstate(divide="ignore", invalid="ignore"):
        s = (between[:, 0] * v[:, 1] - between[:, 1] * v[:, 0]) / turned
        t = (between[:, 0] * u[:, 1] - between[:, 1] * u[:, 0]) / turned
    # Half open, so that a crossing at a point is met once.
    met = (turned != 0) & (s >= 0) & (s < 1) & (t >= 0) & (t < 1)
    lengths = np.diff(curve.along)
    one = curve.along[pairs[met, 0]] + s[met] * lengths[pairs[met, 0]]
    other = curve.along[pairs[met, 1]] + t[met] * lengths[pairs[met, 1]]
    return tuple(sorted((min(x, y), max(x, y)) for x, y in zip(one.tolist(), other.tolist(), strict=True)))


def passed(curve: Curve, width: float, front_first: bool) -> Curve:
    """The curve with one part before the other, each by half a strand's `width`, mm, wherever it crosses itself."""
    crossings = crossings_of(curve)
    if not crossings:
        return curve
    y = np.zeros(len(curve.along))
    reach = _PASSES_OVER * width
    for first, later in crossings:
        for at, side in ((first, -1.0), (later, 1.0)):
            away = np.abs(curve.along - at)
            if curve.is_closed:
                away = np.minimum(away, curve.length - away)
            bump = np.where(away < reach, (1 + np.cos(np.pi * np.minimum(away / reach, 1.0))) / 2, 0.0)
            y += bump * side * (1.0 if front_first else -1.0) * width / 2
    points = curve.points.copy()
    points[:, 1] = np.clip(y, -width / 2, width / 2)
    # Along the path by what it measures in the plane: what it is longer by is less than the give of a joint.
    return Curve(points, curve.along, curve.is_closed)
