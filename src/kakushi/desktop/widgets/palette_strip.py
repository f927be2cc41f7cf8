"""The palette as chips to dip the brush into."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.brush import Brush
from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.painting import draw_code_chip, draw_focus
from kakushi.desktop.widgets.theme import Theme

_CHIP_W, _CHIP_H, _GAP = 42.0, 27.0, 5.0


class PaletteStrip(QWidget):
    """Click a chip to take its colour; left and right keys go from one to the next."""

    def __init__(self, document: Document, brush: Brush, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._brush, self._theme = document, brush, theme
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Colour on the brush")
        brush.changed.connect(self._on_changed)
        document.job_changed.connect(self._on_changed)
        self._on_changed()

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def _on_changed(self) -> None:
        self.setAccessibleDescription(self._document.job.colour(self._brush.colour).name)
        self.updateGeometry()
        self.update()

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        lines = -(-len(self._document.job.palette) // self._across(width))
        return int(lines * (_CHIP_H + _GAP) + _GAP)

    def sizeHint(self) -> QSize:
        return QSize(220, self.heightForWidth(220))

    def _across(self, width: float) -> int:
        return max(int((width - _GAP) // (_CHIP_W + _GAP)), 1)

    def chip_box(self, index: int) -> QRectF:
        """Where a colour's chip is drawn."""
        line, column = divmod(index, self._across(self.width()))
        return QRectF(_GAP + column * (_CHIP_W + _GAP), _GAP + line * (_CHIP_H + _GAP), _CHIP_W, _CHIP_H)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for index, colour in enumerate(self._document.job.palette):
            box = self.chip_box(index)
            draw_code_chip(painter, box, colour, self._theme.colour("line"))
            if colour.key == self._brush.colour:
                painter.setPen(QPen(self._theme.colour("accent"), 3))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 6, 6)
        draw_focus(painter, self, self._theme)
        painter.end()

    def _at(self, event: QMouseEvent) -> int | None:
        palette = self._document.job.palette
        return next((i for i in range(len(palette)) if self.chip_box(i).contains(event.position())), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and (index := self._at(event)) is not None:
            self._brush.dip(self._document.job.palette[index].key)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event:
            index = self._at(event)
            self.setToolTip("" if index is None else self._document.job.palette[index].name)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()) if event else Qt.Key.Key_unknown, 0)
        if event is None or not step:
            super().keyPressEvent(event)
            return
        keys = [c.key for c in self._document.job.palette]
        self._brush.dip(keys[(keys.index(self._brush.colour) + step) % len(keys)])
