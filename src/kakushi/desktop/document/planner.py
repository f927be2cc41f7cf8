"""Planning off the GUI thread: the plan, then how sizing spreads the height; the newest request wins.

What plans is imported by the worker when it first runs: a window shows before the solvers are loaded.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.model.catalogue import Studio
from kakushi.model.job import Job

if TYPE_CHECKING:
    from kakushi.packing.tolerance import Spread
    from kakushi.plan.values import PiecePlan, Plan

_SPREAD_DELAY_MS = 500
"""So that the spread does not slow what is being dragged or typed."""


class Planner(QObject):
    """The newest plan that is ready. What takes a search is shown as a draft first."""

    planned = pyqtSignal()
    spread_changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, is_busy_elsewhere: Callable[[], bool], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._is_busy_elsewhere = is_busy_elsewhere
        self._plan: Plan | None = None
        self._asked: tuple[Job, Studio] | None = None
        self._is_draft = False
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_planned)
        self._runner.failed.connect(self.failed)
        self._shown_piece: int | None = None
        self._spread: tuple[PiecePlan, Spread] | None = None
        self._spreader = Runner(self)
        self._spreader.finished.connect(self._on_spread)
        self._spreader.failed.connect(self.failed)
        self._spread_timer = QTimer(self)
        self._spread_timer.setSingleShot(True)
        self._spread_timer.setInterval(_SPREAD_DELAY_MS)
        self._spread_timer.timeout.connect(self._ask_spread)

    @property
    def plan(self) -> Plan | None:
        """The newest plan that is ready, None before the first."""
        return self._plan

    @property
    def is_draft(self) -> bool:
        """Whether that is a draft, to be followed by what a search finds."""
        return self._is_draft

    def is_plan_of(self, job: Job, studio: Studio) -> bool:
        """Whether the plan is that of a job with a studio, and no draft."""
        plan = self._plan
        return plan is not None and plan.job is job and plan.studio is studio and not self._is_draft

    def forget(self) -> None:
        """Another job is opened: no plan of the former one is shown under it."""
        self._runner.cancel()
        self._spreader.cancel()
        self._spread_timer.stop()
        self._plan, self._asked, self._spread, self._is_draft = None, None, None, False

    def ask(self, job: Job, studio: Studio) -> None:
        """Plan a job; what is being planned is cancelled."""
        self._asked = (job, studio)
        last = self._plan

        def work(_progress: Callable[[float], None], cancelled: Callable[[], bool]) -> tuple[Plan, bool]:
            from kakushi.plan.pipeline import drafted, plan

            draft = drafted(job, studio, last) if last is not None else None
            return (draft, True) if draft is not None else (plan(job, studio, cancelled), False)

        self._runner.submit(work)

    def _on_planned(self, answer: tuple[Plan, bool]) -> None:
        self._plan, self._is_draft = answer
        self.planned.emit()
        if not self._is_draft or self._asked is None:
            self._spread_timer.start()
            return
        job, studio = self._asked

        def work(_progress: Callable[[float], None], cancelled: Callable[[], bool]) -> tuple[Plan, bool]:
            from kakushi.plan.pipeline import plan

            return plan(job, studio, cancelled), False

        self._runner.submit(work)

    # --- how sizing spreads the height ------------------------------------------------------

    def show_piece(self, key: int | None) -> None:
        """The piece whose spread is wanted."""
        self._shown_piece = key
        self._spread_timer.start()

    @property
    def piece_plan(self) -> PiecePlan | None:
        """The plan of the piece that is shown."""
        return self._plan.piece(self._shown_piece) if self._plan and self._shown_piece is not None else None

    @property
    def spread(self) -> Spread | None:
        """What careless sizing does to the piece that is shown, once that is known for its plan."""
        return self._spread[1] if self._spread and self._spread[0] is self.piece_plan else None

    def _ask_spread(self) -> None:
        piece_plan, studio = self.piece_plan, self._asked[1] if self._asked else None
        if piece_plan is None or studio is None or not piece_plan.piece.rows or self.spread is not None:
            return
        if self._is_busy_elsewhere():
            self._spread_timer.start()
            return

        def work(_progress: Callable[[float], None], cancelled: Callable[[], bool]) -> tuple[PiecePlan, Spread]:
            from kakushi.plan.fitting import spread_of

            return piece_plan, spread_of(piece_plan, studio, cancelled)

        self._spreader.submit(work)

    def _on_spread(self, answer: tuple[PiecePlan, Spread]) -> None:
        self._spread = answer
        self.spread_changed.emit()

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._spread_timer.stop()
        for runner in (self._runner, self._spreader):
            runner.close()
