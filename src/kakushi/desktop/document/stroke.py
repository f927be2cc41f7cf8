"""A drag or a brush stroke: what it changes is one step of the history, however long it takes."""

from __future__ import annotations

from collections.abc import Callable

from kakushi.session.session import Session


class Stroke:
    """Begun when a button goes down, ended when it is up: by the view, or by whatever came between."""

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
