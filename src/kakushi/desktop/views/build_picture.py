"""The piece as it stands at a step of its build: what this step puts on in full colour, the rest faint."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.building.picture import standing
from kakushi.building.step import Step
from kakushi.desktop.document.document import Document
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.views.spoken import Spoken, SpokenPart, row_boxes
from kakushi.desktop.widgets.painting import image_of
from kakushi.formats.export.png import pictured
from kakushi.model.job import Job
from kakushi.picture.scene import pole_of, portrait_view, quieted, shaded
from kakushi.plan.values import PiecePlan
from kakushi.sight.buffers import draw_buffers
from kakushi.words.step_text import brief_words
from kakushi.words.wording import Wording


class BuildPicture(QWidget):
    """Drawn in another thread; the last picture stays in sight until the next is ready."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._drawing = Drawing(document, self)
        self._drawing.drawn.connect(self.update)
        self._wanted: tuple[PiecePlan, Job, tuple[Step, ...], tuple[Step, ...]] | None = None
        self._parts = Spoken(self, self._spoken)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(QSize(120, 160))
        self.setAccessibleName("The piece as it stands, with what comes now in full colour")

    def show_steps(self, design: PiecePlan | None, job: Job, done: tuple[Step, ...], now: tuple[Step, ...]) -> None:
        """Show a design with the steps that are done and those at hand."""
        self._wanted = (design, job, done, now) if design is not None else None
        if self._wanted is None:
            self._drawing.forget()
        self._parts.follow()
        self._draw()

    def _spoken(self) -> list[SpokenPart]:
        """What stands, from the foot up, and what comes now, where its rows are drawn."""
        if self._wanted is None or min(self.width(), self.height()) < 8:
            return []
        design, job, done, now = self._wanted
        view, wording = portrait_view(design.drawn, design.piece.frame, self.width(), self.height()), self._wording(job)
        boxes = row_boxes(design, view.project, view.mm_per_px)
        parts = [
            SpokenPart(brief_words(each, wording), boxes[each.row.index] if each.row else QRectF(self.rect()))
            for each in done
            if each.row is not None or each.part is not None
        ]
        for step in now:
            box = boxes[step.row.index] if step.row else QRectF(self.rect())
            parts.append(SpokenPart(f"Now: {brief_words(step, wording)}", box))
        return parts

    def _wording(self, job: Job) -> Wording:
        return Wording(job, self._document.units)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._draw()

    def showEvent(self, event: object) -> None:
        self._draw()

    def _draw(self) -> None:
        if self._wanted is None or not self.isVisible() or min(self.width(), self.height()) < 8:
            self.update()
            return
        design, job, done, now = self._wanted
        ratio = self.devicePixelRatioF()
        size = int(self.width() * ratio), int(self.height() * ratio)
        keys = tuple(each.key for each in done), tuple(each.key for each in now)
        self._drawing.want((design, job.palette, keys, size), lambda: _drawn(design, job, done, now, size, ratio))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if isinstance(self._drawing.picture, QImage):
            painter.drawImage(QRectF(self.rect()), self._drawing.picture)
        painter.end()


def _drawn(
    design: PiecePlan, job: Job, done: tuple[Step, ...], now: tuple[Step, ...], size: tuple[int, int], ratio: float
) -> QImage:
    shown, lit = standing(design, done, now)
    frame = design.piece.frame
    drawn, all_paints = pictured(design, job)
    paints = [paint for paint, there in zip(all_paints, shown, strict=True) if there]
    # As large as the whole piece, so that it grows as it is built.
    view = portrait_view(design.drawn, frame, *size)
    places = {index: place for place, index in enumerate(index for index, there in enumerate(shown) if there)}
    standing_now = drawn.only(shown)
    buffers = draw_buffers(standing_now, view, pole_of(frame, drawn))
    picture = shaded(standing_now, buffers, paints)
    return image_of(quieted(picture, buffers.identity, [places[index] for index in lit]), ratio)
