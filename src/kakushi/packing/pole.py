"""How many rows a given pole takes: a range, since sizing and pressing differ from hand to hand."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass

from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, remembered, stop_if
from kakushi.packing.settle import resettle, settle
from kakushi.packing.stack import Geometry, Packing, StackRow, balloons_stacked
from kakushi.packing.symmetric import alike_radii, are_alike, settled_alike

# Factors of the packing force between which hands differ: rises of snug quads by about 3 % either way. Assumed.
PRESSED, LET_BE = 1.2, 0.8
# Of the row's diameter above its knot: a pole ending there is hidden.
COVERED_WITHIN = 0.5
# Rows looked at beyond those planned.
MAX_MORE = 8
# Of d + D: rise of a small row on the last one.
SMALL_RISE = 0.4
# Of the last row's diameter: a smaller row would fall into its hollow.
_SMALLEST_LAST = 0.45
ROUGH = 1e-4
"""Residual force, in units of p·D², at which the range of rows counts as settled: it is told in whole rows."""


@dataclass(frozen=True, slots=True)
class PoleRange:
    """Rows a pole takes with its end covered, at least and at most, and how it ends. Lengths mm.

    `bare`: pole left above the last row's knot as planned (negative: the row is above the pole's
    end); `last_diameter`: of one more, smaller row that would cover the rest, None when none would.
    """

    fewest: int
    most: int
    bare: float
    last_diameter: float | None

    def just_takes(self, rows: int) -> bool:
        """Whether so many rows, no more and no fewer, cover the pole's end as planned."""
        return self.fewest == self.most == rows and self.bare >= 0 and self.last_diameter is None


def rows_on_pole(
    rows: Sequence[StackRow],
    packing: Packing,
    length: float,
    capped: bool,
    scatter_mm: float,
    cancelled: Cancelled = never,
) -> PoleRange:
    """The range of rows for a pole that ends `length` mm above the foot of a column of `rows` (at least one).

    More rows repeat the last one, fewer leave rows out from the top. The low and high ends come from
    packing pressed harder (only where a cap holds the last row down) or let be, with all sizes one
    `scatter_mm` too small or too large. A row covers the end when that lies between its knot and its top.
    Raises `errors.Cancelled` when `cancelled()` answers True between the settlings.
    """
    column = (*rows, *[rows[-1]] * MAX_MORE)
    usual, low, high = _knot_ranges(column, packing, capped, scatter_mm, cancelled=cancelled)
    above = [COVERED_WITHIN * row.mean_diameter for row in column]
    fits = [i + 1 for i in range(len(column)) if low[i] <= length <= high[i] + above[i]]
    nearest = max([i + 1 for i, knot in enumerate(usual) if knot <= length], default=1)
    diameter = rows[-1].mean_diameter
    bare = length - usual[len(rows) - 1]
    # A row d on a row D rises about 0.4 (d + D); solved for the knot at the pole's end.
    wanted = bare / SMALL_RISE - diameter
    last = wanted if bare > diameter / 2 and _SMALLEST_LAST * diameter <= wanted <= diameter else None
    return PoleRange(fits[0] if fits else nearest, fits[-1] if fits else nearest, bare, last)


@remembered(512, balloons_stacked)
def _knot_ranges(
    column: tuple[StackRow, ...], packing: Packing, capped: bool, scatter_mm: float, *, cancelled: Cancelled
) -> tuple[Sequence[float], Sequence[float], Sequence[float]]:
    """Heights of the knots above the foot as planned, at the least and at the most, mm: whatever the pole."""
    harder = packing.tau * (PRESSED if capped else 1.0)
    usual, balance = _knots(column, packing, 0.0)
    stop_if(cancelled)
    low, _ = _knots(column, dataclasses.replace(packing, tau=harder), -scatter_mm, balance)
    stop_if(cancelled)
    high, _ = _knots(column, dataclasses.replace(packing, tau=packing.tau * LET_BE), scatter_mm, balance)
    return usual, low, high


def _knots(
    column: Sequence[StackRow], packing: Packing, off_mm: float, near: Floats | Geometry | None = None
) -> tuple[list[float], Floats | Geometry]:
    """Heights of the knots above the foot with every balloon `off_mm` larger, mm; to a tenth of a millimetre.

    And where the balloons lie, to look for others `near` it.
    """
    resized = [
        dataclasses.replace(row, diameters=tuple(max(d + off_mm, d / 2) for d in row.diameters)) for row in column
    ]
    if are_alike(resized) and not isinstance(near, Geometry):
        balance, _ = settled_alike(resized, packing, ROUGH, near)
        knots, heights = balance[:, 0], balance[:, 3]
        return [float(knot) for knot in knots - float((heights - alike_radii(resized)).min())], balance
    geometry = (
        resettle(resized, packing, near) if isinstance(near, Geometry) else settle(resized, packing, placed=False)
    )
    return [float(knot) for knot in geometry.knots], geometry
