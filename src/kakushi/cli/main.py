"""Command line of the headless commands. Exit 0, or one line on stderr and exit 2.

A command's module is imported when that command runs: help and version need none of them.
"""

from __future__ import annotations

import argparse
import io
import os
import sys
from collections.abc import Mapping, Sequence
from importlib import import_module

from kakushi import __version__
from kakushi.cli.parser import Parser
from kakushi.formats.store.atomic import reason
from kakushi.model.errors import KakushiError

COMMANDS: Mapping[str, str] = {
    "fit": "choose rows for an outline and a height",
    "plan": "print what follows from a job",
    "export": "write documents of a job",
    "steps": "list what to do, step by step",
    "schedule": "plan the days before it must stand",
    "rescue": "ways out when a build goes wrong",
    "check": "check a photograph of a piece against its plan",
    "photo": "take a simulated photograph of a piece",
    "render": "draw a piece as PNG",
    "log": "what jobs really took: planned beside actual",
    "rates": "print what was learnt from the log",
    "recipe": "keep pieces as recipes, and build them again",
    "schema": "print the JSON Schema of a job",
}
"""What each command does; its module in `cli` has the same name."""


_INTERRUPTED = 130
"""Exit code of a command that Ctrl-C ended: 128 and the number of the signal, as shells have it."""
_LONGEST = 200
"""Most characters of an unexpected error that are repeated."""


def main(arguments: Sequence[str]) -> int:
    """Run a headless command; the exit code."""
    parsed = argparse.Namespace(units="cm")
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            # A terminal that cannot show “×” gets it escaped.
            stream.reconfigure(errors="backslashreplace")
    try:
        parsed = _parser(arguments[0] if arguments else "").parse_args(arguments)
        parsed.run(parsed)
    except KakushiError as error:
        from kakushi.model.units import UnitSystem, format_length

        words = error.said(lambda mm: format_length(mm, UnitSystem(getattr(parsed, "units", "cm"))))
        print(f"kakushi: {' '.join(words.split())}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read our output has seen enough.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        print(f"kakushi: {reason(error)}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("kakushi: stopped", file=sys.stderr)
        return _INTERRUPTED
    except Exception as error:  # the edge of the commands: no trace reaches a user
        what = f"{type(error).__name__}: {error}"[:_LONGEST]
        print(f"kakushi: something went wrong; this is an error of the program ({what})", file=sys.stderr)
        return 1
    return 0


def _parser(chosen: str) -> Parser:
    """The parser of all commands, with the arguments of the chosen one."""
    parser = Parser(prog="kakushi", description="Plan packed balloon columns. Without a command a window opens.")
    parser.add_argument("--version", action="version", version=f"kakushi {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser)
    for name, words in COMMANDS.items():
        command = commands.add_parser(name, help=words)
        if name == chosen:
            import_module(f"kakushi.cli.{name}").add_arguments(command)
    return parser
