"""Command line of the headless commands. Exit 0, or one line on stderr and exit 2."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence

from pydantic import ValidationError

from kakushi import __version__
from kakushi.cli.common import Parser
from kakushi.cli.export import add_export
from kakushi.cli.fit import add_fit
from kakushi.cli.plan import add_plan
from kakushi.cli.render import add_render
from kakushi.formats.atomic import reason
from kakushi.model.errors import KakushiError

COMMANDS = ("fit", "plan", "export", "render")


def main(arguments: Sequence[str]) -> int:
    """Run a headless command; the exit code."""
    try:
        parsed = _parser().parse_args(arguments)
        parsed.run(parsed)
    except (KakushiError, ValidationError) as error:
        print(f"kakushi: {_one_line(error)}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read our output has seen enough.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        print(f"kakushi: {reason(error)}", file=sys.stderr)
        return 2
    return 0


def _one_line(error: Exception) -> str:
    if isinstance(error, ValidationError):
        first = error.errors(include_url=False, include_input=False)[0]
        return f"{' '.join(map(str, first['loc']))}: {first['msg']}"
    return " ".join(str(error).split())


def _parser() -> argparse.ArgumentParser:
    parser = Parser(prog="kakushi", description="Plan packed balloon columns. Without a command a window opens.")
    parser.add_argument("--version", action="version", version=f"kakushi {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser)
    add_fit(commands)
    add_plan(commands)
    add_export(commands)
    add_render(commands)
    return parser
