"""Small things of which panels are made: colour chips, headings, quiet words, forms."""

from __future__ import annotations

from functools import lru_cache

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import QFormLayout, QFrame, QLabel

from kakushi.desktop.widgets.painting import draw_code_chip
from kakushi.model.catalogue import BalloonColour


@lru_cache(maxsize=256)
def chip_icon(colour: BalloonColour) -> QIcon:
    """A chip with the colour's letter code as an icon; lists show each many times."""
    pixmap = QPixmap(60, 40)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw_code_chip(
        painter, pixmap.rect().toRectF().adjusted(0, 0, -30, -20).adjusted(1, 1, -1, -1), colour, QColor("#88807a")
    )
    painter.end()
    icon = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
        icon.addPixmap(pixmap, mode)
    return icon


def heading(text: str) -> QLabel:
    """A section's heading."""
    label = QLabel(text)
    label.setProperty("role", "heading")
    return label


def quiet(text: str = "") -> QLabel:
    """Explaining words, wrapped."""
    label = QLabel(text)
    label.setProperty("role", "quiet")
    label.setWordWrap(True)
    return label


def rule() -> QFrame:
    """A thin line between sections."""
    line = QFrame()
    line.setProperty("role", "rule")
    return line


def form() -> QFormLayout:
    """A form with labels to the left."""
    layout = QFormLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setHorizontalSpacing(10)
    layout.setVerticalSpacing(7)
    layout.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    layout.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
    return layout


def clear_form(layout: QFormLayout) -> None:
    """Remove and delete all rows of a form."""
    while layout.rowCount():
        layout.removeRow(0)
