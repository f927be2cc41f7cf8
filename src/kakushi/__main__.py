"""The entry point: a headless command, or the window."""

from __future__ import annotations

import sys

from kakushi.cli.main import COMMANDS
from kakushi.cli.main import main as run_command

_HEADLESS_FLAGS = {"--help", "-h", "--version"}


def main() -> int:
    """Run `kakushi` with the arguments of the process."""
    arguments = sys.argv[1:]
    if arguments and (arguments[0] in COMMANDS or arguments[0] in _HEADLESS_FLAGS):
        return run_command(arguments)
    # Imported here so that headless commands work where Qt is absent.
    from kakushi.desktop.app import run_window  # noqa: PLC0415 - see above

    return run_window(arguments)


if __name__ == "__main__":
    sys.exit(main())
