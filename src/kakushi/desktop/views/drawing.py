"""Pictures drawn in another thread: what was drawn last stays in sight until the next is ready."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document


class Drawing(QObject):
    """The last picture that is ready. While one is drawn, only the newest request waits.

    Unlike other answers an old picture is shown: somebody who turns a piece wants to see it turn.
    """

    drawn = pyqtSignal()

    def __init__(self, document: Document, parent: QObject) -> None:
        super().__init__(parent)
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_drawn)
        self._runner.failed.connect(document.refused)
        self._wanted: Hashable = None
        self._waiting: Callable[[], object] | None = None
        self._picture: Any = None
        document.closing.connect(self._runner.close)

    @property
    def picture(self) -> Any:
        """Last picture drawn, None before the first."""
        return self._picture

    @property
    def is_current(self) -> bool:
        """Whether it is the one that was wanted last."""
        return not self._runner.is_busy and self._waiting is None

    def want(self, what: Hashable, draw: Callable[[], object]) -> None:
        """Have `what` drawn by `draw`, in another thread, unless that was wanted last anyway."""
        if what == self._wanted:
            return
        self._wanted, self._waiting = what, draw
        if not self._runner.is_busy:
            self._begin()

    def forget(self) -> None:
        """Another job is opened: nothing of the former one stays in sight."""
        self._runner.cancel()
        self._wanted, self._waiting, self._picture = None, None, None

    def _begin(self) -> None:
        draw, self._waiting = self._waiting, None
        if draw is not None:
            self._runner.submit(lambda _progress, _cancelled: draw())

    def _on_drawn(self, picture: object) -> None:
        self._picture = picture
        self._begin()
        self.drawn.emit()
