"""Outlines as half-widths over the height, stretched to a piece's target height."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.outline import Outline, PointsOutline, PresetOutline
from kakushi.shape.presets import handle_values, preset

# Heights at which a preset's curve is tabulated.
SAMPLES = 241


@dataclass(frozen=True, slots=True, eq=False)
class Profile:
    """Half-widths left and right of the axis at ascending heights from the foot, all (k,) mm."""

    heights: Floats
    left: Floats
    right: Floats

    @property
    def height(self) -> float:
        """Height of the outline, mm."""
        return float(self.heights[-1])

    @property
    def widest(self) -> float:
        """Largest whole width, mm."""
        return float((self.left + self.right).max())

    @property
    def area(self) -> float:
        """Area inside the outline, mm^2."""
        return float(np.trapezoid(self.left + self.right, self.heights))

    def mean_half_width(self, z: Floats) -> Floats:
        """Mean of left and right half-width at heights z, any shape, mm; 0 outside."""
        mean = (self.left + self.right) / 2
        return np.asarray(np.interp(z, self.heights, mean, left=0.0, right=0.0))

    def sides(self, z: Floats) -> tuple[Floats, Floats]:
        """Left and right half-width at heights z, mm; 0 outside."""
        return (
            np.asarray(np.interp(z, self.heights, self.left, left=0.0, right=0.0)),
            np.asarray(np.interp(z, self.heights, self.right, left=0.0, right=0.0)),
        )


@lru_cache(maxsize=256)
def profile_of(outline: Outline, height_mm: float) -> Profile:
    """The outline stretched to a height, mm. Raises BadInput when it cannot be an outline."""
    if isinstance(outline, PointsOutline):
        return _points_profile(outline, height_mm)
    return _preset_profile(outline, height_mm)


def _points_profile(outline: PointsOutline, height_mm: float) -> Profile:
    z = np.array([p.height_mm for p in outline.points])
    left = np.array([p.left_mm for p in outline.points])
    right = np.array([p.right_mm for p in outline.points])
    # Equal heights make a step; interpolation wants them a hair apart.
    z = z + np.arange(len(z)) * 1e-7
    z = (z - z[0]) * (height_mm / (z[-1] - z[0]))
    if outline.smooth:
        at = np.linspace(0.0, height_mm, SAMPLES)
        return Profile(at, monotone_curve(z, left, at), monotone_curve(z, right, at))
    return Profile(z, left, right)


def _preset_profile(outline: PresetOutline, height_mm: float) -> Profile:
    kind = preset(outline.preset)
    values = handle_values(outline, height_mm)
    for handle in kind.handles:
        if not handle.is_width:
            values[handle.name] = min(max(values[handle.name], handle.low), handle.high)
    shares, widths = np.array(sorted(kind.points(values))).T
    at = np.linspace(0.0, 1.0, SAMPLES)
    width = monotone_curve(shares, widths, at) if kind.smooth else np.interp(at, shares, widths)
    return Profile(at * height_mm, width / 2, width / 2)


def monotone_curve(x: Floats, y: Floats, at: Floats) -> Floats:
    """Smooth curve through (x, y) that never overshoots, evaluated at `at`; all (k,), x ascending.

    Piecewise cubic Hermite with the slopes of Fritsch and Butland (1984): at each inner point the
    weighted harmonic mean of the two secants, zero at an extreme; the ends take their secant.
    """
    step, secant = np.diff(x), np.diff(y) / np.diff(x)
    slope = np.concatenate([secant[:1], np.zeros(len(x) - 2), secant[-1:]])
    before, after = 2 * step[1:] + step[:-1], step[1:] + 2 * step[:-1]
    climbs = secant[:-1] * secant[1:] > 0
    with np.errstate(divide="ignore", invalid="ignore"):
        harmonic = (before + after) / (before / secant[:-1] + after / secant[1:])
    slope[1:-1] = np.where(climbs, harmonic, 0.0)
    piece = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(step) - 1)
    t, h = (at - x[piece]) / step[piece], step[piece]
    return np.asarray(
        y[piece] * (1 + 2 * t) * (1 - t) ** 2
        + h * slope[piece] * t * (1 - t) ** 2
        + y[piece + 1] * t**2 * (3 - 2 * t)
        + h * slope[piece + 1] * t**2 * (t - 1)
    )
