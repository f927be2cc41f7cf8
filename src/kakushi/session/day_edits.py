"""Edits of the days before a job must stand."""

from __future__ import annotations

import datetime as dt

from kakushi.model.days import Pin
from kakushi.model.job import Job
from kakushi.model.values import replace
from kakushi.session.edits import validated
from kakushi.session.session import Edit


def set_days(**changes: object) -> Edit:
    """Change who works when, and what the way takes."""

    def change(job: Job) -> Job:
        return replace(job, days=validated(job.days, "days", **changes))

    return Edit("Change the days", change, ("days", tuple(changes)))


def pin_task(key: str, start: dt.datetime | None) -> Edit:
    """Pin the start of a task (its key) to a time; None releases it."""

    def change(job: Job) -> Job:
        others = tuple(pin for pin in job.days.pins if pin.task != key)
        pins = (*others, Pin(task=key, start=start)) if start is not None else others
        return replace(job, days=validated(job.days, "task", pins=pins))

    return Edit("Pin the task" if start is not None else "Let the task go", change, ("pin" if start else "unpin", key))
