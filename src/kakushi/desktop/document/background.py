"""Work off the GUI thread: the newest request wins, stale answers are dropped."""

from __future__ import annotations

import traceback
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QCoreApplication, QEvent, QObject, QRunnable, QThreadPool, QTimer, pyqtSignal

from kakushi.model.errors import Cancelled, KakushiError

_LOOK_AGAIN_MS = 100
"""Interval, ms, at which a thread that was asked to stop is looked for."""

Work = Callable[[Callable[[Any], None], Callable[[], bool]], Any]
"""A function of two callables: one takes news of its progress, the other tells whether to stop."""


class _Signals(QObject):
    done = pyqtSignal(int, object)
    failed = pyqtSignal(int, object)
    progress = pyqtSignal(int, object)


class _Task(QRunnable):
    def __init__(self, revision: int, work: Work, signals: _Signals, stale: Callable[[int], bool]) -> None:
        super().__init__()
        self._revision, self._work, self._signals, self._stale = revision, work, signals, stale

    def run(self) -> None:
        if self._stale(self._revision):
            return
        try:
            answer = self._work(
                lambda news: self._signals.progress.emit(self._revision, news),
                lambda: self._stale(self._revision),
            )
        except Cancelled:
            return
        except KakushiError as error:
            self._signals.failed.emit(self._revision, error)
        except Exception as error:  # the job runner is one of the three places that catch all
            traceback.print_exc()
            self._signals.failed.emit(self._revision, KakushiError(f"Something went wrong while computing ({error})."))
        else:
            self._signals.done.emit(self._revision, answer)


class Runner(QObject):
    """Runs one kind of work, one at a time, in its own thread.

    `finished` carries the newest request's answer, `progressed` news of it; those of older requests never arrive.
    `said`: how an error is said.
    """

    finished = pyqtSignal(object)
    failed = pyqtSignal(str)
    progressed = pyqtSignal(object)
    busy_changed = pyqtSignal(bool)

    def __init__(self, parent: QObject | None = None, said: Callable[[KakushiError], str] = str) -> None:
        super().__init__(parent)
        self._said = said
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        # What the window does about the same change comes first: two threads share one interpreter, and the first
        # layout of a view takes four times as long beside a plan.
        self._start = QTimer(self)
        self._start.setSingleShot(True)
        self._start.timeout.connect(self._begin)
        self._task: _Task | None = None
        self._revision = 0
        self._busy = self._closed = False
        self._signals = _Signals()
        self._signals.done.connect(self._on_done)
        self._signals.failed.connect(self._on_failed)
        self._signals.progress.connect(self._on_progress)

    @property
    def is_busy(self) -> bool:
        """Whether an answer is awaited."""
        return self._busy

    def submit(self, work: Work) -> None:
        """Request work; any earlier request is cancelled."""
        if self._closed:
            return
        self._forget()
        self._task = _Task(self._revision, work, self._signals, self._stale)
        self._start.start()
        self._set_busy(True)

    def cancel(self) -> None:
        """Drop the current request; its answer never arrives."""
        self._forget()
        self._set_busy(False)

    def _forget(self) -> None:
        self._revision += 1
        self._start.stop()
        self._task = None
        self._pool.clear()

    def _begin(self) -> None:
        if self._task is not None:
            self._pool.start(self._task)
        self._task = None

    def finish(self) -> None:
        """Wait for the current request and deliver its answer."""
        self._begin()
        self._pool.waitForDone()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.MetaCall)

    def stop(self) -> None:
        """Cancel, and wait until nothing runs; later requests still run."""
        self.cancel()
        self._pool.waitForDone()

    def close(self) -> None:
        """Stop for good: nothing is done any more."""
        self._closed = True
        self.stop()

    def delete_when_done(self) -> None:
        """Be gone as soon as nothing runs any more, without anybody waiting for it."""
        if self._task is not None or self._pool.activeThreadCount():
            QTimer.singleShot(_LOOK_AGAIN_MS, self.delete_when_done)
        else:
            self.deleteLater()

    def _stale(self, revision: int) -> bool:
        return revision != self._revision

    def _set_busy(self, busy: bool) -> None:
        if busy != self._busy:
            self._busy = busy
            self.busy_changed.emit(busy)

    def _on_done(self, revision: int, answer: object) -> None:
        if not self._stale(revision):
            self._set_busy(False)
            self.finished.emit(answer)

    def _on_failed(self, revision: int, error: KakushiError) -> None:
        if not self._stale(revision):
            self._set_busy(False)
            self.failed.emit(self._said(error))

    def _on_progress(self, revision: int, news: object) -> None:
        if not self._stale(revision):
            self.progressed.emit(news)
