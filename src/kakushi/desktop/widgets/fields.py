"""Small things of which panels are made: colour chips, headings, quiet words, forms."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

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


class Form(QFormLayout):
    """A form whose labels stand at the height of their fields' words."""

    def addRow(self, *row: Any) -> None:
        """Add a row of a label, as text, and a field; or as Qt does."""
        if len(row) != 2 or not isinstance(row[0], str) or not row[0] or not isinstance(row[1], QWidget):
            super().addRow(*row)
            return
        words, field = row
        super().addRow(_caption(words, field), field)

    def add_below(self, above: QWidget, words: str, field: QWidget) -> None:
        """Add a row right below that of another field."""
        place, _ = self.getWidgetPosition(above)
        self.insertRow(place + 1, _caption(words, field), field)


def _caption(words: str, field: QWidget) -> QLabel:
    """The label of a field."""
    label = Label(words)
    label.setBuddy(field)
    # Qt centres a label in its row only where the row is less than 7/4 as tall as the label.
    label.setMinimumHeight(round(_LABEL_LINES * label.fontMetrics().height()))
    return label


_LABEL_LINES = 1.3
"""Height of a form's label, in lines of text. Qt centres it beside fields up to 7/4 as tall: one line, not two."""


def form() -> Form:
    """A form with labels to the left."""
    layout = Form()
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
