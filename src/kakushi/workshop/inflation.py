"""Inflation calibration: from trial points to the setting that gives a diameter, with its uncertainty.

Air comes at a steady rate once it flows, so volume grows with strokes or seconds less an offset (dead volume of
the pump, lag of the valve): d³ = k·(s - s₀). The skin pushes back more as it stretches; the exponent is therefore
fitted near 1/3: d = c·(s - s₀)^q, q ~ N(1/3, 0.02) before any trial.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.errors import BadInput
from kakushi.model.workshop import TrialPoint

_PRIOR_FREEDOM = 4
"""What is known of the usual scatter before any trial, in degrees of freedom; see `docs/accuracy.md`."""
_BAND = 0.9
"""Share of balloons in the band that `deviation` is made for: 1.645 of it either way."""
_Q, _Q_SD = 1 / 3, 0.02
"""Exponent of the curve and its prior standard deviation: volume grows evenly, so diameter as its cube root."""
_OFFSET_SD = 0.06
"""Prior standard deviation of what is lost at the start, as a share of the largest setting."""
_USUAL_SCATTER_MM, _USUAL_SCATTER = 2.5, 0.012
"""Scatter expected before there are many trials: mm at most, and as a share of the diameter."""
_ODD, _RARE, _MIN_FOR_MISTAKES = 3.0, 0.00135, 4
"""Residual, in standard deviations, at which a trial is questioned; share of trials beyond it; fewest trials needed."""
_MAX_SETTINGS = 4000
"""Rows of a table of settings: finer steps are of no use."""


@dataclass(frozen=True, slots=True, eq=False)
class InflatorCalibration:
    """A fitted inflator and nominal size. `scatter` is the standard deviation of one diameter at one setting, mm.

    `outliers` are indices of trial points that were left out as mistakes.
    """

    log_c: float
    offset: float
    exponent: float
    covariance: Floats
    scatter: float
    points: tuple[TrialPoint, ...]
    outliers: tuple[int, ...]

    def diameter(self, setting: float | Floats) -> Floats:
        """Diameter (mm) expected at a setting; 0 below the offset."""
        return _curve(np.array([self.log_c, self.offset, self.exponent]), np.asarray(setting, dtype=float))

    def setting(self, diameter: float) -> float:
        """The setting that is expected to give a diameter (mm)."""
        return float(self.offset + math.exp((math.log(diameter) - self.log_c) / self.exponent))

    def spread(self, setting: float | Floats) -> Floats:
        """Standard deviation (mm) of the curve itself at a setting: what the trials leave open."""
        at = np.asarray(setting, dtype=float)
        slopes = _slopes(np.array([self.log_c, self.offset, self.exponent]), at)
        return np.asarray(np.sqrt(np.einsum("...i,ij,...j->...", slopes, self.covariance, slopes)))

    def deviation(self, setting: float | Floats) -> Floats:
        """Deviation (mm) of one balloon at a setting, of curve and balloon together: 90 % lie within 1.645 of it.

        Wider by Student's t than a standard deviation, since a few trials tell little of the scatter.
        """
        return np.asarray(np.hypot(self.spread(setting), self.scatter)) * _wider(len(self.points) - len(self.outliers))

    def rounded(self, diameter: float, step: float) -> tuple[float, float]:
        """The setting that can be set nearest to a diameter (mm), and the diameter expected of it."""
        setting = max(round(self.setting(diameter) / step) * step, step)
        return setting, float(self.diameter(setting))

    def step_mm(self, diameter: float, step: float) -> float:
        """How far one step of the setting moves the diameter there, mm."""
        at = self.setting(diameter)
        return float(self.diameter(at + step / 2) - self.diameter(max(at - step / 2, self.offset)))


def _curve(values: Floats, setting: Floats) -> Floats:
    log_c, offset, exponent = values
    flowing = np.maximum(setting - offset, 1e-12)
    return np.asarray(np.where(setting > offset, np.exp(log_c + exponent * np.log(flowing)), 0.0))


def _slopes(values: Floats, setting: Floats) -> Floats:
    """Derivatives of the curve by log c, offset and exponent, array (..., 3)."""
    _, offset, exponent = values
    flowing = np.maximum(setting - offset, 1e-9)
    d = _curve(values, setting)
    return np.stack([d, -exponent * d / flowing, d * np.log(flowing)], axis=-1)


@lru_cache(maxsize=256)
def calibrate(points: tuple[TrialPoint, ...]) -> InflatorCalibration:
    """Fit trial points of one inflator and nominal size; one gross mistake among four or more does not spoil it.

    A single trial is enough for settings near it: volume grows evenly, as every inflator's does. Raises BadInput
    without one.
    """
    settings = np.array([p.setting for p in points], dtype=float)
    diameters = np.array([p.diameter_mm for p in points], dtype=float)
    if not len(settings):
        raise BadInput("Measure one balloon first.", "trials")
    keep = np.ones(len(points), dtype=bool)
    for place in _mistakes(settings, diameters):
        keep[place] = False
    values, scatter = _fitted(settings[keep], diameters[keep])
    slopes = _slopes(values, settings[keep])
    precision = slopes.T @ slopes / scatter**2 + _prior_precision(settings[keep])
    return InflatorCalibration(
        log_c=float(values[0]),
        offset=float(values[1]),
        exponent=float(values[2]),
        covariance=np.linalg.inv(precision),
        scatter=scatter,
        points=points,
        outliers=tuple(int(i) for i in np.flatnonzero(~keep)),
    )


@lru_cache(maxsize=256)
def _wider(points: int, tail: float = (1 - _BAND) / 2) -> float:
    """Student's t over the normal quantile, for a scatter told by a number of points."""
    from scipy.stats import norm, t  # noqa: PLC0415 - as in `_fitted`

    return float(t.ppf(1 - tail, max(points - 2, 0) + _PRIOR_FREEDOM) / norm.ppf(1 - tail))


def _prior_precision(settings: Floats) -> Floats:
    sd = np.array([100.0, _OFFSET_SD * float(settings.max()) + 1e-9, _Q_SD])
    return np.diag(1 / sd**2)


def _fitted(settings: Floats, diameters: Floats) -> tuple[Floats, float]:
    """Least squares with the prior, and the scatter of the points about the curve, drawn to a usual one."""
    from scipy.optimize import least_squares  # noqa: PLC0415 - large, and only needed here

    scatter = usual = min(_USUAL_SCATTER_MM, _USUAL_SCATTER * float(diameters.max()))
    prior = np.sqrt(np.diag(_prior_precision(settings)))
    middle = np.array([0.0, 0.0, _Q])
    # From the usual exponent the fit reaches the same curve whatever the units of the setting.
    start = np.array([float(np.mean(np.log(diameters) - _Q * np.log(settings))), 0.0, _Q])
    top = float(settings.min()) * (1 - 1e-6)
    most = float(settings.max())
    for _ in range(3):

        def residuals(values: Floats, sd: float = scatter) -> Floats:
            misfit = (_curve(values, settings) - diameters) / sd
            return np.concatenate([misfit, ((values - middle) * prior)[1:]])

        bounds = ([-50.0, -most, 0.15], [50.0, top, 0.6])
        fit = least_squares(residuals, np.clip(start, bounds[0], bounds[1]), bounds=bounds, x_scale=[0.01, top, 0.01])
        start = fit.x
        misfit = _curve(start, settings) - diameters
        # A few points say little about the scatter: two usual ones are added.
        scatter = float(np.sqrt((np.sum(misfit**2) + 2 * usual**2) / (max(len(misfit) - 2, 0) + 2)))
    return start, scatter


def _mistakes(settings: Floats, diameters: Floats) -> list[int]:
    """Points that a curve through the others cannot explain, the worst one first; few at most."""
    left = list(range(len(settings)))
    outliers: list[int] = []
    while len(left) >= _MIN_FOR_MISTAKES and len(outliers) < (len(settings) - 2) // 3:
        oddness = [_oddness(settings[left], diameters[left], i) for i in range(len(left))]
        # As rare as three standard deviations are where the scatter is known.
        if max(oddness) < _ODD * _wider(len(left) - 1, _RARE):
            break
        outliers.append(left.pop(int(np.argmax(oddness))))
    return outliers


def _oddness(settings: Floats, diameters: Floats, place: int) -> float:
    """Distance of a point from the curve through the others, in standard deviations."""
    rest = np.arange(len(settings)) != place
    values, scatter = _fitted(settings[rest], diameters[rest])
    slopes = _slopes(values, settings[rest])
    covariance = np.linalg.inv(slopes.T @ slopes / scatter**2 + _prior_precision(settings[rest]))
    slope = _slopes(values, settings[place])
    sd = math.sqrt(float(slope @ covariance @ slope) + scatter**2)
    return abs(float(_curve(values, settings[place])) - float(diameters[place])) / sd


def next_trial(curve: InflatorCalibration, low: float, high: float, step: float) -> float:
    """The setting most worth measuring next: it narrows the curve most between diameters `low` and `high`, mm."""
    first, last = (max(round(curve.setting(d) / step) * step, step) for d in (low, high))
    count = min(round((last - first) / step) + 1, _MAX_SETTINGS)
    # Only what the inflator can be set to.
    candidates = np.unique(np.round(np.linspace(first, last, max(count, 2)) / step) * step)
    over = _slopes(np.array([curve.log_c, curve.offset, curve.exponent]), np.linspace(first, last, 40))
    at = _slopes(np.array([curve.log_c, curve.offset, curve.exponent]), candidates)
    # Variance over the range that a point at each candidate takes away (Sherman-Morrison).
    carried = over @ curve.covariance @ at.T
    gain = (carried**2).sum(axis=0) / (curve.scatter**2 + np.einsum("ni,ij,nj->n", at, curve.covariance, at))
    return float(candidates[int(np.argmax(gain))])


def scatter_of(points: Sequence[TrialPoint]) -> float | None:
    """Pooled standard deviation (mm) of points repeated at one setting; None without repeats."""
    groups: dict[float, list[float]] = {}
    for point in points:
        groups.setdefault(point.setting, []).append(point.diameter_mm)
    repeated = [g for g in groups.values() if len(g) > 1]
    if not repeated:
        return None
    freedom = sum(len(g) - 1 for g in repeated)
    return math.sqrt(sum(float(np.var(g)) * len(g) for g in repeated) / freedom)
