"""Ways out when a build goes wrong: planned again from what stands, never touching a row that is built.

Every way is an edited piece with what planning it gives; ways come in the order of how little the client will notice.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Literal

from kakushi.building.half_built import HalfBuilt, with_slots
from kakushi.building.remedies import (
    AllBuilt,
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
    Resized,
    Untie,
)
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, Length
from kakushi.model.groups import Direction, Row, Slot
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.piece import SeenSides, free_row_key
from kakushi.model.values import replace
from kakushi.packing.groups.rows import settled
from kakushi.packing.stack import Packing, stack_row
from kakushi.plan.geometry import assembly_of, column_target_mm, packing_of
from kakushi.plan.values import PiecePlan, Plan

_TAU_LOW, _TAU_HIGH = 0.02, 6.0
"""Range of packing force (τ) searched: from looser than laid on to tighter than any hand presses."""
_ROUNDS = 6
"""Most plans tried for one way out: height is nearly linear in the sizes, so two usually do."""
_RISE = 0.72
"""First guess of the height a row adds, in diameters."""
_SMALLER_LAST = 0.75
"""Size of the last row, relative to the one below, under which it closes the column instead of continuing it."""
_TELLING_ROWS = 2
"""Rows of a group that must stand before they tell how it is packed: one alone does not."""
_MOST_WAYS = 6
"""Most ways out that are shown."""
_REDO_MINUTES, _BUY_MINUTES = 2.0, 30.0
"""Minutes to untie and lay one row again, and to fetch something from a shop. Assumed."""


# --- ends too high or too low --------------------------------------------------------------------


def aimed_again(
    whole: Plan, piece_plan: PiecePlan, built: int, knot_mm: float | None, cancelled: Cancelled = never
) -> list[RescueOption]:
    """Ways for the rows beyond the `built` ones to end where they must.

    `built`: rows that stand, in the order of the steps. `knot_mm`: height above the floor of the knot of the last row
    built, as measured; None: as planned. Raises BadInput for what cannot be, `errors.Cancelled`.
    """
    job = HalfBuilt(whole, piece_plan, built, cancelled)
    if job.group.built is Direction.BOTH and job.left:
        raise BadInput("Rows built from both ends to a join cannot be planned again: the join is fixed.", "direction")
    if job.group.strand is not None:
        raise BadInput("Rows along a path are not aimed by height: lay on till the path is full, or change it.", "path")
    if knot_mm is not None:
        job.piece = replace(job.piece, learnt_tau=learnt_tau(job, knot_mm))
    ways = sorted(_aims(job), key=lambda option: (_is_off(option, job.studio), option.noticed))
    return ways[:_MOST_WAYS]


def _is_off(option: RescueOption, studio: Studio) -> bool:
    """Whether a way misses its end by more than half a step of the sizer."""
    remedy = option.remedy
    return isinstance(remedy, Resized) and abs(remedy.ends_mm - remedy.wished_mm) > studio.sizer.step_mm / 2


def learnt_tau(job: HalfBuilt, knot_mm: float) -> float:
    """The packing force with which the rows that stand have their last knot at a height, mm. Raises BadInput."""
    from scipy.optimize import brentq  # noqa: PLC0415 - large, and only needed here

    piece, rows = job.piece, job.built_here
    if len(rows) < _TELLING_ROWS:
        raise BadInput("Build two rows of a group before you measure: one alone does not tell how you pack.", "built")
    low_end, high_end = job.plan.assembly.spans[job.place]
    packing, joint = packing_of(piece, job.studio), piece.joint

    def knot_at(tau: float) -> float:
        stack = tuple(stack_row(row, packing, joint) for row in rows)
        geometry = settled(stack, Packing(tau, packing.pole_radius, packing.slack, joint=packing.joint), 0.0)
        if job.is_downward:
            return high_end - geometry.top + float(geometry.knots[0])
        return low_end - geometry.bottom + float(geometry.knots[-1])

    hard, soft = knot_at(_TAU_HIGH), knot_at(_TAU_LOW)
    low, high = min(hard, soft), max(hard, soft)
    if not low - 0.02 * low <= knot_mm <= high + 0.02 * high:
        raise BadInput(
            "The knot of row {row} can lie between {low} and {high}: {got} was measured elsewhere, or rows "
            "were missed.",
            "height",
            row=job.stands[-1] + 1,
            low=Length(low),
            high=Length(high),
            got=Length(knot_mm),
        )
    # A little outside the range is an error of the tape measure.
    if not low < knot_mm < high:
        return _TAU_HIGH if abs(knot_mm - hard) < abs(knot_mm - soft) else _TAU_LOW
    ends = math.log(_TAU_LOW), math.log(_TAU_HIGH)
    return math.exp(brentq(lambda log_tau: knot_at(math.exp(log_tau)) - knot_mm, *ends, xtol=1e-6))


def _always(remedy: Remedy) -> Callable[[PiecePlan], Remedy]:
    return lambda _found: remedy


def _aims(job: HalfBuilt) -> Iterator[RescueOption]:
    left = job.left
    if not left:
        yield job.stay(AllBuilt(), 0.0)
        return
    yield _resized(job, left, "same", 0.0)
    more = replace(left[-1], key=free_row_key(job.piece))
    yield _resized(job, (*left, more), "more", 1.0)
    small = replace(more, slots=tuple(_shrunk(slot, _SMALLER_LAST, job.studio) for slot in more.slots))
    yield _resized(job, (*left, small), "smaller more", 1.5)
    if len(left) > 1:
        yield _resized(job, left[:-1], "fewer", 1.0)


def _shrunk(slot: Slot, factor: float, studio: Studio) -> Slot:
    """A slot that much smaller, on the sizer, of the smallest nominal size that reaches it."""
    wanted = max(slot.diameter_mm * factor, SMALLEST_DIAMETER_MM)
    sizes = [size for size in studio.nominals if size.smallest_mm <= wanted <= size.largest_mm]
    nominal = slot.nominal_in if any(size.nominal_in == slot.nominal_in for size in sizes) else None
    if nominal is None and sizes:
        nominal = min(size.nominal_in for size in sizes)
    return replace(slot, nominal_in=nominal or slot.nominal_in, diameter_mm=studio.sizer.stepped(wanted, 0))


def _resized(
    job: HalfBuilt, left: Sequence[Row], what: Literal["same", "more", "smaller more", "fewer"], noticed: float
) -> RescueOption:
    """Rows not yet built resized step by step, evenly, until the column ends where it must."""
    steps, tried = 0, {}
    slope = _RISE * job.studio.sizer.step_mm
    for _ in range(_ROUNDS):
        stop_if(job.cancelled)
        if steps not in tried:
            tried[steps] = _miss(job, _stepped(left, steps, job.studio))
        error = tried[steps]
        nearer = steps - round(error / slope)
        if nearer == steps or nearer in tried:
            break
        steps = nearer
    best = min(tried, key=lambda each: (abs(tried[each]), abs(each)))
    for beside in (best - 1, best + 1):
        if beside not in tried:
            tried[beside] = _miss(job, _stepped(left, beside, job.studio))
    best = min(tried, key=lambda each: (abs(tried[each]), abs(each)))
    rows = _stepped(left, best, job.studio)
    changed = sum(1 for before, now in zip(left, rows, strict=True) if before.slots != now.slots)
    per_row = abs(best) / max(len(left), 1)
    most = max(abs(now.diameter_mm - before.diameter_mm) for before, now in zip(left, rows, strict=True))

    def remedy(planned: PiecePlan) -> Remedy:
        by = math.copysign(most, best)
        ends, wished = _ends(job, planned)
        is_short = abs(ends - wished) > job.studio.sizer.step_mm / 2
        return Resized(what, len(left), changed, by, ends, wished, is_short)

    return job.way(remedy, job.with_left(rows), noticed + per_row)


def _stepped(rows: Sequence[Row], steps: int, studio: Studio) -> list[Row]:
    """Rows some sizer steps larger or smaller altogether, shared out evenly, within the reach of their balloons."""
    count = len(rows)
    shares = [math.floor((k + 1) * steps / count) - math.floor(k * steps / count) for k in range(count)]
    return [
        replace(row, slots=tuple(_resized_slot(slot, share, studio) for slot in row.slots)) if share else row
        for row, share in zip(rows, shares, strict=True)
    ]


def _resized_slot(slot: Slot, steps: int, studio: Studio) -> Slot:
    size = studio.nominal(slot.nominal_in)
    able = (studio.sizer.diameters(size) if size else []) or [slot.diameter_mm]
    low, high = min(able[0], slot.diameter_mm), max(able[-1], slot.diameter_mm)
    return replace(slot, diameter_mm=min(max(studio.sizer.stepped(slot.diameter_mm, steps), low), high))


def _miss(job: HalfBuilt, left: Sequence[Row]) -> float:
    """How much too far the rows of the group at hand reach, mm."""
    piece = job.with_left(left)
    assembly = assembly_of(piece, piece.groups, job.studio, job.cancelled)
    low, high = assembly.spans[job.place]
    if job.is_downward:
        return job.plan.assembly.spans[job.place][0] - low
    return high - (column_target_mm(piece, assembly) if _is_topmost(job) else job.plan.assembly.spans[job.place][1])


def _is_topmost(job: HalfBuilt) -> bool:
    """Whether the group at hand ends the piece: it is for the target height then, else for where it was planned."""
    spans = job.plan.assembly.spans
    return spans[job.place][1] >= max(high for _, high in spans) - 1.0


def _ends(job: HalfBuilt, planned: PiecePlan) -> tuple[float, float]:
    """Where the group at hand ends in a plan, and where it must, mm above the floor."""
    if not job.is_downward and _is_topmost(job):
        return planned.measured_height_mm, planned.piece.target_height_mm
    end = 0 if job.is_downward else 1
    return planned.assembly.spans[job.place][end], job.plan.assembly.spans[job.place][end]


# --- short of something --------------------------------------------------------------------------


def short_of(
    whole: Plan, piece_plan: PiecePlan, built: int, left: Mapping[Kind, int], cancelled: Cancelled = never
) -> list[RescueOption]:
    """Ways to go on with the balloons `left` of some kinds; there are enough of all others.

    Raises BadInput for what cannot be, `errors.Cancelled`.
    """
    job = HalfBuilt(whole, piece_plan, built, cancelled)
    needed = Counter[Kind]()
    for use in job.uses(piece_plan):
        needed[use.kind] += int(use.count)
    lacking = {kind: needed[kind] - have for kind, have in left.items() if needed[kind] > have}
    if not lacking:
        return [job.stay(Enough(), 0.0)]
    ways: list[RescueOption] = []
    for kind, missing in lacking.items():
        ways += _for_lack_of(job, kind, missing, left)
    return sorted(ways, key=lambda option: option.noticed)[: _MOST_WAYS + len(lacking)]


def _for_lack_of(job: HalfBuilt, kind: Kind, missing: int, left: Mapping[Kind, int]) -> Iterator[RescueOption]:
    # Of all groups: those further up take from the same bags.
    places = [
        (k, slot)
        for k in job.to_come
        for slot, (each, key) in enumerate(zip(job.piece.rows[k].slots, job.plan.colouring[k], strict=True))
        if (each.nominal_in, key) == kind
    ]
    # What is missing inside other balloons has no place of its own.
    swapped = min(missing, len(places))
    fetch = job.stay(Fetch(kind, missing), 0.9, missing, _BUY_MINUTES)
    if not swapped:
        yield fetch
        return
    when = {row: number for number, row in enumerate(job.to_come)}
    last = sorted(places, key=lambda place: (-when[place[0]], place[1]))[:swapped]
    yield from _other_nominals(job, kind, last)
    if others := _other_colours(job, kind, left):
        if job.piece.seen_sides is not SeenSides.ALL_ROUND:
            hidden = sorted(places, key=lambda place: (-_unseen(job, *place), -when[place[0]]))
            yield _recoloured(job, kind, hidden[:swapped], others, 1.0, "unseen")
        # The end of a pattern is less missed than a gap in it: the last ones go.
        yield _recoloured(job, kind, last, others, 2.0, "last")
        spread = [places[round((n + 0.5) * len(places) / swapped - 0.5)] for n in range(swapped)]
        yield _recoloured(job, kind, spread, others, 3.0, "spread")
    yield fetch


def _other_nominals(job: HalfBuilt, kind: Kind, last: Sequence[tuple[int, int]]) -> Iterator[RescueOption]:
    """The same colour and diameter out of another nominal size, in whole rows where that is enough."""
    nominal, _ = kind
    sized = [job.piece.rows[k].slots[slot].diameter_mm for k, slot in last]
    for size in job.studio.nominals:
        if size.nominal_in == nominal:
            continue
        if not all(size.smallest_mm - 0.1 <= diameter <= size.largest_mm + 0.1 for diameter in sized):
            continue
        piece = with_slots(job.piece, {place: {"nominal_in": size.nominal_in} for place in last})
        # Farther from the nominal size it looks softer or stiffer.
        noticed = 0.2 + abs(math.log(size.nominal_in / nominal))
        remedy = _always(OtherNominal(kind, len(last), size.nominal_in))
        yield job.way(remedy, piece, noticed, colours=job.plan.colouring)


def _other_colours(job: HalfBuilt, kind: Kind, left: Mapping[Kind, int]) -> list[str]:
    """Colours of the piece that may take the place of one, those used most first."""
    nominal, colour = kind
    counted = Counter(key for line in job.plan.colouring for key in line)
    return [key for key, _ in counted.most_common() if key != colour and left.get((nominal, key), 1) > 0]


def _recoloured(
    job: HalfBuilt,
    kind: Kind,
    places: Sequence[tuple[int, int]],
    others: Sequence[str],
    noticed: float,
    where: Literal["unseen", "last", "spread"],
) -> RescueOption:
    """Some slots in another colour: the one that fewest of their neighbours have."""
    painted: dict[tuple[int, int], str] = {}
    for k, slot in places:
        line = job.plan.colouring[k]
        beside = Counter((line[slot - 1], line[(slot + 1) % len(line)]))
        painted[k, slot] = min(others, key=lambda key: (beside[key], others.index(key)))
    colours = [list(line) for line in job.plan.colouring]
    for (k, slot), key in painted.items():
        colours[k][slot] = key
    rows = tuple(sorted({k for k, _ in places}))
    remedy = _always(Recoloured(kind, len(places), where, tuple(dict.fromkeys(painted.values())), rows))
    return job.way(remedy, job.piece, noticed + 0.02 * len(places), colours=colours)


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
    minutes = again * (_REDO_MINUTES + job.studio.rates.row_s / 60)
    redo = job.stay(Redo(row, again - 1), 0.5, planned_row.count, minutes)
    return sorted((live, redo), key=lambda option: option.noticed)
