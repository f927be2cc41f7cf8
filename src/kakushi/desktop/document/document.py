"""The one open document: session, plan, selection; widgets read it and send it edits."""

from __future__ import annotations

import dataclasses
import datetime as dt
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.desktop.widgets.fit_words import miss_words
from kakushi.formats.preferences import Preferences
from kakushi.formats.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.model.errors import KakushiError
from kakushi.model.groups import Row
from kakushi.model.job import Job
from kakushi.model.outline import PointsOutline
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.packing.tolerance import Spread
from kakushi.plan.fitting import fit_alternatives, fit_piece, sketch_rows, spread_of
from kakushi.plan.pipeline import drafted, plan
from kakushi.plan.values import PiecePlan, Plan
from kakushi.production.dossier import Dossier, Wishes
from kakushi.session import edits, row_edits
from kakushi.session.session import Edit, Session
from kakushi.shape.fit import FitResult
from kakushi.sim.forecast import Forecast, ForecastFailed, ForecastService, SimulatedForecast, forecast_for

_RECOVERY_DELAY_MS = 1500
_SPREAD_DELAY_MS = 500
_DOSSIER_DELAY_MS = 150


class Document(QObject):
    """Session and plan as signals. The plan lags the job by one background computation."""

    job_changed = pyqtSignal()
    plan_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    hover_changed = pyqtSignal()
    preferences_changed = pyqtSignal()
    fit_running = pyqtSignal(bool)
    spread_changed = pyqtSignal()
    studio_changed = pyqtSignal()
    dossier_changed = pyqtSignal()
    alternatives_found = pyqtSignal(object)
    told = pyqtSignal(str)
    refused = pyqtSignal(str)

    def __init__(
        self, studio: Studio, preferences: Preferences, recovery: RecoveryStore, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.studio = studio
        self.studio_file: Path | None = None
        self.preferences = preferences
        self.wishes = Wishes()
        self.forecast_service: ForecastService = SimulatedForecast()
        self._forecast: tuple[dt.date | None, Forecast | None] | None = None
        self._recovery = recovery
        self._session = Session(Job())
        self._plan = Plan(self._session.job, (), ())
        self._planned_with: Studio | None = studio
        self._dossier = Dossier(self._plan)
        self._dossier_runner = Runner(self)
        self._dossier_runner.finished.connect(self._on_dossier)
        self._dossier_runner.failed.connect(self.refused)
        self._dossier_timer = QTimer(self)
        self._dossier_timer.setSingleShot(True)
        self._dossier_timer.setInterval(_DOSSIER_DELAY_MS)
        self._dossier_timer.timeout.connect(self._ask_dossier)
        self._piece_key: int | None = None
        self._row_key: int | None = None
        self._hovered: int | None = None
        self._planner = Runner(self)
        self._planner.finished.connect(self._on_planned)
        self._planner.failed.connect(self.refused)
        self._fitter = Runner(self)
        self._fitter.finished.connect(self._on_fitted)
        self._fitter.failed.connect(self.refused)
        self._fitter.busy_changed.connect(self.fit_running)
        self._fitted_piece: int | None = None
        self._spreader = Runner(self)
        self._spreader.finished.connect(self._on_spread)
        self._spreader.failed.connect(self.refused)
        self._spread_timer = QTimer(self)
        self._spread_timer.setSingleShot(True)
        self._spread_timer.setInterval(_SPREAD_DELAY_MS)
        self._spread_timer.timeout.connect(self._ask_spread)
        self._spread: tuple[PiecePlan, Spread] | None = None
        self._comparer = Runner(self)
        self._comparer.finished.connect(self.alternatives_found)
        self._comparer.failed.connect(self.refused)
        self._sketcher = Runner(self)
        self._sketcher.finished.connect(self._on_sketched)
        self._sketcher.failed.connect(lambda _words: None)
        self._recovery_timer = QTimer(self)
        self._recovery_timer.setSingleShot(True)
        self._recovery_timer.setInterval(_RECOVERY_DELAY_MS)
        self._recovery_timer.timeout.connect(self._keep_recovery_copy)

    # --- what widgets read ------------------------------------------------------------

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._session.job

    @property
    def plan(self) -> Plan:
        """The newest plan that is ready."""
        return self._plan

    @property
    def is_planned(self) -> bool:
        """Whether the plan is that of the job as it is now."""
        return self._plan.job is self._session.job and self._planned_with is self.studio

    @property
    def path(self) -> Path | None:
        """The job's file."""
        return self._session.path

    @property
    def is_dirty(self) -> bool:
        """Whether there is something unsaved."""
        return self._session.is_dirty

    @property
    def undo_name(self) -> str | None:
        """Name of what undo takes back."""
        return self._session.undo_name

    @property
    def redo_name(self) -> str | None:
        """Name of what redo brings back."""
        return self._session.redo_name

    @property
    def units(self) -> UnitSystem:
        """What lengths are shown in."""
        return self.preferences.units

    @property
    def piece(self) -> Piece | None:
        """The selected piece."""
        return self.job.piece(self._piece_key) if self._piece_key is not None else None

    @property
    def piece_plan(self) -> PiecePlan | None:
        """The plan of the selected piece, when there is one."""
        return self._plan.piece(self._piece_key) if self._piece_key is not None else None

    @property
    def dossier(self) -> Dossier:
        """The newest plan for which everything for the workshop is worked out; it follows the plan."""
        return self._dossier

    @property
    def is_dossier_ready(self) -> bool:
        """Whether `pack` is that of the job as it is now, with today's wishes."""
        return self.is_planned and self._dossier.plan is self._plan and self._dossier.wishes == self.wishes

    def current_dossier(self) -> Dossier:
        """The same for the job as it is now, for prints: never stale, and nothing is computed twice."""
        return Dossier(plan(self.job, self.studio), self.forecast, self.wishes)

    @property
    def forecast(self) -> Forecast | None:
        """The weather of the event, as the forecast service tells it; None without a date or an answer."""
        day = self.job.brief.event_date
        if self._forecast is None or self._forecast[0] != day:
            try:
                self._forecast = (day, forecast_for(self.forecast_service, day))
            except ForecastFailed as error:
                self._forecast = (day, None)
                self.refused.emit(str(error))
        return self._forecast[1]

    def set_wishes(self, **changes: object) -> None:
        """Choose the inflator, the order of the sheet, the aim of buying."""
        self.wishes = dataclasses.replace(self.wishes, **changes)  # type: ignore[arg-type]
        self._ask_dossier()

    @property
    def spread(self) -> Spread | None:
        """What careless sizing does to the selected piece, once that is known for its plan."""
        return self._spread[1] if self._spread and self._spread[0] is self.piece_plan else None

    @property
    def row(self) -> Row | None:
        """The selected row."""
        piece = self.piece
        return next((row for row in piece.rows if row.key == self._row_key), None) if piece else None

    @property
    def row_index(self) -> int | None:
        """Index of the selected row from the foot, 0 first."""
        piece = self.piece
        return next((i for i, row in enumerate(piece.rows) if row.key == self._row_key), None) if piece else None

    @property
    def hovered_row(self) -> int | None:
        """Index of the row pointed at."""
        return self._hovered

    # --- selection ---------------------------------------------------------------------

    def select_piece(self, key: int | None) -> None:
        """Select a piece by key."""
        if key != self._piece_key:
            self._piece_key = key
            self._row_key = None
            self._hovered = None
            self.selection_changed.emit()
            self._ask_spread()

    def select_row(self, key: int | None) -> None:
        """Select a row of the selected piece by key."""
        if key != self._row_key:
            self._row_key = key
            self.selection_changed.emit()

    def select_row_at(self, index: int) -> None:
        """Select a row by its index from the foot, kept within the column."""
        piece = self.piece
        if piece and piece.rows:
            self.select_row(piece.rows[min(max(index, 0), len(piece.rows) - 1)].key)

    def hover_row(self, index: int | None) -> None:
        """Point at a row by its index, or at none."""
        if index != self._hovered:
            self._hovered = index
            self.hover_changed.emit()

    # --- edits ---------------------------------------------------------------------------

    def apply(self, edit: Edit) -> bool:
        """Apply an edit; False when it changed nothing or was refused (then `refused` says why)."""
        try:
            changed = self._session.apply(edit)
        except KakushiError as error:
            self.refused.emit(str(error))
            return False
        if changed:
            self._after_change()
        return changed

    def undo(self) -> None:
        """Take back the last edit."""
        if self._session.undo():
            self._after_change()

    def redo(self) -> None:
        """Bring back what was taken back."""
        if self._session.redo():
            self._after_change()

    def _after_change(self) -> None:
        self._fitter.cancel()
        self._keep_selection()
        self._recovery_timer.start()
        self.job_changed.emit()
        self._replan()

    def _keep_selection(self) -> None:
        if self.job.piece(self._piece_key or 0) is None:
            self.select_piece(self.job.pieces[-1].key if self.job.pieces else None)
        if self._row_key is not None and self.row is None:
            self._row_key = None
            self.selection_changed.emit()

    def _replan(self) -> None:
        """Plan anew; what takes long is shown as a draft first."""
        job, studio, last = self.job, self.studio, self._plan
        self._planner.submit(
            lambda _progress, _cancelled: (
                (draft, None) if (draft := drafted(job, studio, last)) else (plan(job, studio), studio)
            )
        )

    def _on_planned(self, answer: tuple[Plan, Studio | None]) -> None:
        self._plan, self._planned_with = answer
        self.plan_changed.emit()
        if self._planned_with is None:
            job, studio = self.job, self.studio
            self._planner.submit(lambda _progress, _cancelled: (plan(job, studio), studio))
            return
        self._dossier_timer.start()
        # Later, so that it does not slow what is being dragged or typed.
        self._spread_timer.start()

    def _ask_dossier(self) -> None:
        dossier = Dossier(self._plan, self.forecast, self.wishes)
        self._dossier_runner.submit(lambda _progress, _cancelled: dossier.worked_out())

    def _on_dossier(self, dossier: Dossier) -> None:
        self._dossier = dossier
        self.dossier_changed.emit()

    def _ask_spread(self) -> None:
        piece_plan, studio = self.piece_plan, self.studio
        if piece_plan is None or not piece_plan.piece.rows or self.spread is not None:
            return
        if self._sketcher.is_busy or self._fitter.is_busy:
            self._spread_timer.start()
            return
        self._spreader.submit(lambda _progress, cancelled: (piece_plan, spread_of(piece_plan, studio, cancelled)))

    def _on_spread(self, answer: tuple[PiecePlan, Spread]) -> None:
        self._spread = answer
        self.spread_changed.emit()

    def set_studio(self, studio: Studio) -> None:
        """Work with another catalogue, sizer or set of packings."""
        if studio != self.studio:
            self.studio = studio
            self._fitter.cancel()
            self.studio_changed.emit()
            self._replan()

    # --- the fit --------------------------------------------------------------------------

    def choose_rows(self) -> None:
        """Fit the selected piece in the background; any edit meanwhile cancels it."""
        piece = self.piece
        if piece is None:
            return
        self._fitted_piece = piece.key
        self._sketcher.cancel()
        studio = self.studio
        self._fitter.submit(lambda progress, cancelled: fit_piece(piece, studio, progress, cancelled))

    def compare(self) -> None:
        """Fit the selected piece with fewer and fewer sizes; the answers come with `alternatives_found`."""
        piece, studio = self.piece, self.studio
        if piece is not None:
            self._comparer.submit(lambda progress, cancelled: fit_alternatives(piece, studio, progress, cancelled))

    def stop_comparing(self) -> None:
        """Forget the alternatives that are being looked for."""
        self._comparer.cancel()

    def drag_outline(self, outline: PointsOutline, with_rows: bool) -> None:
        """One step of shaping the outline by hand: applied at once, rows sketched after it."""
        piece, studio = self.piece, self.studio
        if piece is None:
            return
        self.apply(edits.shape_outline(piece.key, outline))
        shaped = self.piece
        if with_rows and shaped is not None:
            self._sketcher.submit(lambda _progress, cancelled: (outline, sketch_rows(shaped, studio, cancelled)))

    def _on_sketched(self, answer: tuple[PointsOutline, tuple[Row, ...]]) -> None:
        outline, rows = answer
        piece = self.piece
        if piece is not None and piece.outline == outline:
            self.apply(edits.shape_outline(piece.key, outline, rows))

    def stop_choosing(self) -> None:
        """Stop the fit."""
        if self._fitter.is_busy:
            self._fitter.cancel()
            self.told.emit("Stopped; the rows are as they were.")

    def _on_fitted(self, result: FitResult) -> None:
        if self._fitted_piece is None:
            return
        if not self.apply(row_edits.replace_rows(self._fitted_piece, result.rows)):
            self.told.emit("The rows already are the best found.")
        elif result.notes or result.misses:
            self.told.emit(" ".join([*result.notes, *miss_words(result, self.units, most=1)]))

    # --- preferences -----------------------------------------------------------------------

    def set_preferences(self, **changes: object) -> None:
        """Change preferences."""
        changed = replace(self.preferences, **changes)
        if changed != self.preferences:
            self.preferences = changed
            self.preferences_changed.emit()

    # --- files -------------------------------------------------------------------------------

    def open_job(self, job: Job, path: Path | None, recovered: bool = False) -> None:
        """Make `job` the document. The former one is gone: ask before."""
        self._fitter.cancel()
        self._recovery_timer.stop()
        self._recovery.drop()
        self._session = Session(job, path)
        if recovered:
            self._session.mark_recovered()
            self._recovery_timer.start()
        self._piece_key = self._row_key = self._hovered = None
        if job.pieces:
            self._piece_key = job.pieces[0].key
        self.job_changed.emit()
        self.selection_changed.emit()
        self._replan()

    def mark_saved(self, path: Path, job: Job) -> None:
        """The job stands in the file at `path` now."""
        self._session.mark_saved(path, job)
        self._recovery_timer.stop()
        self._recovery.drop()
        self.job_changed.emit()

    def _keep_recovery_copy(self) -> None:
        if not self.is_dirty:
            return
        try:
            self._recovery.write(self.job, self.path)
        except KakushiError as error:
            self.refused.emit(f"{error} Save the job to be safe.")

    def close(self) -> None:
        """Stop background work and forget the recovery copy: the window closes on purpose."""
        self._recovery_timer.stop()
        self._spread_timer.stop()
        self._dossier_timer.stop()
        for runner in (
            self._dossier_runner,
            self._planner,
            self._fitter,
            self._spreader,
            self._comparer,
            self._sketcher,
        ):
            runner.close()
        self._recovery.drop()
