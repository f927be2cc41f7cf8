"""What careless sizing does to a column: the spread of its height, and rows prone to gaps."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.errors import Cancelled
from kakushi.packing.settle import resettle
from kakushi.packing.stack import Geometry, Packing, StackRow

# Builds: they tell a standard deviation to about a seventh.
SAMPLES = 24
# Of the scatter of balloons: a sizer's own error, shared by all sized with it. Assumed.
SETTING_SHARE = 0.5
# mm. A gap seen from two metres.
VISIBLE_GAP_MM = 6.0
# Share of builds with such a gap from which a row is named.
PRONE_FROM = 0.3
# The same builds every time.
_SEED = 11


@dataclass(frozen=True, slots=True, eq=False)
class Spread:
    """Height of the built column, mm: standard deviation over `samples` builds.

    `gaps` (m,): for each row the share of builds with a gap of VISIBLE_GAP_MM between neighbours of
    the row that touch, or nearly, when sized exactly.
    """

    height_sd: float
    gaps: Floats
    samples: int

    @property
    def prone(self) -> list[int]:
        """Indices of rows that often show a gap."""
        return [int(row) for row in np.flatnonzero(self.gaps >= PRONE_FROM)]


def height_spread(
    rows: Sequence[StackRow],
    packing: Packing,
    exact: Geometry,
    scatter_mm: float,
    samples: int = SAMPLES,
    cancelled: Callable[[], bool] = lambda: False,
) -> Spread:
    """Settle seeded builds around the `exact` geometry of `rows`.

    Each balloon's diameter is off by a normal deviate of `scatter_mm` (standard deviation), and each
    sizer setting by one of SETTING_SHARE of that for all its balloons. Raises Cancelled.
    """
    rng = np.random.default_rng(_SEED)
    if scatter_mm <= 0 or not rows:
        return Spread(0.0, np.zeros(len(rows)), 0)
    tops, gaps = [], np.zeros(len(rows))
    usual = _gaps(exact)
    for _ in range(samples):
        if cancelled():
            raise Cancelled
        built = resettle(_missized(rows, scatter_mm, rng), packing, exact)
        if not built.report.converged:
            continue
        tops.append(built.top - built.bottom)
        gaps += (_gaps(built) > VISIBLE_GAP_MM) & (usual < VISIBLE_GAP_MM / 2)
    return Spread(float(np.std(tops, ddof=1)) if len(tops) > 1 else 0.0, gaps / max(len(tops), 1), len(tops))


def _missized(rows: Sequence[StackRow], scatter_mm: float, rng: np.random.Generator) -> list[StackRow]:
    settings = sorted({d for row in rows for d in row.diameters})
    off = dict(zip(settings, rng.normal(0, scatter_mm * SETTING_SHARE, len(settings)), strict=True))
    return [
        dataclasses.replace(
            row,
            diameters=tuple(
                max(d + off[d] + e, d / 2)
                for d, e in zip(row.diameters, rng.normal(0, scatter_mm, row.count), strict=True)
            ),
        )
        for row in rows
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
