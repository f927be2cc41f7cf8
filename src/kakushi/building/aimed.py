"""Ways out for rows that end too high or too low, or before or beyond the end of a strand's path."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace as with_fields
from typing import Literal

from kakushi.building.half_built import HalfBuilt
from kakushi.building.remedies import AllBuilt, Remedy, RescueOption, Resized
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, Length
from kakushi.model.groups import Direction, Row, Slot
from kakushi.model.limits import SMALLEST_DIAMETER_MM
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.piece import free_row_key
from kakushi.model.values import replace
from kakushi.packing.groups.rows import settled
from kakushi.packing.stack import stack_row
from kakushi.plan.geometry import assembly_of, column_target_mm, packing_of
from kakushi.plan.heights import RISE
from kakushi.plan.values import PiecePlan, Plan

_TAU_LOW, _TAU_HIGH = 0.02, 6.0
"""Range of packing force (τ) searched: from looser than laid on to tighter than any hand presses."""
_ROUNDS = 6
"""Most plans tried for one way out: height is nearly linear in the sizes, so two usually do."""
_SMALLER_LAST = 0.75
"""A last row smaller than this share of the one below closes the column instead of continuing it."""
_TELLING_ROWS = 2
"""Rows of a group that must stand before they tell how it is packed: one alone does not."""
MOST_WAYS = 6
"""Most ways out that are shown."""


def aimed_again(
    whole: Plan, piece_plan: PiecePlan, built: int, knot_mm: float | None, cancelled: Cancelled = never
) -> list[RescueOption]:
    """Ways for the rows beyond the `built` ones to end where they must.

    `built`: rows that stand, in the order of the steps. `knot_mm`: height above the floor of the knot of the last row
    built, as measured, of a strand how far along it from its beginning; None: as planned. Raises BadInput for what
    cannot be, `errors.Cancelled`.
    """
    job = HalfBuilt(whole, piece_plan, built, cancelled)
    if job.group.built is Direction.BOTH and job.left:
        raise BadInput("Rows built from both ends to a join cannot be planned again: the join is fixed.", "direction")
    if job.group.strand is not None and job.group.strand.path.is_closed:
        raise BadInput("A closed strand is as large as its rows make it: lay on until its ends lock.", "path")
    if knot_mm is not None:
        job.learn_packing(learnt_tau(job, knot_mm))
    ways = sorted(_aims(job), key=lambda option: (_is_off(option, job.studio), option.noticed))
    return ways[:MOST_WAYS]


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
    if (laid := job.laid) is not None:
        # A strand goes round no pole, and is measured along its path.
        packing, low_end, high_end = with_fields(packing, pole_radius=0.0), 0.0, laid.arc_mm

    def knot_at(tau: float) -> float:
        stack = tuple(stack_row(row, packing, joint) for row in rows)
        geometry = settled(stack, with_fields(packing, tau=tau), 0.0)
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
    slope = RISE * job.studio.sizer.step_mm
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
        return Resized(what, len(left), changed, by, ends, wished, is_short, job.laid is not None)

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
    wanted = studio.sizer.stepped(slot.diameter_mm, steps)
    return replace(slot, diameter_mm=studio.reachable(slot.nominal_in, wanted, slot.diameter_mm))


def _miss(job: HalfBuilt, left: Sequence[Row]) -> float:
    """How much too far the rows of the group at hand reach, mm."""
    piece = job.with_left(left)
    assembly = assembly_of(piece, piece.groups, job.studio, job.cancelled)
    if (laid := dict(assembly.strands).get(job.place)) is not None:
        return -laid.missing_mm
    low, high = assembly.spans[job.place]
    if job.ends_below:
        return job.plan.assembly.spans[job.place][0] - low
    return high - (column_target_mm(piece, assembly) if _is_topmost(job) else job.plan.assembly.spans[job.place][1])


def _is_topmost(job: HalfBuilt) -> bool:
    """Whether the group at hand ends the piece: it is for the target height then, else for where it was planned."""
    spans = job.plan.assembly.spans
    return spans[job.place][1] >= max(high for _, high in spans) - 1.0


def _ends(job: HalfBuilt, planned: PiecePlan) -> tuple[float, float]:
    """Where the group at hand ends in a plan, and where it must, mm above the floor; of a strand along its path."""
    if (laid := dict(planned.assembly.strands).get(job.place)) is not None:
        return laid.used_mm, laid.arc_mm
    if not job.ends_below and _is_topmost(job):
        return planned.measured_height_mm, planned.piece.target_height_mm
    end = 0 if job.ends_below else 1
    return planned.assembly.spans[job.place][end], job.plan.assembly.spans[job.place][end]
