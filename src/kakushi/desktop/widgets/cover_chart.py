"""Share of what shows that is hidden, against the number of clusters: a click chooses a number."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.widgets.painting import draw_focus
from kakushi.desktop.widgets.theme import Theme

_LEFT_EM, _MARK_PX = 4.2, 4.5


class CoverChart(QWidget):
    """A curve of shares from 0 to 1; `chosen` carries the number that somebody clicked or stepped to."""

    chosen = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._shares: Sequence[float] = ()
        self._number = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("What clusters hide")
        self.setToolTip("Click the number of clusters you want; left and right step.")

    def sizeHint(self) -> QSize:
        return QSize(200, self.fontMetrics().height() * 8)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def show_curve(self, shares: Sequence[float], number: int) -> None:
        """Show what 0, 1, 2 … clusters hide, and the number that is chosen."""
        self._shares, self._number = shares, number
        self.setAccessibleDescription(
            f"{number} clusters hide {shares[min(number, len(shares) - 1)]:.0%}." if shares else ""
        )
        self.update()

    @property
    def _box(self) -> QRectF:
        high, em = self.fontMetrics().height(), self.fontMetrics().horizontalAdvance("m")
        return QRectF(em * _LEFT_EM, high * 0.7, self.width() - em * (_LEFT_EM + 1), self.height() - high * 3.2)

    def _at(self, number: float, share: float) -> QPointF:
        box = self._box
        return QPointF(
            box.left() + box.width() * number / max(len(self._shares) - 1, 1), box.bottom() - box.height() * share
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.colour("field"))
        high = self.fontMetrics().height()
        for share in (0.0, 0.5, 1.0):
            y = self._at(0, share).y()
            painter.setPen(QPen(self._theme.colour("line"), 1))
            painter.drawLine(QPointF(self._box.left(), y), QPointF(self._box.right(), y))
            painter.setPen(self._theme.colour("quiet"))
            box = QRectF(0, y - high / 2, self._box.left() - 6, high)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{share:.0%}")
        self._paint_numbers(painter, high)
        if len(self._shares) > 1:
            painter.setPen(QPen(self._theme.colour("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF([self._at(n, share) for n, share in enumerate(self._shares)]))
            number = min(self._number, len(self._shares) - 1)
            painter.setBrush(self._theme.colour("accent"))
            painter.drawEllipse(self._at(number, self._shares[number]), _MARK_PX, _MARK_PX)
        draw_focus(painter, self, self._theme)
        painter.end()

    def _paint_numbers(self, painter: QPainter, high: int) -> None:
        last = len(self._shares) - 1
        step = next((step for step in (1, 2, 5, 10, 20, 50, 100, 200) if last / step <= 6), 500)
        painter.setPen(self._theme.colour("quiet"))
        for number in range(0, max(last, 0) + 1, step):
            middle = self._at(number, 0.0)
            box = QRectF(middle.x() - 30, middle.y() + 3, 60, high)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(number))
        words = QRectF(self._box.left(), self.height() - high - 2, self._box.width(), high)
        painter.drawText(words, Qt.AlignmentFlag.AlignCenter, "clusters, and the share hidden")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and len(self._shares) > 1:
            share = (event.position().x() - self._box.left()) / max(self._box.width(), 1)
            self._choose(round(share * (len(self._shares) - 1)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()) if event else Qt.Key.Key_unknown, 0)
        if step:
            self._choose(self._number + step)
        elif event:
            super().keyPressEvent(event)

    def _choose(self, number: int) -> None:
        self.chosen.emit(min(max(number, 1), len(self._shares) - 1))
