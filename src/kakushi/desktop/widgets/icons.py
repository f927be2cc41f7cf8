"""The shipped icon set, drawn in the colour of the theme."""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

from kakushi.formats.store.paths import data_path

_SIZE = 48


def icon(name: str, colour: str) -> QIcon:
    """An icon by its file's name, its strokes in `colour` (hex)."""
    svg = data_path("icons", f"{name}.svg").read_text("utf-8").replace("currentColor", colour)
    pixmap = QPixmap(_SIZE, _SIZE)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    QSvgRenderer(QByteArray(svg.encode())).render(painter)
    painter.end()
    return QIcon(pixmap)
