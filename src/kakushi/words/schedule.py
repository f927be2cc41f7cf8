"""What is said of the days before: tasks, and what does not fit."""

from __future__ import annotations

import datetime as dt

from kakushi.building.tasks import (
    TRIPS,
    BeginsTooEarly,
    InflatedTooEarly,
    LongerThanDay,
    MorePeople,
    Problem,
    ScheduledTask,
    Task,
    WrongPin,
)
from kakushi.words.wording import clock, counted, day_words, hours_words, when

_TASKS = {
    "shop": "Shop: balloons, poles, strips",
    "cut": "Cut the poles",
    "paint": "Wipe and paint the poles",
    "dry": "The paint dries",
    "glue": "Glue poles into their foam",
    "set": "The glue sets",
    "inflate": "Inflate and tie",
    "build": "Build {copy}",
    "pack": "Pack for the way",
    "bag": "Bag the spares",
    "load tools": "Load poles, balloons and tools",
    "load pieces": "Load the pieces and the tools",
    "drive": "Drive to the place",
    "drive and back": "Drive to the place and back",
    "set up": "Set up, look round, clear away",
}
_SHORT = {
    "shop": "Shop",
    "cut": "Cut",
    "paint": "Paint",
    "dry": "Paint dries",
    "glue": "Glue",
    "set": "Glue sets",
    "inflate": "Inflate",
    "build": "{copy}",
    "pack": "Pack",
    "bag": "Bag",
    "load tools": "Load",
    "load pieces": "Load",
    "drive": "Drive",
    "drive and back": "Drive",
    "set up": "Set up",
}


def task_words(task: Task) -> str:
    """Name a task."""
    words = _TASKS[task.what].replace("{copy}", task.copy)
    part, parts = task.part
    if parts == 1:
        return words
    return f"{words}, {'trip' if task.what in TRIPS else 'part'} {part} of {parts}"


def short_words(task: Task) -> str:
    """A task in a word or two, for a narrow box; what is built by its name."""
    return _SHORT[task.what].replace("{copy}", task.copy)


def hands_words(day: dt.date, person: int | None, people: int) -> str:
    """Heading of the tasks of a day: who does them where there are several people, or that nobody has to."""
    if person is None:
        return f"{day_words(day)}, nobody has to be there"
    return f"{day_words(day)}, person {person}" if people > 1 else day_words(day)


def line_words(placed: ScheduledTask, spare_min: float) -> str:
    """A task in a list under its day and person: times, what, minutes to spare."""
    spare = f", {hours_words(spare_min)} to spare" if spare_min >= 1 else ""
    return f"{clock(placed.start)}–{clock(placed.end)}  {task_words(placed.task)}{spare}"


def placed_words(placed: ScheduledTask) -> str:
    """When a task is done, by whom."""
    who = f"person {placed.people[0]}" if placed.people else "nobody"
    return f"{when(placed.start)} to {clock(placed.end)}, {who}: {task_words(placed.task)}"


def problem_words(problem: Problem) -> str:
    """What does not fit, or what would help."""
    match problem:
        case WrongPin(task, "before", other) if other is not None:
            return f"“{task_words(task)}” is pinned before “{task_words(other)}” is done: move its pin."
        case WrongPin(task, "late"):
            return f"“{task_words(task)}” ends after everything must stand: move its pin."
        case WrongPin(task):
            return f"“{task_words(task)}” is pinned while everybody is busy: move its pin or take one more person."
        case LongerThanDay(task, day_h):
            long, day = hours_words(task.minutes), hours_words(60 * day_h)
            return f"“{task_words(task)}” takes {long}, longer than a working day of {day}: it runs into the night."
        case BeginsTooEarly(begin):
            return f"It does not fit: work would have to begin on {when(begin)}."
        case InflatedTooEarly(hours, wished):
            inflated = f"Balloons would be inflated {hours:.0f} hours before they must stand"
            return f"{inflated}, more than the {wished:g} you allow: they shrink meanwhile."
        case MorePeople(None):
            return "More people alone do not help: begin earlier, build on site, or work longer days."
        case MorePeople(people, begin):
            return f"With {counted(people or 0, 'person', 'people')} it fits: begin on {when(begin)}."
