"""The days before: who does what when, planned backwards from the hour it must stand.

Every task is one person's, or a wait that is nobody's. Tasks are placed as late as they can be, one after the other in
an order (serial schedule generation, backwards; Kolisch 1996); of a few tasks all orders are tried, of many several.
"""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import permutations
from random import Random

from kakushi.build.step import Step, StepKind
from kakushi.build.steps import CUT, PAINT, steps_of
from kakushi.model.days import Days
from kakushi.model.errors import BadInput
from kakushi.plan.values import Plan
from kakushi.production.dossier import Dossier
from kakushi.production.preparation import copy_names

_LONGEST_MIN = 180.0
"""A longer task is done in parts: nobody inflates for four hours, and parts can be shared."""
_EXACT = 6
"""Up to so many tasks all orders are tried: 720."""
_TRIES = 24
"""Orders tried of more: the best of the first ones is hardly ever beaten."""
_ROUNDED = 5.0
"""Minutes that times are rounded up to: nobody plans finer."""
_MOST_WORK = 2000
"""Tasks placed over all tries: a second."""
_MIN = dt.timedelta(minutes=1)
_BEFORE = 60
"""Days that are looked back: what does not fit in them does not fit."""


@dataclass(frozen=True, slots=True)
class Task:
    """Something to do: minutes of one person's work, or of waiting that is nobody's; `after` keys that come first.

    `not_before`: minutes before the deadline at which it may begin at the earliest; None for any time.
    """

    key: str
    words: str
    minutes: float
    after: tuple[str, ...] = ()
    is_wait: bool = False
    not_before: float | None = None


@dataclass(frozen=True, slots=True)
class Placed:
    """A task with its times and who does it (from 1; nobody waits)."""

    task: Task
    start: dt.datetime
    end: dt.datetime
    people: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Schedule:
    """Tasks in the order in which they begin; `problems` in sentences, with what would help."""

    tasks: tuple[Placed, ...]
    deadline: dt.datetime
    problems: tuple[str, ...]

    @property
    def start(self) -> dt.datetime:
        """When the first task begins."""
        return min((placed.start for placed in self.tasks), default=self.deadline)

    def slack(self, key: str) -> float:
        """Minutes a task could begin later without moving another one."""
        mine = next(placed for placed in self.tasks if placed.task.key == key)
        after = [placed.start for placed in self.tasks if key in placed.task.after]
        same = [
            placed.start
            for placed in self.tasks
            if placed is not mine and set(placed.people) & set(mine.people) and placed.start >= mine.end
        ]
        return max((min([self.deadline, *after, *same]) - mine.end) / _MIN, 0.0)


def deadline_of(dossier: Dossier) -> dt.datetime:
    """When everything stands. Raises BadInput for a job without a date."""
    brief, days = dossier.plan.job.brief, dossier.plan.job.days
    if brief.event_date is None:
        raise BadInput("The job has no date yet: give it one in the Brief.", "date")
    return dt.datetime.combine(brief.event_date, days.stands_at)


def tasks_of(dossier: Dossier) -> list[Task]:
    """The tasks of a job, from buying to the hour it stands."""
    plan = dossier.plan
    steps, days, work = steps_of(plan), plan.job.days, dossier.preparation.work
    early = days.early_h * 60
    tasks: list[Task] = []
    bought: tuple[str, ...] = ()
    if plan.supplies and days.shop_minutes:
        tasks.append(Task("shop", "Shop: balloons, poles, strips", days.shop_minutes))
        bought = ("shop",)
    once = {step.key: step for step in steps if step.piece is None}
    poles = bought
    if CUT in once:
        poles = _in_parts(tasks, "cut", "Cut the poles", once[CUT].minutes, bought)
    dry = poles
    if PAINT in once:
        painted = _in_parts(tasks, "paint", "Wipe and paint the poles", once[PAINT].minutes, poles)
        tasks.append(Task("dry", "The paint dries", plan.studio.frame_rules.paint_dry_h * 60, painted, is_wait=True))
        dry = ("dry",)
    foamed = [step for step in steps if step.kind is StepKind.GLUE]
    glued = dry
    # What each copy waits for: its pole cut, painted and dry, its glue set.
    if foamed:
        minutes = sum(step.minutes for step in foamed)
        mixed = _in_parts(
            tasks, "glue", "Glue poles into their foam", minutes, dry if _any_painted(plan, foamed) else poles
        )
        tasks.append(Task("set", "The glue sets", plan.studio.frame_rules.glue_dry_h * 60, mixed, is_wait=True))
        glued = ("set",)
    there: tuple[str, ...] = ()
    if days.builds == "on site":
        there = _way(tasks, days, (*bought, *glued), "Load poles, balloons and tools", "Drive to the place")
    ready = (*bought, *there)
    inflated = _in_parts(tasks, "inflate", "Inflate", work.inflate / 60, ready, early, shares=days.people)
    tied = _in_parts(tasks, "tie", "Tie duplets and triplets", work.tie / 60, inflated, early, shares=days.people)
    built: list[str] = []
    names, in_foam = _names(plan), {(step.piece, step.copy) for step in foamed}
    for copy, minutes in _build_minutes(steps).items():
        piece_plan = plan.piece(copy[0])
        is_dry = piece_plan is not None and piece_plan.piece.frame.painted and piece_plan.piece.frame.has_pole
        own = glued if copy in in_foam else dry if is_dry else poles
        stands = (*tied, *(own if days.builds == "at home" else there))
        key = f"build {copy[0]}.{copy[1]}"
        built += _in_parts(tasks, key, f"Build {names[copy]}", minutes, stands, early, chained=True)
    if days.builds == "at home":
        packing = sum(step.minutes for step in steps if step.kind is StepKind.PACK)
        packed = _in_parts(tasks, "pack", "Pack for the way", packing, tuple(built), early)
        built = list(packed or built)
        if plan.job.brief.handover == "delivered":
            built = list(_way(tasks, days, tuple(built), "Load the pieces and the tools", "Drive to the place"))
    if days.set_up_minutes and plan.job.brief.handover == "delivered":
        words = "Set up, look round, clear away"
        tasks.append(Task("set up", words, days.set_up_minutes, tuple(built)))
    return tasks


def _any_painted(plan: Plan, steps: Sequence[Step]) -> bool:
    pieces = {step.piece for step in steps}
    return any(p.piece.key in pieces and p.piece.frame.painted and p.piece.frame.has_pole for p in plan.pieces)


def _way(tasks: list[Task], days: Days, after: tuple[str, ...], load: str, drive: str) -> tuple[str, ...]:
    for key, words, minutes in (("load", load, days.load_minutes), ("drive", drive, days.drive_minutes)):
        if minutes:
            tasks.append(Task(key, words, minutes, after))
            after = (key,)
    return after


def _in_parts(
    tasks: list[Task],
    key: str,
    words: str,
    minutes: float,
    after: tuple[str, ...],
    early: float | None = None,
    shares: int = 1,
    chained: bool = False,
) -> tuple[str, ...]:
    """Work as one task or several of equal length, beside each other or one after the other; keys of the last ones."""
    if minutes < 0.5:
        return after
    many = max(math.ceil(minutes / _LONGEST_MIN), shares if minutes > 30 * shares else 1)
    keys: list[str] = []
    for part in range(many):
        name = key if many == 1 else f"{key} {part + 1}"
        said = words if many == 1 else f"{words}, part {part + 1} of {many}"
        first = (keys[-1],) if chained and keys else after
        tasks.append(Task(name, said, _ROUNDED * math.ceil(minutes / many / _ROUNDED), first, not_before=early))
        keys.append(name)
    return (keys[-1],) if chained else tuple(keys)


def _build_minutes(steps: Sequence[Step]) -> dict[tuple[int, int], float]:
    """Minutes to build each copy: all its steps but gluing and packing, which are tasks of their own."""
    minutes: dict[tuple[int, int], float] = {}
    for step in steps:
        if step.piece is not None and step.copy is not None and step.kind not in (StepKind.GLUE, StepKind.PACK):
            key = step.piece, step.copy
            minutes[key] = minutes.get(key, 0.0) + step.minutes
    return minutes


def _names(plan: Plan) -> dict[tuple[int, int], str]:
    names: dict[tuple[int, int], str] = {}
    numbers: dict[int, int] = {}
    for piece, _, name in copy_names(plan.job):
        numbers[piece.key] = numbers.get(piece.key, -1) + 1
        names[piece.key, numbers[piece.key]] = name
    return names


# --- placing -----------------------------------------------------------------------------------------


def scheduled(dossier: Dossier, now: dt.datetime) -> Schedule:
    """The schedule of a job, nothing in it before `now` where that can be. Raises BadInput without a date."""
    deadline, days = deadline_of(dossier), dossier.plan.job.days
    tasks = tasks_of(dossier)
    found = schedule(tasks, deadline, days)
    return Schedule(found, deadline, tuple(_problems(tasks, found, deadline, days, now)))


def schedule(tasks: Sequence[Task], deadline: dt.datetime, days: Days) -> tuple[Placed, ...]:
    """Tasks placed as late as they can be, in the order in which they begin.

    A pinned task begins when it is pinned to, whatever follows from that.
    """
    pins = {pin.task: pin.start for pin in days.pins}
    best: tuple[Placed, ...] = ()
    score: tuple[float, ...] = ()
    for order in _orders(tasks):
        found = _placed(order, tasks, deadline, days, pins)
        mine = _score(found, deadline)
        if not score or mine > score:
            best, score = found, mine
    best = _waits_at_once(best, pins)
    return tuple(sorted(best, key=lambda placed: (placed.start, placed.end, placed.task.key)))


def _waits_at_once(found: Sequence[Placed], pins: Mapping[str, dt.datetime]) -> tuple[Placed, ...]:
    """Waits begin as soon as what they wait after is done: paint does not wait to dry."""
    known = {placed.task.key: placed for placed in found}
    for placed in found:
        before = [known[key].end for key in placed.task.after if key in known]
        if placed.task.is_wait and before and placed.task.key not in pins:
            start = max(before)
            known[placed.task.key] = Placed(placed.task, start, start + placed.task.minutes * _MIN, ())
    return tuple(known.values())


def _score(found: Sequence[Placed], deadline: dt.datetime) -> tuple[float, ...]:
    """Larger is better: what is too early first, then the latest beginning, then everything late."""
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
    found: dict[str, float] = {}

    def chain(key: str) -> float:
        if key not in found:
            found[key] = 0.0
            task = known[key]
            found[key] = task.minutes + max((chain(before) for before in task.after if before in known), default=0.0)
        return found[key]

    for task in tasks:
        chain(task.key)
    return found


def _placed(
    order: Sequence[Task],
    tasks: Sequence[Task],
    deadline: dt.datetime,
    days: Days,
    pins: Mapping[str, dt.datetime],
) -> tuple[Placed, ...]:
    followers = _followers(tasks)
    busy: list[list[tuple[dt.datetime, dt.datetime]]] = [[] for _ in range(days.people)]
    done: dict[str, Placed] = {}
    # What is pinned keeps its hands free first.
    for task in order:
        if task.key in pins:
            start = pins[task.key]
            end = start + task.minutes * _MIN
            who = () if task.is_wait else (_free(busy, start, end),)
            for one in who:
                busy[one - 1].append((start, end))
            done[task.key] = Placed(task, start, end, who)
    for task in order:
        if task.key in done:
            continue
        latest = min([deadline, *(done[key].start for key in followers[task.key] if key in done)])
        if task.is_wait:
            done[task.key] = Placed(task, latest - task.minutes * _MIN, latest, ())
            continue
        start, who_one = max(
            ((_latest(mine, task.minutes, latest, days), -person) for person, mine in enumerate(busy, 1)),
            key=lambda each: each,
        )
        end = start + task.minutes * _MIN
        busy[-who_one - 1].append((start, end))
        done[task.key] = Placed(task, start, end, (-who_one,))
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
    for back in range(_BEFORE * 10):
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
    tasks: Sequence[Task], found: Sequence[Placed], deadline: dt.datetime, days: Days, now: dt.datetime
) -> Iterator[str]:
    """Breaches in sentences, with what would help."""
    first = min((placed.start for placed in found), default=deadline)
    early = [placed for placed in found if _is_early(placed, deadline)]
    known = {placed.task.key: placed for placed in found}
    for placed in found:
        late = [key for key in placed.task.after if key in known and known[key].end > placed.start]
        if late:
            yield f"“{placed.task.words}” is pinned before “{known[late[0]].task.words}” is done: move its pin."
        if placed.end > deadline:
            yield f"“{placed.task.words}” ends after {when(deadline)}: move its pin."
        others = [o for o in found if o is not placed and set(o.people) & set(placed.people)]
        if any(o.start < placed.end and placed.start < o.end for o in others) and placed.task.key in {
            pin.task for pin in days.pins
        }:
            yield f"“{placed.task.words}” is pinned while everybody is busy: move its pin or take one more person."
    if first >= now and not early:
        return
    if first < now:
        yield f"It does not fit: work would have to begin on {when(first)}."
    if early:
        hours = max((deadline - placed.start) / dt.timedelta(hours=1) for placed in early)
        yield (
            f"Balloons would be inflated {hours:.0f} hours before they must stand, more than the {days.early_h:g} "
            "wished: they shrink meanwhile."
        )
    for people in range(days.people + 1, min(days.people + 4, 13)):
        helped = schedule(tasks, deadline, days.model_copy(update={"people": people}))
        if min((p.start for p in helped), default=deadline) >= now and not any(_is_early(p, deadline) for p in helped):
            yield f"With {people} people it fits: begin on {when(min(p.start for p in helped))}."
            return
    if days.to_hour - days.from_hour < 12:
        yield "More people alone do not help: begin earlier, build on site, or work longer days."


def _is_early(placed: Placed, deadline: dt.datetime) -> bool:
    limit = placed.task.not_before
    return limit is not None and (deadline - placed.start) / _MIN > limit + 1e-6


def when(at: dt.datetime) -> str:
    """A time as people say it: Wednesday 16 June, 9:30."""
    return f"{at:%A} {at.day} {at:%B}, {at.hour}:{at.minute:02d}"
