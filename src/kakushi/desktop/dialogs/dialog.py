"""What all dialogs share: a column, a line for problems, buttons."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.widgets.painting import restyle


class Dialog(QDialog):
    """A titled dialog with a column for content, a line that says what is wrong, and buttons."""

    def __init__(self, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.column = QVBoxLayout()
        self.column.setSpacing(9)
        self.problem = QLabel()
        self.problem.setProperty("role", "wrong")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._buttons = QDialogButtonBox()
        self._buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 12)
        layout.addLayout(self.column, 1)
        layout.addWidget(self.problem)
        layout.addWidget(self._buttons)

    def add_close(self, words: str = "Close") -> None:
        """A button that closes without doing anything."""
        self._buttons.addButton(words, QDialogButtonBox.ButtonRole.RejectRole)

    def add_main(self, words: str) -> QPushButton:
        """The button that does what the dialog is for."""
        button = self._buttons.addButton(words, QDialogButtonBox.ButtonRole.ActionRole)
        assert button is not None
        restyle(button, "primary", True)
        return button

    def say(self, text: str) -> None:
        """Say what is wrong; nothing with an empty text."""
        self.problem.setText(text)
        self.problem.setVisible(bool(text))
