"""How far a built column may end from its planned height: careless sizing, and hands known only so well; gaps.

The spread by sizing is nearly linear in the errors of single balloons, so it is worked out from what each size in each
row does to the height, without the noise of simulated builds. Builds are settled for what is not linear: the mean
shift, what the errors do not explain to first order, and gaps.
"""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.packing.settle import resettle, settled_about
from kakushi.packing.stack import Geometry, Packing, StackRow

# Builds settled for the mean shift, for gaps and for what is not linear: that share is then known to a ninth.
SAMPLES = 40
# Of the scatter of balloons: a sizer's own error, shared by all sized with it. Assumed.
SETTING_SHARE = 0.5
USUAL_HEIGHT_PERCENT = 2.5
"""Standard deviation of a column's height, in percent, where nobody measured how it is packed: practice has rises of
0.68 to 0.76 d for one and the same column, which is taken for two standard deviations either way."""
# mm. A gap seen from two metres.
VISIBLE_GAP_MM = 6.0
# Share of builds with such a gap from which a row is named.
PRONE_FROM = 0.3
# mm by which a size is changed to see what it does: less than a hand can, more than rounding.
_STEP_MM = 1.0
# The same builds every time.
_SEED = 11


@dataclass(frozen=True, slots=True, eq=False)
class Spread:
    """How far built columns end from the plan, mm.

    `sizing_sd` and `packing_sd`: standard deviations by sizing and by how surely the packing is known; `shift`: built
    columns end so much higher on average than the exact one; `gaps` (m,): for each row the share of `samples` builds
    with a gap of VISIBLE_GAP_MM between neighbours of the row that touch, or nearly, when sized exactly.
    """

    sizing_sd: float
    packing_sd: float
    shift: float
    gaps: Floats
    samples: int

    @property
    def height_sd(self) -> float:
        """Standard deviation of the height, mm, all in."""
        return math.hypot(self.sizing_sd, self.packing_sd)

    @property
    def prone(self) -> list[int]:
        """Indices of rows that often show a gap."""
        return [int(row) for row in np.flatnonzero(self.gaps >= PRONE_FROM)]


def height_spread(
    rows: Sequence[StackRow],
    packing: Packing,
    exact: Geometry,
    scatter_mm: float,
    height_percent: float = 0.0,
    open_mm: Sequence[float] = (),
    samples: int = SAMPLES,
    cancelled: Cancelled = never,
) -> Spread:
    """The spread of the height around the `exact` geometry of `rows`.

    Each balloon's diameter is off by a normal deviate of `scatter_mm` (standard deviation), and each sizer setting by
    one of SETTING_SHARE of that for all its balloons. `height_percent`: standard deviation of the height, in percent,
    from how surely the packing is known. `open_mm` (rows): standard deviation of single balloons of rows whose size is
    left open, mm, on top of that; none where it is empty. Raises `errors.Cancelled`.
    """
    open_mm = open_mm or (0.0,) * len(rows)
    height = exact.top - exact.bottom
    packing_sd = height * height_percent / 100
    if (scatter_mm <= 0 and not any(open_mm)) or not rows:
        return Spread(0.0, packing_sd, 0.0, np.zeros(len(rows)), 0)
    places = [(index, size) for index, row in enumerate(rows) for size in sorted(set(row.diameters))]
    slopes = np.zeros(len(places))
    grown = (_resized(rows, row, size) for row, size in places)
    for place, about in enumerate(settled_about(grown, packing, exact)):
        stop_if(cancelled)
        slopes[place] = (about.top - about.bottom - height) / _STEP_MM
    rng = np.random.default_rng(_SEED)
    deviations, gaps, usual = [], np.zeros(len(rows)), _gaps(exact)
    for _ in range(samples):
        stop_if(cancelled)
        missized = _missized(rows, scatter_mm, open_mm, rng)
        built = resettle(missized, packing, exact)
        if not built.report.converged:
            continue
        errors = [_mean_error(rows[row], missized[row], size) for row, size in places]
        # What the errors explain to first order is taken off: the rest has little noise.
        deviations.append(built.top - built.bottom - height - float(slopes @ np.array(errors)))
        gaps += (_gaps(built) > VISIBLE_GAP_MM) & (usual < VISIBLE_GAP_MM / 2)
    shift, rest = (float(np.mean(deviations)), float(np.std(deviations, ddof=1))) if len(deviations) > 1 else (0.0, 0.0)
    sizing_sd = math.hypot(_linear_sd(rows, places, slopes, scatter_mm, open_mm), rest)
    return Spread(sizing_sd, packing_sd, shift, gaps / max(len(deviations), 1), len(deviations))


def _linear_sd(
    rows: Sequence[StackRow],
    places: Sequence[tuple[int, float]],
    slopes: Floats,
    scatter_mm: float,
    open_mm: Sequence[float],
) -> float:
    """Standard deviation of the height, mm, to first order, by errors of single balloons and of whole settings.

    `slopes` (p,) are what all balloons of a size in a row together do, mm per mm.
    """
    balloons = np.array([rows[row].diameters.count(size) for row, size in places])
    settings: dict[float, float] = {}
    for (_, size), slope in zip(places, slopes, strict=True):
        settings[size] = settings.get(size, 0.0) + float(slope)
    own = scatter_mm**2 + np.array([open_mm[row] for row, _ in places]) ** 2
    single = float((slopes**2 / balloons * own).sum())
    return math.sqrt(single + (SETTING_SHARE * scatter_mm) ** 2 * sum(slope**2 for slope in settings.values()))


def _resized(rows: Sequence[StackRow], row: int, size: float) -> list[StackRow]:
    """The rows with the balloons of one size in one row a little larger."""
    changed = tuple(d + _STEP_MM if d == size else d for d in rows[row].diameters)
    return [*rows[:row], dataclasses.replace(rows[row], diameters=changed), *rows[row + 1 :]]


def _mean_error(exact: StackRow, built: StackRow, size: float) -> float:
    """Mean error, mm, of the balloons of a size in a row."""
    return float(np.mean([b - d for d, b in zip(exact.diameters, built.diameters, strict=True) if d == size]))


def _missized(
    rows: Sequence[StackRow], scatter_mm: float, open_mm: Sequence[float], rng: np.random.Generator
) -> list[StackRow]:
    settings = sorted({d for row in rows for d in row.diameters})
    errors = dict(zip(settings, rng.normal(0, scatter_mm * SETTING_SHARE, len(settings)), strict=True))
    return [
        dataclasses.replace(
            row,
            diameters=tuple(
                max(d + errors[d] + e, d / 2)
                for d, e in zip(row.diameters, rng.normal(0, math.hypot(scatter_mm, more), row.count), strict=True)
            ),
        )
        for row, more in zip(rows, open_mm, strict=True)
    ]


def _gaps(geometry: Geometry) -> Floats:
    """Widest gap between neighbours of each row, (m,) mm; 0 where they touch."""
    rows = len(geometry.frames)
    counts = np.bincount(geometry.row_of, minlength=rows)
    first = np.concatenate([[0], np.cumsum(counts)[:-1]])
    following = np.where(
        geometry.slot_of + 1 < counts[geometry.row_of], np.arange(len(geometry.radii)) + 1, first[geometry.row_of]
    )
    apart = np.linalg.norm(geometry.centres - geometry.centres[following], axis=1)
    gap = np.maximum(apart - geometry.radii - geometry.radii[following], 0.0)
    widest = np.zeros(rows)
    np.maximum.at(widest, geometry.row_of, gap)
    return widest
