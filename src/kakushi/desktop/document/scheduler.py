"""The schedule of the open job, worked out off the GUI thread; it follows the dossier while somebody looks."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.task_context import TaskContext
from kakushi.desktop.document.worker_process import Worker
from kakushi.model.errors import BadInput

if TYPE_CHECKING:
    from kakushi.building.tasks import Schedule
    from kakushi.workshop.dossier import Dossier
    from kakushi.workshop.offers import Offer

_Answer = tuple["Dossier", "Schedule | None", str]
"""Of a dossier: its schedule, or why there is none."""


class Scheduler(QObject):
    """`changed`: another schedule is ready."""

    changed = pyqtSignal()
    offered = pyqtSignal(object)
    """The job in several sizes, with prices."""
    offering = pyqtSignal(bool)
    progressed = pyqtSignal(float)
    failed = pyqtSignal(str)

    def __init__(
        self,
        worker: Worker,
        dossier: Callable[[], Dossier | None],
        parent: QObject,
        now: Callable[[], dt.datetime] = dt.datetime.now,
    ) -> None:
        super().__init__(parent)
        self._worker, self._dossier, self._now = worker, dossier, now
        self._answer: _Answer | None = None
        self._is_wanted = False
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_answer)
        self._runner.failed.connect(self.failed)
        self._offers: tuple[Dossier, list[Offer]] | None = None
        self._offerer = Runner(self)
        self._offerer.finished.connect(self._on_offers)
        self._offerer.failed.connect(self.failed)
        self._offerer.progressed.connect(self.progressed.emit)
        self._offerer.busy_changed.connect(self.offering)

    @property
    def schedule(self) -> Schedule | None:
        """The newest schedule that is ready."""
        return self._answer[1] if self._answer else None

    @property
    def reason(self) -> str:
        """Why there is none."""
        return self._answer[2] if self._answer else ""

    @property
    def offers(self) -> list[Offer]:
        """The job in several sizes, where they were worked out for the job as it is now."""
        return self._offers[1] if self._offers is not None and self._offers[0] is self._dossier() else []

    def want(self, on: bool) -> None:
        """Whether somebody looks at the days."""
        self._is_wanted = on
        if on:
            self.follow()

    def follow(self) -> None:
        """The dossier changed."""
        dossier = self._dossier()
        if not self._is_wanted or dossier is None or (self._answer is not None and self._answer[0] is dossier):
            return
        now = self._now()

        def work(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> _Answer:
            context = TaskContext(progress, cancelled)
            try:
                return dossier, self._worker.call("schedule_of", context, dossier.plan, now), ""
            except BadInput as error:
                return dossier, None, str(error)

        self._runner.submit(work)

    def _on_answer(self, answer: _Answer) -> None:
        self._answer = answer
        self.changed.emit()

    def offer(self) -> None:
        """Work out the job in several sizes; a second call stops it."""
        dossier = self._dossier()
        if self._offerer.is_busy or dossier is None:
            self._offerer.cancel()
            return

        def work(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> tuple[Dossier, list[Offer]]:
            return dossier, self._worker.call("offers_of", TaskContext(progress, cancelled), dossier)

        self._offerer.submit(work)

    def _on_offers(self, answer: tuple[Dossier, list[Offer]]) -> None:
        self._offers = answer
        self.offered.emit(answer[1])

    def forget(self) -> None:
        """Another job is opened."""
        self._runner.cancel()
        self._offerer.cancel()
        self._answer = self._offers = None
        self.changed.emit()

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._runner.close()
        self._offerer.close()
