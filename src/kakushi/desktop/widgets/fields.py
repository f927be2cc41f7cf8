"""Small things of which panels are made: colour chips, headings, quiet words, forms."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QIcon, QKeySequence, QPainter, QPixmap, QShortcut
from PyQt6.QtWidgets import QFormLayout, QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from kakushi.desktop.widgets.label import Label
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
    label = Label(text)
    label.setProperty("role", "heading")
    return label


def tip_button(words: str, tip: str) -> QPushButton:
    """A button that says more where the pointer rests on it."""
    made = QPushButton(words)
    made.setToolTip(tip)
    return made


def side_by_side(first: QWidget, *others: QWidget) -> QHBoxLayout:
    """A line in which the first widget takes the room that the others leave."""
    line = QHBoxLayout()
    line.setSpacing(5)
    line.addWidget(first, 1)
    for widget in others:
        line.addWidget(widget)
    return line


def on_delete(shown: QWidget, run: Callable[[], None]) -> None:
    """Make Delete remove the selected entry of a list while the list has the keyboard."""
    shortcut = QShortcut(QKeySequence(QKeySequence.StandardKey.Delete), shown)
    shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
    shortcut.activated.connect(run)


def quiet(text: str = "") -> QLabel:
    """Explaining words, wrapped."""
    label = Label(text)
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
