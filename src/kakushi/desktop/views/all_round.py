"""The piece from front, right, back and left, small: what every client will see."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.png import paints_for
from kakushi.picture.scene import portrait
from kakushi.plan.values import PiecePlan

_SIDES = (("front", 0.0), ("right", math.pi / 2), ("back", math.pi), ("left", -math.pi / 2))
_DELAY_MS = 120


class AllRound(QWidget):
    """Four small pictures, drawn anew a moment after the plan changes."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._shown: tuple[PiecePlan, object, int] | None = None
        self._images: list[QImage] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The piece from front, right, back and left")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self.update)
        document.plan_changed.connect(self._timer.start)
        document.selection.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(220, self.fontMetrics().height() * 9)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        piece_plan = self._document.piece_plan
        painter = QPainter(self)
        if piece_plan is not None and piece_plan.piece.rows:
            high = self.fontMetrics().height() + 2
            wide = self.width() / len(_SIDES)
            self._render(piece_plan, int(wide) - 4, self.height() - high)
            for place, ((side, _), image) in enumerate(zip(_SIDES, self._images, strict=True)):
                painter.drawImage(QRectF(place * wide + 2, 0, int(wide) - 4, self.height() - high), image)
                painter.setPen(self._theme.colour("quiet"))
                box = QRectF(place * wide, self.height() - high, wide, high)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, side)
        painter.end()

    def _render(self, piece_plan: PiecePlan, width: int, height: int) -> None:
        job = self._document.plan.job
        key = (piece_plan, job.palette, width)
        if key == self._shown or width < 8 or height < 8:
            return
        ratio = self.devicePixelRatioF()
        paints = paints_for(piece_plan, job)
        size = int(width * ratio), int(height * ratio)
        self._images = [
            image_of(portrait(piece_plan.drawn, piece_plan.piece.frame, paints, *size, azimuth), ratio)
            for _, azimuth in _SIDES
        ]
        self._shown = key
