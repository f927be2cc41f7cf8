"""Choosing rows off the GUI thread: the fit, fits side by side, sketches while an outline is dragged."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.task_context import TaskContext
from kakushi.desktop.document.worker_process import Worker
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Row
from kakushi.model.outline import PointsOutline
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem
from kakushi.session import edits, row_edits
from kakushi.session.session import Edit
from kakushi.words.wording import error_words

if TYPE_CHECKING:
    from kakushi.plan.fitting import Alternative
    from kakushi.shape.fit_result import FitResult


Progress = Callable[[float], None]
Stop = Callable[[], bool]


class Chooser(QObject):
    """Rows for the selected piece. Its answers are edits; any edit meanwhile cancels it."""

    running = pyqtSignal(bool)
    alternatives_found = pyqtSignal(object)
    told = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(
        self,
        worker: Worker,
        piece: Callable[[], Piece | None],
        studio: Callable[[], Studio],
        apply: Callable[[Edit], bool],
        units: Callable[[], UnitSystem],
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._worker, self._piece, self._studio, self._apply, self._units = worker, piece, studio, apply, units
        self._fitted_piece: int | None = None
        self._for_drag = False
        self._fitter = Runner(self, lambda error: error_words(error, self._units()))
        self._fitter.finished.connect(self._on_fitted)
        self._fitter.failed.connect(self.failed)
        self._fitter.busy_changed.connect(self.running)
        self._comparer = Runner(self)
        self._comparer.finished.connect(self.alternatives_found)
        self._comparer.failed.connect(self.failed)
        self._sketcher = Runner(self)
        self._sketcher.finished.connect(self._on_sketched)

    @property
    def is_busy(self) -> bool:
        """Whether rows are being chosen or sketched."""
        return self._fitter.is_busy or self._sketcher.is_busy

    def choose_rows(self, for_drag: bool = False) -> None:
        """Fit the selected piece in the background; `for_drag`: in one undo step with the drag that has just ended."""
        piece, studio = self._piece(), self._studio()
        if piece is None:
            return
        self._fitted_piece, self._for_drag = piece.key, for_drag
        self._sketcher.cancel()

        def work(progress: Progress, cancelled: Stop) -> FitResult:
            result: FitResult = self._worker.call("choose_rows", TaskContext(progress, cancelled), piece, studio)
            return result

        self._fitter.submit(work)

    def stop_choosing(self) -> None:
        """Stop the fit."""
        if self._fitter.is_busy:
            self._fitter.cancel()
            self.told.emit("Stopped; the rows are as they were.")

    def forget(self) -> None:
        """Cancel: the job changed."""
        self._fitter.cancel()

    def _on_fitted(self, result: FitResult) -> None:
        from kakushi.words.fit import miss_words, note_words

        if self._fitted_piece is None:
            return
        piece = self._piece()
        if self._for_drag and piece is not None and piece.key == self._fitted_piece:
            edit = edits.shape_outline(piece.key, piece.outline, result.rows)
        else:
            edit = row_edits.replace_rows(self._fitted_piece, result.rows)
        if not self._apply(edit):
            self.told.emit("The rows already are the best found.")
        elif result.notes or result.misses:
            units = self._units()
            words = [note_words(note, units) for note in result.notes]
            words += miss_words(result.misses, units, most=1)
            self.told.emit(" ".join(words))

    def compare(self) -> None:
        """Fit the selected piece with fewer and fewer sizes; the answers come with `alternatives_found`."""
        piece, studio = self._piece(), self._studio()
        if piece is None:
            return

        def work(progress: Progress, cancelled: Stop) -> tuple[Alternative, ...]:
            context = TaskContext(progress, cancelled)
            answer: tuple[Alternative, ...] = self._worker.call("choose_alternatives", context, piece, studio)
            return answer

        self._comparer.submit(work)

    def stop_comparing(self) -> None:
        """Forget the alternatives that are being looked for."""
        self._comparer.cancel()

    def drag_outline(self, outline: PointsOutline, with_rows: bool) -> None:
        """One step of shaping the outline by hand: applied at once, rows sketched after it."""
        piece, studio = self._piece(), self._studio()
        if piece is None:
            return
        self._apply(edits.shape_outline(piece.key, outline))
        shaped = self._piece()
        if not with_rows or shaped is None:
            return

        def work(progress: Progress, cancelled: Stop) -> tuple[int, PointsOutline, tuple[Row, ...]]:
            context = TaskContext(progress, cancelled)
            return shaped.key, outline, self._worker.call("sketch_of_rows", context, shaped, studio)

        self._sketcher.submit(work)

    def _on_sketched(self, answer: tuple[int, PointsOutline, tuple[Row, ...]]) -> None:
        key, outline, rows = answer
        piece = self._piece()
        # Another piece may have the same outline.
        if piece is not None and (piece.key, piece.outline) == (key, outline):
            self._apply(edits.shape_outline(piece.key, outline, rows))

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        for runner in (self._fitter, self._comparer, self._sketcher):
            runner.close()
