"""An entry of the log from a job's plan and the record of its build."""

from __future__ import annotations

import datetime as dt
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping

from kakushi.building.progress import progress_of
from kakushi.building.step import Inflating, Step, StepKind
from kakushi.model.job import Job
from kakushi.model.log import (
    FULL_ABOVE,
    SOFT_BELOW,
    BuiltCount,
    Fill,
    LogEntry,
    LoggedPiece,
    PopCell,
    PopCount,
    UsedUp,
    WorkCount,
)
from kakushi.model.record import Record, What
from kakushi.model.units import inches
from kakushi.model.values import replace
from kakushi.model.workshop import Rates
from kakushi.plan.values import PiecePlan
from kakushi.workshop.dossier import Dossier

_CUT_OR_POURED = frozenset({"m", "ft", "g", "ml", "l", "cans"})
"""Units of what is cut or poured (line, tape, paint, glue). Offcuts are lost, so the log asks how much was used."""
_LEAST_PLANNED = 0.01
"""Least planned amount that anything can be compared with."""
_PARTS = frozenset({StepKind.CLUSTER, StepKind.ACCENT, StepKind.HANG, StepKind.WEIGHT, StepKind.TOPPER})


def entry_of(dossier: Dossier, record: Record, today: dt.date, all_built: bool = False) -> LogEntry | None:
    """The entry of a job as far as it is known; `today` where it has no date. None for a job without pieces.

    Balloons count as blown up where their steps were ticked; with `all_built` those of pieces without ticks do too.
    """
    plan, supplies, cost = dossier.plan, dossier.supplies, dossier.cost
    if not plan.pieces:
        return None
    progress = progress_of(record)
    popped, seconds = progress.popped, progress.seconds
    who = {event.step: event.who for event in record.events if event.what is What.DONE}
    pieces = []
    for piece_plan in plan.pieces:
        steps = list(dossier.steps_of_piece(piece_plan.piece.key))
        done = [step for step in steps if step.key in seconds]
        built = done or (steps if all_built else [])
        piece = _piece(piece_plan, steps, done, seconds, who, record, plan.studio.working_rates)
        pieces.append(piece.model_copy(update={"built": tuple(_built(built, plan.job))}))
    pieces = _with_pops(pieces, popped, plan.job)
    return LogEntry(
        date=plan.job.brief.event_date or today,
        job=plan.job.brief.title[:200],
        pieces=tuple(pieces),
        planned_minutes=round(dossier.minutes, 1),
        planned_spares=sum(supplies.spares.values()),
        cost=round(cost.to_spend + cost.labour, 2),
        price=round(cost.price, 2),
        currency=plan.job.pricing.currency[:12],
        materials=tuple(
            UsedUp(item=line.item, unit=line.unit, planned=round(line.needed, 2))
            for line in dossier.materials
            if line.needed >= _LEAST_PLANNED and line.unit in _CUT_OR_POURED
        ),
    )


def _piece(
    piece_plan: PiecePlan,
    steps: list[Step],
    done: list[Step],
    seconds: Mapping[str, float],
    who: Mapping[str, str],
    record: Record,
    rates: Rates,
) -> LoggedPiece:
    piece = piece_plan.piece
    known = {step.key for step in steps}
    heights = [event.mm for event in record.events if event.what is What.HEIGHT and event.mm and event.step in known]
    is_whole = bool(done) and all(step.key in seconds for step in steps if step.kind is StepKind.ROW)
    return LoggedPiece(
        piece=piece.name[:200] or "piece",
        copies=len(piece.copies),
        planned_mm=round(piece_plan.measured_height_mm, 1) or None,
        height_mm=heights[-1] if heights and is_whole else None,
        rows=len(piece.rows),
        joint=piece.joint.value[:60],
        packing=(piece.packing_name or "")[:80],
        balloons=sum(int(use.count) for step in steps for use in step.uses if use.is_balloon),
        minutes=tuple(_minutes(done, seconds, who, rates)),
    )


def _built(steps: Iterable[Step], job: Job) -> Iterator[BuiltCount]:
    """Balloons that steps use, by kind; how full those of rows are is known, others are taken to be usual."""
    counts: Counter[PopCell] = Counter()
    for step in steps:
        used = Counter[tuple[float, str]]()
        for use in step.uses:
            if use.is_balloon:
                used[use.kind] += int(use.count)
        for spot in step.places:
            nominal, diameter, colour = spot.balloon.nominal_in, spot.balloon.diameter_mm, spot.balloon.colour
            counts[_cell(nominal, colour, job, fill_of(nominal, diameter))] += 1
            used[nominal, colour] -= 1
        for (nominal, colour), count in used.items():
            if count > 0:
                counts[_cell(nominal, colour, job, "usual")] += count
    for (nominal, finish, place, fill), count in sorted(counts.items()):
        yield BuiltCount(nominal_in=nominal, finish=finish, place=place, fill=fill, count=count)


def fill_of(nominal_in: float, diameter_mm: float) -> Fill:
    """How full a balloon is."""
    share = inches(diameter_mm) / nominal_in if diameter_mm else (SOFT_BELOW + FULL_ABOVE) / 2
    return "soft" if share < SOFT_BELOW else "full" if share > FULL_ABOVE else "usual"


def _cell(nominal_in: float, colour: str, job: Job, fill: Fill) -> PopCell:
    return nominal_in, job.colour(colour).finish.value, job.brief.place, fill


def _minutes(
    done: Iterable[Step], seconds: Mapping[str, float], who: Mapping[str, str], rates: Rates
) -> Iterator[WorkCount]:
    """Measured work, one line for each kind and person."""
    counts: defaultdict[tuple[str, str], list[float]] = defaultdict(lambda: [0.0, 0.0])

    def add(kind: str, step: Step, count: float, took: float) -> None:
        line = counts[kind, who.get(step.key, "")]
        line[0] += count
        line[1] += took / 60

    for step in done:
        took = seconds[step.key]
        if took <= 0:
            continue
        if step.kind is StepKind.ROW:
            add("row", step, 1, took)
        elif step.kind is StepKind.BASE:
            add("set up", step, 1, took)
        elif step.kind in _PARTS and step.minutes and rates.part_s:
            add("part", step, step.minutes * 60 / rates.part_s, took)
        elif isinstance(step.fact, Inflating):
            balloons, bunches = step.fact.balloons, sum(count for size, count in step.fact.bunches if size > 1)
            planned = balloons * rates.inflate_s + bunches * rates.tie_s
            if balloons and planned:
                add("inflate", step, balloons, took * balloons * rates.inflate_s / planned)
            if bunches and planned:
                add("tie", step, bunches, took * bunches * rates.tie_s / planned)
    for (kind, person), (count, minutes) in sorted(counts.items()):
        if count and minutes:
            yield WorkCount(kind=kind, person=person[:60], count=round(count, 2), minutes=round(minutes, 2))


def _with_pops(pieces: list[LoggedPiece], popped: Mapping[tuple[float, str], int], job: Job) -> list[LoggedPiece]:
    """Pops of the whole job, given to the pieces that have the kind, as far as they used so many."""
    left = Counter[tuple[float, str]]()
    for (nominal, colour), count in popped.items():
        left[nominal, job.colour(colour).finish.value] += count
    changed = []
    for piece in pieces:
        pops = []
        built = []
        for line in piece.built:
            took = min(left[line.nominal_in, line.finish], line.count)
            left[line.nominal_in, line.finish] -= took
            # What popped was blown up too.
            built.append(line.model_copy(update={"count": line.count + took}))
            if took:
                pops.append(PopCount(**line.model_dump() | {"count": took}))
        changed.append(piece.model_copy(update={"pops": tuple(pops), "built": tuple(built)}))
    return changed


def with_pops(piece: LoggedPiece, before: int | None, after: int | None, why: str) -> LoggedPiece:
    """A piece with pops counted before and after delivery; None where nobody counted.

    Pops beyond those recorded are given to the most used kind: nobody said which. Without any count nothing is learnt
    from the piece's balloons.
    """
    pops = [pop.model_copy(update={"why": why}) for pop in piece.pops] if before else []
    built = list(piece.built) if (before, after) != (None, None) else []
    beyond = (before or 0) - sum(pop.count for pop in pops)
    for when, more in (("before", beyond), ("after", after or 0)):
        if more > 0 and built:
            most = max(range(len(built)), key=lambda k: built[k].count)
            kind = built[most]
            pops.append(PopCount.model_validate({**dict(kind), "when": when, "why": why, "count": more}))
            built[most] = kind.model_copy(update={"count": kind.count + more})
    return replace(piece, pops=tuple(pops), built=tuple(built))


def with_answers(entry: LogEntry, given: LogEntry) -> LogEntry:
    """An entry with what somebody told: pieces by name, their lists where they are not empty; words; its key."""
    told = {piece.piece: piece for piece in given.pieces}
    pieces = []
    for piece in entry.pieces:
        answer = told.pop(piece.piece, None)
        if answer is None:
            continue
        set_fields = {name: getattr(answer, name) for name in answer.model_fields_set if name != "piece"}
        pieces.append(LoggedPiece.model_validate({**dict(piece), **set_fields}))
    pieces += told.values()
    words = {name: getattr(given, name) for name in given.model_fields_set if name != "pieces"}
    return LogEntry.model_validate({**dict(entry), **words, "pieces": tuple(pieces)})
