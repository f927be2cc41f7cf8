"""Work off the GUI thread while somebody looks on: the window stays alive, and the work can be stopped."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtCore import QCoreApplication, QEventLoop, Qt, QTimer
from PyQt6.QtWidgets import QProgressDialog, QWidget

from kakushi.desktop.document.background import Runner
from kakushi.model.errors import BadInput
from kakushi.model.memo import Cancelled

T = TypeVar("T")
_SHOWN_AFTER_MS = 400
"""Delay before the message appears, ms: most work is done before."""


def waited_for(work: Callable[[Cancelled], T], words: str, parent: QWidget, can_stop: bool = True) -> T | None:
    """What `work` answers, done in another thread; None where somebody stopped it.

    Raises BadInput with the sentence of whatever KakushiError `work` raises.
    """
    runner, loop, answers, problems = Runner(parent), QEventLoop(), list[T](), list[str]()
    runner.finished.connect(answers.append)
    runner.failed.connect(problems.append)
    runner.busy_changed.connect(lambda _: loop.quit())
    runner.submit(lambda _progress, cancelled: work(cancelled))
    hurry = QTimer()
    hurry.setSingleShot(True)
    hurry.timeout.connect(loop.quit)
    hurry.start(_SHOWN_AFTER_MS)
    # Nothing is typed or clicked into a window that is about to change.
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    hurry.stop()
    if runner.is_busy:
        _wait_on(loop, words, parent, can_stop)
    runner.cancel()
    QCoreApplication.sendPostedEvents(runner)
    runner.delete_when_done()
    if problems:
        raise BadInput(problems[0])
    return answers[0] if answers else None


def _wait_on(loop: QEventLoop, words: str, parent: QWidget, can_stop: bool) -> None:
    """Go on waiting, with a message and, where it can be stopped, a button for that."""
    dialog = QProgressDialog(words, "Stop", 0, 0, parent)
    if not can_stop:
        dialog.setCancelButton(None)
    dialog.setWindowTitle("Kakushi")
    dialog.setWindowModality(Qt.WindowModality.WindowModal)
    dialog.setMinimumDuration(0)
    dialog.show()
    if can_stop:
        dialog.canceled.connect(loop.quit)
        loop.exec()
        dialog.canceled.disconnect()
    else:
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    dialog.close()
    dialog.deleteLater()
