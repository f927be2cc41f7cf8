"""Shaping an outline by hand: few points with a smooth curve through them, moved, added, removed.

Outlines here are `PointsOutline`s whose heights run from 0 to the column's height, mm.
"""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.limits import LARGEST_WIDTH_MM
from kakushi.model.outline import OutlinePoint, PointsOutline
from kakushi.model.values import replace
from kakushi.shape.profile import Profile, monotone_curve

# Dots of an outline shaped by hand.
MAX_POINTS, MIN_POINTS = 40, 2
# Of the width: dots are left out while the curve stays so near.
CLOSE_ENOUGH = 0.012
# Heights on which curves are compared.
_SAMPLES = 200
# mm. No outline is drawn thinner than a pole's width.
_MIN_HALF_MM = 10.0
# Of the height between two dots.
_MIN_GAP = 0.004


class OutlineSide(StrEnum):
    """Which side of an asymmetric outline counts."""

    LEFT = "left"
    RIGHT = "right"
    MEAN = "mean"
    BOTH = "both as they are"


def asymmetry(outline: PointsOutline) -> float:
    """Largest difference of the two sides over the largest width; 0 for a symmetric outline."""
    difference = max(abs(p.left_mm - p.right_mm) for p in outline.points)
    widest = max(p.left_mm + p.right_mm for p in outline.points)
    return difference / widest if widest > 0 else 0.0


def with_side(outline: PointsOutline, side: OutlineSide) -> PointsOutline:
    """The outline with one side, or the mean of both, taken for both."""

    def halves(p: OutlinePoint) -> tuple[float, float]:
        match side:
            case OutlineSide.LEFT:
                return p.left_mm, p.left_mm
            case OutlineSide.RIGHT:
                return p.right_mm, p.right_mm
            case OutlineSide.MEAN:
                return (p.left_mm + p.right_mm) / 2, (p.left_mm + p.right_mm) / 2
            case _:
                return p.left_mm, p.right_mm

    points = [OutlinePoint(height_mm=p.height_mm, left_mm=halves(p)[0], right_mm=halves(p)[1]) for p in outline.points]
    return replace(outline, points=tuple(points))


def every_point(profile: Profile) -> PointsOutline:
    """A profile as points, one for each of its heights, unnamed."""
    return PointsOutline(
        points=tuple(
            OutlinePoint(height_mm=float(z), left_mm=float(a), right_mm=float(b))
            for z, a, b in zip(profile.heights, profile.left, profile.right, strict=True)
        )
    )


def few_points(profile: Profile, name: str) -> PointsOutline:
    """A profile as few points with a smooth curve through them that keeps within CLOSE_ENOUGH of it.

    Symmetric (the mean of both sides). Points are added one at a time where the curve is furthest off.
    """
    z = np.linspace(0.0, profile.height, _SAMPLES)
    half = profile.mean_half_width(np.clip(z, 1e-3, profile.height - 1e-3))
    at = [0, _SAMPLES - 1, int(half.argmax()), int(half.argmin())]
    at = sorted(set(at))
    while len(at) < MAX_POINTS // 2:
        errors = np.abs(monotone_curve(z[at], half[at], z) - half)
        errors[at] = 0.0
        if errors.max() <= CLOSE_ENOUGH * half.max():
            break
        at = sorted([*at, int(errors.argmax())])
    return _outline(name, z[at], half[at])


def _outline(name: str, heights: Floats, halves: Floats) -> PointsOutline:
    points = tuple(
        OutlinePoint(height_mm=float(h), left_mm=float(w), right_mm=float(w))
        for h, w in zip(heights, halves, strict=True)
    )
    return PointsOutline(name=name[:120], points=points, smooth=True)


def _arrays(outline: PointsOutline) -> tuple[Floats, Floats]:
    return (
        np.array([p.height_mm for p in outline.points]),
        np.array([(p.left_mm + p.right_mm) / 2 for p in outline.points]),
    )


def moved(outline: PointsOutline, index: int, height: float, half: float) -> PointsOutline:
    """Point `index` at another height and half-width, mm; the ends keep their height, order is kept."""
    heights, halves = _arrays(outline)
    gap = _MIN_GAP * heights[-1]
    if 0 < index < len(heights) - 1:
        heights[index] = float(np.clip(height, heights[index - 1] + gap, heights[index + 1] - gap))
    halves[index] = float(np.clip(half, _MIN_HALF_MM, LARGEST_WIDTH_MM / 2))
    return _outline(outline.name, heights, halves)


def added(outline: PointsOutline, height: float) -> PointsOutline:
    """A further point on the curve at a height, mm. Raises BadInput where there is no room for one."""
    heights, halves = _arrays(outline)
    near = float(np.abs(heights - height).min())
    if not 0 < height < heights[-1] or near < _MIN_GAP * heights[-1]:
        raise BadInput("There is a point already.", "outline")
    if len(heights) >= MAX_POINTS:
        raise BadInput(f"An outline shaped by hand has at most {MAX_POINTS} points.", "outline")
    half = float(monotone_curve(heights, halves, np.array([height]))[0])
    place = int(np.searchsorted(heights, height))
    return _outline(outline.name, np.insert(heights, place, height), np.insert(halves, place, half))


def removed(outline: PointsOutline, index: int) -> PointsOutline:
    """Without point `index`. Raises BadInput for the ends."""
    heights, halves = _arrays(outline)
    if not 0 < index < len(heights) - 1:
        raise BadInput("The foot and the top of an outline stay.", "outline")
    return _outline(outline.name, np.delete(heights, index), np.delete(halves, index))


def smoothed(outline: PointsOutline) -> PointsOutline:
    """Every inner half-width drawn half way to the line between its neighbours."""
    heights, halves = _arrays(outline)
    if len(halves) > MIN_POINTS:
        share = (heights[1:-1] - heights[:-2]) / (heights[2:] - heights[:-2])
        between = halves[:-2] * (1 - share) + halves[2:] * share
        halves[1:-1] = (halves[1:-1] + between) / 2
    return _outline(outline.name, heights, halves)


def scaled_to_width(outline: PointsOutline, width: float) -> PointsOutline:
    """All widths scaled so that the widest is `width`, mm."""
    factor = width / max(p.left_mm + p.right_mm for p in outline.points)
    points = [
        OutlinePoint(height_mm=p.height_mm, left_mm=p.left_mm * factor, right_mm=p.right_mm * factor)
        for p in outline.points
    ]
    return replace(outline, points=tuple(points))


def snapped(value: float, lines: Floats, within: float) -> float:
    """The nearest of `lines` (k,) if it is within `within` (all in one unit, such as mm), else the value."""
    if not len(lines):
        return value
    nearest = float(lines[np.abs(lines - value).argmin()])
    return nearest if abs(nearest - value) <= within else value
