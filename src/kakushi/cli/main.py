"""Command line of the headless commands. Exit 0, or one line on stderr and exit 2.

A command's module is imported when that command runs: help and version need none of them.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable, Mapping, Sequence

from kakushi import __version__
from kakushi.cli.parser import Parser
from kakushi.formats.atomic import reason
from kakushi.model.errors import KakushiError

AddArguments = Callable[[Parser], None]


def _fit() -> AddArguments:
    from kakushi.cli.fit import add_arguments

    return add_arguments


def _plan() -> AddArguments:
    from kakushi.cli.plan import add_arguments

    return add_arguments


def _export() -> AddArguments:
    from kakushi.cli.export import add_arguments

    return add_arguments


def _render() -> AddArguments:
    from kakushi.cli.render import add_arguments

    return add_arguments


def _steps() -> AddArguments:
    from kakushi.cli.steps import add_arguments

    return add_arguments


def _rescue() -> AddArguments:
    from kakushi.cli.rescue import add_arguments

    return add_arguments


def _schedule() -> AddArguments:
    from kakushi.cli.schedule import add_arguments

    return add_arguments


def _photo() -> AddArguments:
    from kakushi.cli.photo import add_arguments

    return add_arguments


def _check() -> AddArguments:
    from kakushi.cli.check import add_arguments

    return add_arguments


COMMANDS: Mapping[str, tuple[str, Callable[[], AddArguments]]] = {
    "fit": ("choose rows for an outline and a height", _fit),
    "plan": ("print what follows from a job", _plan),
    "export": ("write documents of a job", _export),
    "steps": ("list what to do, step by step", _steps),
    "schedule": ("plan the days before it must stand", _schedule),
    "rescue": ("ways out when a build goes wrong", _rescue),
    "check": ("check a photograph of a piece against its plan", _check),
    "photo": ("take a simulated photograph of a piece", _photo),
    "render": ("draw a piece as PNG", _render),
}
"""What each command does, and how its module is reached."""


def main(arguments: Sequence[str]) -> int:
    """Run a headless command; the exit code."""
    parsed = argparse.Namespace(units="cm")
    try:
        parsed = _parser(arguments[0] if arguments else "").parse_args(arguments)
        parsed.run(parsed)
    except KakushiError as error:
        from kakushi.model.units import UnitSystem, format_length

        units = UnitSystem(getattr(parsed, "units", "cm"))
        words = error.said(lambda mm: format_length(mm, units))
        print(f"kakushi: {' '.join(words.split())}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read our output has seen enough.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        print(f"kakushi: {reason(error)}", file=sys.stderr)
        return 2
    return 0


def _parser(chosen: str) -> Parser:
    """The parser of all commands, with the arguments of the chosen one."""
    parser = Parser(prog="kakushi", description="Plan packed balloon columns. Without a command a window opens.")
    parser.add_argument("--version", action="version", version=f"kakushi {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser)
    for name, (words, load) in COMMANDS.items():
        command = commands.add_parser(name, help=words)
        if name == chosen:
            load()(command)
    return parser
