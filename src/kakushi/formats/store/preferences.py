"""What the program remembers between runs: units, theme, recent files."""

from __future__ import annotations

import json
import os
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from kakushi.formats.store.atomic import read_limited, write_atomically
from kakushi.formats.store.limits import PREFERENCES_BYTES
from kakushi.model.errors import JobFileError
from kakushi.model.units import UnitSystem
from kakushi.model.values import Value, replace

MAX_RECENT = 8
"""Recent files kept: one menu."""
_BYTES = "bytes:"
"""Begins the text of a path whose name is not UTF-8; what follows are its bytes in hexadecimal. No path does."""


def path_text(path: Path) -> str:
    """An absolute path as text that every file and format can hold."""
    text = str(path.absolute())
    try:
        text.encode()
    except UnicodeEncodeError:
        return f"{_BYTES}{os.fsencode(text).hex()}"
    return text


def path_of(text: str) -> Path:
    """The inverse of `path_text`; of damaged text a path at which nothing is."""
    if text.startswith(_BYTES):
        with suppress(ValueError):
            return Path(os.fsdecode(bytes.fromhex(text.removeprefix(_BYTES))))
    return Path(text)


def shown_path(path: Path | str) -> str:
    """A path, or part of one, as it can be shown: bytes that are no UTF-8 become question marks."""
    return os.fsencode(path).decode("utf-8", "replace")


class LastPlace(Value):
    """Where somebody was in a job when it was left: stage, keys of piece and row."""

    path: str
    stage: str = "shape"
    piece: int | None = None
    row: int | None = None


class Preferences(Value):
    """One person's choices on this computer."""

    units: UnitSystem = UnitSystem.METRIC
    theme: Literal["light", "dark"] = "light"
    recent: tuple[str, ...] = Field(default=(), max_length=MAX_RECENT)
    places: tuple[LastPlace, ...] = Field(default=(), max_length=MAX_RECENT)
    printed: tuple[Annotated[str, Field(max_length=40)], ...] = Field(default=(), max_length=40)
    paper: Literal["A4", "letter"] = "A4"

    def with_recent(self, path: Path, place: LastPlace | None = None) -> Preferences:
        """These preferences with `path` as the latest file, left at a place."""
        text = path_text(path)
        others = (known for known in self.places if known.path != text)
        return replace(
            self,
            recent=(text, *(r for r in self.recent if r != text))[:MAX_RECENT],
            places=(*((place,) if place else ()), *others)[:MAX_RECENT],
        )

    def place_of(self, path: Path) -> LastPlace | None:
        """Where a file was left."""
        return next((place for place in self.places if place.path == path_text(path)), None)


def load_preferences(path: Path) -> Preferences:
    """Preferences from a file; defaults where it is missing or damaged."""
    with suppress(JobFileError, ValueError, RecursionError):
        return Preferences.model_validate(json.loads(read_limited(path, PREFERENCES_BYTES, "preferences")))
    return Preferences()


def save_preferences(preferences: Preferences, path: Path) -> None:
    """Write preferences; a folder that cannot be written is no reason to stop working."""
    with suppress(OSError, JobFileError):
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(path, preferences.model_dump_json(indent=1).encode())
