"""The header: job title, event, days left; units and theme. Below it the stages."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QSizePolicy, QToolButton, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.icons import icon
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.units import UnitSystem


def days_left(day: dt.date | None, today: dt.date) -> str:
    """How far away the event is, in words."""
    if day is None:
        return ""
    days = (day - today).days
    if days < 0:
        return f"{-days} day{'s' if days != -1 else ''} ago"
    return {0: "today", 1: "tomorrow"}.get(days, f"{days} days left")


class Header(QWidget):
    """Title line with undo, units and theme."""

    def __init__(self, document: Document, buttons: list[QToolButton], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._title = QLabel()
        self._title.setProperty("role", "title")
        self._event = QLabel()
        self._event.setProperty("role", "quiet")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 8, 10, 2)
        layout.setSpacing(6)
        layout.addWidget(self._title)
        layout.addSpacing(6)
        layout.addWidget(self._event)
        layout.addStretch(1)
        for button in buttons:
            button.setProperty("quiet", True)
            layout.addWidget(button)
        document.job_changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        brief = self._document.job.brief
        title = self.fontMetrics().elidedText(brief.title, Qt.TextElideMode.ElideRight, 420)
        self._title.setText(title + (" •" if self._document.is_dirty else ""))
        self._title.setToolTip("Not saved yet" if self._document.is_dirty else brief.title)
        told = [brief.event, brief.event_date.strftime("%-d %B %Y") if brief.event_date else ""]
        told.append(days_left(brief.event_date, dt.date.today()))
        self._event.setText(
            self.fontMetrics().elidedText(" · ".join(t for t in told if t), Qt.TextElideMode.ElideRight, 420)
        )


def themed_button(name: str, words: str, theme: Theme) -> QToolButton:
    """A header button with an icon of the set."""
    button = QToolButton()
    button.setIcon(icon(name, theme.ink))
    button.setToolTip(words)
    button.setAccessibleName(words)
    return button


def units_words(units: UnitSystem) -> str:
    """What the unit switch shows."""
    return "centimetres" if units is UnitSystem.METRIC else "inches"


@dataclass(frozen=True, slots=True)
class Stage:
    """A stage of the work: its name and what it does."""

    name: str
    words: str


STAGES = (
    Stage("brief", "What, when, where"),
    Stage("shape", "Height, outline, rows"),
    Stage("colour", "Palette and pattern"),
    Stage("stand", "Frame, balance, wind"),
    Stage("supplies", "What to buy, and the price"),
    Stage("prep", "Inflate and tie"),
)


class StageBar(QWidget):
    """The stages in working order; none is ever locked."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._group = QButtonGroup(self)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 0, 8, 0)
        layout.setSpacing(0)
        for index, stage in enumerate(STAGES):
            button = QToolButton()
            button.setText(stage.name.capitalize())
            button.setToolTip(f"{stage.words} (Alt+{index + 1})")
            button.setShortcut(f"Alt+{index + 1}")
            button.setCheckable(True)
            button.setProperty("stage", True)
            self._group.addButton(button, index)
            layout.addWidget(button)
        layout.addStretch(1)
        self._group.idClicked.connect(lambda index: self.chosen.emit(STAGES[index].name))

    def show_stage(self, name: str) -> None:
        """Mark the stage that is open."""
        index = [stage.name for stage in STAGES].index(name)
        if button := self._group.button(index):
            button.setChecked(True)
