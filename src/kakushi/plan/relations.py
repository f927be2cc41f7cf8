"""How the rows of a planned piece are turned: on which row each is laid, and how it lies there."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from kakushi.colour.colouring import rows_of_mix
from kakushi.colour.relation import BalloonLabel, Beside, Faces, Lies, Relation, facing, is_by_eye, labels, relation
from kakushi.model.groups import Direction, RowsGroup, Twist
from kakushi.model.piece import Piece
from kakushi.plan.values import PiecePlan

_ASSORTED_FROM = 3
"""Different sized diameters in a row from which it may be an assorted one: two are a pattern."""
_ASSORTED_TO = 1.5
"""Largest over smallest diameter of an assorted row: beyond it large and small are placed on purpose."""
_MOST_ROWS_AWAY = 3
"""Rows away up to which hands still see what a balloon stands above."""


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
    return relation_to(design, row, laid_on(design.piece))


def relation_to(design: PiecePlan, row: int, on: Sequence[int | None]) -> Relation:
    """Relation of a row to the one it is laid on, or to the front without one; `on`: what each row is laid on.

    Where the row next to it does not tell one turn from another, a row or two further away may.
    """
    ring, other = _labels(design, row), on[row]
    if other is None:
        return facing(design.surface, row, ring)
    fact = relation(design.surface, row, other, ring, _labels(design, other))
    farther: int | None = other
    for rows in range(2, _MOST_ROWS_AWAY + 1):
        farther = on[farther] if farther is not None else None
        if farther is None or not isinstance(fact, Faces) or is_by_eye(fact):
            break
        instead = relation(design.surface, row, farther, ring, _labels(design, farther))
        if isinstance(instead, Lies) and not isinstance(instead.on, Beside):
            return instead._replace(rows=rows)
    return fact


def goes_any_way(design: PiecePlan, row: int) -> bool:
    """Whether a row is laid any way round: its colours are a free mix, or its sizes are assorted on purpose."""
    return _is_mix(design)[row] or is_assorted(design, row)


def is_assorted(design: PiecePlan, row: int) -> bool:
    """Whether a row has several like sizes that nothing puts in their places: no colours, no pinned turn, no twist."""
    sizes = {round(slot.diameter_mm, 3) for slot in design.piece.rows[row].slots}
    if max(sizes) > _ASSORTED_TO * min(sizes):
        return False
    one_colour = len(set(design.colouring[row])) == 1 or _is_mix(design)[row]
    if len(sizes) < _ASSORTED_FROM or not one_colour or design.piece.rows[row].turn_deg is not None:
        return False
    return _twists(design.piece)[row] is Twist.FREE


def _twists(piece: Piece) -> list[Twist]:
    """The twist of every row's group."""
    return [group.twist for group in piece.groups if isinstance(group, RowsGroup) for _ in group.rows]


def _labels(design: PiecePlan, row: int) -> tuple[BalloonLabel, ...]:
    """What tells the balloons of a row apart: nothing that may lie any way round."""
    ring = labels(design.surface, row, design.colouring[row])
    if _is_mix(design)[row]:
        ring = tuple(label._replace(colour="") for label in ring)
    if is_assorted(design, row):
        ring = tuple(label._replace(size=None) for label in ring)
    return ring


@lru_cache(maxsize=32)
def _is_mix(design: PiecePlan) -> tuple[bool, ...]:
    """For every row whether a free mix colours all of it."""
    return rows_of_mix(design.piece.rows, design.surface, design.piece.layers)
