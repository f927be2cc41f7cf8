"""Write down what is to be remembered of a step."""

from __future__ import annotations

from PyQt6.QtWidgets import QPlainTextEdit, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.widgets.fields import quiet

_LONGEST = 2000


class NoteDialog(Dialog):
    """A few lines of text."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Note", parent)
        self._text = QPlainTextEdit()
        self._text.setAccessibleName("Note")
        self.column.addWidget(quiet("What is to be remembered of this step?"))
        self.column.addWidget(self._text)
        self.add_main("Keep", "Writes it down with the step").clicked.connect(self.accept)
        self.add_close("Leave it")
        self._text.setFocus()

    def text(self) -> str:
        """What was written."""
        return self._text.toPlainText().strip()[:_LONGEST]
