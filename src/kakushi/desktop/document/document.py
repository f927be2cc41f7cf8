"""The one open document: session, selection and plan; widgets read it and send it edits."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.builder import Builder
from kakushi.desktop.document.checker import Checker
from kakushi.desktop.document.chooser import Chooser
from kakushi.desktop.document.dresser import Dresser
from kakushi.desktop.document.planner import Planner
from kakushi.desktop.document.recovery_keeper import RecoveryKeeper, Unsaved
from kakushi.desktop.document.rescuer import Rescuer
from kakushi.desktop.document.scheduler import Scheduler
from kakushi.desktop.document.selection import Selection
from kakushi.desktop.document.step_order import StepOrder
from kakushi.desktop.document.stroke import Stroke
from kakushi.desktop.document.studio_keeper import StudioKeeper
from kakushi.desktop.document.worker_process import Worker
from kakushi.desktop.document.workshop import Workshop
from kakushi.formats.store.file_stamp import Stamp, stamp_of
from kakushi.formats.store.preferences import Preferences
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.model.errors import KakushiError
from kakushi.model.job import Job, balloons_in_rows
from kakushi.model.memo import Cancelled
from kakushi.model.piece import Piece
from kakushi.model.record import Event, Record
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.session.differences import difference
from kakushi.session.session import Edit, Session
from kakushi.words.wording import Wording, error_words

if TYPE_CHECKING:
    from kakushi.plan.values import PiecePlan, Plan
    from kakushi.workshop.dossier import Dossier

_HEAVY_BALLOONS = 4000
"""Balloons in rows from which planning takes seconds and hundreds of megabytes."""


@cache
def _no_plan() -> Plan:
    from kakushi.plan.values import Plan

    return Plan(Job(), ())


@cache
def _no_dossier() -> Dossier:
    from kakushi.workshop.dossier import Dossier

    return Dossier(_no_plan())


class Document(QObject):
    """Everything that is open: the session with its history, and its background work.

    The plan lags the job by one computation; the dossier follows the plan.
    """

    job_changed = pyqtSignal()
    record_changed = pyqtSignal()
    plan_changed = pyqtSignal()
    dossier_changed = pyqtSignal()
    preferences_changed = pyqtSignal()
    studio_changed = pyqtSignal()
    closing = pyqtSignal()
    restored = pyqtSignal(str)
    told = pyqtSignal(str)
    told_with_key = pyqtSignal(str, str)
    """A message, and the name of the command, or of the stage, that goes on from it."""
    refused = pyqtSignal(str)

    def __init__(
        self,
        studio: Studio,
        preferences: Preferences,
        recovery: RecoveryStore,
        parent: QObject | None = None,
        worker: Worker | None = None,
    ) -> None:
        """`worker` works out what takes long; without one, threads of this process do."""
        super().__init__(parent)
        self.worker = worker = worker or Worker()
        self.studio = studio
        self.studio_file: Path | None = None
        self.studio_keeper = StudioKeeper(lambda: self.studio, self.set_studio, self)
        self.stamp: Stamp | None = None
        self.preferences = preferences
        self.session = Session(Job())
        """Read outside, changed by this class alone."""
        self.record = self._saved_record = Record()
        self.stroke = Stroke(lambda: self.session, self.job_changed.emit)
        self.selection = Selection(lambda: self.job, self)
        self.chooser = Chooser(
            worker, lambda: self.piece, lambda: self.studio, self.apply, lambda: self.preferences.units, self
        )
        self.planner = Planner(worker, lambda: self.chooser.is_busy, self)
        self.workshop = Workshop(worker, lambda: self.units, self)
        self.dresser = Dresser(worker, lambda: self.piece_plan, lambda: self.studio, lambda: self.job.palette, self)
        self.builder = Builder(lambda: self.plan, lambda: self.record, self.log, self)
        self.step_order = StepOrder(self.builder, self.apply)
        self.rescuer = Rescuer(self.said, self)
        self.checker = Checker(
            lambda: self.piece_plan, lambda: self.job, lambda: self.record, self.keep_record, lambda: self.wording, self
        )
        self.scheduler = Scheduler(worker, lambda: self.workshop.dossier, self)
        self.recovery = RecoveryKeeper(recovery, self._unsaved, self)
        self._connect()

    def _connect(self) -> None:
        self.planner.planned.connect(self._on_planned)
        self.workshop.dossier_changed.connect(self.dossier_changed)
        self.dossier_changed.connect(self.scheduler.follow)
        self.selection.changed.connect(self._show_selected)
        self.plan_changed.connect(self.builder.follow)
        for changed in (self.plan_changed, self.selection.changed):
            changed.connect(self.dresser.follow)
        self.chooser.told.connect(self.told)
        self.chooser.running.connect(lambda on: self.recovery.soon(before_heavy_work=True) if on else None)
        self.studio_keeper.taken.connect(self.set_studio)
        self.studio_keeper.told.connect(self.told)
        self.studio_keeper.told_with_key.connect(self.told_with_key)
        for part in (
            self.planner, self.workshop, self.dresser, self.builder, self.rescuer, self.scheduler, self.chooser,
            self.recovery, self.studio_keeper, self.checker,
        ):  # fmt: skip
            part.failed.connect(self.refused)

    # --- what widgets read ------------------------------------------------------------

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self.session.job

    @property
    def plan(self) -> Plan:
        """The newest plan that is ready; one without pieces before the first."""
        if self.planner.plan is not None:
            return self.planner.plan
        return _no_plan()

    @property
    def is_planned(self) -> bool:
        """Whether the plan is that of the job as it is now."""
        return self.planner.is_plan_of(self.job, self.studio)

    @property
    def dossier(self) -> Dossier:
        """The newest plan for which everything for the workshop is worked out; an empty one before the first."""
        if self.workshop.dossier is not None:
            return self.workshop.dossier
        return _no_dossier()

    @property
    def is_dossier_ready(self) -> bool:
        """Whether the dossier is that of the job as it is now, with today's wishes."""
        return self.is_planned and self.workshop.is_dossier_of(self.plan)

    def current_dossier(self) -> Callable[[Cancelled], Dossier]:
        """Works out the dossier of the job as it is now, for prints: never stale, and nothing is computed twice."""
        job, studio = self.job, self.studio
        ready = self.workshop.dossier if self.is_dossier_ready else None

        def work_out(cancelled: Cancelled) -> Dossier:
            if ready is not None:
                return ready
            from kakushi.plan.pipeline import plan

            return self.workshop.dossier_now(plan(job, studio, cancelled)).worked_out(cancelled)

        return work_out

    @property
    def is_dirty(self) -> bool:
        """Whether there is something unsaved."""
        return self.session.is_dirty or self.record is not self._saved_record

    @property
    def units(self) -> UnitSystem:
        """What lengths are shown in."""
        return self.preferences.units

    @property
    def wording(self) -> Wording:
        """How facts about the job are written: with its colours, in the units that are shown."""
        return Wording(self.job, self.units)

    def said(self, error: KakushiError) -> str:
        """What an error says, in the units that are shown."""
        return error_words(error, self.units)

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
            changed = self.session.apply(edit)
        except KakushiError as error:
            self.refused.emit(self.said(error))
            return False
        if changed:
            self._after_change()
        return changed

    def undo(self) -> None:
        """Take back the last edit, and show where."""
        self._travel(self.session.undo, "Undone", self.session.undo_name)

    def redo(self) -> None:
        """Redo the last undone edit, and show where."""
        self._travel(self.session.redo, "Redone", self.session.redo_name)

    def go_to(self, done: int) -> None:
        """Go to a place in the history, and show what changed."""
        names, now = self.session.history
        name = names[done - 1] if done else "everything"
        self._travel(lambda: self.session.go_to(done), "Back to" if done < now else "Forward to", name)

    def _travel(self, go: Callable[[], bool], verb: str, name: str | None) -> None:
        before = self.job
        if not go():
            return
        changed = difference(before, self.job)
        self._after_change()
        if changed is not None:
            self.selection.show(changed.piece, changed.row)
            self.restored.emit(changed.stage)
        if name:
            self.told_with_key.emit(f"{verb}: {name[0].lower()}{name[1:]}.", "undo" if verb == "Redone" else "redo")

    def log(self, event: Event) -> None:
        """Add what happened to the record: on the disk before this returns."""
        self.record = self.record.with_event(event)
        self.recovery.append(len(self.record.events) - 1, event)
        self.record_changed.emit()

    def keep_record(self, record: Record) -> None:
        """Replace the record of what happened, photographs included; a recovery copy follows."""
        self.record = record
        self.recovery.soon()
        self.record_changed.emit()

    def _after_change(self) -> None:
        self.chooser.forget()
        self.dresser.forget()
        self.rescuer.forget()
        self.checker.follow(self.piece.key if self.piece else None, has_changed=True)
        self.selection.follow()
        self.recovery.soon(before_heavy_work=balloons_in_rows(self.job) > _HEAVY_BALLOONS)
        self._follow_job()

    def _follow_job(self) -> None:
        self.workshop.expect(self.job.brief.event_date)
        self.workshop.stop()
        self.job_changed.emit()
        self.planner.ask(self.job, self.studio)

    def _on_planned(self) -> None:
        self.plan_changed.emit()
        if not self.plan.is_draft:
            self.workshop.follow(self.plan)

    def _show_selected(self) -> None:
        piece = self.piece
        self.planner.show_piece(piece.key if piece else None)
        self.checker.follow(piece.key if piece else None)

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

    def open_job(
        self,
        job: Job,
        path: Path | None,
        stamp: Stamp | None = None,
        recovered: bool = False,
        record: Record | None = None,
    ) -> bool:
        """Make `job`, as it stands in the file of that stamp, the document. The former one is gone: ask before.

        Of a `recovered` job a copy of this program's own is kept at once; False where that failed.
        """
        self.chooser.forget()
        self.planner.forget()
        self.workshop.forget()
        self.builder.forget()
        self.rescuer.forget()
        self.checker.forget()
        self.scheduler.forget()
        self.recovery.drop()
        self.session = Session(job, path)
        self.record = self._saved_record = record or Record()
        self.stamp = stamp
        kept = True
        if recovered:
            self.session.mark_recovered()
            kept = self.recovery.keep_now()
        self.selection.begin_with(job)
        self._show_selected()
        self._follow_job()
        self.selection.changed.emit()
        self.plan_changed.emit()
        return kept

    def mark_saved(self, path: Path, job: Job, record: Record) -> None:
        """The job and what happened stand in the file at `path` now."""
        self.session.mark_saved(path, job)
        self._saved_record = record
        self.stamp = stamp_of(path)
        self.recovery.drop()
        self.job_changed.emit()

    def _unsaved(self) -> Unsaved | None:
        if not self.is_dirty:
            return None
        return Unsaved(self.job, self.session.path, self.stamp, self.record, self._saved_record)

    def close(self) -> None:
        """Stop background work, that of views too, and forget the recovery copy: the window closes on purpose."""
        self.recovery.close()
        self.closing.emit()
        for part in (
            self.studio_keeper,
            self.workshop,
            self.planner,
            self.chooser,
            self.dresser,
            self.builder,
            self.rescuer,
            self.checker,
            self.scheduler,
        ):
            part.close()
        self.worker.close()
