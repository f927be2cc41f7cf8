"""The demo job, its event always some weeks ahead."""

from __future__ import annotations

import datetime as dt

from kakushi.model.job import Job
from kakushi.model.values import replace

_AHEAD_DAYS = 42
"""Days from today to the demo's event, at least: enough for what has to dry and to be fetched."""


def some_weeks_ahead(job: Job, today: dt.date) -> Job:
    """A job whose event is on the same day of the week, six to seven weeks after `today`; its pins move with it."""
    date = job.brief.event_date
    if date is None:
        return job
    earliest = today + dt.timedelta(days=_AHEAD_DAYS)
    moved = earliest + dt.timedelta(days=(date.weekday() - earliest.weekday()) % 7)
    by = moved - date
    pins = tuple(replace(pin, start=pin.start + by) for pin in job.days.pins)
    return replace(job, brief=replace(job.brief, event_date=moved), days=replace(job.days, pins=pins))
