"""What is tied for a whole job: every row of every copy, balls, inner balloons and parts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import lru_cache

from kakushi.colour.tying import Balloon, JobTying, Kind, PlannedRow, habits_of, tie
from kakushi.dress.kinds.fillers import cluster_balloons
from kakushi.dress.table import balloons_of, role_of, sized_mm
from kakushi.model.groups import Slot
from kakushi.model.parts import BalloonRole, Fillers, Seat
from kakushi.packing.groups.table import balloon_lines
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.supplies import cap_of

Other = tuple[BalloonRole, Kind, int]


@lru_cache(maxsize=8)
def tying_of(plan: Plan) -> JobTying:
    """Tying cards and duplets of a plan; worked out once for each plan."""
    rows = [row for piece in plan.pieces for row in _planned_rows(piece)]
    others = [other for piece in plan.pieces for other in _others(piece, plan)]
    return tie(rows, others, plan.studio)


def _planned_rows(piece_plan: PiecePlan) -> Iterator[PlannedRow]:
    for label, many, design in piece_plan.built:
        piece = design.piece
        for index, (row, line) in enumerate(zip(piece.rows, design.colouring, strict=True)):
            balloons = tuple(_balloon(slot, colour) for slot, colour in zip(row.slots, line, strict=True))
            yield PlannedRow(piece.key, label, index, many, habits_of(piece), balloons)


def _balloon(slot: Slot, colour: str) -> Balloon:
    return Balloon(slot.nominal_in, round(slot.diameter_mm, 2), colour)


def _others(piece_plan: PiecePlan, plan: Plan) -> Iterator[Other]:
    """Balls as duplets, inner balloons and parts' balloons as singles."""
    stuffed = {c.key: c.inner for c in plan.job.palette if c.outer and c.inner}
    for _, many, design in piece_plan.built:
        piece, colouring = design.piece, design.colouring
        patterned = iter(colouring)
        for line in balloon_lines(piece.groups):
            if line.takes_pattern:
                colours = next(patterned)
            else:
                colours = tuple(slot.colour or piece_plan.fallback for slot in line.slots)
                yield from _in_duplets(line.role, tuple(map(_balloon, line.slots, colours)), many)
            yield from _inner(line.slots, colours, stuffed, many)
        if cap := cap_of(piece.groups, colouring, piece.parts, piece.frame, piece_plan.fallback):
            yield BalloonRole.CAP, (Balloon(cap.nominal_in, 0.0, cap.colour),), many
    copies = len(piece_plan.piece.copies)
    for part in piece_plan.piece.parts:
        if isinstance(part, Fillers):
            yield from _clusters(part, copies)
            continue
        for used in balloons_of(part):
            size = round(sized_mm(part, used), 2)
            yield role_of(part), (Balloon(used.nominal_in, size, used.colour),), used.count * copies


def _clusters(part: Fillers, copies: int) -> Iterator[Other]:
    """Clusters of fillers as they are tied: in duplets and triplets."""
    alike = Counter[Kind]()
    if part.seats:
        alike.update(_kind_of_cluster(part, seat) for seat in part.seats)
    else:
        alike[_kind_of_cluster(part, None)] = part.wanted
    for kind, many in alike.items():
        if kind:
            yield from _in_duplets(role_of(part), kind, many * copies)


def _kind_of_cluster(part: Fillers, seat: Seat | None) -> Kind:
    return tuple(
        Balloon(line.nominal_in, round(sized_mm(part, line), 2), line.colour) for line in cluster_balloons(part, seat)
    )


def _inner(slots: tuple[Slot, ...], colours: tuple[str, ...], stuffed: dict[str, str], many: int) -> Iterator[Other]:
    for slot, colour in zip(slots, colours, strict=True):
        inner = slot.inner_colour or stuffed.get(colour)
        if inner:
            yield BalloonRole.INNER, (Balloon(slot.nominal_in, round(slot.diameter_mm, 2), inner),), many


def _in_duplets(role: BalloonRole, balloons: Kind, many: int) -> Iterator[Other]:
    """Duplets in slot order; an odd one out makes the last a triplet."""
    ends = list(range(2, len(balloons), 2))[: -1 if len(balloons) % 2 else None] if len(balloons) > 3 else []
    for first, last in zip([0, *ends], [*ends, len(balloons)], strict=True):
        yield role, balloons[first:last], many
