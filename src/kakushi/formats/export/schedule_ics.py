"""A schedule as an iCalendar file (RFC 5545) with an alarm before each task; times are floating, as on a wall clock."""

from __future__ import annotations

import datetime as dt
import hashlib

from icalendar import Alarm, Calendar, Event

from kakushi import __version__
from kakushi.building.tasks import Schedule
from kakushi.formats.export.spreadsheet_text import one_line
from kakushi.model.job import Job
from kakushi.words.schedule import task_words

_ALARM = dt.timedelta(minutes=-15)
"""When a calendar reminds, before the start."""
_SHORTEST = dt.timedelta(minutes=5)
"""Length of an event that takes no time: calendars hide one that ends when it starts."""


def schedule_ics(schedule: Schedule, job: Job, stamp: dt.datetime) -> bytes:
    """The tasks as events, the hour it must stand among them; waits have no alarm. `stamp`: when it was made, UTC."""
    title, identity = one_line(job.brief.title), _identity(job)
    calendar = Calendar()
    calendar.add("prodid", f"-//Kakushi//Kakushi {__version__}//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", title)
    for placed in schedule.tasks:
        event = Event()
        event.add("uid", _uid(identity, placed.task.key))
        event.add("dtstamp", stamp)
        event.add("dtstart", placed.start)
        event.add("dtend", max(placed.end, placed.start + _SHORTEST))
        event.add("summary", f"{one_line(task_words(placed.task))} ({title})")
        if placed.people:
            event.add("description", f"Person {', '.join(map(str, placed.people))}")
            alarm = Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", one_line(task_words(placed.task)))
            alarm.add("trigger", _ALARM)
            event.add_component(alarm)
        else:
            event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    end = Event()
    end.add("uid", _uid(identity, "stands"))
    end.add("dtstamp", stamp)
    end.add("dtstart", schedule.deadline)
    end.add("dtend", schedule.deadline + _SHORTEST)
    end.add("summary", f"It must stand ({title})")
    calendar.add_component(end)
    return bytes(calendar.to_ical())


def _identity(job: Job) -> str:
    """Identify a job among others of its title: date, place and pieces."""
    brief = job.brief
    pieces = [f"{piece.key} {piece.name} {len(piece.copies)}" for piece in job.pieces]
    return "\n".join([brief.title, str(brief.event_date), brief.event, *pieces])


def _uid(identity: str, task: str) -> str:
    """The same for a task of the same job, so that a new file takes the place of the old one."""
    digest = hashlib.sha256("\n".join([identity, task]).encode()).hexdigest()
    return f"{digest[:24]}@kakushi"
