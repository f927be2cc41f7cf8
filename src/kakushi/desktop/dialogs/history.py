"""The history of edits by their names; choose one to go back to it."""

from __future__ import annotations

from PyQt6.QtWidgets import QListWidget, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import quiet


class HistoryDialog(Dialog):
    """Edits, the oldest first; those that were undone are grey. The job follows what is chosen."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__("History", parent)
        self._document = document
        self.list = QListWidget()
        self.list.setAccessibleName("Edits")
        self.column.addWidget(quiet("Choose an edit: the job is as it was right after it."))
        self.column.addWidget(self.list, 1)
        self.add_close()
        self._show()
        self.list.itemSelectionChanged.connect(self._on_chosen)
        document.job_changed.connect(self._show)
        self.open_at(360, 460)

    def _show(self) -> None:
        names, done = self._document.session.history
        self.list.blockSignals(True)
        self.list.clear()
        for place, name in enumerate(("The job as it was opened", *names)):
            self.list.addItem(name)
            item = self.list.item(place)
            if item is not None and place > done:
                item.setForeground(self.palette().placeholderText())
        self.list.setCurrentRow(done)
        self.list.blockSignals(False)

    def _on_chosen(self) -> None:
        self._document.go_to(self.list.currentRow())
