"""Recovery copies while a job is edited."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from kakushi.formats.recovery import RecoveryStore
from kakushi.model.errors import KakushiError
from kakushi.model.job import Job

_DELAY_MS = 1500
"""After the last edit, so that typing is not slowed by writing."""


class RecoveryKeeper(QObject):
    """Keeps a copy of unsaved work. `unsaved` tells the job and its file, None while all is saved."""

    failed = pyqtSignal(str)

    def __init__(
        self, store: RecoveryStore, unsaved: Callable[[], tuple[Job, Path | None] | None], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._store, self._unsaved = store, unsaved
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self.keep)

    def soon(self) -> None:
        """The job changed: keep a copy in a moment."""
        self._timer.start()

    def keep(self) -> None:
        """Keep a copy now."""
        unsaved = self._unsaved()
        if unsaved is None:
            return
        try:
            self._store.write(*unsaved)
        except KakushiError as error:
            self.failed.emit(f"{error} Save the job to be safe.")

    def drop(self) -> None:
        """The job was saved, or left on purpose."""
        self._timer.stop()
        self._store.drop()
