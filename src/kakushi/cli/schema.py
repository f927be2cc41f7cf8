"""`kakushi schema`: print the JSON Schema of what a job file holds."""

from __future__ import annotations

import argparse
import json

from kakushi.cli.parser import Parser
from kakushi.model.job import Job


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments: none."""
    p.set_defaults(run=_print_schema)


def _print_schema(_arguments: argparse.Namespace) -> None:
    print(json.dumps(Job.model_json_schema(), indent=1, ensure_ascii=False))
