"""Brief, in the middle: the whole job on one floor, and the days until it must stand."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QListWidget, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.days_strip import DaysStrip
from kakushi.desktop.views.job_scene import JobScene
from kakushi.desktop.widgets.fields import heading, quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.words.schedule import problem_words

_HINT = "Drag a task to pin it, or choose one and move it with ← →; Delete lets it go again."


class BriefPage(QWidget):
    """Scene above, strip of days and their tasks below, with what does not fit."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document = document
        self.scene, self.strip = JobScene(document, theme), DaysStrip(document, theme)
        self._problems, self._list = Label(), QListWidget()
        self._problems.setProperty("role", "wrong")
        self._problems.setWordWrap(True)
        self._problems.setAccessibleName("What does not fit")
        self._list.setAccessibleName("Tasks until it must stand")
        self._list.setFixedHeight(self.fontMetrics().height() * 7)
        self._list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.addWidget(self.scene, 1)
        column.addWidget(heading("Days until it must stand"))
        for below in (self.strip, self._problems, self._list, quiet(_HINT)):
            column.addWidget(below)
        self._list.currentRowChanged.connect(self._on_task)
        self.strip.chosen.connect(self._show_chosen)
        document.scheduler.changed.connect(self._show)
        self._show()

    def set_theme(self, theme: Theme) -> None:
        """Show in another theme."""
        self.scene.set_theme(theme)
        self.strip.set_theme(theme)

    def showEvent(self, event: object) -> None:
        self._document.scheduler.want(True)

    def hideEvent(self, event: object) -> None:
        self._document.scheduler.want(False)

    def _show_chosen(self) -> None:
        """The list follows the strip."""
        schedule = self._document.scheduler.schedule
        keys = [placed.task.key for placed in schedule.tasks] if schedule else []
        with QSignalBlocker(self._list):
            self._list.setCurrentRow(keys.index(self.strip.selected) if self.strip.selected in keys else -1)

    def _on_task(self, row: int) -> None:
        schedule = self._document.scheduler.schedule
        if schedule is not None and 0 <= row < len(schedule.tasks):
            self.strip.select(schedule.tasks[row].task.key)

    def _show(self) -> None:
        schedule = self._document.scheduler.schedule
        with QSignalBlocker(self._list):
            self._list.clear()
            self._list.addItems([self.strip.said(placed) for placed in schedule.tasks] if schedule else [])
        self._list.setVisible(self._list.count() > 0)
        self._show_chosen()
        self._problems.setText(" ".join(map(problem_words, schedule.problems)) if schedule else "")
        self._problems.setVisible(bool(self._problems.text()))
