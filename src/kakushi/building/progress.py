"""How far a build is, from its steps and the record of what happened; what can be done next, and by whom."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from kakushi.building.step import Step
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


def worked_s(step: Step, elapsed_s: float) -> float:
    """Seconds of work recorded with a tick; 0 where there was a pause."""
    return 0.0 if elapsed_s > max(PAUSE_TIMES * 60 * step.minutes, PAUSE_LEAST_S) else max(elapsed_s, 0.0)


def minutes_left(steps: Iterable[Step], progress: Progress) -> float:
    """Minutes of work that are left, as planned."""
    return sum(step.minutes for step in steps if step.key not in progress.done)


def shared_out(steps: Sequence[Step], people: int) -> list[list[Step]]:
    """Share steps among people: each copy to one person, the work as even as possible.

    The longest copy goes to whom has least to do (longest processing time first); what is done once for the whole job
    goes to the first.
    """
    people = max(people, 1)
    loads, given = [0.0] * people, dict.fromkeys(copies_of(steps), 0)
    minutes: defaultdict[Copy, float] = defaultdict(float)
    for step in steps:
        minutes[step.piece, step.copy] += step.minutes
    loads[0] += minutes[None, None]
    copies = [copy for copy in copies_of(steps) if copy != (None, None)]
    for copy in sorted(copies, key=lambda copy: -minutes[copy]):
        who = loads.index(min(loads))
        given[copy] = who
        loads[who] += minutes[copy]
    return [[step for step in steps if given[step.piece, step.copy] == who] for who in range(people)]
