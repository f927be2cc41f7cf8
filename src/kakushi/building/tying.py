"""Tying cards of a whole job: every row of every copy."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import lru_cache

from kakushi.colour.tying import Balloon, Card, PlannedRow, cards_for, habits_of
from kakushi.model.groups import Group, RowsGroup, Slot
from kakushi.model.piece import LandingSchool
from kakushi.plan.values import PiecePlan, Plan


@lru_cache(maxsize=8)
def cards_of(plan: Plan) -> tuple[Card, ...]:
    """The tying cards of a plan; worked out once for each plan."""
    return cards_for([row for piece in plan.pieces for row in _planned_rows(piece)], plan.studio)


def _planned_rows(piece_plan: PiecePlan) -> Iterator[PlannedRow]:
    for label, copies, design in piece_plan.built:
        piece = design.piece
        habits, tabled = habits_of(piece), set(rows_on_table(piece.groups))
        # On the table there is no pole yet to wrap a cluster round.
        on_table = replace(habits, school=LandingSchool.LINE_BUILT)
        for index, (row, line) in enumerate(zip(piece.rows, design.colouring, strict=True)):
            balloons = tuple(map(balloon_of, row.slots, line))
            yield PlannedRow(piece.key, label, index, copies, on_table if index in tabled else habits, balloons)


def balloon_of(slot: Slot, colour: str) -> Balloon:
    """The balloon of a slot."""
    return Balloon(slot.nominal_in, round(slot.diameter_mm, 2), colour)


def rows_on_table(groups: Sequence[Group]) -> Iterator[int]:
    """Indices, among all rows, of those that are stacked on the table and slid on later."""
    index = 0
    for group in groups:
        if isinstance(group, RowsGroup):
            if group.on_table:
                yield from range(index, index + len(group.rows))
            index += len(group.rows)
