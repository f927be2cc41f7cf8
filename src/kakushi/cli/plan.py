"""`kakushi plan`: print what follows from a job."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from kakushi.cli.common import add_units, dossier_of, piece_named, piece_words, planned, wording_of
from kakushi.cli.parser import Parser
from kakushi.formats.export.plan_json import plan_json


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("job", type=Path)
    p.add_argument("--piece", help="only this piece")
    p.add_argument("--geometry", action="store_true", help="list the balloons too")
    p.add_argument("--json", action="store_true", help="print JSON")
    add_units(p)
    p.set_defaults(run=_plan)


def _plan(arguments: argparse.Namespace) -> None:
    job_plan = planned(arguments.job)
    pieces = [piece_named(job_plan, arguments.piece)] if arguments.piece is not None else list(job_plan.pieces)
    wording = wording_of(job_plan.job, arguments.units)
    if arguments.json:
        told = plan_json(dossier_of(job_plan), arguments.piece, arguments.geometry, wording.units)
        print(json.dumps(told, indent=1))
    else:
        print("\n\n".join(piece_words(piece, wording) for piece in pieces))
