"""The one tree of errors. A message is a whole sentence that can be shown as it is."""

from __future__ import annotations

_LONGEST = 600
"""Characters of a message: more nobody reads, and a file may hold anything."""


class KakushiError(Exception):
    """Base of everything the core raises on purpose."""

    def __init__(self, message: str = "") -> None:
        super().__init__(_shown(message))


def _shown(message: str) -> str:
    """The message in characters that every screen and terminal can show."""
    text = message.encode("utf-8", "replace").decode("utf-8")
    text = "".join(c if c.isprintable() or c == "\n" else "�" for c in text[: _LONGEST + 1])
    return text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…"


class BadInput(KakushiError):
    """A value from outside is unusable; nothing was changed.

    `field` names the thing that was wrong, for forms that mark it.
    """

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field


class FitImpossible(BadInput):
    """No row of the allowed balloons can follow the outline."""


class JobFileError(KakushiError):
    """A job file cannot be read or written. `path` is the file in question."""

    def __init__(self, message: str, path: object = None) -> None:
        super().__init__(message)
        self.path = path


class StudioError(KakushiError):
    """The studio's own data cannot be read or written."""


class Cancelled(KakushiError):
    """The caller's `cancelled` callable answered True."""
