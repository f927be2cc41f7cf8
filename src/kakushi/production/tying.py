"""What is tied for a whole job: every row of every copy, balls, inner balloons and parts."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from kakushi.colour.tying import Balloon, JobTying, Kind, PlannedRow, habits_of, tie
from kakushi.model.groups import BallGroup, RowsGroup, Slot
from kakushi.model.parts import PartKind
from kakushi.model.piece import Copy, Piece
from kakushi.plan.copies import variant_colouring
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.supplies import cap_of

Other = tuple[PartKind, Kind, int]


@lru_cache(maxsize=8)
def tying_of(plan: Plan) -> JobTying:
    """Tying cards and duplets of a plan; worked out once for each plan."""
    rows = [row for piece in plan.pieces for row in _planned_rows(piece, plan)]
    others = [other for piece in plan.pieces for other in _others(piece, plan)]
    return tie(rows, others, plan.studio)


def _designs(piece_plan: PiecePlan, plan: Plan) -> Iterator[tuple[str, int, Piece, tuple[tuple[str, ...], ...]]]:
    """The main design and those of copies with groups of their own: label, copies, piece, colours of its rows."""
    piece = piece_plan.piece
    alike = sum(1 for copy in piece.copies if copy.groups is None)
    if alike:
        yield "", alike, piece, piece_plan.colouring
    for number, copy in enumerate(piece.copies, 1):
        if copy.groups is not None:
            yield _label(copy, number), 1, *variant_colouring(piece, copy.groups, plan.studio, piece_plan.fallback)


def _label(copy: Copy, number: int) -> str:
    return copy.label or f"copy {number}"


def _planned_rows(piece_plan: PiecePlan, plan: Plan) -> Iterator[PlannedRow]:
    for label, many, piece, colouring in _designs(piece_plan, plan):
        for index, (row, line) in enumerate(zip(piece.rows, colouring, strict=True)):
            balloons = tuple(_balloon(slot, colour) for slot, colour in zip(row.slots, line, strict=True))
            yield PlannedRow(piece.key, label, index, many, habits_of(piece), balloons)


def _balloon(slot: Slot, colour: str) -> Balloon:
    return Balloon(slot.nominal_in, round(slot.diameter_mm, 2), colour)


def _others(piece_plan: PiecePlan, plan: Plan) -> Iterator[Other]:
    """Balls as duplets, inner balloons and parts' balloons as singles."""
    stuffed = {c.key: c.inner for c in plan.job.palette if c.outer and c.inner}
    for _, many, piece, colouring in _designs(piece_plan, plan):
        lines = iter(colouring)
        for group in piece.groups:
            if isinstance(group, RowsGroup):
                for row in group.rows:
                    yield from _inner(row.slots, next(lines), stuffed, many)
            elif isinstance(group, BallGroup):
                colours = tuple(slot.colour or piece_plan.fallback for slot in group.slots)
                yield from _ball(tuple(map(_balloon, group.slots, colours)), many)
                yield from _inner(group.slots, colours, stuffed, many)
        if cap := cap_of(piece.groups, colouring, piece.frame):
            yield PartKind.CAP, (Balloon(cap.nominal_in, 0.0, cap.colour),), many
    copies = len(piece_plan.piece.copies)
    for part in piece_plan.piece.parts:
        for used in part.balloons:
            yield part.kind, (Balloon(used.nominal_in, 0.0, used.colour),), used.count * copies


def _inner(slots: tuple[Slot, ...], colours: tuple[str, ...], stuffed: dict[str, str], many: int) -> Iterator[Other]:
    for slot, colour in zip(slots, colours, strict=True):
        inner = slot.inner_colour or stuffed.get(colour)
        if inner:
            yield PartKind.INNER, (Balloon(slot.nominal_in, round(slot.diameter_mm, 2), inner),), many


def _ball(balloons: Kind, many: int) -> Iterator[Other]:
    """Duplets in slot order; an odd one out makes the last a triplet."""
    ends = list(range(2, len(balloons), 2))[: -1 if len(balloons) % 2 else None] if len(balloons) > 3 else []
    for first, last in zip([0, *ends], [*ends, len(balloons)], strict=True):
        yield PartKind.BALL, balloons[first:last], many
