"""A schedule as JSON, with the keys other tools rely on (`docs/build.md`)."""

from __future__ import annotations

from typing import Any

from kakushi.building.tasks import Schedule
from kakushi.words.schedule import problem_words, task_words


def schedule_json(schedule: Schedule) -> dict[str, Any]:
    """The tasks in the order in which they begin; local times, ISO 8601."""
    return {
        "deadline": schedule.deadline.isoformat(),
        "problems": [problem_words(problem) for problem in schedule.problems],
        "tasks": [
            {
                "task": placed.task.key,
                "words": task_words(placed.task),
                "start": placed.start.isoformat(),
                "end": placed.end.isoformat(),
                "people": list(placed.people),
                "after": list(placed.task.after),
                "wait": placed.task.is_wait,
                "minutes": placed.task.minutes,
            }
            for placed in schedule.tasks
        ],
    }
