"""The tasks of a job: what is done on the days before, how long it takes, and what must come first."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from kakushi.building.beforehand import CUT, DRY, PAINT
from kakushi.building.step import Step, StepKind
from kakushi.building.steps import steps_of
from kakushi.building.transport import loads_of, trips_of
from kakushi.model.days import Days
from kakushi.model.errors import BadInput
from kakushi.model.piece import copy_name
from kakushi.plan.values import Plan

_FIRST_YEAR, _LAST_YEAR = 1900, 9000
"""Years of an event that days before it can be planned for: calendars end with the years 1 and 9999."""
MINUTE = dt.timedelta(minutes=1)
_LONGEST_MIN = 180.0
"""Longest task, minutes; longer ones are split, so that they can be shared and nobody inflates for four hours."""


_ROUNDED = 5.0
"""Step to which times are rounded up, minutes: nobody plans finer."""


What = Literal[
    "shop", "cut", "paint", "dry", "glue", "set", "inflate", "build", "pack", "bag", "load tools", "load pieces",
    "drive", "drive and back", "set up",
]  # fmt: skip

TRIPS: tuple[What, ...] = ("load tools", "load pieces", "drive", "drive and back")
"""What is done trip by trip, each after the one before."""


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

    def by_day_and_person(self) -> list[tuple[dt.date, int | None, list[ScheduledTask]]]:
        """Group tasks by day and person, in order; tasks that need nobody come last in their day, under None."""
        found: dict[tuple[dt.date, bool, int], list[ScheduledTask]] = {}
        for placed in self.tasks:
            first = min(placed.people, default=0)
            found.setdefault((placed.start.date(), not placed.people, first), []).append(placed)
        return [
            (day, None if is_wait else person, found[day, is_wait, person]) for day, is_wait, person in sorted(found)
        ]

    def slack(self, key: str) -> float:
        """Slack of a task: minutes it could begin later without moving another."""
        own = next(placed for placed in self.tasks if placed.task.key == key)
        after = [placed.start for placed in self.tasks if key in placed.task.after]
        same = [
            placed.start
            for placed in self.tasks
            if placed is not own and set(placed.people) & set(own.people) and placed.start >= own.end
        ]
        return max((min([self.deadline, *after, *same]) - own.end) / MINUTE, 0.0)


def deadline_of(plan: Plan) -> dt.datetime:
    """When everything stands. Raises BadInput for a job without a date, or with one that calendars cannot hold."""
    brief, days = plan.job.brief, plan.job.days
    if brief.event_date is None:
        raise BadInput("The job has no date yet: give it one in the Brief.", "date")
    if not _FIRST_YEAR <= brief.event_date.year <= _LAST_YEAR:
        raise BadInput(f"The event is in the year {brief.event_date.year}: correct its date in the Brief.", "date")
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
    packing = sum(step.minutes for step in steps if step.kind is StepKind.PACK)
    on_site = days.builds == "on site"
    last = make.parts("pack", "bag" if on_site else "pack", packing, tuple(built), early=early)
    if not on_site and plan.job.brief.handover == "delivered":
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

    def trips(self, load: What, copies: int, after: tuple[str, ...]) -> tuple[str, ...]:
        """Tasks of a number of trips, each loaded and driven; after all but the last somebody drives back."""
        for trip in range(1, copies + 1):
            part, number = (trip, copies), "" if copies == 1 else f" {trip}"
            back: What = "drive" if trip == copies else "drive and back"
            for key, what, minutes in (
                ("load", load, _rounded(self._days.load_minutes / copies)),
                ("drive", back, self._days.drive_minutes * (1 if trip == copies else 2)),
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
        shares_of_task = max(math.ceil(minutes / self._longest), shares if minutes > 30 * shares else 1)
        keys: list[str] = []
        for part in range(1, shares_of_task + 1):
            name = key if shares_of_task == 1 else f"{key} {part}"
            first = (keys[-1],) if chained and keys else after
            length = _rounded(minutes / shares_of_task)
            self.tasks.append(Task(name, what, length, first, not_before=early, copy=copy, part=(part, shares_of_task)))
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
