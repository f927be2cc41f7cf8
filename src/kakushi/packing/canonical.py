"""One column for all its symmetry images: turned by a slot, mirrored.

Rows are placed one by one, and of equal balances one is taken. So that a column and its mirror image get mirrored
answers, one of all symmetry images is settled and the answer carried over.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.groups import Twist
from kakushi.packing.problem import Problem
from kakushi.packing.stack import StackRow

# Of lengths over the mean diameter: a thousandth is less than a hand sizes.
_DECIMALS = 3


@dataclass(frozen=True, slots=True)
class SymmetryImage:
    """A symmetry image of a column of `count` balloons a row: slots moved on by `shift`, mirrored or not.

    Slot j of row k of the image is slot j + shift of the column, mirrored slot shift - k - j: a row nests
    half a slot anticlockwise of the row below in both.
    """

    count: int
    shift: int
    mirrored: bool

    def slot(self, row: int, slot: int) -> int:
        """The slot of the column which slot `slot` of row `row` of the image is; the other way round too."""
        return (self.shift - row - slot if self.mirrored else slot + self.shift) % self.count

    def rows(self, rows: Sequence[StackRow]) -> tuple[StackRow, ...]:
        """The rows of the image."""
        return tuple(
            replace(
                row,
                diameters=tuple(row.diameters[self.slot(k, j)] for j in range(self.count)),
                slacks=tuple(row.slacks[self.slot(k, j)] for j in range(self.count)),
            )
            for k, row in enumerate(rows)
        )

    def turns_back(self, turns: Floats) -> Floats:
        """Angles of slot 1 of every row of the column, from those of the image, (m,) radians."""
        if not self.mirrored:
            return turns
        return np.asarray(np.arange(len(turns)) * 2 * np.pi / self.count - turns)

    def state_back(self, problem: Problem, state: Floats) -> Floats:
        """Unknowns of the column (mm) from those of the image, (n,); both have the same layout."""
        back = state.copy()
        for row in range(len(problem.knot_at)):
            in_row = np.flatnonzero(problem.row_of == row)
            for j in range(self.count):
                of = problem.balloon_at[in_row[j]]
                to = problem.balloon_at[in_row[self.slot(row, j)]]
                back[to : to + 3] = state[of : of + 3] * [-1.0 if self.mirrored else 1.0, 1.0, 1.0]
        return back


def canonical_form(rows: Sequence[StackRow], twist: Twist = Twist.FREE) -> SymmetryImage | None:
    """Canonical image of a stack under its symmetries; None for rows of several counts or with pinned turns.

    A column that is twisted one way is not mirrored: it would twist the other way.
    """
    count = rows[0].count
    if any(row.count != count or (index and row.turn is not None) for index, row in enumerate(rows)):
        return None
    mirrors = (False, True) if twist is Twist.FREE else (False,)
    every = [SymmetryImage(count, shift, mirrored) for mirrored in mirrors for shift in range(count)]
    mean = sum(row.mean_diameter for row in rows) / len(rows)
    # Rounded, so that columns which hardly differ are settled as the same image.
    return min(every, key=lambda image: [_rounded(row, mean) for row in image.rows(rows)])


def _rounded(row: StackRow, mean: float) -> list[float]:
    return [round(length / mean, _DECIMALS) for length in (*row.diameters, *row.slacks)]
