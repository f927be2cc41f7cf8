"""A recent job on the start page: its pieces on one floor, and its name."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.frame.start_cards import DrawnCard
from kakushi.desktop.widgets.painting import type_scale
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.store.preferences import shown_path

_SIZE = QSize(222, 104)


class RecentCard(DrawnCard):
    """Opens its job when it is pressed. A job without a picture shows its name alone."""

    def __init__(self, path: Path, picture: Path, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(shown_path(path.stem), shown_path(path.parent), theme, parent)
        self._picture = QPixmap(str(picture)) if picture.is_file() else QPixmap()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """The size it is drawn for; more with larger type."""
        return _SIZE * type_scale(self)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        self.paint_ground(painter)
        line = self.fontMetrics().height()
        room = QRectF(self.rect()).adjusted(8, 8, -8, -line - 12)
        if not self._picture.isNull():
            size = self._picture.size().toSizeF().scaled(room.size(), Qt.AspectRatioMode.KeepAspectRatio)
            at = QPointF(room.center().x() - size.width() / 2, room.bottom() - size.height())
            painter.drawPixmap(QRectF(at, size), self._picture, QRectF(self._picture.rect()))
        words = QRectF(10, self.height() - line - 9, self.width() - 20, line)
        painter.setPen(self.theme.colour("ink"))
        shown = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, int(words.width()))
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)
        painter.end()
