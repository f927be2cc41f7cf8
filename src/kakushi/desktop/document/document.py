"""The one open document: session, selection and plan; widgets read it and send it edits."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.chooser import Chooser
from kakushi.desktop.document.planner import Planner
from kakushi.desktop.document.recovery_keeper import RecoveryKeeper
from kakushi.desktop.document.selection import Selection
from kakushi.desktop.document.workshop import Workshop
from kakushi.formats.preferences import Preferences
from kakushi.formats.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.model.errors import KakushiError
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.session.session import Edit, Session

if TYPE_CHECKING:
    from kakushi.plan.values import PiecePlan, Plan
    from kakushi.production.dossier import Dossier


class Document(QObject):
    """Joins what is open: the session with its history, and what follows from it in the background.

    The plan lags the job by one computation; the dossier follows the plan.
    """

    job_changed = pyqtSignal()
    plan_changed = pyqtSignal()
    dossier_changed = pyqtSignal()
    preferences_changed = pyqtSignal()
    studio_changed = pyqtSignal()
    told = pyqtSignal(str)
    refused = pyqtSignal(str)

    def __init__(
        self, studio: Studio, preferences: Preferences, recovery: RecoveryStore, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.studio = studio
        self.studio_file: Path | None = None
        self.preferences = preferences
        self._session = Session(Job())
        self._no_plan: Plan | None = None
        self._no_dossier: Dossier | None = None
        self.selection = Selection(lambda: self.job, self)
        self.chooser = Chooser(
            lambda: self.piece, lambda: self.studio, self.apply, lambda: self.preferences.units, self
        )
        self.planner = Planner(lambda: self.chooser.is_busy, self)
        self.workshop = Workshop(self)
        self.recovery = RecoveryKeeper(recovery, self._unsaved, self)
        self._connect()

    def _connect(self) -> None:
        self.planner.planned.connect(self._on_planned)
        self.workshop.dossier_changed.connect(self.dossier_changed)
        self.selection.changed.connect(self._show_selected)
        self.chooser.told.connect(self.told)
        for part in (self.planner, self.workshop, self.chooser, self.recovery):
            part.failed.connect(self.refused)

    # --- what widgets read ------------------------------------------------------------

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._session.job

    @property
    def plan(self) -> Plan:
        """The newest plan that is ready; one without pieces before the first."""
        if self.planner.plan is not None:
            return self.planner.plan
        if self._no_plan is None:
            from kakushi.plan.values import Plan

            self._no_plan = Plan(Job(), (), ())
        return self._no_plan

    @property
    def is_planned(self) -> bool:
        """Whether the plan is that of the job as it is now."""
        return self.planner.is_plan_of(self.job, self.studio)

    @property
    def dossier(self) -> Dossier:
        """The newest plan for which everything for the workshop is worked out; an empty one before the first."""
        if self.workshop.dossier is not None:
            return self.workshop.dossier
        if self._no_dossier is None:
            self._no_dossier = self.workshop.dossier_now(self._no_plan or self.plan)
        return self._no_dossier

    @property
    def is_dossier_ready(self) -> bool:
        """Whether the dossier is that of the job as it is now, with today's wishes."""
        return self.is_planned and self.workshop.is_dossier_of(self.plan)

    def current_dossier(self) -> Dossier:
        """The dossier of the job as it is now, for prints: never stale, and nothing is computed twice."""
        from kakushi.plan.pipeline import plan

        return self.workshop.dossier_now(plan(self.job, self.studio))

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
        return self.selection.piece

    @property
    def piece_plan(self) -> PiecePlan | None:
        """The plan of the selected piece, when there is one."""
        return self.planner.piece_plan

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
        self.chooser.forget()
        self.selection.follow()
        self.recovery.soon()
        self._follow_job()

    def _follow_job(self) -> None:
        self.workshop.expect(self.job.brief.event_date)
        self.job_changed.emit()
        self.planner.ask(self.job, self.studio)

    def _on_planned(self) -> None:
        self.plan_changed.emit()
        if not self.planner.is_draft:
            self.workshop.follow(self.plan)

    def _show_selected(self) -> None:
        piece = self.piece
        self.planner.show_piece(piece.key if piece else None)

    def set_studio(self, studio: Studio) -> None:
        """Work with another catalogue, sizer or set of packings."""
        if studio != self.studio:
            self.studio = studio
            self.chooser.forget()
            self.studio_changed.emit()
            self.planner.ask(self.job, self.studio)

    def set_preferences(self, **changes: object) -> None:
        """Change preferences."""
        changed = replace(self.preferences, **changes)
        if changed != self.preferences:
            self.preferences = changed
            self.preferences_changed.emit()

    # --- files -------------------------------------------------------------------------------

    def open_job(self, job: Job, path: Path | None, recovered: bool = False) -> None:
        """Make `job` the document. The former one is gone: ask before."""
        self.chooser.forget()
        self.recovery.drop()
        self._session = Session(job, path)
        if recovered:
            self._session.mark_recovered()
            self.recovery.soon()
        self.selection.begin_with(job)
        self._show_selected()
        self._follow_job()
        self.selection.changed.emit()

    def mark_saved(self, path: Path, job: Job) -> None:
        """The job stands in the file at `path` now."""
        self._session.mark_saved(path, job)
        self.recovery.drop()
        self.job_changed.emit()

    def _unsaved(self) -> tuple[Job, Path | None] | None:
        return (self.job, self.path) if self.is_dirty else None

    def close(self) -> None:
        """Stop background work and forget the recovery copy: the window closes on purpose."""
        for part in (self.workshop, self.planner, self.chooser):
            part.close()
        self.recovery.drop()
