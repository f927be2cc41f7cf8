"""What keeps a row that wants to dome down: a row above it, tighter packing, longer necks."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass

from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing, StackRow

# Packing forces tried, loosest first: steps that a hand feels.
TAUS = (0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.65, 0.8, 1.0)
# Factors of the neck slack tried, shortest first.
_LONGER_NECKS = (1.1, 1.25, 1.5, 1.75, 2.0)
# Rows around that decide whether one domes.
_ROWS_BELOW = 3


@dataclass(frozen=True, slots=True)
class DomeRemedies:
    """What would keep a row level. None or False: that does not help.

    `tau`: the least packing force that holds it; `row_above`: one more such row on top does;
    `longer_necks_mm`: so much more neck slack does. `nothing_above`: it is the last row.
    """

    nothing_above: bool
    row_above: bool
    tau: float | None
    longer_necks_mm: float | None


def dome_remedies(rows: Sequence[StackRow], row: int, packing: Packing) -> DomeRemedies:
    """Why row `row` (index) domes and what keeps it down, found on the rows around it."""
    low = max(row - _ROWS_BELOW, 0)
    near = list(rows[low : row + 2])
    at = row - low
    last = row == len(rows) - 1
    tau = next((t for t in TAUS if t > packing.tau and _is_flat(near, at, dataclasses.replace(packing, tau=t))), None)
    above = last and _is_flat([*near, near[at]], at, packing)
    longer = None
    for factor in _LONGER_NECKS:
        slacks = tuple(s * factor for s in near[at].slacks)
        if _is_flat([*near[:at], dataclasses.replace(near[at], slacks=slacks), *near[at + 1 :]], at, packing):
            longer = max(s - before for s, before in zip(slacks, near[at].slacks, strict=True))
            break
    return DomeRemedies(last, above, tau, longer)


def _is_flat(rows: list[StackRow], row: int, packing: Packing) -> bool:
    return bool(settle(rows, packing, search=False).flat[row])
