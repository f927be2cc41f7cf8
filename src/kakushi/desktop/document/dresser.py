"""What shows of the selected piece, and placing its fillers, off the GUI thread."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.task_context import TaskContext
from kakushi.desktop.document.worker_process import Worker
from kakushi.model.catalogue import BalloonColour, Studio

if TYPE_CHECKING:
    from kakushi.dress.collars import PlacedRing
    from kakushi.dress.placing import PlacedClusters, Sketch
    from kakushi.dress.shows import Showing
    from kakushi.plan.values import PiecePlan
    from kakushi.plan.words_on_balloons import WordsOnBalloon

_DELAY_MS = 120
"""Delay after a plan, ms: while something is dragged nobody reads what shows."""
_CURVE_BEYOND, _CURVE_LEAST = 1.6, 12
"""Clusters the curve goes up to, as a multiple of those wanted and at least: it shows what more would hide."""


_Answer = tuple["PiecePlan", "Showing", str, "tuple[WordsOnBalloon, ...]"]
"""Of a planned piece: what shows, the safest order of its parts in words, the words on its balloons."""


class Dresser(QObject):
    """Dressing of the selected piece. What shows follows the plan once a view needs it."""

    showing_changed = pyqtSignal()
    placed = pyqtSignal(object, int, int)
    """Clusters placed for a set: the placement, the key of the piece and of the set."""
    ring_placed = pyqtSignal(object, int, int)
    """A collar placed, or None: its place, the key of the piece and of the collar."""
    progressed = pyqtSignal(float)
    placing_changed = pyqtSignal(bool)
    _sketched = pyqtSignal(object, object)
    sketch_changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(
        self,
        worker: Worker,
        piece_plan: Callable[[], PiecePlan | None],
        studio: Callable[[], Studio],
        palette: Callable[[], Sequence[BalloonColour]],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self._worker, self._piece_plan, self._studio, self._palette = worker, piece_plan, studio, palette
        self._showing: _Answer | None = None
        self._is_wanted = False
        self._looker, self._placer = Runner(self), Runner(self)
        self._looker.finished.connect(self._on_showing)
        self._looker.failed.connect(self.failed)
        self._placer.finished.connect(self._on_placed)
        self._placer.failed.connect(self.failed)
        self._placer.progressed.connect(self.progressed.emit)
        self._placer.busy_changed.connect(self._on_busy)
        self._sketched.connect(self._on_sketched)
        self._sketch: tuple[PiecePlan, Sketch] | None = None
        self._asked: tuple[int, int] = (0, 0)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self._look)

    @property
    def showing(self) -> Showing | None:
        """What shows of the selected piece as it was planned last; None until that is known."""
        return self._showing[1] if self._showing and self._showing[0] is self._piece_plan() else None

    @property
    def order_words(self) -> str:
        """The safest order of the parts; "" until that is known, or without two parts."""
        return self._showing[2] if self._showing and self._showing[0] is self._piece_plan() else ""

    @property
    def words(self) -> tuple[WordsOnBalloon, ...]:
        """The words on its balloons, once they are laid out."""
        return self._showing[3] if self._showing and self._showing[0] is self._piece_plan() else ()

    @property
    def sketch(self) -> Sketch:
        """Provisional clusters of the selected piece while they are being placed."""
        return self._sketch[1] if self._sketch and self._sketch[0] is self._piece_plan() else ()

    def _on_sketched(self, piece_plan: PiecePlan, clusters: Sketch) -> None:
        if self._placer.is_busy:
            self._sketch = piece_plan, clusters
            self.sketch_changed.emit()

    def _on_busy(self, on: bool) -> None:
        self._sketch = None
        self.placing_changed.emit(on)
        self.sketch_changed.emit()

    @property
    def is_placing(self) -> bool:
        """Whether clusters are being placed."""
        return self._placer.is_busy

    def want_showing(self, on: bool) -> None:
        """Whether somebody looks at what shows."""
        self._is_wanted = on
        if on:
            self.follow()
        else:
            # Nobody looks any more: the next stage has the machine to itself.
            self._timer.stop()
            self._looker.cancel()

    def follow(self) -> None:
        """The plan or the selected piece changed."""
        if self._is_wanted and self.showing is None:
            self._timer.start()

    def _look(self) -> None:
        piece_plan = self._piece_plan()
        if piece_plan is None or not self._is_wanted:
            return

        studio = self._studio()

        def work(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> _Answer:
            context = TaskContext(progress, cancelled)
            return piece_plan, *self._worker.call("look_of_piece", context, piece_plan, studio)

        self._looker.submit(work)

    def _on_showing(self, answer: _Answer) -> None:
        self._showing = answer
        self.showing_changed.emit()

    def place(self, key: int) -> None:
        """Place the clusters of a set of fillers; any placing in progress is cancelled."""
        piece_plan = self._piece_plan()
        if piece_plan is None:
            return
        part = next((part for part in piece_plan.piece.parts if part.key == key), None)
        if part is None:
            return
        self._asked = piece_plan.piece.key, key
        palette = self._palette()
        most = max(round(getattr(part, "wanted", 1) * _CURVE_BEYOND), _CURVE_LEAST)

        def work(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> PlacedClusters:
            def sketch(clusters: Sketch) -> None:
                if not cancelled():
                    self._sketched.emit(piece_plan, clusters)

            context = TaskContext(progress, cancelled, sketch)
            placed: PlacedClusters = self._worker.call("place_clusters", context, piece_plan, key, most, palette)
            return placed

        self._placer.submit(work)

    def place_ring(self, key: int) -> None:
        """Place a collar; any placing in progress is cancelled."""
        piece_plan = self._piece_plan()
        if piece_plan is None or all(part.key != key for part in piece_plan.piece.parts):
            return
        self._asked = piece_plan.piece.key, key

        def work(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> PlacedRing | None:
            placed: PlacedRing | None = self._worker.call(
                "place_collar", TaskContext(progress, cancelled), piece_plan, key
            )
            return placed

        self._placer.submit(work)

    def stop_placing(self) -> None:
        """Stop; the clusters stay as they were."""
        self._placer.cancel()

    def forget(self) -> None:
        """Cancel: the job changed."""
        self._placer.cancel()

    def _on_placed(self, placed: PlacedClusters | PlacedRing | None) -> None:
        of_fillers = placed is not None and hasattr(placed, "seats")
        (self.placed if of_fillers else self.ring_placed).emit(placed, *self._asked)

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._timer.stop()
        for runner in (self._looker, self._placer):
            runner.close()
