"""The days before: who does what when, planned backwards from the hour it must stand.

Every task is one person's, or a wait that is nobody's. Tasks are placed as late as they can be, one after the other in
an order (serial schedule generation, backwards; Kolisch 1996); of a few tasks all orders are tried, of many several.
"""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from graphlib import TopologicalSorter
from itertools import permutations
from random import Random

from kakushi.building.tasks import (
    MINUTE,
    TRIPS,
    BeginsTooEarly,
    InflatedTooEarly,
    LongerThanDay,
    MorePeople,
    Problem,
    Schedule,
    ScheduledTask,
    Task,
    WrongPin,
    deadline_of,
    tasks_of,
)
from kakushi.model.days import Days
from kakushi.model.errors import BadInput
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.plan.values import Plan

_EXACT = 6
"""Number of tasks up to which every order is tried (720)."""
_TRIES = 24
"""Orders tried of more tasks: later ones hardly ever beat the best of these."""
_MOST_WORK = 2000
"""Most placements of tasks over all tries: about a second."""
_DAYS_BACK = 600
"""Days before the deadline in which room for a task is looked for: what does not fit in them does not fit."""


def scheduled(plan: Plan, now: dt.datetime, cancelled: Cancelled = never) -> Schedule:
    """The schedule of a job, nothing in it before `now` where that can be.

    Raises BadInput without a date, and `errors.Cancelled`.
    """
    deadline, days = deadline_of(plan), plan.job.days
    tasks = tasks_of(plan)
    tasks_placed = numbered_by_time(schedule(tasks, deadline, days, cancelled))
    numbered = {placed.task.key: placed.task for placed in tasks_placed}
    tasks = [numbered.get(task.key, task) for task in tasks]
    return Schedule(tasks_placed, deadline, tuple(_problems(tasks, tasks_placed, deadline, days, now, cancelled)))


def numbered_by_time(placed: Sequence[ScheduledTask]) -> tuple[ScheduledTask, ...]:
    """Parts of one work, which may be done in any order, numbered in the order in which they begin; keys stay."""
    begun: Counter[tuple[str, str]] = Counter()
    numbered = {}
    for each in sorted(placed, key=lambda each: (each.start, each.task.part)):
        task = each.task
        begun[task.what, task.copy] += 1
        if task.part[1] > 1 and task.what not in TRIPS:
            task = replace(task, part=(begun[task.what, task.copy], task.part[1]))
        numbered[task.key] = replace(each, task=task)
    return tuple(numbered[each.task.key] for each in placed)


def schedule(
    tasks: Sequence[Task], deadline: dt.datetime, days: Days, cancelled: Cancelled = never
) -> tuple[ScheduledTask, ...]:
    """Place tasks as late as possible; returned in the order in which they begin.

    A pinned task begins when it is pinned to, whatever follows from that. Raises `errors.Cancelled`.
    """
    pins = {pin.task: pin.start for pin in days.pins}
    best: tuple[ScheduledTask, ...] = ()
    score: tuple[float, ...] = ()
    for order in _orders(tasks, cancelled):
        placing = _placed(order, tasks, deadline, days, pins, cancelled)
        worth = _score(placing, deadline)
        if not score or worth > score:
            best, score = placing, worth
    best = _waits_at_once(best, pins)
    return tuple(sorted(best, key=lambda placed: (placed.start, placed.end, placed.task.key)))


def _waits_at_once(
    scheduled_tasks: Sequence[ScheduledTask], pins: Mapping[str, dt.datetime]
) -> tuple[ScheduledTask, ...]:
    """Start waits as soon as what they follow is done: paint begins to dry at once."""
    known = {placed.task.key: placed for placed in scheduled_tasks}
    for placed in scheduled_tasks:
        before = [known[key].end for key in placed.task.after if key in known]
        if placed.task.is_wait and before and placed.task.key not in pins:
            start = max(before)
            known[placed.task.key] = ScheduledTask(placed.task, start, start + placed.task.minutes * MINUTE, ())
    return tuple(known.values())


def _score(scheduled_tasks: Sequence[ScheduledTask], deadline: dt.datetime) -> tuple[float, ...]:
    """Score of a schedule, larger is better: nothing too early first, then a late start, then all tasks late."""
    too_early = sum(
        max((deadline - placed.start) / MINUTE - placed.task.not_before, 0.0)
        for placed in scheduled_tasks
        if placed.task.not_before is not None
    )
    first = min((placed.start - deadline) / MINUTE for placed in scheduled_tasks) if scheduled_tasks else 0.0
    return -too_early, first, sum((placed.start - deadline) / MINUTE for placed in scheduled_tasks)


def _orders(tasks: Sequence[Task], cancelled: Cancelled) -> Iterator[list[Task]]:
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
            stop_if(cancelled)
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
    followers: dict[str, set[str]] = {task.key: set() for task in tasks}
    for task in tasks:
        for key in task.after:
            if key in followers:
                followers[key].add(task.key)
    return followers


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
    cancelled: Cancelled,
) -> tuple[ScheduledTask, ...]:
    followers = _followers(tasks)
    busy: list[list[tuple[dt.datetime, dt.datetime]]] = [[] for _ in range(days.people)]
    done: dict[str, ScheduledTask] = {}
    # What is pinned keeps its hands free first.
    for task in order:
        if task.key in pins:
            start = pins[task.key]
            end = start + task.minutes * MINUTE
            who = () if task.is_wait else (_free(busy, start, end),)
            for one in who:
                busy[one - 1].append((start, end))
            done[task.key] = ScheduledTask(task, start, end, who)
    for task in order:
        stop_if(cancelled)
        if task.key in done:
            continue
        latest = min([deadline, *(done[key].start for key in followers[task.key] if key in done)])
        if task.is_wait:
            done[task.key] = ScheduledTask(task, latest - task.minutes * MINUTE, latest, ())
            continue
        start, who_one = max(
            ((_latest(free, task.minutes, latest, days), -person) for person, free in enumerate(busy, 1)),
            key=lambda each: each,
        )
        end = start + task.minutes * MINUTE
        busy[-who_one - 1].append((start, end))
        done[task.key] = ScheduledTask(task, start, end, (-who_one,))
    return tuple(done.values())


def _free(busy: Sequence[Sequence[tuple[dt.datetime, dt.datetime]]], start: dt.datetime, end: dt.datetime) -> int:
    """Somebody who has nothing else then, else the first."""
    for person, free in enumerate(busy, 1):
        if all(end <= a or b <= start for a, b in free):
            return person
    return 1


def _latest(
    busy: Sequence[tuple[dt.datetime, dt.datetime]], minutes: float, latest: dt.datetime, days: Days
) -> dt.datetime:
    """The latest start of a task for one person that ends by `latest`, within one working day."""
    long = minutes * MINUTE
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
    tasks: Sequence[Task],
    scheduled_tasks: Sequence[ScheduledTask],
    deadline: dt.datetime,
    days: Days,
    now: dt.datetime,
    cancelled: Cancelled,
) -> Iterator[Problem]:
    """What does not fit, and what would help."""
    yield from _wrong_pins(scheduled_tasks, deadline, days)
    day_h = days.to_hour - days.from_hour
    yield from (LongerThanDay(task, day_h) for task in tasks if not task.is_wait and task.minutes > 60 * day_h)
    first = min((placed.start for placed in scheduled_tasks), default=deadline)
    early = [placed for placed in scheduled_tasks if _is_early(placed, deadline)]
    if first >= now and not early:
        return
    if first < now:
        yield BeginsTooEarly(first)
    if early:
        yield InflatedTooEarly(max((deadline - placed.start) / dt.timedelta(hours=1) for placed in early), days.early_h)
    for people in range(days.people + 1, min(days.people + 4, 13)):
        helped = schedule(tasks, deadline, days.model_copy(update={"people": people}), cancelled)
        begin = min((p.start for p in helped), default=deadline)
        if begin >= now and not any(_is_early(p, deadline) for p in helped):
            yield MorePeople(people, begin)
            return
    if day_h < _LONG_DAY_H:
        yield MorePeople(None, first)


_LONG_DAY_H = 12.0
"""Longest working day that is advised, hours."""


def _wrong_pins(scheduled_tasks: Sequence[ScheduledTask], deadline: dt.datetime, days: Days) -> Iterator[WrongPin]:
    known, pinned = {placed.task.key: placed for placed in scheduled_tasks}, {pin.task for pin in days.pins}
    for placed in scheduled_tasks:
        late = [key for key in placed.task.after if key in known and known[key].end > placed.start]
        if late:
            yield WrongPin(placed.task, "before", known[late[0]].task)
        if placed.end > deadline:
            yield WrongPin(placed.task, "late")
        others = [o for o in scheduled_tasks if o is not placed and set(o.people) & set(placed.people)]
        if placed.task.key in pinned and any(o.start < placed.end and placed.start < o.end for o in others):
            yield WrongPin(placed.task, "busy")


def _is_early(placed: ScheduledTask, deadline: dt.datetime) -> bool:
    limit = placed.task.not_before
    return limit is not None and (deadline - placed.start) / MINUTE > limit + 1e-6
