"""How far a build is, from its steps and the record of what happened; what can be done next, and by whom."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from kakushi.building.step import Step, StepKind, TyingCluster
from kakushi.model.parts import FillerTie
from kakushi.model.record import Record, What

Copy = tuple[int | None, int | None]
"""Key of a piece and number of its copy (from 0); None for what is done once for the whole job."""
PAUSE_TIMES, PAUSE_LEAST_S = 4.0, 180.0
"""A step was paused when it took this many times its planned time, and at least this many seconds."""


@dataclass(frozen=True, slots=True)
class Progress:
    """Progress of a build: steps done and put off (keys), pops by nominal size and colour, notes and times by step."""

    done: frozenset[str]
    later: frozenset[str]
    popped: Mapping[tuple[float, str], int]
    notes: tuple[tuple[str, str], ...]
    seconds: Mapping[str, float]
    last: tuple[str, ...]
    """Steps done, in the order in which they were."""


def progress_of(record: Record) -> Progress:
    """What the record says."""
    done: dict[str, None] = {}
    later: dict[str, None] = {}
    popped: Counter[tuple[float, str]] = Counter()
    notes: list[tuple[str, str]] = []
    seconds: dict[str, float] = {}
    for event in record.events:
        match event.what:
            case What.DONE:
                done[event.step] = None
                later.pop(event.step, None)
                seconds[event.step] = event.seconds
            case What.UNDONE:
                done.pop(event.step, None)
                seconds.pop(event.step, None)
            case What.LATER:
                later[event.step] = None
            case What.POP if event.nominal_in is not None:
                popped[event.nominal_in, event.colour] += 1
            case What.NOTE:
                notes.append((event.step, event.text))
            case _:
                pass
    return Progress(frozenset(done), frozenset(later), popped, tuple(notes), seconds, tuple(done))


def possible(steps: Iterable[Step], progress: Progress) -> Iterator[Step]:
    """Steps that can be done now: not done, and nothing they wait for is undone; those put off come last."""
    ready = [step for step in steps if step.key not in progress.done and progress.done.issuperset(step.after)]
    yield from (step for step in ready if step.key not in progress.later)
    yield from (step for step in ready if step.key in progress.later)


def next_step(steps: Sequence[Step], progress: Progress, copy: Copy) -> Step | None:
    """The next step of one copy, None where it is done or waits for another one."""
    return next(possible([step for step in steps if (step.piece, step.copy) == copy], progress), None)


def done_together(step: Step, able: Sequence[Step]) -> tuple[Step, ...]:
    """Steps done in one go: two clusters that hang on one strip, both of one set and at one row; else the step alone.

    `able`: the steps that can be done now, in their order.
    """
    other = next((each for each in able if hang_together(step, each)), None)
    return (step,) if other is None else (step, other)


def hang_together(one: Step, other: Step) -> bool:
    """Whether two steps tie clusters that can hang on one strip: of one set, at one row or ball of one copy."""
    return one.key != other.key and _strip_of(one) is not None and _strip_of(one) == _strip_of(other)


def _strip_of(step: Step) -> tuple[object, ...] | None:
    """What clusters on one strip share; None for what hangs on none."""
    fact = step.fact
    if not isinstance(fact, TyingCluster) or fact.tie is not FillerTie.ASTRIDE:
        return None
    return step.piece, step.copy, fact.part.key, fact.row, fact.ball


def goes_of(steps: Sequence[Step]) -> Iterator[tuple[Step, ...]]:
    """The steps of a copy in their order, those together that are done in one go."""
    taken: set[str] = set()
    for place, step in enumerate(steps):
        if step.key in taken:
            continue
        # Only clusters look for another one.
        able = steps[place:] if isinstance(step.fact, TyingCluster) else ()
        together = done_together(step, [each for each in able if each.key not in taken])
        taken.update(each.key for each in together)
        yield together


def waited_for(steps: Sequence[Step], progress: Progress, copy: Copy) -> list[Step]:
    """What the steps of a copy wait for that is none of its own and not done yet."""
    known = {step.key: step for step in steps}
    wanted = {key for step in steps if (step.piece, step.copy) == copy for key in step.after} - progress.done
    return [known[key] for key in sorted(wanted) if key in known and (known[key].piece, known[key].copy) != copy]


def taken_back(steps: Sequence[Step], progress: Progress, copy: Copy) -> Step | None:
    """The step of a copy that may be taken back: the last one done that no other done step has waited for."""
    needed = {key for step in steps if step.key in progress.done for key in step.after}
    known = {step.key: step for step in steps if (step.piece, step.copy) == copy}
    return next((known[key] for key in reversed(progress.last) if key in known and key not in needed), None)


def copies_of(steps: Iterable[Step]) -> list[Copy]:
    """The copies that have steps, in their order."""
    return list(dict.fromkeys((step.piece, step.copy) for step in steps))


def spares_left(spares: Mapping[tuple[float, str], int], progress: Progress) -> dict[tuple[float, str], int]:
    """Spares that are left of each nominal size and colour; below 0 where more popped than there were."""
    return {kind: spare - progress.popped.get(kind, 0) for kind, spare in spares.items()}


def still_needed(steps: Iterable[Step], progress: Progress, kind: tuple[float, str]) -> int:
    """Number of balloons of a kind (nominal size, colour) that the rows not yet laid take."""
    rows = (step for step in steps if step.row is not None and step.key not in progress.done)
    return int(sum(use.count for step in rows for use in step.uses if use.is_balloon and use.kind == kind))


def worked_s(step: Step, elapsed_s: float) -> float:
    """Seconds of work recorded with a tick; 0 where there was a pause."""
    return 0.0 if elapsed_s > max(PAUSE_TIMES * 60 * step.minutes, PAUSE_LEAST_S) else max(elapsed_s, 0.0)


def minutes_left(steps: Iterable[Step], progress: Progress) -> float:
    """Minutes of work that are left, as planned."""
    return sum(step.minutes for step in steps if step.key not in progress.done)


def shared_out(steps: Sequence[Step], people: int) -> list[list[Step]]:
    """Share steps among people, the work as even as possible; what is done once for the whole job goes to the first.

    Whole copies first, the longest to whom has least to do (longest processing time first). Where that leaves somebody
    with less, steps of one copy are divided: one inflates and ties, one holds and stacks, both dress.
    """
    people = max(people, 1)
    loads, minutes = [0.0] * people, defaultdict[Copy, float](float)
    for step in steps:
        minutes[step.piece, step.copy] += step.minutes
    of_copy = dict.fromkeys(copies_of(steps), 0)
    loads[0] += minutes[None, None]
    for copy in sorted((copy for copy in of_copy if copy != (None, None)), key=lambda copy: -minutes[copy]):
        of_copy[copy] = loads.index(min(loads))
        loads[of_copy[copy]] += minutes[copy]
    given = {step.key: of_copy[step.piece, step.copy] for step in steps}
    _even_out(given, loads, [step for step in steps if step.kind in _DIVIDED and step.minutes])
    _take_sides(given, steps)
    return [[step for step in steps if given[step.key] == who] for who in range(people)]


_DIVIDED = (
    StepKind.INFLATE, StepKind.CLUSTER, StepKind.ACCENT, StepKind.HANG, StepKind.WEIGHT, StepKind.TOPPER,
    StepKind.WRAP, StepKind.STRAND, StepKind.LINK, StepKind.NECKS, StepKind.LOOK, StepKind.PACK,
)  # fmt: skip
"""Steps that another one than who stacks the rows can do; in the order in which they are handed over."""


def _take_sides(given: dict[str, int], steps: Sequence[Step]) -> None:
    """Clusters of a set that several people tie in go by sides: each goes on round the piece where another ends."""
    sets = defaultdict[tuple[Copy, int], list[tuple[float, str]]](list)
    for step in steps:
        if isinstance(step.fact, TyingCluster):
            way_round = step.fact.azimuth % math.tau
            sets[(step.piece, step.copy), step.fact.part.key].append((way_round, step.key))
    for clusters in sets.values():
        who = sorted(given[key] for _, key in clusters)
        for helper, (_, key) in zip(who, sorted(clusters), strict=True):
            given[key] = helper


_EVEN = 0.1
"""Difference between the most and the least work, over the mean, that is even enough."""


def _even_out(given: dict[str, int], loads: list[float], divided: Sequence[Step]) -> None:
    """Hand steps over from who has most to do to who has least, as long as that makes the work more even."""
    mean = sum(loads) / len(loads)
    for _ in divided:
        most, least = loads.index(max(loads)), loads.index(min(loads))
        gap = loads[most] - loads[least]
        fitting = [step for step in divided if given[step.key] == most and step.minutes < gap]
        if gap <= _EVEN * mean or not fitting:
            return
        # What comes nearest to half of the difference; of equals what is handed over first.
        step = min(fitting, key=lambda step: (round(abs(gap / 2 - step.minutes)), _DIVIDED.index(step.kind)))
        given[step.key] = least
        loads[most] -= step.minutes
        loads[least] += step.minutes
