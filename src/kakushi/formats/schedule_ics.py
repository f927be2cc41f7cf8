"""A schedule as an iCalendar file (RFC 5545) with an alarm before each task; times are floating, as on a wall clock."""

from __future__ import annotations

import datetime as dt
import hashlib

from icalendar import Alarm, Calendar, Event

from kakushi import __version__
from kakushi.build.schedule import Placed, Schedule

_ALARM = dt.timedelta(minutes=-15)


def schedule_ics(schedule: Schedule, title: str, stamp: dt.datetime) -> bytes:
    """The tasks as events, the hour it must stand among them; waits have no alarm. `stamp`: when it was made, UTC."""
    calendar = Calendar()
    calendar.add("prodid", f"-//Kakushi//Kakushi {__version__}//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", title)
    for placed in schedule.tasks:
        event = Event()
        event.add("uid", _uid(title, placed))
        event.add("dtstamp", stamp)
        event.add("dtstart", placed.start)
        event.add("dtend", placed.end)
        event.add("summary", f"{placed.task.words} ({title})")
        if placed.people:
            event.add("description", f"Person {', '.join(map(str, placed.people))}")
            alarm = Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", placed.task.words)
            alarm.add("trigger", _ALARM)
            event.add_component(alarm)
        else:
            event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    end = Event()
    end.add("uid", f"{_digest(title, 'stands')}@kakushi")
    end.add("dtstamp", stamp)
    end.add("dtstart", schedule.deadline)
    end.add("dtend", schedule.deadline)
    end.add("summary", f"It must stand ({title})")
    calendar.add_component(end)
    return bytes(calendar.to_ical())


def _uid(title: str, placed: Placed) -> str:
    """The same for a task of the same name, so that a new file takes the place of the old one."""
    return f"{_digest(title, placed.task.key)}@kakushi"


def _digest(*words: str) -> str:
    return hashlib.sha256("\n".join(words).encode()).hexdigest()[:24]
