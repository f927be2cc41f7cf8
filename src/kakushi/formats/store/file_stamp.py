"""Whether a file is still the one that was read: its number, its size and when it was written."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple


class Stamp(NamedTuple):
    """What changes when a file is written again; saving replaces a file, so its number changes too."""

    number: int
    size: int
    written_ns: int


def stamp_of(path: Path) -> Stamp | None:
    """The stamp of a file, None where there is none to be read."""
    try:
        status = path.stat()
    except (OSError, ValueError):
        return None
    return Stamp(status.st_ino, status.st_size, status.st_mtime_ns)
