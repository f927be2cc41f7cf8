"""Measured over planned working time of all jobs, drawn over their dates."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from kakushi.desktop.widgets.theme import Theme

_DOT_PX = 4.0
_LINES_HIGH = 9
_LEAST_TOP = 2.0
"""Times as long as planned that the chart shows at least."""


class TimesChart(QWidget):
    """A dot for each job: above the line it took longer than planned."""

    def __init__(self) -> None:
        super().__init__()
        self._times: Sequence[tuple[float, float]] = ()
        self._theme: Theme | None = None
        self.setFixedHeight(self.fontMetrics().height() * _LINES_HIGH)
        self.setAccessibleName("Measured over planned working time of all jobs, by date")

    def show_times(self, times: Sequence[tuple[float, float]]) -> None:
        """Show other jobs: years with fractions, and measured over planned time."""
        self._times = times
        self.setVisible(bool(times))
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Draw in the theme's colours."""
        self._theme = theme
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        theme = self._theme
        if theme is None or not self._times:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        line = self.fontMetrics().height()
        words = self.fontMetrics().horizontalAdvance("100 %") + line // 2
        area = QRectF(words, line / 2, self.width() - words - line, self.height() - 2.2 * line)
        years = [year for year, _ in self._times]
        first, last = min(years), max(years)
        top = max(_LEAST_TOP, *(share for _, share in self._times))
        painter.setPen(QPen(theme.colour("ink"), 1))
        for share in (0.0, 1.0):
            y = area.bottom() - share / top * area.height()
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            beside = QRectF(0, y - line / 2, words - line / 3, line)
            painter.drawText(beside, Qt.AlignmentFlag.AlignRight, f"{share:.0%}")
        for year, at in {(int(first), 0.0), (int(last), 1.0)}:
            place = area.left() + at * area.width()
            painter.drawText(QRectF(place - 2 * line, area.bottom() + line / 3, 4 * line, line),
                             Qt.AlignmentFlag.AlignCenter, str(year))  # fmt: skip
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("accent"))
        for when, share in self._times:
            # A single job stands in the middle.
            x = area.left() + ((when - first) / (last - first) if last > first else 0.5) * area.width()
            painter.drawEllipse(QPointF(x, area.bottom() - share / top * area.height()), _DOT_PX, _DOT_PX)
