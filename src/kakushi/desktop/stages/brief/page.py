"""Brief, in the middle: the whole job on one floor, and the days until it must stand."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from kakushi.building.tasks import Schedule
from kakushi.desktop.document.document import Document
from kakushi.desktop.views.days_strip import DaysStrip
from kakushi.desktop.views.job_scene import JobScene
from kakushi.desktop.widgets.fields import heading, quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.words.schedule import problem_words
from kakushi.words.wording import day_words

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
        self._list.setMinimumHeight(self.fontMetrics().height() * 7)
        self._list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.addWidget(self.scene, 3)
        column.addWidget(heading("Days until it must stand"))
        for below in (self.strip, self._problems):
            column.addWidget(below)
        column.addWidget(self._list, 2)
        column.addWidget(quiet(_HINT))
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
        keys = [self._key(row) for row in range(self._list.count())]
        with QSignalBlocker(self._list):
            self._list.setCurrentRow(keys.index(self.strip.selected) if self.strip.selected in keys else -1)

    def _on_task(self, row: int) -> None:
        if key := self._key(row):
            self.strip.select(key)

    def _key(self, row: int) -> str | None:
        """The task that a line of the list is of; None for a day's heading."""
        item = self._list.item(row)
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def _fill(self, schedule: Schedule) -> None:
        """The tasks by day, numbered as in the strip."""
        bold, day = QFont(self._list.font()), None
        bold.setBold(True)
        for number, placed in enumerate(schedule.tasks, 1):
            if placed.start.date() != day:
                day = placed.start.date()
                heading_of_day = QListWidgetItem(day_words(day))
                heading_of_day.setFont(bold)
                heading_of_day.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self._list.addItem(heading_of_day)
            item = QListWidgetItem(f"{number}  {self.strip.said(placed)}")
            item.setData(Qt.ItemDataRole.UserRole, placed.task.key)
            self._list.addItem(item)

    def _show(self) -> None:
        schedule = self._document.scheduler.schedule
        with QSignalBlocker(self._list):
            self._list.clear()
            if schedule is not None:
                self._fill(schedule)
        self._list.setVisible(self._list.count() > 0)
        self._show_chosen()
        self._problems.setText(" ".join(map(problem_words, schedule.problems)) if schedule else "")
        self._problems.setVisible(bool(self._problems.text()))
