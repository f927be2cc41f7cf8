"""Tying cards of a whole job: every row of every copy."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from kakushi.colour.tying import Balloon, Card, PlannedRow, cards_for, habits_of
from kakushi.model.groups import Slot
from kakushi.plan.values import PiecePlan, Plan


@lru_cache(maxsize=8)
def cards_of(plan: Plan) -> tuple[Card, ...]:
    """The tying cards of a plan; worked out once for each plan."""
    return cards_for([row for piece in plan.pieces for row in _planned_rows(piece)], plan.studio)


def _planned_rows(piece_plan: PiecePlan) -> Iterator[PlannedRow]:
    for label, copies, design in piece_plan.built:
        piece = design.piece
        for index, (row, line) in enumerate(zip(piece.rows, design.colouring, strict=True)):
            balloons = tuple(map(balloon_of, row.slots, line))
            yield PlannedRow(piece.key, label, index, copies, habits_of(piece), balloons)


def balloon_of(slot: Slot, colour: str) -> Balloon:
    """The balloon of a slot."""
    return Balloon(slot.nominal_in, round(slot.diameter_mm, 2), colour)
