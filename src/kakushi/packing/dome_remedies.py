"""What keeps a row that does not lie flat down: a row above it, tighter packing, longer necks."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass

from kakushi.packing.settle import settle
from kakushi.packing.stack import LOOSE, SNUG, TIGHT, Packing, StackRow

# Packing forces tried, loosest first: steps that a hand feels, up to twice as hard as tight.
TAUS = (LOOSE, 0.2, 0.4, 0.7, 1.0, SNUG, 1.5, TIGHT, 2.2, 2.8, 3.4)
# Factors of the neck slack tried, shortest first.
_LONGER_NECKS = (1.25, 1.5, 2.0, 3.0)
# Rows around that decide whether one domes.
_ROWS_BELOW = 3
# mm of neck: longer ones are not made on purpose.
_LONGEST_MM = 40.0


@dataclass(frozen=True, slots=True)
class DomeRemedies:
    """What would keep a row level. None or False: that does not help.

    `tau`: the least packing force that holds it; `row_above`: one more such row on top does;
    `longer_necks_mm`: so much more neck slack does.
    """

    row_above: bool
    tau: float | None
    longer_necks_mm: float | None


def dome_remedies(rows: Sequence[StackRow], row: int, packing: Packing) -> DomeRemedies:
    """What makes a row (index) that domes when let go lie flat, found on the rows around it."""
    low = max(row - _ROWS_BELOW, 0)
    near = list(rows[low : row + 2])
    at = row - low
    last = row == len(rows) - 1
    # Packing the piece differently changes the force of every joint: those around the row are enough to tell.
    tau = next((t for t in TAUS if t > packing.tau and _lies(near, at, dataclasses.replace(packing, tau=t))), None)
    above = last and _lies([*near, near[at]], at, packing)
    return DomeRemedies(above, tau, _longer_necks(near, at, packing))


def _longer_necks(near: list[StackRow], at: int, packing: Packing) -> float | None:
    for factor in _LONGER_NECKS:
        slacks = tuple(s * factor for s in near[at].slacks)
        longer = max(s - before for s, before in zip(slacks, near[at].slacks, strict=True))
        if longer > _LONGEST_MM:
            break
        if _lies([*near[:at], dataclasses.replace(near[at], slacks=slacks), *near[at + 1 :]], at, packing):
            return longer
    return None


def _lies(rows: list[StackRow], row: int, packing: Packing) -> bool:
    """Whether a row lies flat when let go."""
    return bool(settle(rows, packing, placed=False).flat[row])
