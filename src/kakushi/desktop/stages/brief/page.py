"""Brief, in the middle: the whole job on one floor, and the days until it must stand."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker, QSize, Qt
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from kakushi.building.tasks import Schedule
from kakushi.desktop.document.document import Document
from kakushi.desktop.views.days_strip import DaysStrip
from kakushi.desktop.views.job_scene import JobScene
from kakushi.desktop.views.task_icons import task_icon
from kakushi.desktop.widgets.fields import heading, quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.words.schedule import hands_words, problem_words

_HINT = "Drag a task to pin it, or choose one and move it with ← →; Delete lets it go again."


class BriefPage(QWidget):
    """Scene above, strip of days and their tasks below, with what does not fit."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self._theme = document, theme
        self.scene, self.strip = JobScene(document, theme), DaysStrip(document, theme)
        self._problems, self._list = Label(), QListWidget()
        self._problems.setProperty("role", "wrong")
        self._problems.setWordWrap(True)
        self._problems.setAccessibleName("What does not fit")
        self._list.setAccessibleName("Tasks until it must stand")
        self._list.setIconSize(QSize(1, 1) * self.fontMetrics().height())
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
        self._theme = theme
        self.scene.set_theme(theme)
        self.strip.set_theme(theme)
        self._show()

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
        """The tasks by day and person, numbered and drawn as in the strip."""
        bold = QFont(self._list.font())
        bold.setBold(True)
        numbers = {placed.task.key: number for number, placed in enumerate(schedule.tasks, 1)}
        for day, person, tasks in schedule.by_day_and_person():
            heading_of_day = QListWidgetItem(hands_words(day, person, self._document.job.days.people))
            heading_of_day.setFont(bold)
            heading_of_day.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self._list.addItem(heading_of_day)
            for placed in tasks:
                item = QListWidgetItem(f"{numbers[placed.task.key]}  {self.strip.said(placed)}")
                item.setIcon(task_icon(placed.task, self._theme.ink))
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
