"""The one tree of errors. A message is a whole sentence that can be shown as it is."""

from __future__ import annotations


class KakushiError(Exception):
    """Base of everything the core raises on purpose."""


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
