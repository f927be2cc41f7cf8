"""The argument parser of the commands."""

from __future__ import annotations

import argparse
from typing import NoReturn

from kakushi.model.errors import BadInput


class Parser(argparse.ArgumentParser):
    """An argument parser that raises BadInput instead of leaving the program."""

    def error(self, message: str) -> NoReturn:
        """Raises BadInput."""
        raise BadInput(f"{message} (see {self.prog} --help)")
