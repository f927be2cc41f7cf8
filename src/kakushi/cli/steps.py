"""`kakushi steps`: list what to do, step by step."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from kakushi.building.steps import steps_of
from kakushi.cli.common import add_units, piece_named, planned, wording_of
from kakushi.cli.parser import Parser
from kakushi.formats.export.steps_json import steps_json
from kakushi.words.step_text import steps_words


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--piece", help="only this piece")
    p.add_argument("--json", action="store_true", help="print JSON")
    add_units(p)
    p.set_defaults(run=_steps)


def _steps(arguments: argparse.Namespace) -> None:
    plan = planned(arguments.job)
    steps = steps_of(plan)
    if arguments.piece is not None:
        key = piece_named(plan, arguments.piece).piece.key
        steps = tuple(step for step in steps if step.piece == key)
    wording = wording_of(plan.job, arguments.units)
    if arguments.json:
        print(json.dumps(steps_json(steps, plan, wording.units), indent=1))
        return
    print("\n".join(steps_words(steps, plan, wording)))
