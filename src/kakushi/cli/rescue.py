"""`kakushi rescue`: ways out when a build goes wrong."""

from __future__ import annotations

import argparse
import json
import math
from pathlib import Path

from kakushi.building.aimed import aimed_again
from kakushi.building.remedies import Kind
from kakushi.building.rescue import short_of
from kakushi.cli.common import add_units, piece_named, planned, wording_of
from kakushi.cli.parser import Parser
from kakushi.formats.export.rescue_json import ways_json
from kakushi.model.errors import BadInput
from kakushi.model.job import Job
from kakushi.model.limits import LARGEST_HEIGHT_MM
from kakushi.model.quantities import LENGTH
from kakushi.model.units import UnitSystem
from kakushi.words.rescue import cost_words, way_words


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--piece", required=True)
    p.add_argument("--built", type=int, required=True, metavar="ROWS", help="rows that stand, in the order of building")
    p.add_argument("--height", metavar="MM", help="measured height of the knot of the last row that stands, mm")
    p.add_argument("--left", help='balloons left of some kinds, like "11:signal red=3, 5:rope=0"')
    p.add_argument("--json", action="store_true", help="print JSON")
    add_units(p)
    p.set_defaults(run=_rescue)


def _rescue(arguments: argparse.Namespace) -> None:
    plan = planned(arguments.job, arguments.piece)
    piece_plan = piece_named(plan, arguments.piece)
    if arguments.left is not None:
        ways = short_of(plan, piece_plan, arguments.built, left_of(arguments.left, plan.job))
    else:
        ways = aimed_again(plan, piece_plan, arguments.built, height_of(arguments.height))
    wording = wording_of(plan.job, arguments.units)
    if arguments.json:
        print(json.dumps(ways_json(ways, wording), indent=1))
        return
    for number, option in enumerate(ways, 1):
        print(f"{number}. {way_words(option, wording)} ({cost_words(option)})")


def height_of(text: str | None) -> float | None:
    """A height in mm; a number without a unit is in mm here. Raises BadInput."""
    if text is None:
        return None
    bare = text.strip().replace(".", "", 1).isdigit()
    height: float = LENGTH.read_between(
        f"{text.strip()} mm" if bare else text, 0.0, LARGEST_HEIGHT_MM, UnitSystem.METRIC, "height"
    )
    return height


def left_of(text: str, job: Job) -> dict[Kind, int]:
    """Balloons left from words like “11:signal red=3, 5:rope=0”; colours by name, code or key. Raises BadInput."""
    left: dict[Kind, int] = {}
    if not text.strip(" ,"):
        raise BadInput("--left names no balloons: write 11:signal red=3.", "left")
    for words in filter(None, (part.strip() for part in text.split(","))):
        size, colon, rest = words.partition(":")
        name, equals, count = rest.rpartition("=")
        wanted = name.strip().casefold()
        said = {c.key: (c.name.casefold(), c.key.casefold(), c.code.casefold()) for c in job.palette}
        colour = next((c for c in job.palette if wanted in said[c.key]), None)
        try:
            nominal, needed = float(size.strip().rstrip('"″')), int(count)
        except ValueError as error:
            raise BadInput(f"“{words[:40]}” is not understood: write 11:signal red=3.", "left") from error
        if not colon or not equals or needed < 0 or not 0 < nominal < math.inf:
            raise BadInput(f"“{words[:40]}” is not understood: write 11:signal red=3.", "left")
        if colour is None:
            names = ", ".join(c.name for c in job.palette[:12])
            raise BadInput(f"No colour of the job is called “{name.strip()[:40]}”; there are {names}.", "left")
        left[nominal, colour.key] = needed
    return left
