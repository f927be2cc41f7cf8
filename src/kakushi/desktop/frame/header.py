"""The header: job title, event, days left; units and theme."""

from __future__ import annotations

import datetime as dt

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QToolButton, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.icons import icon
from kakushi.desktop.widgets.label import Label
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

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.undo, self.redo = themed_button("undo-2", "Undo", theme), themed_button("redo-2", "Redo", theme)
        self.units = themed_button("ruler", "Inches or centimetres (Ctrl+U)", theme)
        self.units.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.theme = themed_button("moon", "Light or dark (Ctrl+T)", theme)
        self._title = Label()
        self._title.setProperty("role", "title")
        self._event = Label()
        self._event.setProperty("role", "quiet")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 8, 10, 2)
        layout.setSpacing(6)
        layout.addWidget(self._title)
        layout.addSpacing(6)
        layout.addWidget(self._event)
        layout.addStretch(1)
        for button in (self.undo, self.redo, self.units, self.theme):
            button.setProperty("quiet", True)
            layout.addWidget(button)
        document.job_changed.connect(self._show)
        document.preferences_changed.connect(self._show_units)
        self._show()
        self._show_units()
        self.set_theme(theme)

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

    def _show_units(self) -> None:
        self.units.setText("centimetres" if self._document.units is UnitSystem.METRIC else "inches")

    def name_history(self, undo: str | None, redo: str | None) -> None:
        """Say what undo takes back and redo brings back."""
        for button, name, what, keys in (
            (self.undo, "Undo", undo, "Ctrl+Z"),
            (self.redo, "Redo", redo, "Ctrl+Shift+Z"),
        ):
            button.setEnabled(what is not None)
            button.setToolTip(f"{name} {what[0].lower()}{what[1:]} ({keys})" if what else f"{name} ({keys})")

    def set_theme(self, theme: Theme) -> None:
        """Draw the icons in another theme."""
        for button, name in (
            (self.undo, "undo-2"),
            (self.redo, "redo-2"),
            (self.units, "ruler"),
            (self.theme, "sun" if theme.name == "dark" else "moon"),
        ):
            button.setIcon(icon(name, theme.ink))


def themed_button(name: str, words: str, theme: Theme) -> QToolButton:
    """A header button with an icon of the set."""
    button = QToolButton()
    button.setIcon(icon(name, theme.ink))
    button.setToolTip(words)
    button.setAccessibleName(words)
    return button
