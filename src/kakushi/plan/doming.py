"""Which rows lie flat once hands let go, group by group: one answer for lists, pictures and advice."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.model.groups import RowsGroup, Twist, rows_groups
from kakushi.model.memo import Cancelled, never, remembered, stop_if
from kakushi.model.piece import Piece
from kakushi.packing.dome_remedies import DomeRemedies, dome_remedies
from kakushi.packing.groups.rows import settled
from kakushi.packing.joints import JOINTS
from kakushi.packing.release import LAST_ROWS, domed_after_knock, last_row_comes_up
from kakushi.packing.stack import Packing, StackRow, balloons_stacked, stack_row


@dataclass(frozen=True, slots=True, eq=False)
class GroupDoming:
    """Rows of one group, m of them from `first` (index among all rows of the piece).

    `stack`: its rows as they are built, the last one free; `hangs`: built down from the top, so that the lowest row is
    the free one. `flat` (m,), foot first: level while held and stable when let go, each row with its neighbours held;
    `knocked` (m,): pops when the whole is knocked; `comes_up`: the free row lies lower in energy domed than flat;
    `held` (m,): tied to the row before it, so that it stays down.
    """

    first: int
    hangs: bool
    stack: tuple[StackRow, ...]
    flat: NDArray[np.bool_]
    knocked: NDArray[np.bool_]
    comes_up: bool
    held: NDArray[np.bool_]

    @property
    def free(self) -> int:
        """Index, foot first, of the row that nothing presses from outside."""
        return 0 if self.hangs else len(self.stack) - 1

    @property
    def is_free(self) -> NDArray[np.bool_]:
        """The row that nothing presses from outside, (m,)."""
        return np.asarray(np.arange(len(self.stack)) == self.free)

    @property
    def bulge(self) -> NDArray[np.bool_]:
        """Rows pressed from both sides that nothing holds and that do not lie flat: their necks are too short, (m,)."""
        row = np.arange(len(self.stack))
        return np.asarray(~self.flat & ~self.held & (row > 0) & (row < len(self.stack) - 1))

    @property
    def lies_flat(self) -> NDArray[np.bool_]:
        """Rows that stay flat with no hand on them, knocked or not, (m,)."""
        return np.asarray(self.held | (self.flat & ~self.knocked & ~(self.is_free & self.comes_up)))

    @property
    def lifts(self) -> bool:
        """The free row lies flat under a hand and comes up without it."""
        free = self.free
        return bool(self.flat[free] and not self.held[free] and (self.knocked[free] or self.comes_up))

    def rows(self, which: NDArray[np.bool_]) -> list[int]:
        """Indices among all rows of the piece of those `which` (m,) are true."""
        return [self.first + int(row) for row in np.flatnonzero(which)]


def doming_of(piece: Piece, packing: Packing, cancelled: Cancelled = never) -> tuple[GroupDoming, ...]:
    """What every group of rows of a piece does when hands let go, foot first. Raises `errors.Cancelled`."""
    groups = [group for _, group in rows_groups(piece.groups) if group.rows]
    firsts = np.cumsum([0] + [len(group.rows) for group in groups])
    return tuple(
        _doming(piece, packing, group, int(first), cancelled) for group, first in zip(groups, firsts, strict=False)
    )


def stack_of(group: RowsGroup, packing: Packing, piece: Piece) -> tuple[StackRow, ...]:
    """The rows of a group for settling."""
    return tuple(stack_row(row, packing, piece.joint) for row in group.rows)


def _doming(piece: Piece, packing: Packing, group: RowsGroup, first: int, cancelled: Cancelled) -> GroupDoming:
    stack = stack_of(group, packing, piece)
    hangs = group.anchor.kind == "hanging below"
    flat, knocked, comes_up = _let_go(stack, packing, group.twist, hangs, cancelled=cancelled)
    ties = np.array([JOINTS[row.joint or piece.joint].holds for row in group.rows])
    if not hangs and piece.frame.has_pole and piece.frame.capped and piece.groups[-1] == group:
        # The cap over the pole's end keeps the last row down.
        knocked, comes_up = knocked & (np.arange(len(stack)) < len(stack) - 1), False
    # A row says how it is held to the one below it; one that is built downwards is held to the one above.
    held = np.append(ties[1:], False) if hangs else np.insert(ties[1:], 0, False)
    return GroupDoming(first, hangs, stack[::-1] if hangs else stack, flat, knocked, comes_up, held)


@remembered(512, balloons_stacked)
def _let_go(
    stack: tuple[StackRow, ...], packing: Packing, twist: Twist, hangs: bool, *, cancelled: Cancelled
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], bool]:
    geometry = settled(stack, packing, 0.0, twist, cancelled=cancelled)
    flat, knocked = geometry.flat, domed_after_knock(stack, packing, geometry)
    stop_if(cancelled)
    free = 0 if hangs else -1
    # A row that pops anyway is not asked whether it would.
    if not flat[free] or knocked[free]:
        return flat, knocked, False
    # Nothing in the energy knows up from down: upside down the lowest row is the last.
    last = stack[:LAST_ROWS][::-1] if hangs else stack[-LAST_ROWS:]
    return flat, knocked, _comes_up(last, packing, twist, cancelled=cancelled)


@remembered(512)
def _comes_up(last: tuple[StackRow, ...], packing: Packing, twist: Twist, *, cancelled: Cancelled) -> bool:
    """`last_row_comes_up` of the last rows of a group: columns that end alike, or are edited further down, share it."""
    geometry = settled(last, packing, 0.0, twist, cancelled=cancelled)
    stop_if(cancelled)
    return last_row_comes_up(last, packing, geometry)


@remembered(512, balloons_stacked)
def remedies_of(stack: tuple[StackRow, ...], row: int, packing: Packing) -> DomeRemedies:
    """What keeps a row (index in the order of building) that does not lie flat down."""
    return dome_remedies(stack, row, packing)
