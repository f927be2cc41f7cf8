"""The one tree of errors. A message is a whole sentence that can be shown as it is."""

from __future__ import annotations

from collections.abc import Callable

_LONGEST = 600
"""Longest message, characters: nobody reads more, and a hostile file may hold anything."""


class Length(float):
    """A length, mm, in a message: it is said in the units that are asked for."""


class KakushiError(Exception):
    """Base of everything the core raises on purpose.

    With `facts` the message is a template whose names in braces they fill; lengths among them (`Length`) are said in
    the units that are asked for, in centimetres by default.
    """

    def __init__(self, message: str = "", **facts: object) -> None:
        self._template, self._facts = message, facts
        super().__init__(self.said(lambda mm: f"{mm / 10:.4g} cm"))

    def said(self, length: Callable[[float], str]) -> str:
        """The message with its lengths said by `length`, a function of millimetres."""
        shown = {name: length(fact) if isinstance(fact, Length) else fact for name, fact in self._facts.items()}
        return _shown(self._template.format(**shown) if shown else self._template)


def _shown(message: str) -> str:
    """The message in characters that every screen and terminal can show."""
    text = message.encode("utf-8", "replace").decode("utf-8")
    text = "".join(c if c.isprintable() or c == "\n" else "�" for c in text[: _LONGEST + 1])
    return text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…"


class BadInput(KakushiError):
    """A value from outside is unusable; nothing was changed.

    `field` names the thing that was wrong, for forms that mark it.
    """

    def __init__(self, message: str, field: str = "", **facts: object) -> None:
        super().__init__(message, **facts)
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
