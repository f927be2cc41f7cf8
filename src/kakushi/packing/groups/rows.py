"""Rows: clusters that touch, foot first."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from kakushi.model.groups import Row, RowsGroup, Slot, Twist, uniform_row
from kakushi.model.joints import JointKind
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.piece import Piece, free_row_key
from kakushi.model.roles import BalloonRole
from kakushi.model.units import UnitSystem
from kakushi.packing.groups.kind import BalloonLine, GroupKind, Settled, without_colours
from kakushi.packing.settle import settle
from kakushi.packing.stack import Geometry, Packing, StackRow, balloons_stacked, rows_between, stack_row
from kakushi.packing.strands import Laid, laid_along, shared_rows

_FIRST = Slot(nominal_in=11, diameter_mm=220.0)
"""An 11-inch balloon sized to 8⅝ in: the usual column."""


def _made(piece: Piece) -> RowsGroup:
    like = piece.rows[-1].slots[0] if piece.rows else _FIRST
    count = piece.rows[-1].count if piece.rows else 4
    return RowsGroup(rows=(uniform_row(free_row_key(piece), count, like.nominal_in, like.diameter_mm),))


def _said(group: RowsGroup, _units: UnitSystem) -> str:
    return f"{len(group.rows)} row{'' if len(group.rows) == 1 else 's'}"


def _settle(
    group: RowsGroup, packing: Packing, joint: JointKind, foot_angle: float, cancelled: Cancelled
) -> Settled | None:
    if not group.rows:
        return None
    packing = packing_of_rows(group, packing)
    if group.strand is not None:
        laid = strand_of(group, packing, joint, foot_angle, cancelled)
        return Settled(laid.geometry, None, laid.geometry.bottom, laid.geometry.top, laid)
    rows = settled(
        tuple(stack_row(row, packing, joint) for row in group.rows),
        packing,
        foot_angle,
        group.twist,
        cancelled=cancelled,
    )
    return Settled(rows, None, rows.bottom, rows.top)


def packing_of_rows(group: RowsGroup, packing: Packing) -> Packing:
    """How a group is packed: as its piece is, or with the force it was built with."""
    return packing if group.learnt_tau is None else replace(packing, tau=group.learnt_tau)


_CLOSING_ROWS = 4
"""Rows of the other end that a closed strand is settled with at each end: more do not move the rows between."""


def strand_of(
    group: RowsGroup, packing: Packing, joint: JointKind, foot_angle: float, cancelled: Cancelled = never
) -> Laid:
    """A group's rows settled straight and laid along its strand's path; rows of a closed one have neighbours all round.

    Raises BadInput for a path without length, LookupError for a group that is no strand.
    """
    if group.strand is None:
        raise LookupError("the group is no strand")
    stack, free = tuple(stack_row(row, packing, joint) for row in group.rows), replace(packing, pole_radius=0.0)

    def straight_of(rows: tuple[StackRow, ...]) -> tuple[Geometry, float, float]:
        """Rows as they lie straight, and of a closed strand how long its last joint is and how far it turns."""
        if not closed:
            return settled(rows, free, foot_angle, group.twist, cancelled=cancelled), 0.0, 0.0
        ends = min(_CLOSING_ROWS, len(rows))
        whole = settled((*rows[-ends:], *rows, *rows[:ends]), free, 0.0, group.twist, cancelled=cancelled)
        knots, turns, last = whole.knots, whole.turns, ends + len(rows) - 1
        inner = rows_between(whole, ends, len(rows)).turned(foot_angle - float(turns[ends]))
        return inner, float(knots[last + 1] - knots[last]), float(turns[last + 1] - turns[last])

    closed = group.strand.path.is_closed and len(stack) >= _FEWEST_CLOSED
    straight, closing_mm, closing_turn = straight_of(stack)
    shared = shared_rows(straight.knots, closing_mm, group.strand)
    if shared:
        longer = list(stack)
        for each in reversed(shared):
            longer.insert(each.before, stack[each.row])
        straight, closing_mm, closing_turn = straight_of(tuple(longer))
    return laid_along(straight, group.strand, closing_mm, closing_turn, shared)


_FEWEST_CLOSED = 3
"""Rows that a closed strand has at least: two would lie on one another."""


@remembered(512, balloons_stacked)
def settled(
    stack: tuple[StackRow, ...],
    packing: Packing,
    foot_angle: float,
    twist: Twist = Twist.FREE,
    *,
    cancelled: Cancelled = never,
) -> Geometry:
    """`settle`, remembered."""
    return settle(stack, packing, foot_angle, twist=twist, cancelled=cancelled)


def _balloons(group: RowsGroup) -> tuple[BalloonLine, ...]:
    return tuple(BalloonLine(BalloonRole.ROW, row.slots, takes_pattern=True) for row in group.rows)


def _without_paint(group: RowsGroup) -> RowsGroup:
    return group.model_copy(update={"rows": tuple(map(_plain_row, group.rows))})


@lru_cache(maxsize=4096)
def _plain_row(row: Row) -> Row:
    return row.model_copy(update={"slots": without_colours(row.slots), "pinned": False})


KIND = GroupKind(
    value=RowsGroup,
    offered="more rows",
    made=_made,
    said=_said,
    settle=_settle,
    balloons=_balloons,
    without_paint=_without_paint,
)
