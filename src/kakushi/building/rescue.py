"""Ways out when a build goes wrong: planned again from what stands, never touching a row that is built.

Every way is an edited piece with what planning it gives; ways come in the order of how little the client will notice.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

from kakushi.building.aimed import MOST_WAYS
from kakushi.building.frame_rescue import frame_short_of
from kakushi.building.half_built import HalfBuilt, with_slots
from kakushi.building.remedies import (
    AsPlanned,
    Enough,
    Exchange,
    Fetch,
    Kind,
    Leave,
    LiveWith,
    LookMeant,
    OtherNominal,
    Recoloured,
    Redo,
    Remedy,
    RescueOption,
    Several,
    Untie,
)
from kakushi.model.errors import BadInput, Length
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.memo import Cancelled, never
from kakushi.model.piece import SeenSides
from kakushi.plan.values import PiecePlan, Plan

_REDO_MINUTES, _BUY_MINUTES = 2.0, 30.0
"""Minutes to untie and lay one row again, and to fetch something from a shop. Assumed."""


def _always(remedy: Remedy) -> Callable[[PiecePlan], Remedy]:
    return lambda _found: remedy


# --- short of something --------------------------------------------------------------------------


def short_of(
    whole: Plan, piece_plan: PiecePlan, built: int, left: Mapping[Kind, int], cancelled: Cancelled = never
) -> list[RescueOption]:
    """Ways to go on with the balloons `left` of some kinds; there are enough of all others.

    Each way mends all that is short. Raises BadInput for what cannot be, `errors.Cancelled`.
    """
    if not piece_plan.piece.rows and piece_plan.assembly.frames:
        return frame_short_of(whole, piece_plan, built, left, _BUY_MINUTES, cancelled)
    job = HalfBuilt(whole, piece_plan, built, cancelled)
    needed = _needed(job, piece_plan)
    lacking = {kind: needed[kind] - have for kind, have in left.items() if needed[kind] > have}
    if not lacking:
        return [job.stay(Enough(), 0.0)]
    ways: dict[tuple[Remedy, ...], RescueOption] = {}
    for strategy in _STRATEGIES:
        # What each kind of balloon may still be taken for, while one kind after the other is mended.
        spare = Counter({kind: have - needed[kind] for kind, have in left.items() if have > needed[kind]})
        stock = _Stock(left, spare)
        moves = [_move(job, kind, missing, strategy, stock) for kind, missing in lacking.items()]
        if strategy == "fetch" or any(not isinstance(move.remedy, Fetch) for move in moves):
            ways.setdefault(tuple(move.remedy for move in moves), _together(job, moves, left))
    return sorted(ways.values(), key=lambda option: option.noticed)[: MOST_WAYS + len(lacking)]


_STRATEGIES = ("nominal 0", "nominal 1", "unseen", "last", "spread", "fetch")
"""Ways to mend what is short; a kind that one of them does not help is fetched instead."""


@dataclass(frozen=True, slots=True)
class _Stock:
    """Balloons `left` of the kinds that were counted, and how many of them are `spare`. Other kinds never run out."""

    left: Mapping[Kind, int]
    spare: Counter[Kind]

    def has(self, kind: Kind, many: int = 1) -> bool:
        return kind not in self.left or self.spare[kind] >= many

    def take(self, kind: Kind, many: int = 1) -> None:
        self.spare[kind] -= many


class _Move(NamedTuple):
    """What makes up for one missing kind: other sizes or colours at places (row, slot, from 0), or balloons fetched."""

    remedy: Remedy
    noticed: float
    nominals: Mapping[tuple[int, int], float] = {}
    colours: Mapping[tuple[int, int], str] = {}
    fetched: int = 0


def _needed(job: HalfBuilt, planned: PiecePlan) -> Counter[Kind]:
    """Balloons of each kind that the rows not yet built take."""
    needed = Counter[Kind]()
    for use in job.uses(planned):
        needed[use.kind] += int(use.count)
    return needed


def _together(job: HalfBuilt, moves: Sequence[_Move], left: Mapping[Kind, int]) -> RescueOption:
    """The moves for all kinds that are short as one way."""
    noticed, fetched = sum(move.noticed for move in moves), sum(move.fetched for move in moves)
    minutes = _BUY_MINUTES if fetched else 0.0
    remedy = moves[0].remedy if len(moves) == 1 else Several(tuple(move.remedy for move in moves))
    nominals = {place: {"nominal_in": size} for move in moves for place, size in move.nominals.items()}
    painted = {place: key for move in moves for place, key in move.colours.items()}
    if not nominals and not painted:
        way = job.stay(remedy, noticed, fetched, minutes)
    else:
        colours = [list(line) for line in job.plan.colouring]
        for (k, slot), key in painted.items():
            colours[k][slot] = key
        way = job.way(_always(remedy), with_slots(job.piece, nominals), noticed, minutes, colours=colours)
        way = replace(way, balloons=way.balloons + fetched)
    needs = _needed(job, way.planned)
    return replace(way, supply=tuple((kind, needs[kind], have) for kind, have in left.items() if needs[kind]))


def _move(job: HalfBuilt, kind: Kind, missing: int, strategy: str, stock: _Stock) -> _Move:
    """How a strategy mends the lack of a kind; fetching where it does not."""
    # Of all groups: those further up take from the same bags.
    places = [
        (k, slot)
        for k in job.to_come
        for slot, (each, key) in enumerate(zip(job.piece.rows[k].slots, job.plan.colouring[k], strict=True))
        if (each.nominal_in, key) == kind
    ]
    # What is missing inside other balloons has no place of its own.
    swapped = min(missing, len(places))
    when = {row: number for number, row in enumerate(job.to_come)}
    last = sorted(places, key=lambda place: (-when[place[0]], place[1]))[:swapped]
    move: _Move | None = None
    if swapped == missing:
        match strategy:
            case "nominal 0" | "nominal 1":
                move = _other_nominal(job, kind, last, int(strategy[-1]), stock)
            case "unseen":
                if job.piece.seen_sides is not SeenSides.ALL_ROUND:
                    hidden = sorted(places, key=lambda place: (-_unseen(job, *place), -when[place[0]]))
                    move = _recoloured(job, kind, hidden[:swapped], 1.0, "unseen", stock)
            case "last":
                # The end of a pattern is less missed than a gap in it: the last ones go.
                move = _recoloured(job, kind, last, 2.0, "last", stock)
            case "spread":
                spread = [places[round((n + 0.5) * len(places) / swapped - 0.5)] for n in range(swapped)]
                move = _recoloured(job, kind, spread, 3.0, "spread", stock)
    return move or _Move(Fetch(kind, missing), 0.9, fetched=missing)


def _other_nominal(
    job: HalfBuilt, kind: Kind, last: Sequence[tuple[int, int]], which: int, stock: _Stock
) -> _Move | None:
    """Use the nominal size that looks most alike, or the next one (`which` 1), in the same colour and diameter."""
    nominal, colour = kind
    sized = [job.piece.rows[k].slots[slot].diameter_mm for k, slot in last]
    fitting = [
        size.nominal_in
        for size in job.studio.nominals
        if size.nominal_in != nominal
        and all(size.smallest_mm - 0.1 <= diameter <= size.largest_mm + 0.1 for diameter in sized)
        and stock.has((size.nominal_in, colour), len(last))
    ]
    # Farther from the nominal size it looks softer or stiffer.
    fitting.sort(key=lambda size: abs(math.log(size / nominal)))
    if which >= len(fitting):
        return None
    size = fitting[which]
    stock.take((size, colour), len(last))
    noticed = 0.2 + abs(math.log(size / nominal))
    return _Move(OtherNominal(kind, len(last), size), noticed, nominals=dict.fromkeys(last, size))


def _recoloured(
    job: HalfBuilt,
    kind: Kind,
    places: Sequence[tuple[int, int]],
    noticed: float,
    where: Literal["unseen", "last", "spread"],
    stock: _Stock,
) -> _Move | None:
    """Use other colours for some places, of those with enough left: the one that fewest neighbours have."""
    nominal, colour = kind
    counted = Counter(key for line in job.plan.colouring for key in line)
    others = [key for key, _ in counted.most_common() if key != colour]
    painted: dict[tuple[int, int], str] = {}
    taken = Counter[Kind]()
    for k, slot in places:
        line = job.plan.colouring[k]
        beside = Counter((line[slot - 1], line[(slot + 1) % len(line)]))
        able = [key for key in others if stock.has((nominal, key), taken[nominal, key] + 1)]
        if not able:
            return None
        painted[k, slot] = min(able, key=lambda key: (beside[key], others.index(key)))
        taken[nominal, painted[k, slot]] += 1
    for taken_kind, many in taken.items():
        stock.take(taken_kind, many)
    rows = tuple(sorted({k for k, _ in places}))
    remedy = Recoloured(kind, len(places), where, tuple(dict.fromkeys(painted.values())), rows)
    return _Move(remedy, noticed + 0.02 * len(places), colours=painted)


def _unseen(job: HalfBuilt, row: int, slot: int) -> float:
    """How far a slot looks away from where somebody sees it, 0 to 1."""
    surface = job.plan.surface
    angle = float(surface.angles[surface.firsts[row] + slot])
    seen = [0.0] if job.piece.seen_sides is SeenSides.FRONT else [0.0, math.pi]
    return min((1 - math.cos(angle - side)) / 2 for side in seen)


# --- wrong colour, wrong size, another end -----------------------------------------------------------


def wrong_colour(
    whole: Plan, piece_plan: PiecePlan, built: int, row: int, slot: int, colour: str, cancelled: Cancelled = never
) -> list[RescueOption]:
    """Ways when a built row (from 0) has a `colour` in a slot that is not the planned one. Raises BadInput."""
    job = HalfBuilt(whole, piece_plan, built, cancelled)
    if row not in job.stands or not 0 <= slot < job.piece.rows[row].count:
        raise BadInput(f"Row {row + 1}, slot {slot + 1} is not built.", "row")
    line = job.plan.colouring[row]
    planned = line[slot]
    if planned == colour:
        return [job.stay(AsPlanned(row, slot, colour), 0.0)]
    ways = []
    mirror = [other for other, key in enumerate(line) if key == colour]
    if mirror:
        nearest = min(mirror, key=lambda other: min(abs(other - slot), len(line) - abs(other - slot)))
        ways.append(job.stay(Exchange(nearest, planned), 0.2, 0, _REDO_MINUTES))
    over = _laid_since(job, row)
    noticed, minutes = 0.1 + 0.3 * over, _REDO_MINUTES * (over + 1)
    ways.append(job.stay(Untie(row, slot, planned), noticed, 1, minutes))
    ways.append(job.stay(Leave(colour, planned), 2.0))
    if job.left:
        ways.append(_meant(job, row, slot, colour))
    return sorted(ways, key=lambda option: option.noticed)


def _laid_since(job: HalfBuilt, row: int) -> int:
    """Rows of the group of a row that were laid on after it."""
    return len(job.stands) - 1 - job.stands.index(row)


def _meant(job: HalfBuilt, row: int, slot: int, colour: str) -> RescueOption:
    """The rows to come have the same colour at the same side, so that it looks meant."""
    surface = job.plan.surface
    angle = float(surface.angles[surface.firsts[row] + slot])
    colours = [list(line) for line in job.plan.colouring]
    places, planned = [], []
    for k in range(job.first, job.first + len(job.group.rows)):
        if k not in job.stands and (k - row) % 2 == 0:
            angles = surface.angles[surface.firsts[k] : surface.firsts[k + 1]]
            there = min(range(len(angles)), key=lambda n: -math.cos(float(angles[n]) - angle))
            if colours[k][there] != colour:
                places.append((k, there))
                planned.append(colours[k][there])
                colours[k][there] = colour
    remedy = LookMeant(colour, tuple(places), tuple(dict.fromkeys(planned)))
    return job.way(_always(remedy), job.piece, 1.5, colours=colours)


def wrong_size(
    whole: Plan, piece_plan: PiecePlan, built: int, row: int, diameter_mm: float, cancelled: Cancelled = never
) -> list[RescueOption]:
    """Ways when a built row (from 0) has another size than planned: how it looks, or redone. Raises BadInput."""
    job = HalfBuilt(whole, piece_plan, built, cancelled)
    if row not in job.stands:
        raise BadInput(f"Row {row + 1} is not built.", "row")
    if not SMALLEST_DIAMETER_MM <= diameter_mm <= LARGEST_DIAMETER_MM:
        raise BadInput("No balloon is {size} across.", "size", size=Length(diameter_mm))
    planned_row = job.piece.rows[row]
    changes = {(row, slot): {"diameter_mm": diameter_mm} for slot in range(planned_row.count)}
    _, planned = job.planned(with_slots(job.piece, changes))
    height_error = planned.height_mm - job.plan.height_mm
    match = (planned.match.mean - job.plan.match.mean) if planned.match and job.plan.match else 0.0
    live = RescueOption(
        LiveWith(height_error, match), None, planned, job.uses(planned), 0, 0.0, 0.3 + 20 * max(-match, 0.0)
    )
    again = _laid_since(job, row) + 1
    minutes = again * (_REDO_MINUTES + job.studio.working_rates.row_s / 60)
    redo = job.stay(Redo(row, again - 1), 0.5, planned_row.count, minutes)
    return sorted((live, redo), key=lambda option: option.noticed)
