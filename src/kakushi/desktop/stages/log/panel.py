"""Tools of the Log stage."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.log.page import LogPage
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.fields import quiet, tip_button


class LogPanel(Panel):
    """What is done with the log."""

    def __init__(self, document: Document, page: LogPage) -> None:
        super().__init__(document)
        self.keep = tip_button("Put this job into the log", "Keeps what is filled in on the left, and learns from it")
        self.forget = tip_button("Take the chosen entry out", "From the list of all jobs; rates are worked out again")
        self.csv = tip_button("All jobs as CSV…", "The list of all jobs, for other programs")
        self.book = tip_button("All jobs as a workbook (XLSX)…", "The list of all jobs as a spreadsheet")
        box = QVBoxLayout()
        for button in (self.keep, self.forget):
            box.addWidget(button)
        self.section("Log", box, first=True)
        self.column.addWidget(quiet(
            "What is known is filled in: from the plan, and from what was ticked in Build. Everything else may stay "
            "empty. Nothing leaves this computer."
        ))  # fmt: skip
        take = QVBoxLayout()
        for button in (self.csv, self.book):
            take.addWidget(button)
        self.section("Take along", take)
        self.section("Learnt", quiet(
            "Spares, times and prices of all jobs use what was learnt as soon as there is an entry. A rate that is no "
            "longer true can be restarted in the list of rates."
        ))  # fmt: skip
        self.keep.clicked.connect(lambda _: page.keep())
        self.forget.clicked.connect(lambda _: page.forget())
        page.problem.connect(self.show_problem)
        self.finish()
