"""Rows and balls as they are laid: from tying cards and settled turns to what a step of a row holds."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from kakushi.building.step import LaidBalloon, LaidBunches, LayingRow, RowRef
from kakushi.building.stuffed import inner_balloons, used_up
from kakushi.building.tying import balloon_of, cards_of
from kakushi.colour.landing import RowTying
from kakushi.colour.tying import Balloon, Card, Kind, RowAt
from kakushi.model.groups import Row, RowsGroup, Slot
from kakushi.model.job import Job
from kakushi.model.joints import JointKind
from kakushi.model.piece import LandingSchool, Piece
from kakushi.model.roles import BalloonRole
from kakushi.model.used import Used
from kakushi.packing.groups.table import lines_beside_rows
from kakushi.packing.joints import JOINTS
from kakushi.plan.relations import goes_any_way, laid_on, relation_to
from kakushi.plan.strands import StrandMark, marks_of
from kakushi.plan.values import PiecePlan, Plan

Tied = tuple[BalloonRole, Kind, int]
"""Balloons tied together (sorted) for a role, and how often."""


@dataclass(frozen=True, slots=True)
class LaidRow:
    """A row in the order of laying: place, how it is laid, remarks, and what it uses and is tied from.

    `alike`: equal for rows that are laid alike.
    """

    ref: RowRef
    laid: LaidBunches
    spots: tuple[LaidBalloon, ...]
    uses: tuple[Used, ...]
    tied: tuple[Tied, ...]
    fact: LayingRow
    alike: tuple[object, ...]


@lru_cache(maxsize=8)
def _cards(plan: Plan) -> dict[tuple[int, str, int], list[tuple[int, Card, RowAt]]]:
    """Cards of every row, by piece, copy's label and row; several where copies share a label."""
    cards: dict[tuple[int, str, int], list[tuple[int, Card, RowAt]]] = {}
    for number, card in enumerate(cards_of(plan)):
        for at in card.rows:
            cards.setdefault((at.piece, at.label, at.row), []).append((number, card, at))
    return cards


def _tied_by(plan: Plan, piece: int, label: str, row: int, slots: Sequence[Balloon]) -> tuple[int, RowTying]:
    """Number of the card and tying of a row with those balloons in slot order."""
    for number, card, at in _cards(plan)[piece, label, row]:
        tied = card.cluster.balloons
        if all(tied[k] == slots[(k + at.shift) % len(slots)] for k in range(len(slots))):
            return number, card.tying.moved(at.shift)
    raise LookupError(f"row {row} of piece {piece} is tied by no card")


def used_balloons(slots: tuple[Slot, ...], colours: tuple[str, ...], role: BalloonRole, job: Job) -> tuple[Used, ...]:
    """Balloons that slots use up, those inside others included."""
    outer = tuple(map(balloon_of, slots, colours))
    return used_up(
        [(balloon, 1, True) for balloon in outer], [(each, 1) for each in inner_balloons(slots, outer, job)], role, job
    )


def tied_inside(slots: tuple[Slot, ...], colours: tuple[str, ...], job: Job) -> tuple[Tied, ...]:
    """Balloons that go inside others, each by itself."""
    inside = inner_balloons(slots, tuple(map(balloon_of, slots, colours)), job)
    return tuple((BalloonRole.INNER, (balloon,), 1) for balloon in inside if balloon)


def laid_rows(design: PiecePlan, label: str, plan: Plan) -> Iterator[list[LaidRow]]:
    """The rows of each group of a design in the order in which they are built; lists in the order of the groups."""
    first, on, strands = 0, laid_on(design.piece), dict(design.assembly.strands)
    for place, group in enumerate(design.piece.groups):
        if isinstance(group, RowsGroup):
            marks = marks_of(group, strands[place]) if place in strands else []
            yield [_laid_row(design, label, plan, place, group, first + k, on, marks) for k in group.build_order()]
            first += len(group.rows)
        else:
            yield []


def _laid_row(
    design: PiecePlan,
    label: str,
    plan: Plan,
    place: int,
    group: RowsGroup,
    index: int,
    on: Sequence[int | None],
    marks: Sequence[StrandMark],
) -> LaidRow:
    rows, other = design.piece.rows, on[index]
    row, colours = rows[index], tuple(design.colouring[index])
    slots = tuple(map(balloon_of, row.slots, colours))
    number, tying = _tied_by(plan, design.piece.key, label, index, slots)
    laid = _laid(tying, slots)
    in_group = next(k for k, each in enumerate(group.rows) if each.key == row.key)
    # The row that is laid on another one carries the joint of the upper of the two.
    joint = None if other is None else _joint(rows[max(index, other)], design.piece, group)
    own = _joint(row, design.piece, group)
    is_laid_down = group.on_table or group.strand is not None
    begins_in_air = other is None and (in_group > 0 or group.anchor.kind != "floor") and not is_laid_down
    # The line of a strand is knotted when it is bent.
    is_last = other is not None and in_group == group.build_order()[-1] and group.strand is None
    fact = LayingRow(
        relation_to(design, index, on),
        joint,
        any(inner_balloons(row.slots, slots, plan.job)),
        float(design.geometry.knots[index]) if begins_in_air else None,
        own if other is None and JOINTS[own].begins is not None else None,
        tuple(mark for mark in marks if mark.row == in_group),
        row.sizing,
        goes_any_way(design, index),
        own if is_last and JOINTS[own].begins is not None else None,
    )
    angles = design.surface.angles[design.surface.firsts[index] : design.surface.firsts[index + 1]]
    spots = tuple(
        LaidBalloon(slot, float(angle), balloon)
        for slot, (angle, balloon) in enumerate(zip(angles, slots, strict=True))
    )
    tied = [(BalloonRole.ROW, tuple(sorted(bunch)), 1) for bunch in laid.ties]
    return LaidRow(
        RowRef(row.key, index, place, in_group, other),
        laid,
        spots,
        used_balloons(row.slots, colours, BalloonRole.ROW, plan.job),
        (*tied, *tied_inside(row.slots, colours, plan.job)),
        fact,
        (number, fact._replace(knot_mm=None)),
    )


def _joint(row: Row, piece: Piece, group: RowsGroup) -> JointKind:
    """How a row is held to the one below it; on the table, without a pole to wrap, by its neck."""
    joint = row.joint or piece.joint
    return JointKind.NECK_TIED if group.on_table and joint is JointKind.WRAPPED else joint


def _laid(tying: RowTying, slots: Sequence[Balloon]) -> LaidBunches:
    count = len(slots)
    lock = None
    if tying.lock is not None:
        a, b = ((slot - tying.first) % count for slot in tying.lock)
        lock = (a, b)
    return LaidBunches(
        tying.school.value,
        tuple(tuple(slots[slot] for slot in group) for group in tying.groups),
        tying.school is not LandingSchool.DUPLETS_LAID_ON,
        tying.half_turns if tying.gap is not None else None,
        lock,
        tying.first,
        tying.learnt,
    )


def ball_colours(design: PiecePlan) -> list[tuple[str, ...]]:
    """Colours of each ball of a design in slot order."""
    lines = (line for _, line in lines_beside_rows(design.piece.groups) if line.role is BalloonRole.BALL)
    return [tuple(slot.colour or design.fallback for slot in line.slots) for line in lines]
