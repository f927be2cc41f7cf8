"""How the rows of a planned piece are turned: on which row each is laid, and how it lies there."""

from __future__ import annotations

from kakushi.colour.relation import Relation, facing, relation
from kakushi.model.groups import Direction, RowsGroup
from kakushi.model.piece import Piece
from kakushi.plan.values import PiecePlan


def laid_on(piece: Piece) -> list[int | None]:
    """Row that each row of a piece is laid on, foot first; None for the first of a group."""
    laid: list[int | None] = []
    for group in piece.groups:
        if isinstance(group, RowsGroup):
            first = len(laid)
            below = (_laid_on(group, k) for k in range(len(group.rows)))
            laid += [None if row is None else first + row for row in below]
    return laid


def _laid_on(group: RowsGroup, k: int) -> int | None:
    """Built from both ends, the lower half is closed on by the upper one."""
    count, built = len(group.rows), group.built
    # The upper half has the smaller number of rows: it is the harder one to build.
    join = (count + 1) // 2
    if built is Direction.UP or (built is Direction.BOTH and k <= join):
        return k - 1 if k else None
    return k + 1 if k < count - 1 else None


def relation_of(design: PiecePlan, row: int) -> Relation:
    """Relation of a row (from 0) to the one it is laid on, or to the front where it is the first."""
    return relation_to(design, row, laid_on(design.piece)[row])


def relation_to(design: PiecePlan, row: int, other: int | None) -> Relation:
    """Relation of a row to the `other` one, or to the front without one."""
    if other is None:
        return facing(design.surface, row, design.colouring[row])
    return relation(design.surface, row, other, design.colouring[row], design.colouring[other])
