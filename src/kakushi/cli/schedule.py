"""`kakushi schedule`: plan the days before a job must stand."""

from __future__ import annotations

import argparse
import datetime as dt
import json
from pathlib import Path

from kakushi.building.schedule import scheduled
from kakushi.cli.common import planned
from kakushi.cli.parser import Parser
from kakushi.formats.export.schedule_json import schedule_json
from kakushi.model.errors import BadInput
from kakushi.words.schedule import placed_words, problem_words
from kakushi.words.wording import when


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--now", help="plan as if it were then, like 2027-06-01T08:00 (default: now)")
    p.add_argument("--json", action="store_true", help="print JSON")
    p.set_defaults(run=_schedule)


def _schedule(arguments: argparse.Namespace) -> None:
    schedule = scheduled(planned(arguments.job), now_of(arguments.now))
    if arguments.json:
        print(json.dumps(schedule_json(schedule), indent=1))
        return
    for placed in schedule.tasks:
        print(placed_words(placed))
    print(f"{when(schedule.deadline)}: it must stand")
    for problem in schedule.problems:
        print(f"note: {problem_words(problem)}")


def now_of(text: str | None) -> dt.datetime:
    """A local time from ISO text, else now. Raises BadInput."""
    if text is None:
        return dt.datetime.now()
    try:
        return dt.datetime.fromisoformat(text).replace(tzinfo=None)
    except ValueError as error:
        raise BadInput(f"“{text[:40]}” is no time: write 2027-06-01T08:00.", "now") from error
