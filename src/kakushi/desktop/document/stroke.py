"""A drag or brush stroke is one undo step, however long it takes."""

from __future__ import annotations

from collections.abc import Callable

from kakushi.session.session import Session


class Stroke:
    """Begins when a mouse button goes down and ends when it is up; an interruption ends it too."""

    def __init__(self, session: Callable[[], Session], ended: Callable[[], None]) -> None:
        self._session, self._ended = session, ended

    @property
    def is_open(self) -> bool:
        """Whether a button is held and something is being dragged."""
        return self._session().is_in_stroke

    def begin(self, name: str) -> None:
        """What is changed from now on is one step, called `name`."""
        self._session().begin(name)

    def end(self) -> None:
        """The button is up: what was changed stands in the history."""
        if self.is_open and self._session().commit():
            self._ended()
