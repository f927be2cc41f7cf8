"""A drag or brush stroke is one undo step, however long it takes."""

from __future__ import annotations

from collections.abc import Callable

from kakushi.session.session import Session


class Stroke:
    """A stroke of the mouse: from button down to button up, or to an interruption."""

    def __init__(self, session: Callable[[], Session], ended: Callable[[], None]) -> None:
        self._session, self._ended = session, ended

    @property
    def is_open(self) -> bool:
        """Whether a button is held and something is being dragged."""
        return self._session().is_in_stroke

    def begin(self, name: str) -> None:
        """Join all changes from now on into one step, called `name`."""
        self._session().begin(name)

    def end(self) -> None:
        """End the step: the button is up."""
        if self.is_open and self._session().commit():
            self._ended()
