"""The whole job standing on one floor line, all pieces with all their copies, as the client will see it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.png import paints_for
from kakushi.model.job import Job
from kakushi.picture.scene import draw_piece, extent_of
from kakushi.picture.view import View
from kakushi.plan.values import PiecePlan, Plan

_GAP_MM = 160.0
_MOST_COPIES = 24
"""Drawn: more nobody tells apart on one line."""


class JobScene(QWidget):
    """Drawn in another thread; the last picture stays until the next is ready."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self._theme = document, theme
        self._drawing = Drawing(document, self)
        self._drawing.drawn.connect(self.update)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(QSize(200, 140))
        self.setAccessibleName("All pieces of the job on one floor")
        document.plan_changed.connect(self._draw)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._draw()

    def showEvent(self, event: object) -> None:
        self._draw()

    def _draw(self) -> None:
        plan = self._document.plan
        if not self.isVisible() or plan.is_draft or not plan.pieces or min(self.width(), self.height()) < 20:
            return
        ratio, room = self.devicePixelRatioF(), (self.width(), round(self._floor) - 4)
        self._drawing.want((plan, room, ratio), lambda: _scene(plan, room, ratio))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._theme
        metrics = self.fontMetrics()
        floor = self._floor
        painter.setPen(QPen(theme.colour("line"), 2))
        painter.drawLine(QPointF(8, floor), QPointF(self.width() - 8, floor))
        painter.setPen(theme.colour("quiet"))
        named: dict[str, QRectF] = {}
        for x, wide, name, image in self._drawing.picture or []:
            tall = image.height() / image.devicePixelRatio()
            painter.drawImage(QRectF(x, floor - tall, wide, tall), image)
            box = QRectF(x, floor + 4, wide, metrics.height())
            named[name] = named[name].united(box) if name in named else box
        for place, (name, box) in enumerate(named.items()):
            # Every second name one line lower: neighbours have room for theirs.
            wide = metrics.horizontalAdvance(name) + 4
            left = min(max(box.center().x() - wide / 2, 0.0), self.width() - wide)
            shown = QRectF(left, box.top() + (place % 2) * metrics.height(), wide, metrics.height())
            painter.drawText(shown, Qt.AlignmentFlag.AlignCenter, name)
        painter.end()

    @property
    def _floor(self) -> float:
        """The floor line, px from the top: two lines of names have room below."""
        return self.height() - 2 * self.fontMetrics().height() - 8.0


Standing = list[tuple[float, float, str, QImage]]
"""Where each copy stands and how wide it is, px, the name of its piece, its picture."""


def _scene(plan: Plan, room: tuple[int, int], ratio: float) -> Standing:
    copies = [(p, number) for p in plan.pieces for number in range(len(p.piece.copies))][:_MOST_COPIES]
    designs = [_design(piece, number) for piece, number in copies]
    extents = [extent_of(design.drawn) for design in designs]
    whole = sum(wide for wide, _ in extents) + _GAP_MM * len(copies)
    mm_per_px = max(whole / (room[0] - 16), max(tall for _, tall in extents) * 1.05 / room[1], 0.1)
    x = (room[0] - whole / mm_per_px) / 2 + _GAP_MM / 2 / mm_per_px
    found: Standing = []
    drawn: dict[int, QImage] = {}
    for (piece, _), design, (wide, tall) in zip(copies, designs, extents, strict=True):
        if id(design) not in drawn:
            drawn[id(design)] = _portrait(design, plan.job, wide, tall, mm_per_px, ratio)
        found.append((x, wide / mm_per_px, piece.piece.name, drawn[id(design)]))
        x += (wide + _GAP_MM) / mm_per_px
    return found


def _design(piece: PiecePlan, number: int) -> PiecePlan:
    copies = piece.piece.copies
    if copies[number].groups is None:
        return piece
    return piece.own_copies[sum(1 for copy in copies[:number] if copy.groups is not None)][1]


def _portrait(design: PiecePlan, job: Job, wide: float, tall: float, mm_per_px: float, ratio: float) -> QImage:
    fine = mm_per_px / ratio
    width, height = max(round(wide / fine), 1), max(round(tall / fine), 1)
    view = View(width, height, fine, -width / 2 * fine, height * fine)
    paints = paints_for(design, job)
    return image_of(draw_piece(design.drawn, design.piece.frame, paints, view)[1], ratio)
