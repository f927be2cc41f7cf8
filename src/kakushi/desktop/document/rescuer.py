"""Ways out of a build that went wrong, worked out off the GUI thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.model.errors import KakushiError

if TYPE_CHECKING:
    from kakushi.building.remedies import RescueOption

Ask = Callable[[Callable[[], bool]], "list[RescueOption]"]
"""Finds ways; given whether nobody wants them any more."""


class Rescuer(QObject):
    """One question at a time; `found` carries the ways, the piece's key and the copy they are for."""

    found = pyqtSignal(object, int, int)
    busy_changed = pyqtSignal(bool)
    failed = pyqtSignal(str)

    def __init__(self, said: Callable[[KakushiError], str], parent: QObject) -> None:
        super().__init__(parent)
        self._asked = (0, 0)
        self._runner = Runner(self, said)
        self._runner.finished.connect(lambda ways: self.found.emit(ways, *self._asked))
        self._runner.failed.connect(self.failed)
        self._runner.busy_changed.connect(self.busy_changed)

    def ask(self, question: Ask, piece: int, copy: int) -> None:
        """Find ways out for a copy of a piece; any earlier request is dropped."""
        self._asked = piece, copy
        self._runner.submit(lambda _progress, cancelled: question(cancelled))

    def forget(self) -> None:
        """The job changed: the ways would be for another one."""
        self._runner.cancel()

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._runner.close()
