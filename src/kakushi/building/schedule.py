"""The days before: who does what when, planned backwards from the hour it must stand.

Every task is one person's, or a wait that is nobody's. Tasks are placed as late as they can be, one after the other in
an order (serial schedule generation, backwards; Kolisch 1996); of a few tasks all orders are tried, of many several.
"""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from graphlib import TopologicalSorter
from itertools import permutations
from random import Random
from typing import Literal, NamedTuple

from kakushi.building.step import Step, StepKind
from kakushi.building.steps import CUT, DRY, PAINT, steps_of
from kakushi.building.transport import loads_of, trips_of
from kakushi.model.days import Days
from kakushi.model.errors import BadInput
from kakushi.model.piece import copy_name
from kakushi.plan.values import Plan

_LONGEST_MIN = 180.0
"""Longest task, minutes; longer ones are split, so that they can be shared and nobody inflates for four hours."""
_EXACT = 6
"""Number of tasks up to which every order is tried (720)."""
_TRIES = 24
"""Orders tried of more tasks: later ones hardly ever beat the best of these."""
_ROUNDED = 5.0
"""Step to which times are rounded up, minutes: nobody plans finer."""
_MOST_WORK = 2000
"""Most placements of tasks over all tries: about a second."""
_MIN = dt.timedelta(minutes=1)
_DAYS_BACK = 600
"""Days before the deadline in which room for a task is looked for: what does not fit in them does not fit."""


What = Literal[
    "shop", "cut", "paint", "dry", "glue", "set", "inflate", "build", "pack", "load tools", "load pieces", "drive",
    "drive and back", "set up",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Task:
    """Something to do: minutes of one person's work, or of waiting that is nobody's; `after` keys that come first.

    `not_before`: minutes before the deadline at which it may begin at the earliest; None for any time. `copy`: what is
    built is called; `part`: which of how many parts of one work, or trips, it is.
    """

    key: str
    what: What
    minutes: float
    after: tuple[str, ...] = ()
    is_wait: bool = False
    not_before: float | None = None
    copy: str = ""
    part: tuple[int, int] = (1, 1)


@dataclass(frozen=True, slots=True)
class ScheduledTask:
    """A task with its times and who does it (from 1; nobody waits)."""

    task: Task
    start: dt.datetime
    end: dt.datetime
    people: tuple[int, ...]


class WrongPin(NamedTuple):
    """A task that is pinned before another one is done, past the deadline, or while everybody is busy."""

    task: Task
    why: Literal["before", "late", "busy"]
    other: Task | None = None


class LongerThanDay(NamedTuple):
    """A task that takes longer than a working day, `day_h` hours."""

    task: Task
    day_h: float


class BeginsTooEarly(NamedTuple):
    """Work would have to begin in the past."""

    begin: dt.datetime


class InflatedTooEarly(NamedTuple):
    """Balloons inflated more hours before they must stand than the limit allows."""

    hours: float
    wished_h: float


class MorePeople(NamedTuple):
    """Number of people that would be enough, and when they would begin; None where more people alone are not."""

    people: int | None
    begin: dt.datetime


Problem = WrongPin | LongerThanDay | BeginsTooEarly | InflatedTooEarly | MorePeople


@dataclass(frozen=True, slots=True)
class Schedule:
    """Tasks in the order in which they begin; `problems` with what would help."""

    tasks: tuple[ScheduledTask, ...]
    deadline: dt.datetime
    problems: tuple[Problem, ...]

    @property
    def start(self) -> dt.datetime:
        """When the first task begins."""
        return min((placed.start for placed in self.tasks), default=self.deadline)

    def slack(self, key: str) -> float:
        """Slack of a task: minutes it could begin later without moving another."""
        mine = next(placed for placed in self.tasks if placed.task.key == key)
        after = [placed.start for placed in self.tasks if key in placed.task.after]
        same = [
            placed.start
            for placed in self.tasks
            if placed is not mine and set(placed.people) & set(mine.people) and placed.start >= mine.end
        ]
        return max((min([self.deadline, *after, *same]) - mine.end) / _MIN, 0.0)


def deadline_of(plan: Plan) -> dt.datetime:
    """When everything stands. Raises BadInput for a job without a date."""
    brief, days = plan.job.brief, plan.job.days
    if brief.event_date is None:
        raise BadInput("The job has no date yet: give it one in the Brief.", "date")
    return dt.datetime.combine(brief.event_date, days.stands_at)


def tasks_of(plan: Plan) -> list[Task]:
    """The tasks of a job, from buying to the hour it stands: its steps, and the ways to shop and place."""
    steps, days = steps_of(plan), plan.job.days
    make = _Tasks(days)
    bought: tuple[str, ...] = ()
    if any(step.uses for step in steps):
        bought = make.whole("shop", days.shop_minutes, ())
    once = {step.key: step for step in steps if step.piece is None}
    poles = make.parts("cut", "cut", once[CUT].minutes, bought) if CUT in once else bought
    dry = poles
    if PAINT in once:
        painted = make.parts("paint", "paint", once[PAINT].minutes, poles)
        dry = make.wait("dry", once[DRY].wait_minutes, painted)
    # What each copy waits for: its pole cut, painted and dry, its glue set.
    foamed = [step for step in steps if step.kind is StepKind.GLUE]
    glued = dry
    if foamed:
        before = dry if _any_painted(plan, foamed) else poles
        mixed = make.parts("glue", "glue", sum(step.minutes for step in foamed), before)
        glued = make.wait("set", max(s.wait_minutes for s in steps if s.kind is StepKind.WAIT and s.key != DRY), mixed)
    there: tuple[str, ...] = ()
    if days.builds == "on site":
        there = make.trips("load tools", 1, (*bought, *glued))
    early = days.early_h * 60
    inflating = sum(step.minutes for step in steps if step.kind is StepKind.INFLATE)
    inflated = make.parts("inflate", "inflate", inflating, (*bought, *there), early=early, shares=days.people)
    built: list[str] = []
    in_foam = {(step.piece, step.copy) for step in foamed}
    for copy, minutes in _build_minutes(steps).items():
        piece_plan = plan.piece(copy[0])
        assert piece_plan is not None, "steps are of pieces of the plan"
        frame = piece_plan.piece.frame
        own = glued if copy in in_foam else dry if frame.painted and frame.has_pole else poles
        stands = (*inflated, *(own if days.builds == "at home" else there))
        name = copy_name(piece_plan.piece, copy[1])
        built += make.parts(
            f"build {copy[0]}.{copy[1]}", "build", minutes, stands, early=early, copy=name, chained=True
        )
    last = tuple(built)
    if days.builds == "at home":
        packing = sum(step.minutes for step in steps if step.kind is StepKind.PACK)
        last = make.parts("pack", "pack", packing, last, early=early)
        if plan.job.brief.handover == "delivered":
            last = make.trips("load pieces", max(trips_of(loads_of(plan), plan.studio.way), 1), last)
    if plan.job.brief.handover == "delivered":
        make.whole("set up", days.set_up_minutes, last)
    return make.tasks


def _any_painted(plan: Plan, steps: Sequence[Step]) -> bool:
    pieces = {step.piece for step in steps}
    return any(p.piece.key in pieces and p.piece.frame.painted and p.piece.frame.has_pole for p in plan.pieces)


class _Tasks:
    """Collects tasks; each function gives the keys that what follows waits for."""

    def __init__(self, days: Days) -> None:
        self.tasks: list[Task] = []
        self._days = days
        self._longest = min(_LONGEST_MIN, 60 * (days.to_hour - days.from_hour))

    def whole(self, what: What, minutes: float, after: tuple[str, ...]) -> tuple[str, ...]:
        """Work that is not divided."""
        if not minutes:
            return after
        self.tasks.append(Task(what, what, minutes, after))
        return (what,)

    def wait(self, what: What, minutes: float, after: tuple[str, ...]) -> tuple[str, ...]:
        """A wait, if there is any."""
        if not minutes:
            return after
        self.tasks.append(Task(what, what, minutes, after, is_wait=True))
        return (what,)

    def trips(self, load: What, many: int, after: tuple[str, ...]) -> tuple[str, ...]:
        """Tasks of a number of trips, each loaded and driven; after all but the last somebody drives back."""
        for trip in range(1, many + 1):
            part, number = (trip, many), "" if many == 1 else f" {trip}"
            back: What = "drive" if trip == many else "drive and back"
            for key, what, minutes in (
                ("load", load, _rounded(self._days.load_minutes / many)),
                ("drive", back, self._days.drive_minutes * (1 if trip == many else 2)),
            ):
                if minutes:
                    self.tasks.append(Task(f"{key}{number}", what, minutes, after, part=part))
                    after = (f"{key}{number}",)
        return after

    def parts(
        self,
        key: str,
        what: What,
        minutes: float,
        after: tuple[str, ...],
        *,
        early: float | None = None,
        shares: int = 1,
        copy: str = "",
        chained: bool = False,
    ) -> tuple[str, ...]:
        """Work as one task or several of equal length, beside each other or one after the other."""
        if minutes < 0.5:
            return after
        many = max(math.ceil(minutes / self._longest), shares if minutes > 30 * shares else 1)
        keys: list[str] = []
        for part in range(1, many + 1):
            name = key if many == 1 else f"{key} {part}"
            first = (keys[-1],) if chained and keys else after
            length = _rounded(minutes / many)
            self.tasks.append(Task(name, what, length, first, not_before=early, copy=copy, part=(part, many)))
            keys.append(name)
        return (keys[-1],) if chained else tuple(keys)


def _rounded(minutes: float) -> float:
    return _ROUNDED * math.ceil(minutes / _ROUNDED)


_OWN_TASKS = (StepKind.GLUE, StepKind.INFLATE, StepKind.PACK)


def _build_minutes(steps: Sequence[Step]) -> dict[tuple[int, int], float]:
    """Minutes to build each copy: all its steps but those that are tasks of their own."""
    minutes: dict[tuple[int, int], float] = {}
    for step in steps:
        if step.piece is not None and step.copy is not None and step.kind not in _OWN_TASKS:
            key = step.piece, step.copy
            minutes[key] = minutes.get(key, 0.0) + step.minutes
    return minutes


def scheduled(plan: Plan, now: dt.datetime) -> Schedule:
    """The schedule of a job, nothing in it before `now` where that can be. Raises BadInput without a date."""
    deadline, days = deadline_of(plan), plan.job.days
    tasks = tasks_of(plan)
    found = schedule(tasks, deadline, days)
    return Schedule(found, deadline, tuple(_problems(tasks, found, deadline, days, now)))


def schedule(tasks: Sequence[Task], deadline: dt.datetime, days: Days) -> tuple[ScheduledTask, ...]:
    """Place tasks as late as possible; returned in the order in which they begin.

    A pinned task begins when it is pinned to, whatever follows from that.
    """
    pins = {pin.task: pin.start for pin in days.pins}
    best: tuple[ScheduledTask, ...] = ()
    score: tuple[float, ...] = ()
    for order in _orders(tasks):
        found = _placed(order, tasks, deadline, days, pins)
        mine = _score(found, deadline)
        if not score or mine > score:
            best, score = found, mine
    best = _waits_at_once(best, pins)
    return tuple(sorted(best, key=lambda placed: (placed.start, placed.end, placed.task.key)))


def _waits_at_once(found: Sequence[ScheduledTask], pins: Mapping[str, dt.datetime]) -> tuple[ScheduledTask, ...]:
    """Start waits as soon as what they follow is done: paint begins to dry at once."""
    known = {placed.task.key: placed for placed in found}
    for placed in found:
        before = [known[key].end for key in placed.task.after if key in known]
        if placed.task.is_wait and before and placed.task.key not in pins:
            start = max(before)
            known[placed.task.key] = ScheduledTask(placed.task, start, start + placed.task.minutes * _MIN, ())
    return tuple(known.values())


def _score(found: Sequence[ScheduledTask], deadline: dt.datetime) -> tuple[float, ...]:
    """Score of a schedule, larger is better: nothing too early first, then a late start, then all tasks late."""
    too_early = sum(
        max((deadline - placed.start) / _MIN - placed.task.not_before, 0.0)
        for placed in found
        if placed.task.not_before is not None
    )
    first = min((placed.start - deadline) / _MIN for placed in found) if found else 0.0
    return -too_early, first, sum((placed.start - deadline) / _MIN for placed in found)


def _orders(tasks: Sequence[Task]) -> Iterator[list[Task]]:
    """Orders in which tasks are placed, last ones first, each after all that come after it."""
    if len(tasks) <= _EXACT:
        yield from (list(order) for order in permutations(tasks) if _is_backwards(order))
        return
    followers = _followers(tasks)
    ahead = _ahead(tasks)
    random = Random(1)
    for attempt in range(max(min(_TRIES, _MOST_WORK // len(tasks)), 1)):
        left, placed, order = list(tasks), set[str](), list[Task]()
        while left:
            able = [task for task in left if followers[task.key] <= placed]
            # What has most before it goes in last of all, that is first here.
            chosen = max(
                able, key=lambda task: (ahead[task.key] * (random.uniform(0.6, 1.4) if attempt else 1.0), task.key)
            )
            order.append(chosen)
            placed.add(chosen.key)
            left.remove(chosen)
        yield order


def _is_backwards(order: Sequence[Task]) -> bool:
    seen: set[str] = set()
    for task in reversed(order):
        if any(key not in seen for key in task.after if any(key == other.key for other in order)):
            return False
        seen.add(task.key)
    return True


def _followers(tasks: Sequence[Task]) -> dict[str, set[str]]:
    found: dict[str, set[str]] = {task.key: set() for task in tasks}
    for task in tasks:
        for key in task.after:
            if key in found:
                found[key].add(task.key)
    return found


def _ahead(tasks: Sequence[Task]) -> dict[str, float]:
    """Minutes of the longest chain that ends with each task."""
    known = {task.key: task for task in tasks}
    before = {task.key: [key for key in task.after if key in known] for task in tasks}
    longest: dict[str, float] = {}
    for key in TopologicalSorter(before).static_order():
        longest[key] = known[key].minutes + max((longest[other] for other in before[key]), default=0.0)
    return longest


def _placed(
    order: Sequence[Task],
    tasks: Sequence[Task],
    deadline: dt.datetime,
    days: Days,
    pins: Mapping[str, dt.datetime],
) -> tuple[ScheduledTask, ...]:
    followers = _followers(tasks)
    busy: list[list[tuple[dt.datetime, dt.datetime]]] = [[] for _ in range(days.people)]
    done: dict[str, ScheduledTask] = {}
    # What is pinned keeps its hands free first.
    for task in order:
        if task.key in pins:
            start = pins[task.key]
            end = start + task.minutes * _MIN
            who = () if task.is_wait else (_free(busy, start, end),)
            for one in who:
                busy[one - 1].append((start, end))
            done[task.key] = ScheduledTask(task, start, end, who)
    for task in order:
        if task.key in done:
            continue
        latest = min([deadline, *(done[key].start for key in followers[task.key] if key in done)])
        if task.is_wait:
            done[task.key] = ScheduledTask(task, latest - task.minutes * _MIN, latest, ())
            continue
        start, who_one = max(
            ((_latest(mine, task.minutes, latest, days), -person) for person, mine in enumerate(busy, 1)),
            key=lambda each: each,
        )
        end = start + task.minutes * _MIN
        busy[-who_one - 1].append((start, end))
        done[task.key] = ScheduledTask(task, start, end, (-who_one,))
    return tuple(done.values())


def _free(busy: Sequence[Sequence[tuple[dt.datetime, dt.datetime]]], start: dt.datetime, end: dt.datetime) -> int:
    """Somebody who has nothing else then, else the first."""
    for person, mine in enumerate(busy, 1):
        if all(end <= a or b <= start for a, b in mine):
            return person
    return 1


def _latest(
    busy: Sequence[tuple[dt.datetime, dt.datetime]], minutes: float, latest: dt.datetime, days: Days
) -> dt.datetime:
    """The latest start of a task for one person that ends by `latest`, within one working day."""
    long = minutes * _MIN
    day = latest.date()
    for back in range(_DAYS_BACK):
        begin, end = _window(day - dt.timedelta(days=back), days)
        end = min(end, latest)
        # The longest day is as long as the task at least.
        begin = min(begin, end - long) if long > _window(day, days)[1] - _window(day, days)[0] else begin
        taken = sorted((pair for pair in busy if pair[0] < end and pair[1] > begin), reverse=True)
        for a, b in taken:
            if end - b >= long:
                break
            end = min(end, a)
        if end - begin >= long:
            return end - long
    raise BadInput("There are not enough days before it must stand.", "days")


def _window(day: dt.date, days: Days) -> tuple[dt.datetime, dt.datetime]:
    midnight = dt.datetime.combine(day, dt.time())
    return midnight + dt.timedelta(hours=days.from_hour), midnight + dt.timedelta(hours=days.to_hour)


# --- what does not fit ---------------------------------------------------------------------------------


def _problems(
    tasks: Sequence[Task], found: Sequence[ScheduledTask], deadline: dt.datetime, days: Days, now: dt.datetime
) -> Iterator[Problem]:
    """What does not fit, and what would help."""
    yield from _wrong_pins(found, deadline, days)
    day_h = days.to_hour - days.from_hour
    yield from (LongerThanDay(task, day_h) for task in tasks if not task.is_wait and task.minutes > 60 * day_h)
    first = min((placed.start for placed in found), default=deadline)
    early = [placed for placed in found if _is_early(placed, deadline)]
    if first >= now and not early:
        return
    if first < now:
        yield BeginsTooEarly(first)
    if early:
        yield InflatedTooEarly(max((deadline - placed.start) / dt.timedelta(hours=1) for placed in early), days.early_h)
    for people in range(days.people + 1, min(days.people + 4, 13)):
        helped = schedule(tasks, deadline, days.model_copy(update={"people": people}))
        begin = min((p.start for p in helped), default=deadline)
        if begin >= now and not any(_is_early(p, deadline) for p in helped):
            yield MorePeople(people, begin)
            return
    if day_h < _LONG_DAY_H:
        yield MorePeople(None, first)


_LONG_DAY_H = 12.0
"""Longest working day that is advised, hours."""


def _wrong_pins(found: Sequence[ScheduledTask], deadline: dt.datetime, days: Days) -> Iterator[WrongPin]:
    known, pinned = {placed.task.key: placed for placed in found}, {pin.task for pin in days.pins}
    for placed in found:
        late = [key for key in placed.task.after if key in known and known[key].end > placed.start]
        if late:
            yield WrongPin(placed.task, "before", known[late[0]].task)
        if placed.end > deadline:
            yield WrongPin(placed.task, "late")
        others = [o for o in found if o is not placed and set(o.people) & set(placed.people)]
        if placed.task.key in pinned and any(o.start < placed.end and placed.start < o.end for o in others):
            yield WrongPin(placed.task, "busy")


def _is_early(placed: ScheduledTask, deadline: dt.datetime) -> bool:
    limit = placed.task.not_before
    return limit is not None and (deadline - placed.start) / _MIN > limit + 1e-6
