"""Rows and balls as steps: in which order, on which row, how tied, where each balloon lies, what they use."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from kakushi.build.row_words import Relation, brought_words, facing, joined_words, relation, sizes_words
from kakushi.build.step import BALLOON, Balloon, Laid, RowRef, Spot, Use
from kakushi.colour.landing import RowTying
from kakushi.colour.tying import Card, RowAt
from kakushi.model.groups import BallGroup, Direction, RowsGroup, Slot
from kakushi.model.job import Job
from kakushi.model.piece import LandingSchool
from kakushi.model.units import format_length
from kakushi.packing.groups.table import balloon_lines
from kakushi.plan.values import PiecePlan, Plan
from kakushi.production.tying import tying_of


@dataclass(frozen=True, slots=True)
class LaidRow:
    """A row in its turn: where it is, on which row it is laid (index; None for the first), how, and what it uses.

    `beside`: “below” or “above”. `alike`: equal for rows that are laid alike.
    """

    ref: RowRef
    on: int | None
    laid: Laid
    spots: tuple[Spot, ...]
    uses: tuple[Use, ...]
    words: str
    alike: tuple[object, ...]


@lru_cache(maxsize=8)
def _cards(plan: Plan) -> dict[tuple[int, str, int], list[tuple[int, Card, RowAt]]]:
    """Cards of every row, by piece, copy's label and row; several where copies share a label."""
    found: dict[tuple[int, str, int], list[tuple[int, Card, RowAt]]] = {}
    for number, card in enumerate(tying_of(plan).cards):
        for at in card.rows:
            found.setdefault((at.piece, at.label, at.row), []).append((number, card, at))
    return found


def _tied(plan: Plan, piece: int, label: str, row: int, balloons: Sequence[Balloon]) -> tuple[int, RowTying]:
    """Number of the card and tying of a row with those balloons in slot order."""
    mine = [(ball.nominal_in, round(ball.diameter_mm, 2), ball.colour) for ball in balloons]
    for number, card, at in _cards(plan)[piece, label, row]:
        tied = [(ball.nominal_in, ball.diameter_mm, ball.colour) for ball in card.cluster.balloons]
        if all(tied[k] == mine[(k + at.shift) % len(mine)] for k in range(len(mine))):
            return number, card.tying.moved(at.shift)
    raise LookupError(f"row {row} of piece {piece} is tied by no card")


def used_balloons(slots: tuple[Slot, ...], colours: tuple[str, ...], job: Job) -> tuple[Use, ...]:
    """Balloons that slots use up, those inside others included."""
    stuffed = {c.key: (c.outer, c.inner) for c in job.palette if c.outer and c.inner}
    counted: Counter[tuple[float, str]] = Counter()
    for slot, colour in zip(slots, colours, strict=True):
        outer, inner = stuffed.get(colour, (colour, None))
        counted[slot.nominal_in, outer or colour] += 1
        if slot.inner_colour or inner:
            counted[slot.nominal_in, slot.inner_colour or inner or ""] += 1
    return tuple(Use(BALLOON, count, nominal, colour) for (nominal, colour), count in counted.items())


def has_inner(slots: tuple[Slot, ...], colours: tuple[str, ...], job: Job) -> bool:
    """Whether a balloon is inside another one."""
    stuffed = {c.key for c in job.palette if c.outer and c.inner}
    return any(slot.inner_colour or colour in stuffed for slot, colour in zip(slots, colours, strict=True))


def laid_rows(design: PiecePlan, label: str, plan: Plan) -> Iterator[list[LaidRow]]:
    """The rows of each group of a design in the order in which they are built; lists in the order of the groups."""
    first = 0
    for place, group in enumerate(design.piece.groups):
        if isinstance(group, RowsGroup):
            yield [_laid_row(design, label, plan, place, group, first, k) for k in group.build_order()]
            first += len(group.rows)
        else:
            yield []


def _laid_row(design: PiecePlan, label: str, plan: Plan, place: int, group: RowsGroup, first: int, k: int) -> LaidRow:
    index, row = first + k, group.rows[k]
    colours = tuple(design.colouring[index])
    balloons = [
        Balloon(slot.nominal_in, slot.diameter_mm, colour) for slot, colour in zip(row.slots, colours, strict=True)
    ]
    number, tying = _tied(plan, design.piece.key, label, index, balloons)
    laid = _laid(tying, balloons)
    on = _laid_on(group, k)
    other = None if on is None else first + on
    found = _relation(design, plan.job, index, other)
    beside = None if other is None else "below" if other < index else "above"
    joint = row.joint or design.piece.joint
    codes = {key: plan.job.colour(key).code for key in set(colours)}
    joined = joined_words(joint, row.count, beside, has_inner(row.slots, colours, plan.job))
    # The row that is laid on another one carries the joint of the upper of the two.
    if on is not None and on > k:
        upper = group.rows[on].joint or design.piece.joint
        joined = joined_words(upper, row.count, beside, has_inner(row.slots, colours, plan.job))
    check = "" if other is None else "Check the hand. "
    words = f"{sizes_words(laid)} {brought_words(laid, row.count, codes)} {found.words} {check}{joined}".strip()
    if other is None and group.anchor.kind != "floor":
        words += f" Its knot is {format_length(float(design.geometry.knots[index]))} above the floor."
    angles = design.surface.angles[design.surface.firsts[index] : design.surface.firsts[index + 1]]
    spots = tuple(
        Spot(slot, float(angle), balloon) for slot, (angle, balloon) in enumerate(zip(angles, balloons, strict=True))
    )
    ref = RowRef(row.key, index, place, k, other)
    return LaidRow(ref, other, laid, spots, used_balloons(row.slots, colours, plan.job), words, (number, found.alike))


def _laid_on(group: RowsGroup, k: int) -> int | None:
    """The row that row `k` of a group is laid on, None for the one that begins; a join closes on the row below."""
    many, built = len(group.rows), group.built
    join = (many + 1) // 2
    if built is Direction.UP or (built is Direction.BOTH and k < join):
        return k - 1 if k else None
    if built is Direction.BOTH and k == join:
        return k - 1
    return k + 1 if k < many - 1 else None


def _relation(design: PiecePlan, job: Job, index: int, other: int | None) -> Relation:
    colours = design.colouring[index]
    keys = {key for line in design.colouring for key in line}
    names = {key: job.colour(key).name for key in keys}
    if other is None:
        return facing(design.surface, index, colours, names)
    return relation(design.surface, index, other, colours, design.colouring[other], names)


def _laid(tying: RowTying, balloons: list[Balloon]) -> Laid:
    many = len(balloons)
    ties = tuple(tuple(balloons[slot] for slot in group) for group in tying.groups)
    lock = None
    if tying.lock is not None:
        a, b = ((slot - tying.first) % many for slot in tying.lock)
        lock = (a, b)
    wrapped = tying.gap is not None
    return Laid(
        tying.school.value,
        ties,
        tying.school is not LandingSchool.DUPLETS_LAID_ON,
        tying.half_turns if wrapped else None,
        lock,
        tying.first,
        tying.learnt,
    )


def ball_words(group: BallGroup, colours: tuple[str, ...], middle_mm: float, job: Job) -> str:
    """How a ball is made and threaded on, its middle so high above the floor."""
    counted = Counter(colours)
    said = " + ".join(f"{count} {job.colour(key).code}" for key, count in counted.items())
    many = len(group.slots)
    return (
        f"Tie {many} balloons ({said}) as duplets, cross them all on one knot and turn them till they point all ways. "
        f"Thread the ball on until its middle is {format_length(middle_mm)} above the floor."
    )


def ball_colours(design: PiecePlan) -> list[tuple[str, ...]]:
    """Colours of each ball of a design in slot order."""
    lines = [line for line in balloon_lines(design.piece.groups) if not line.takes_pattern]
    return [tuple(slot.colour or design.fallback for slot in line.slots) for line in lines]
