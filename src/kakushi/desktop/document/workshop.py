"""What follows from a plan for the workshop, worked out off the GUI thread: lists, stances, price."""

from __future__ import annotations

import dataclasses
import datetime as dt
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.task_context import TaskContext
from kakushi.desktop.document.worker_process import Worker
from kakushi.model.units import UnitSystem
from kakushi.model.wishes import Wishes
from kakushi.sim.forecast import Forecast, ForecastFailed, ForecastService, SimulatedForecast, forecast_for

if TYPE_CHECKING:
    from kakushi.model.piece import Piece
    from kakushi.plan.values import Plan
    from kakushi.stand.stance import Stance
    from kakushi.workshop.dossier import Dossier

_DELAY_MS = 150
"""Delay after a plan, ms: edits in quick succession share one dossier."""


class Workshop(QObject):
    """The newest dossier that is ready, the wishes and the weather it is for."""

    dossier_changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, worker: Worker, units: Callable[[], UnitSystem], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self._units = units
        self.forecast_service: ForecastService = SimulatedForecast()
        self._wishes = Wishes()
        self._forecast: Forecast | None = None
        self._forecast_day: dt.date | None = None
        self._plan: Plan | None = None
        self._dossier: Dossier | None = None
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_dossier)
        self._runner.failed.connect(self.failed)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self._ask)

    @property
    def wishes(self) -> Wishes:
        """The inflator, the order of the sheet, the aim of buying."""
        return self._wishes

    def set_wishes(self, **changes: object) -> None:
        """Choose the inflator, the order of the sheet, the aim of buying."""
        self._wishes = dataclasses.replace(self._wishes, **changes)  # type: ignore[arg-type]  # checked by the class
        self._ask()

    @property
    def forecast(self) -> Forecast | None:
        """The weather of the event, as the forecast service tells it; None without a date or an answer."""
        return self._forecast

    def expect(self, day: dt.date | None) -> None:
        """Ask for the weather of a day, once."""
        if day == self._forecast_day:
            return
        self._forecast_day = day
        try:
            self._forecast = forecast_for(self.forecast_service, day)
        except ForecastFailed as error:
            self._forecast = None
            self.failed.emit(str(error))

    @property
    def dossier(self) -> Dossier | None:
        """The newest plan for which everything is worked out; it follows the plan. None before the first."""
        return self._dossier

    def stance(self, piece: Piece | None) -> Stance | None:
        """Stance of a piece, as far as it is worked out; it follows the plan."""
        piece_plan = self._dossier.plan.piece(piece.key) if self._dossier and piece else None
        return self._dossier.stance(piece_plan) if self._dossier and piece_plan else None

    def is_dossier_of(self, plan: Plan | None) -> bool:
        """Whether the dossier is that of a plan, with today's wishes."""
        return self._dossier is not None and self._dossier.plan is plan and self._dossier.wishes == self._wishes

    def stop(self) -> None:
        """Cancel work for a former plan: the job changed."""
        self._timer.stop()
        self._runner.cancel()

    def forget(self) -> None:
        """Another job is opened: nothing worked out for the former one is shown under it."""
        self.stop()
        self._plan, self._dossier = None, None

    def follow(self, plan: Plan) -> None:
        """Work out the dossier of a new plan in a moment."""
        self._plan = plan
        self._timer.start()

    def _ask(self) -> None:
        plan, forecast, wishes, units = self._plan, self._forecast, self._wishes, self._units()
        if plan is None:
            return

        def work(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> Dossier:
            from kakushi.words.lists import lists_of
            from kakushi.workshop.dossier import Dossier

            dossier = Dossier(plan, forecast, wishes)
            dossier.with_answers(self._worker.call("dossier_of", TaskContext(progress, cancelled), dossier))
            # Lists are asked for as soon as the dossier is there.
            lists_of(dossier, units)
            return dossier

        self._runner.submit(work)

    def _on_dossier(self, dossier: Dossier) -> None:
        self._dossier = dossier
        self.dossier_changed.emit()

    def dossier_now(self, plan: Plan) -> Dossier:
        """The dossier of a plan at once, for prints: never stale, and nothing is computed twice."""
        from kakushi.workshop.dossier import Dossier

        return Dossier(plan, self._forecast, self._wishes)

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._timer.stop()
        self._runner.close()
