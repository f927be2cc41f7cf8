"""The plan view: a row from above, the row it is laid on in grey, front mark and slot numbers."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.painting import ink_on
from kakushi.desktop.widgets.theme import Theme
from kakushi.plan.values import PiecePlan

_FRONT_PX = 20.0


Shown = tuple[PiecePlan, int, int | None]
"""A row (index) of a planned piece, and the one that it is laid on."""


class PlanView(QWidget):
    """A row from above; the front is at the bottom of the drawing. `shown`: which one, else the selected one."""

    def __init__(
        self,
        document: Document,
        theme: Theme,
        parent: QWidget | None = None,
        shown: Callable[[], Shown | None] | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._shown = shown or self._selected
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Plan view of the row from above")
        for changed in (document.plan_changed, document.selection.changed, document.selection.hover_changed):
            changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(200, 190)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown = self._shown()
        if shown is None:
            painter.setPen(self._theme.colour("quiet"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Point at a row to see\nit from above.")
        else:
            self._paint_row(painter, *shown)
        painter.end()

    def _selected(self) -> Shown | None:
        piece_plan, index = self._document.piece_plan, self._document.selection.row_index
        if index is None:
            index = self._document.selection.hovered_row
        if piece_plan is None or index is None or index >= len(piece_plan.piece.rows):
            return None
        return piece_plan, index, index - 1 if index else None

    def _paint_row(self, painter: QPainter, piece_plan: PiecePlan, index: int, other: int | None) -> None:
        g = piece_plan.geometry
        shown = np.concatenate([g.of_row(index), g.of_row(other)]) if other is not None else g.of_row(index)
        reach = float((g.local.out[shown] + g.shape_radii[shown]).max())
        centre = QPointF(self.width() / 2, (self.height() - _FRONT_PX) / 2)
        per_mm = (min(self.width(), self.height() - _FRONT_PX) / 2 - 3) / reach
        if other is not None:
            painter.setPen(QPen(self._theme.colour("quiet"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(self._theme.colour("line"))
            for balloon in g.of_row(other):
                painter.drawEllipse(_circle(g.centres[balloon], g.shape_radii[balloon], centre, per_mm))
        for slot, balloon in enumerate(g.of_row(index)):
            self._paint_balloon(
                painter, piece_plan, index, slot, _circle(g.centres[balloon], g.shape_radii[balloon], centre, per_mm)
            )
        self._paint_front(painter)

    def _paint_balloon(self, painter: QPainter, piece_plan: PiecePlan, row: int, slot: int, box: QRectF) -> None:
        ground = QColor(self._document.plan.job.colour(piece_plan.colouring[row][slot]).hex)
        painter.setPen(QPen(self._theme.colour("ink"), 1))
        painter.setBrush(ground)
        painter.drawEllipse(box)
        painter.setPen(ink_on(ground))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(slot + 1))

    def _paint_front(self, painter: QPainter) -> None:
        x, y = self.width() / 2, self.height() - _FRONT_PX + 2
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._theme.colour("accent"))
        painter.drawPolygon(QPolygonF([QPointF(x, y), QPointF(x - 5, y + 7), QPointF(x + 5, y + 7)]))
        painter.setPen(self._theme.colour("quiet"))
        painter.drawText(QRectF(x + 10, y - 4, 80, 20), Qt.AlignmentFlag.AlignLeft, "front")


def _circle(place: np.ndarray, radius: float, centre: QPointF, per_mm: float) -> QRectF:
    r = float(radius) * per_mm
    return QRectF(centre.x() + float(place[0]) * per_mm - r, centre.y() - float(place[1]) * per_mm - r, 2 * r, 2 * r)
