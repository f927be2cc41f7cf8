"""Poles to cut or paint, drawn to one scale: each stock length with its cuts, and what is left over."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.building.poles import PolesShown
from kakushi.desktop.widgets.painting import scaled
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.units import UnitSystem
from kakushi.words.poles import bar_words, cut_words, offcut_words, poles_words

_LARGER = 1.25
"""Size of the type, relative to the usual one: read from two metres."""
_MOST_LINES = 24
"""Lines that are drawn: more would be thinner than their words."""


class CutPicture(QWidget):
    """One line for stock lengths that are cut alike."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._poles: Sequence[PolesShown] = ()
        self._units = UnitSystem.METRIC
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Where the poles are cut")

    def sizeHint(self) -> QSize:
        return QSize(300, 220)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def show_poles(self, poles: Sequence[PolesShown], units: UnitSystem) -> None:
        """Show poles; nothing and no room taken where there are none."""
        self._poles, self._units = poles, units
        self.setVisible(bool(poles))
        self.setAccessibleDescription(poles_words(poles, units))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self._poles:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(scaled(self.font(), _LARGER))
        metrics = painter.fontMetrics()
        lines = min(sum(1 + len(pole.bars) for pole in self._poles), _MOST_LINES)
        tall = min(self.height() / max(lines, 1), 2.4 * metrics.height())
        counts = max(metrics.horizontalAdvance(bar_words(count)) for pole in self._poles for _, count in pole.bars) + 10
        per_mm = (self.width() - counts - 4) / max(bar.stock for pole in self._poles for bar, _ in pole.bars)
        top = 0.0
        for pole in self._poles:
            painter.setPen(self._theme.colour("quiet"))
            flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom
            painter.drawText(QRectF(0, top, self.width(), tall * 0.92), flags, pole.name)
            top += tall
            for bar, count in pole.bars:
                painter.setPen(self._theme.colour("ink"))
                flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(QRectF(0, top, counts, tall), flags, bar_words(count))
                left = float(counts)
                for cut in bar.cuts:
                    box = QRectF(left, top + 0.12 * tall, cut * per_mm, 0.76 * tall)
                    self._paint_part(painter, box, cut_words(cut, self._units), is_left=False)
                    left = box.right()
                end = counts + bar.stock * per_mm
                if bar.offcut > 0:
                    box = QRectF(left, top + 0.12 * tall, end - left, 0.76 * tall)
                    self._paint_part(painter, box, offcut_words(bar.offcut, self._units), is_left=True)
                top += tall
        painter.end()

    def _paint_part(self, painter: QPainter, box: QRectF, words: str, is_left: bool) -> None:
        """A length with its words where there is room; what is left over is dashed and empty."""
        style = Qt.PenStyle.DashLine if is_left else Qt.PenStyle.SolidLine
        painter.setPen(QPen(self._theme.colour("quiet" if is_left else "ink"), 1.5, style))
        painter.setBrush(self._theme.colour("paper" if is_left else "accent_soft"))
        painter.drawRect(box)
        if painter.fontMetrics().horizontalAdvance(words) <= box.width() - 4:
            painter.setPen(self._theme.colour("quiet" if is_left else "ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
