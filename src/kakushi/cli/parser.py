"""The argument parser of the commands."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import NoReturn

from kakushi.model.errors import BadInput

_LONGEST = 200
"""Most characters of a message about arguments: it repeats what was typed."""


class Parser(argparse.ArgumentParser):
    """An argument parser that raises BadInput instead of leaving the program."""

    def error(self, message: str) -> NoReturn:
        """Raises BadInput."""
        short = message if len(message) <= _LONGEST else f"{message[:_LONGEST]}…"
        raise BadInput(f"{short} (see {self.prog} --help)")


def output_file(text: str) -> Path:
    """The file that a command is told to write. Raises argparse.ArgumentTypeError for what can be none."""
    if not text or not Path(text).name or text.endswith(("/", "/.", "/..")) or Path(text).is_dir():
        raise argparse.ArgumentTypeError(f"“{text[:60]}” is not the name of a file")
    return Path(text)


def output_folder(text: str) -> Path:
    """The folder that a command is told to write into. Raises argparse.ArgumentTypeError for what can be none."""
    if not text.strip():
        raise argparse.ArgumentTypeError("it names no folder; “.” is this one")
    return Path(text)
