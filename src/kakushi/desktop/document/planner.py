"""Planning off the GUI thread: the plan, then how sizing spreads the height; the newest request wins.

What plans is imported by the worker when it first runs: a window shows before the solvers are loaded.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.task_context import TaskContext
from kakushi.desktop.document.worker_process import Worker
from kakushi.model.catalogue import Studio
from kakushi.model.job import Job

if TYPE_CHECKING:
    from kakushi.packing.tolerance import Spread
    from kakushi.plan.values import PiecePlan, Plan

_SPREAD_DELAY_MS = 500
"""Delay before the spread is computed, ms, so that it does not slow dragging or typing."""
_SPREAD_ROWS = 300
"""Most rows for which the spread is computed: forty builds of 1,000 rows take over a minute, of a 20 m piece 5 s."""


class Planner(QObject):
    """The newest plan that is ready. Of what takes long, drafts are shown first."""

    planned = pyqtSignal()
    _drafted = pyqtSignal(object)
    spread_changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, worker: Worker, is_busy_elsewhere: Callable[[], bool], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self._is_busy_elsewhere = is_busy_elsewhere
        self._plan: Plan | None = None
        self._asked: tuple[Job, Studio] | None = None
        self._runner = Runner(self)
        self._drafted.connect(self._on_drafted)
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
    def is_busy(self) -> bool:
        """Whether a plan is awaited."""
        return self._runner.is_busy

    def is_plan_of(self, job: Job, studio: Studio) -> bool:
        """Whether the plan is that of a job with a studio, and no draft."""
        plan = self._plan
        return plan is not None and plan.job is job and plan.studio is studio and not plan.is_draft

    def forget(self) -> None:
        """Another job is opened: no plan of the former one is shown under it."""
        self._runner.cancel()
        self._spreader.cancel()
        self._spread_timer.stop()
        self._plan, self._asked, self._spread = None, None, None

    def ask(self, job: Job, studio: Studio) -> None:
        """Plan a job, the shown piece first; any planning in progress is cancelled."""
        self._asked = (job, studio)
        # Nobody waits for what the former plan's sizing would do.
        self._spreader.cancel()
        last, first = self._plan, self._shown_piece

        def work(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> Plan:
            from kakushi.plan.values import Plan

            def drafted(pieces: tuple[PiecePlan, ...]) -> None:
                self._drafted.emit(Plan(job, pieces, studio, is_draft=True))

            context = TaskContext(progress, cancelled, drafted)
            return Plan(job, self._worker.call("plan_pieces", context, job, studio, last, first), studio)

        self._runner.submit(work)

    def _on_drafted(self, plan: Plan) -> None:
        # A draft that was on its way while the job changed, or after its own plan, is late.
        if (
            self._runner.is_busy
            and self._asked is not None
            and plan.job is self._asked[0]
            and plan.studio is self._asked[1]
        ):
            self._on_planned(plan)

    def _on_planned(self, plan: Plan) -> None:
        self._plan = plan
        self.planned.emit()
        if not plan.is_draft:
            self._spread_timer.start()

    # --- how sizing spreads the height ------------------------------------------------------

    def show_piece(self, key: int | None) -> None:
        """The piece whose spread is wanted."""
        self._shown_piece = key
        self._spread_timer.start()
        if self._runner.is_busy and self._asked and self._plan and self._plan.is_draft and self.piece_plan is None:
            # What is planned already is remembered; now this piece comes first.
            self.ask(*self._asked)

    @property
    def piece_plan(self) -> PiecePlan | None:
        """The plan of the piece that is shown."""
        return self._plan.piece(self._shown_piece) if self._plan and self._shown_piece is not None else None

    @property
    def spread(self) -> Spread | None:
        """What careless sizing does to the piece that is shown, once that is known for its plan."""
        return self._spread[1] if self._spread and self._spread[0] is self.piece_plan else None

    def put_off_spread(self) -> None:
        """Work the spread out a little later: the window has more to do than it can beside such work."""
        if self._spreader.is_busy:
            self._spreader.cancel()
            self._spread_timer.start()

    def _ask_spread(self) -> None:
        piece_plan, studio = self.piece_plan, self._asked[1] if self._asked else None
        if piece_plan is None or studio is None or self.spread is not None:
            return
        if not 0 < len(piece_plan.piece.rows) <= _SPREAD_ROWS:
            return
        if self._is_busy_elsewhere():
            self._spread_timer.start()
            return

        def work(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> tuple[PiecePlan, Spread]:
            context = TaskContext(progress, cancelled)
            return piece_plan, self._worker.call("spread_of_piece", context, piece_plan, studio)

        self._spreader.submit(work)

    def _on_spread(self, answer: tuple[PiecePlan, Spread]) -> None:
        self._spread = answer
        self.spread_changed.emit()

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._spread_timer.stop()
        for runner in (self._runner, self._spreader):
            runner.close()
