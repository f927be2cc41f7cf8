"""The Log stage: this job as it went, all jobs, and the rates learnt of them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QTableView,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.log.chart import TimesChart
from kakushi.desktop.stages.log.job_form import JobForm
from kakushi.desktop.stages.log.table import LogTable
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.store.log_store import LogStore
from kakushi.formats.store.studio_store import load_studio
from kakushi.log.entries import entry_of
from kakushi.log.overview import matches, ratios_over_time
from kakushi.log.unexpected import unexpected
from kakushi.model.catalogue import Studio
from kakushi.model.errors import StudioError
from kakushi.model.log import LogEntry, LogLine
from kakushi.words.lists import Listing
from kakushi.words.log import job_words, log_listing, rates_lines, unexpected_words

_WIDEST = 12
"""Widest column of the list of all jobs, lines high."""
_WAIT_S = 3.0
"""Longest wait for a file that another program holds, s."""


class _Answer(NamedTuple):
    """The log as it is in the file, the studio with what was learnt, and what is said of what was done."""

    lines: Sequence[LogLine]
    studio: Studio
    said: str


class LogPage(QWidget):
    """Three pages. `told`: a notice; `problem`: what cannot be taken."""

    told = pyqtSignal(str)
    problem = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._lines: Sequence[LogLine] = ()
        self._runner = Runner(self, document.said)
        self._runner.finished.connect(self._on_done)
        self._runner.failed.connect(self.told)
        title = Label("What it really took")
        title.setProperty("role", "title")
        self.tabs = QTabWidget()
        self.tabs.setAccessibleName("Log")
        if (bar := self.tabs.tabBar()) is not None:
            bar.setAccessibleName("Lists of the log")
        self.form = JobForm(document)
        self.filter = QLineEdit()
        self.filter.setAccessibleName("Jobs to show")
        self.filter.setPlaceholderText("Show jobs with these words, pieces or years")
        self.filter.setClearButtonEnabled(True)
        self._table = LogTable()
        self.table = QTableView()
        self._chart = TimesChart()
        self._empty = quiet("No job is in the log yet.")
        self.rates = QListWidget()
        self.rates.setAccessibleName("Rates that were learnt")
        self.reset = QPushButton("Restart the chosen rate")
        self.reset.setToolTip("Entries already in the log no longer count towards it")
        self._build(title)
        self.filter.textChanged.connect(lambda _: self._show_lines())
        self.reset.clicked.connect(lambda _: self._on_reset())
        document.dossier_changed.connect(self._show_if_seen)

    def _build(self, title: Label) -> None:
        self.table.setModel(self._table)
        self.table.setAccessibleName("All jobs in the log")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.setAlternatingRowColors(True)
        for header in (self.table.verticalHeader(), self.table.horizontalHeader()):
            if header is not None and header is self.table.verticalHeader():
                header.hide()
                header.setDefaultSectionSize(self.fontMetrics().height() + 8)
            elif header is not None:
                header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setAccessibleName("This job")
        scroll.setWidget(self.form)
        jobs = QWidget()
        column = QVBoxLayout(jobs)
        for widget in (self.filter, self._empty, self.table, self._chart):
            column.addWidget(widget)
        column.setStretch(2, 1)
        learnt = QWidget()
        column = QVBoxLayout(learnt)
        column.addWidget(self.rates, 1)
        column.addWidget(self.reset, 0, Qt.AlignmentFlag.AlignLeft)
        for page, words in ((scroll, "This job"), (jobs, "All jobs"), (learnt, "Rates")):
            self.tabs.addTab(page, words)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(title)
        layout.addWidget(self.tabs, 1)

    def set_theme(self, theme: Theme) -> None:
        """Draw the chart in the theme's colours."""
        self._chart.set_theme(theme)

    # --- acts --------------------------------------------------------------------------------------

    def reload(self) -> None:
        """Read the log from its file."""
        self._run(lambda _store: "")

    def keep(self) -> None:
        """Put the open job into the log."""
        entry = self.form.filled_in()
        if entry is None:
            self.problem.emit("There is no piece yet: nothing to log.")
            return
        before = self._document.studio

        def add(store: LogStore) -> str:
            found = list(unexpected(entry, before.learnt, before.rates))
            store.add(entry)
            said = [unexpected_words(each, self._document.units) for each in found]
            return " ".join(["The job is in the log.", *said])

        self._run(add)

    def forget(self) -> None:
        """Take the chosen entry out of the log."""
        row = self.table.currentIndex().row()
        if not 0 <= row < len(self._table.lines):
            self.problem.emit("Choose an entry in the list of all jobs first.")
            return
        line = self._table.lines[row]

        def remove(store: LogStore) -> str:
            store.remove(line.key)
            return f"The entry of {line.date} is out of the log."

        self._run(remove)

    def _on_reset(self) -> None:
        item = self.rates.currentItem()
        name = item.data(Qt.ItemDataRole.UserRole) if item is not None else ""
        if not name:
            self.problem.emit("Choose a rate first.")
            return

        def reset(store: LogStore) -> str:
            store.reset(name)
            return "The rate starts afresh: entries already in the log no longer count towards it."

        self._run(reset)

    def _run(self, act: Callable[[LogStore], str]) -> None:
        """Do something with the log beside the window, then read it."""
        file = self._document.studio_file
        self.problem.emit("")
        if file is None:
            return

        def work(_progress: Callable[[float], None], _cancelled: Callable[[], bool]) -> _Answer:
            store = LogStore(file, wait_s=_WAIT_S)
            said = act(store)
            loaded = load_studio(file)
            if loaded.is_stand_in:
                raise StudioError(loaded.problem)
            return _Answer(store.lines(), loaded.studio, said)

        self._runner.submit(work)

    def _on_done(self, answer: _Answer) -> None:
        self._lines = answer.lines
        if answer.studio.learnt != self._document.studio.learnt:
            self._document.set_studio(answer.studio)
        if answer.said:
            self.told.emit(answer.said)
        self._show()

    # --- showing -----------------------------------------------------------------------------------

    @property
    def listing(self) -> Listing:
        """All jobs as a list to take along."""
        return log_listing(self._table.lines, self._document.units)

    def showEvent(self, event: Any) -> None:
        self._show()

    def _show_if_seen(self) -> None:
        if self.isVisible():
            self._show()

    def _show(self) -> None:
        entry = self._known()
        waits = "Being worked out…" if self._document.job.pieces else "No pieces yet."
        self.form.show_entry(entry, job_words(entry) if entry else waits)
        self._show_lines()
        self.rates.clear()
        for name, words in rates_lines(self._document.studio.learnt):
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, name)
            self.rates.addItem(item)
        self.reset.setEnabled(self.rates.count() > 0)

    def _known(self) -> LogEntry | None:
        return entry_of(self._document.dossier, self._document.record, dt.date.today(), all_built=True)

    def _show_lines(self) -> None:
        wanted = self.filter.text().casefold().split()
        lines = [line for line in self._lines if matches(line, wanted)]
        self._table.show(lines, self._document.units)
        self.table.resizeColumnsToContents()
        for column in range(self._table.columnCount()):
            widest = self.fontMetrics().height() * _WIDEST
            self.table.setColumnWidth(column, min(self.table.columnWidth(column), widest))
        self._chart.show_times(ratios_over_time(lines))
        self._empty.setVisible(not self._lines)
