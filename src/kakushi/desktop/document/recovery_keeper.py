"""Recovery copies while a job is edited, written off the GUI thread."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.formats.store.file_stamp import Stamp
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.errors import KakushiError
from kakushi.model.job import Job
from kakushi.model.record import Event, Record

_DELAY_MS = 1500
"""Delay of a recovery copy after the last edit, ms, so that writing does not slow typing."""
_LONGEST_DELAY_S = 5.0
"""Longest time, s, from an edit to its copy, however steadily somebody goes on."""


class Unsaved(NamedTuple):
    """A job with its record, its file and that file's stamp; `saved` is the record in that file."""

    job: Job
    path: Path | None
    stamp: Stamp | None
    record: Record
    saved: Record

    def write(self, store: RecoveryStore) -> None:
        """Keep a copy, but for pictures. Raises JobFileError."""
        store.write(self.job, self.path, self.stamp, self.record)

    def write_pictures(self, store: RecoveryStore) -> None:
        """Keep the pictures that are not in the job's file. Raises JobFileError."""
        store.write_pictures(self.record, self.in_file)

    @property
    def in_file(self) -> frozenset[str]:
        """Names of the photographs whose pictures are in the job's file."""
        return frozenset(photo.name for photo in self.saved.photos if photo.picture) if self.path else frozenset()


class RecoveryKeeper(QObject):
    """Keeps a copy of unsaved work. `unsaved` tells what there is, None while all is saved."""

    failed = pyqtSignal(str)

    def __init__(
        self, store: RecoveryStore, unsaved: Callable[[], Unsaved | None], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._store, self._unsaved = store, unsaved
        self._since: float | None = None
        self._kept_at = 0.0
        self._is_behind = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.keep)
        self._runner = Runner(self)
        self._runner.failed.connect(lambda why: self.failed.emit(f"{why} Save the job to be safe."))

    def soon(self, before_heavy_work: bool = False) -> None:
        """The job changed: keep a copy in a moment, and within the longest delay if it changes on and on.

        Before heavy work, which may need more memory than there is, at once; but not at every edit of many.
        """
        now = time.monotonic()
        if before_heavy_work and now - self._kept_at > _DELAY_MS / 1000:
            self.keep()
            return
        self._since = now if self._since is None else self._since
        left_ms = (self._since + _LONGEST_DELAY_S - now) * 1000
        self._timer.start(max(min(_DELAY_MS, int(left_ms)), 0))

    def keep(self) -> None:
        """Keep a copy now, off this thread: what was undone to the saved state needs none."""
        self._timer.stop()
        self._since = None
        self._kept_at = time.monotonic()
        unsaved = self._unsaved()
        store = self._store
        if unsaved is None:
            self._runner.submit(lambda _progress, _cancelled: store.drop())
        else:
            self._runner.submit(lambda _progress, _cancelled: (unsaved.write(store), unsaved.write_pictures(store)))

    def keep_now(self) -> bool:
        """Keep a copy before going on; False, and why, where that fails."""
        self._timer.stop()
        self._since = None
        self._runner.stop()
        unsaved = self._unsaved()
        if unsaved is None:
            return True
        try:
            unsaved.write(self._store)
            unsaved.write_pictures(self._store)
        except KakushiError as error:
            self.failed.emit(f"{error} Save the job to be safe.")
            return False
        return True

    def append(self, number: int, event: Event) -> bool:
        """Have an event on the disk, with a copy of the job it belongs to; False, and why, where that fails.

        After a failure the next event comes with a full copy: nothing depends on what the journal lost.
        """
        try:
            unsaved = self._unsaved()
            if unsaved is not None and (self._is_behind or not self._store.has_copy):
                self._runner.stop()
                unsaved.write(self._store)
                if self._store.lacks_pictures(unsaved.record, unsaved.in_file):
                    # Megabytes, and nothing of this event: they follow off this thread.
                    self.soon()
            else:
                self._store.append(number, event)
        except KakushiError as error:
            self._is_behind = True
            self.failed.emit(f"{error} Save the job to be safe.")
            return False
        self._is_behind = False
        return True

    def drop(self) -> None:
        """The job was saved, or left on purpose."""
        self._timer.stop()
        self._since = None
        # What is being written now would come after.
        self._runner.stop()
        self._store.drop()

    def close(self) -> None:
        """The window closes on purpose: forget the copy, and keep none any more."""
        self.drop()
        self._runner.close()

    def report(self, text: str) -> Path | None:
        """Write down how the program failed, next to the copy."""
        return self._store.report(text)
