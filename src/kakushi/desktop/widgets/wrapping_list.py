"""A list of sentences, each with as many lines as it needs."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

_FRAME_PX, _ABOVE_PX = 28, 6
"""Padding that the style adds around a selected entry, px: the list leaves it out when it measures lines."""
_LEAST_PX, _MOST_LINES_PX = 80, 1000


class WrappingList(QListWidget):
    """Entries wrap and are never cut."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setWordWrap(True)
        self.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def add_words(self, text: str) -> QListWidgetItem:
        """Add an entry."""
        item = QListWidgetItem(text)
        item.setSizeHint(self._size_of(text))
        self.addItem(item)
        return item

    def _size_of(self, text: str) -> QSize:
        viewport = self.viewport()
        wide = max((viewport.width() if viewport else 0) - _FRAME_PX, _LEAST_PX)
        room = QRect(0, 0, wide, _MOST_LINES_PX)
        lines = self.fontMetrics().boundingRect(room, Qt.TextFlag.TextWordWrap, text)
        return QSize(wide, lines.height() + _ABOVE_PX)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        for place in range(self.count()):
            if (item := self.item(place)) is not None:
                item.setSizeHint(self._size_of(item.text()))
