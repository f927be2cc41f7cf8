"""`kakushi rates`: what was learnt from the log."""

from __future__ import annotations

import argparse
import json

from kakushi.cli.common import studio_of_user
from kakushi.cli.parser import Parser
from kakushi.formats.export.log_json import rates_json
from kakushi.words.log import rates_lines


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("--json", action="store_true", help="print JSON")
    p.set_defaults(run=_rates)


def _rates(arguments: argparse.Namespace) -> None:
    learnt = studio_of_user().learnt
    if arguments.json:
        print(json.dumps(rates_json(learnt), indent=1))
        return
    lines = [words for _, words in rates_lines(learnt)]
    print("\n".join(lines) if lines else "Nothing is in the log yet: rates are the usual ones.")
