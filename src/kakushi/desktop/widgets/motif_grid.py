"""A motif as a grid of cells to click."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.model.catalogue import BalloonColour

_CELL_PX = 22.0
Cells = tuple[tuple[str, ...], ...]


class MotifGrid(QWidget):
    """Left button and Space paint with the brush's colour, right button and Delete empty a cell; `drawn` has all."""

    drawn = pyqtSignal(object)

    def __init__(self, colour: Callable[[], str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._colour = colour
        self._cells: Cells = (("",),)
        self._palette: Sequence[BalloonColour] = ()
        self._cursor = (0, 0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Motif")
        self.setToolTip("Left click paints with the brush's colour, right click clears")

    def show_cells(self, cells: Cells, palette: Sequence[BalloonColour]) -> None:
        """Show a motif."""
        self._cells, self._palette = cells, palette
        self._cursor = (min(self._cursor[0], len(cells) - 1), min(self._cursor[1], len(cells[0]) - 1))
        self.setFixedHeight(int(self._side * len(cells)) + 4)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(200, 120)

    def resizeEvent(self, event: object) -> None:
        self.setFixedHeight(int(self._side * len(self._cells)) + 4)

    @property
    def _side(self) -> float:
        return min(_CELL_PX, (self.width() - 4) / len(self._cells[0]))

    def cell_box(self, line: int, column: int) -> QRectF:
        """Where a cell is drawn."""
        left = (self.width() - self._side * len(self._cells[0])) / 2
        return QRectF(left + column * self._side, 2 + line * self._side, self._side, self._side)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        colours = {c.key: QColor(c.hex) for c in self._palette}
        edge, ink = QColor("#88807a"), self.palette().windowText().color()
        for i, line in enumerate(self._cells):
            for j, cell in enumerate(line):
                box = self.cell_box(i, j)
                painter.setPen(QPen(ink if self.hasFocus() and (i, j) == self._cursor else edge, 1))
                painter.setBrush(colours.get(cell, QColor(Qt.GlobalColor.transparent)))
                painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
                if not cell:
                    painter.drawPoint(box.center())
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for i, line in enumerate(self._cells):
            for j in range(len(line)):
                if self.cell_box(i, j).contains(event.position()):
                    self._cursor = (i, j)
                    self._put("" if event.button() == Qt.MouseButton.RightButton else self._colour())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        steps = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }
        step = steps.get(Qt.Key(event.key()))
        if step is not None:
            line, column = self._cursor[0] + step[0], self._cursor[1] + step[1]
            self._cursor = (min(max(line, 0), len(self._cells) - 1), min(max(column, 0), len(self._cells[0]) - 1))
            self.update()
        elif event.key() == Qt.Key.Key_Space:
            self._put(self._colour())
        elif event.key() == Qt.Key.Key_Delete:
            self._put("")
        else:
            super().keyPressEvent(event)

    def _put(self, colour: str) -> None:
        line, column = self._cursor
        self.drawn.emit(
            tuple(
                tuple(colour if (i, j) == (line, column) else cell for j, cell in enumerate(cells))
                for i, cells in enumerate(self._cells)
            )
        )
