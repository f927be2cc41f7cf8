"""Schedules keep every wait and order, nobody is twice at once, and of small cases none begins later."""

from __future__ import annotations

import datetime as dt
import itertools
import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from icalendar import Calendar

from kakushi.building.schedule import schedule, scheduled
from kakushi.building.step import Work
from kakushi.building.tasks import LongerThanDay, ScheduledTask, Task, tasks_of
from kakushi.building.transport import loads_of, trips_of
from kakushi.cli.main import main
from kakushi.formats.export.schedule_ics import schedule_ics
from kakushi.formats.store.job_file import load_job, save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import Studio
from kakushi.model.days import Days, Pin
from kakushi.model.errors import BadInput
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Brief, Job
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.values import Plan
from kakushi.words.schedule import problem_words
from kakushi.words.transport import transport_words
from kakushi.workshop.dossier import Dossier

END = dt.datetime(2027, 6, 18, 12)
HOUR = dt.timedelta(hours=1)
FAR = dt.datetime(2027, 1, 1)


@st.composite
def task_lists(draw, most: int, hours: tuple[int, int]):
    many = draw(st.integers(1, most))
    tasks = []
    for k in range(many):
        after = tuple(f"t{j}" for j in range(k) if draw(st.integers(0, 2)) == 0)
        is_wait = bool(after) and draw(st.integers(0, 4)) == 0
        tasks.append(Task(f"t{k}", "build", 60.0 * draw(st.integers(*hours)), after, is_wait))
    return tasks


def check(found: tuple[ScheduledTask, ...], days: Days, end: dt.datetime = END) -> None:
    """Everything that must hold of a schedule without pins."""
    known = {placed.task.key: placed for placed in found}
    for placed in found:
        assert placed.end - placed.start == placed.task.minutes * dt.timedelta(minutes=1)
        assert placed.end <= end
        for key in placed.task.after:
            assert known[key].end <= placed.start, f"{placed.task.key} waits for {key}"
        if placed.task.is_wait:
            assert placed.people == ()
            continue
        (person,) = placed.people
        assert 1 <= person <= days.people
        assert placed.start.hour + placed.start.minute / 60 >= days.from_hour
        day = dt.datetime.combine(placed.start.date(), dt.time())
        assert placed.end <= day + days.to_hour * HOUR, "work ends with the day"
    for one, other in itertools.combinations([p for p in found if p.people], 2):
        if one.people == other.people:
            assert one.end <= other.start or other.end <= one.start, "nobody twice at once"


@given(tasks=task_lists(9, (1, 4)), people=st.integers(1, 3))
@settings(max_examples=80, deadline=None)
def test_schedules_keep_order_waits_hours_and_hands(tasks, people) -> None:
    days = Days(people=people, from_hour=8, to_hour=16)
    found = schedule(tasks, END, days)
    assert {placed.task.key for placed in found} == {task.key for task in tasks}
    check(found, days)


def latest_by_trying(tasks: list[Task], days: Days) -> dt.datetime:
    """The latest time at which work on small whole-hour tasks can begin, by trying every hour for every task."""
    followers = {task.key: [t for t in tasks if task.key in t.after] for task in tasks}
    order = list(reversed(tasks))
    best = dt.datetime.min

    def place(index: int, starts: dict[str, dt.datetime], first: dt.datetime) -> None:
        nonlocal best
        if first <= best:
            return
        if index == len(order):
            best = max(best, first)
            return
        task = order[index]
        limit = min([END, *(starts[t.key] for t in followers[task.key])])
        if task.is_wait:
            start = limit - task.minutes / 60 * HOUR
            place(index + 1, {**starts, task.key: start}, min(first, start))
            return
        for back in range(1, 80):
            start = END - back * HOUR
            end = start + task.minutes / 60 * HOUR
            day = dt.datetime.combine(start.date(), dt.time())
            if end > limit or start < day + days.from_hour * HOUR or end > day + days.to_hour * HOUR:
                continue
            # Whole hours of work: so many at once can be shared out when never more are at work than there are hands.
            hours = [start + k * HOUR for k in range(round(task.minutes / 60))]
            at_once = max(
                sum(
                    1
                    for other in order[:index]
                    if not other.is_wait and starts[other.key] <= h < starts[other.key] + other.minutes / 60 * HOUR
                )
                for h in hours
            )
            if at_once >= days.people:
                continue
            place(index + 1, {**starts, task.key: start}, min(first, start))

    place(0, {}, END)
    return best


@given(tasks=task_lists(4, (1, 3)), people=st.integers(1, 2))
@settings(max_examples=40, deadline=None)
def test_of_small_cases_none_begins_later(tasks, people) -> None:
    days = Days(people=people, from_hour=8, to_hour=14)
    found = schedule(tasks, END, days)
    check(found, days)
    # A wait begins at once, which may be before the work needs it.
    work = [placed.start for placed in found if placed.people]
    by_trying = latest_by_trying(tasks, days)
    if work:
        assert min(work) >= by_trying or min(work) == by_trying


@pytest.fixture(scope="module")
def demo() -> Dossier:
    return Dossier(plan(load_job(demo_job_path()), Studio()))


def changed(dossier: Dossier, **changes: object) -> Plan:
    days = replace(dossier.plan.job.days, **changes)
    return plan(replace(dossier.plan.job, days=days), Studio())


def test_the_demo_is_scheduled_and_what_does_not_fit_says_what_helps(demo) -> None:
    found = scheduled(demo.plan, FAR)
    check(found.tasks, demo.plan.job.days, dt.datetime(2027, 6, 18, 12))
    keys = [placed.task.key for placed in found.tasks]
    assert keys.index("paint") < keys.index("dry") < keys.index("set up")
    assert sum(key.startswith("build ") for key in keys) == sum(len(p.copies) for p in demo.plan.job.pieces)
    minutes = sum(task.minutes for task in tasks_of(demo.plan) if task.key.startswith("build "))
    assert minutes >= demo.work[Work.BUILD], "all rows are built in it"
    late = scheduled(demo.plan, dt.datetime(2027, 6, 17, 8))
    assert any("begin on Tuesday 15 June" in words for words in map(problem_words, late.problems))
    helped = changed(demo, people=2, drive_minutes=15)
    assert not scheduled(helped, FAR).problems
    on_site = scheduled(changed(demo, builds="on site", people=3), FAR)
    known = {placed.task.key: placed for placed in on_site.tasks}
    assert known["drive"].end <= min(p.start for key, p in known.items() if key.startswith("inflate"))
    assert all(0 <= found.slack(key) < 1e5 for key in keys)


@pytest.mark.parametrize("where", ["at home", "on site"])
def test_all_work_that_is_priced_is_in_the_days(demo, where: str) -> None:
    job = changed(demo, builds=where)
    planned = sum(task.minutes for task in tasks_of(job) if not task.is_wait and task.what not in PLACES)
    assert planned >= Dossier(job).minutes


PLACES = ("shop", "load tools", "load pieces", "drive", "drive and back", "set up")


@pytest.mark.parametrize("people", [1, 3])
def test_parts_are_numbered_as_they_begin(demo, people: int) -> None:
    found = scheduled(changed(demo, people=people, from_hour=9, to_hour=12), FAR)
    works: dict[tuple[str, str], list[tuple[int, int]]] = {}
    for placed in found.tasks:
        if placed.task.part[1] > 1 and "drive" not in placed.task.what:
            works.setdefault((placed.task.what, placed.task.copy), []).append(placed.task.part)
    assert len(works["inflate", ""]) > 1
    for parts in works.values():
        assert parts == [(number, len(parts)) for number in range(1, len(parts) + 1)]


def test_pins_are_kept_and_their_breaches_told(demo) -> None:
    shop = dt.datetime(2027, 6, 10, 9)
    found = scheduled(changed(demo, pins=(Pin(task="shop", start=shop),)), FAR)
    assert next(p.start for p in found.tasks if p.task.key == "shop") == shop
    late = dt.datetime(2027, 6, 18, 11)
    problems = scheduled(changed(demo, pins=(Pin(task="shop", start=late),)), FAR).problems
    assert any("move its pin" in words for words in map(problem_words, problems))
    with pytest.raises(ValueError, match="time zone"):
        Pin(task="shop", start=dt.datetime(2027, 6, 10, tzinfo=dt.UTC))


def test_the_calendar_opens_in_a_strict_reader(demo) -> None:
    found, job = scheduled(demo.plan, FAR), demo.plan.job
    data = schedule_ics(found, job, dt.datetime(2026, 1, 1, tzinfo=dt.UTC))
    for line in data.split(b"\r\n"):
        assert len(line) <= 75, "folded"
        assert b"\n" not in line
    events = Calendar.from_ical(data).walk("VEVENT")
    assert len(events) == len(found.tasks) + 1
    assert len({str(event["uid"]) for event in events}) == len(events)
    times = {(event["dtstart"].dt, event["dtend"].dt) for event in events}
    assert {(p.start, p.end) for p in found.tasks} <= times
    alarms = [event for event in events if event.walk("VALARM")]
    assert len(alarms) == sum(1 for p in found.tasks if p.people)
    assert data == schedule_ics(found, job, dt.datetime(2026, 1, 1, tzinfo=dt.UTC))


def test_schedules_are_printed_and_a_job_without_a_date_says_so(tmp_path, capsys) -> None:
    path = tmp_path / "job.kakushi"
    save_job(load_job(demo_job_path()), path)
    assert main(["schedule", str(path), "--json", "--now", "2027-01-01T08:00"]) == 0
    told = json.loads(capsys.readouterr().out)
    ends = [dt.datetime.fromisoformat(task["end"]) for task in told["tasks"]]
    assert max(ends) == dt.datetime.fromisoformat(told["deadline"])
    assert main(["schedule", str(path), "--now", "soon"]) == 2
    save_job(Job(), path)
    assert main(["schedule", str(path)]) == 2
    assert "no date" in capsys.readouterr().err
    assert main(["export", str(path), "--to", str(tmp_path / "out"), "--formats", "ics"]) == 0


def test_a_task_longer_than_a_day_is_told_and_work_that_can_be_divided_is(demo) -> None:
    short = changed(demo, from_hour=9, to_hour=11, set_up_minutes=300, shop_minutes=0)
    found = scheduled(short, FAR)
    long = [problem.task for problem in found.problems if isinstance(problem, LongerThanDay)]
    assert [task.what for task in long] == ["set up"], "all else is done in parts"
    said = [problem_words(problem) for problem in found.problems]
    assert (
        "“Set up, look round, clear away” takes 5 h, longer than a working day of 2 h: it runs into the night." in said
    )
    for placed in found.tasks:
        if not placed.task.is_wait and placed.task not in long:
            assert 9 <= placed.start.hour <= placed.end.hour <= 11, placed.task


def test_it_is_driven_as_often_as_the_pieces_take_trips(demo) -> None:
    trips = trips_of(loads_of(demo.plan), demo.plan.studio.way)
    drives = [task for task in tasks_of(demo.plan) if task.key.startswith("drive")]
    assert len(drives) == trips > 1
    assert sum(task.minutes for task in drives) == (2 * trips - 1) * demo.plan.job.days.drive_minutes
    assert f"{trips} trips" in " ".join(transport_words(demo.plan, UnitSystem.METRIC))
    (once,) = [task for task in tasks_of(changed(demo, builds="on site")) if task.key.startswith("drive")]
    assert once.minutes == demo.plan.job.days.drive_minutes


def test_no_event_ends_when_it_starts_and_jobs_of_one_title_have_their_own(demo) -> None:
    job = demo.plan.job
    stamp = dt.datetime(2026, 1, 1, tzinfo=dt.UTC)
    found = scheduled(demo.plan, FAR)
    events = Calendar.from_ical(schedule_ics(found, job, stamp)).walk("VEVENT")
    assert all(event["dtend"].dt > event["dtstart"].dt for event in events)
    later = replace(job, brief=replace(job.brief, event_date=dt.date(2028, 6, 16)))
    fewer = replace(job, pieces=job.pieces[:2])
    for other in (later, fewer):
        others = Calendar.from_ical(schedule_ics(found, other, stamp)).walk("VEVENT")
        assert not {str(event["uid"]) for event in events} & {str(event["uid"]) for event in others}


def job_of(title: str, date: dt.date) -> Plan:
    group = RowsGroup(rows=tuple(uniform_row(k + 1, 4, 11, 220) for k in range(3)))
    piece = Piece(key=1, name=title, groups=(group,))
    return plan(Job(brief=Brief(title=title, event_date=date), pieces=(piece,)), Studio())


@pytest.mark.parametrize("date", [dt.date(1900, 1, 1), dt.date(9000, 12, 31)])
@pytest.mark.parametrize("title", ["Quay", "a\r\nBEGIN:VEVENT\x00\x1b,;\\", "=1+1"])
def test_any_title_and_date_make_a_calendar(date: dt.date, title: str) -> None:
    found = job_of(title, date)
    made = schedule_ics(scheduled(found, dt.datetime(2027, 1, 1)), found.job, dt.datetime(2027, 1, 1, tzinfo=dt.UTC))
    assert made.count(b"BEGIN:VEVENT\r\n") == len(Calendar.from_ical(made).walk("VEVENT")) > 1
    assert not set(made) & (set(range(32)) - {10, 13})


@pytest.mark.parametrize("date", [dt.date(1, 1, 1), dt.date(9999, 12, 31)])
def test_a_date_that_no_calendar_holds_is_said(date: dt.date) -> None:
    with pytest.raises(BadInput, match=f"in the year {date.year}:"):
        scheduled(job_of("Quay", date), dt.datetime(2027, 1, 1))
