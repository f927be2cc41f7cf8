"""The piece from front, right, back and left, small: what every client will see."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.dress.shows import Showing
from kakushi.formats.export.png import pictured
from kakushi.model.job import Job
from kakushi.picture.scene import portrait, portrait_view
from kakushi.plan.values import PiecePlan

_SIDES = (("front", 0.0), ("right", math.pi / 2), ("back", math.pi), ("left", -math.pi / 2))
_DELAY_MS = 120
"""Rest, ms, after which the four sides are drawn."""
_POINT_PX, _MOST_POINTS = 1.5, 400
_FACING = math.cos(math.radians(50))
"""Cosine of the largest angle from which an eye sees a side."""


class AllRound(QWidget):
    """Four small pictures, drawn anew a moment after the plan changes."""

    def __init__(
        self, document: Document, theme: Theme, parent: QWidget | None = None, lights_mechanics: bool = False
    ) -> None:
        super().__init__(parent)
        self._document, self._theme, self._lights = document, theme, lights_mechanics
        if lights_mechanics:
            document.dresser.showing_changed.connect(self.update)
        self._drawing = Drawing(document, self)
        self._drawing.drawn.connect(self.update)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The piece from front, right, back and left")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self._draw)
        document.plan_changed.connect(self._on_plan_changed)
        document.selection.changed.connect(self._draw)

    def sizeHint(self) -> QSize:
        return QSize(220, self.fontMetrics().height() * 9)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def _on_plan_changed(self) -> None:
        if self._document.planner.plan is None:
            self._drawing.forget()
        self._timer.start()

    @property
    def _size(self) -> tuple[int, int, int]:
        """Width and height of one picture, and of its words, px."""
        words = self.fontMetrics().height() + 2
        return self.width() // len(_SIDES) - 4, self.height() - words, words

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._draw()

    def showEvent(self, event: object) -> None:
        self._draw()

    def _draw(self) -> None:
        piece_plan, (width, height, _), ratio = self._document.piece_plan, self._size, self.devicePixelRatioF()
        if not self.isVisible() or piece_plan is None or not piece_plan.piece.rows or min(width, height) < 8:
            self.update()
            return
        job, size = self._document.plan.job, (int(width * ratio), int(height * ratio))
        wanted = (piece_plan, job.palette, size)
        self._drawing.want(wanted, lambda: (piece_plan, _portraits(piece_plan, job, size, ratio)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        piece_plan = self._document.piece_plan
        painter = QPainter(self)
        if self._drawing.picture and piece_plan is not None:
            of, images = self._drawing.picture
            if of.piece.key == piece_plan.piece.key and piece_plan.piece.rows:
                self._paint(painter, images)
        painter.end()

    def _paint(self, painter: QPainter, images: list[QImage]) -> None:
        width, height, words = self._size
        painter.setPen(self._theme.colour("quiet"))
        for place, ((side, _), image) in enumerate(zip(_SIDES, images, strict=True)):
            left = place * self.width() / len(_SIDES)
            painter.drawImage(QRectF(left + 2, 0, width, height), image)
            painter.drawText(QRectF(left, height, width + 4, words), Qt.AlignmentFlag.AlignCenter, side)
        showing, piece_plan = self._document.dresser.showing, self._document.piece_plan
        if self._lights and showing is not None and piece_plan is not None:
            self._light(painter, piece_plan, showing)

    def _light(self, painter: QPainter, piece_plan: PiecePlan, showing: Showing) -> None:
        """What shows of the mechanics to the eyes on each side."""
        width, height, _ = self._size
        painter.setPen(QPen(self._theme.colour("warning"), _POINT_PX, cap=Qt.PenCapStyle.RoundCap))
        for place, (_, azimuth) in enumerate(_SIDES):
            left = place * self.width() / len(_SIDES) + 2
            view = portrait_view(piece_plan.drawn, piece_plan.piece.frame, width, height, azimuth)
            for eye, visible in zip(showing.eyes, showing.visible, strict=True):
                if math.cos(eye.azimuth - azimuth) < _FACING:
                    continue
                points = view.project(visible.origin + visible.rays * visible.ends[:, None])
                every = max(len(points) // _MOST_POINTS, 1)
                lit = [QPointF(left + x, y) for x, y in points[::every, :2].tolist()]
                if lit:
                    painter.drawPoints(QPolygonF(lit))


def _portraits(piece_plan: PiecePlan, job: Job, size: tuple[int, int], ratio: float) -> list[QImage]:
    (drawn, paints), frame = pictured(piece_plan, job), piece_plan.piece.frame
    return [image_of(portrait(drawn, frame, paints, *size, azimuth), ratio) for _, azimuth in _SIDES]
