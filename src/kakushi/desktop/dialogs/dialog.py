"""The base of all dialogs: Enter takes a field, and Esc asks before typed text is lost."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QKeyEvent, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QLineEdit,
    QMessageBox,
    QPlainTextEdit,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.forms.typed import faults_of
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import restyle, type_scale


class Dialog(QDialog):
    """A titled dialog: a column of content, a line for problems, and buttons."""

    def __init__(self, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.column = QVBoxLayout()
        self.column.setSpacing(9)
        self.problem = Label()
        self.problem.setProperty("role", "wrong")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._untouched: tuple[object, ...] | None = None
        self._keeps = False
        self._names: list[QLineEdit] = []
        self._buttons = QDialogButtonBox()
        self._buttons.rejected.connect(self.leave)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 12)
        layout.addLayout(self.column, 1)
        layout.addWidget(self.problem)
        layout.addWidget(self._buttons)

    def open_at(self, width: int, height: int) -> None:
        """Open at this size, px at the usual type size; scaled with larger type, never larger than the window."""
        size, parent = QSize(width, height) * type_scale(self), self.parentWidget()
        window = parent.window() if parent is not None else None
        self.resize(size if window is None else size.boundedTo(window.size()))

    def add_close(self, words: str = "Close") -> None:
        """A button that closes without doing anything."""
        button = self._buttons.addButton(words, QDialogButtonBox.ButtonRole.RejectRole)
        if button is not None:
            button.setToolTip("Closes this window")

    def holds_name(self, field: QLineEdit) -> None:
        """Ask before Esc loses what is typed in a field. Clear the field's `modified` mark once it is saved."""
        self._names.append(field)

    def add_main(self, words: str, tip: str, keeps: bool = True) -> QPushButton:
        """The main button. Where it `keeps` what is typed, Esc asks before the dialog closes without it."""
        button = self._buttons.addButton(words, QDialogButtonBox.ButtonRole.ActionRole)
        assert button is not None
        self._keeps = self._keeps or keeps
        button.setToolTip(tip)
        restyle(button, "primary", True)
        return button

    def say(self, text: str) -> None:
        """Show a problem; an empty text clears it."""
        self.problem.setText(text)
        self.problem.setVisible(bool(text))

    def has_faults(self) -> bool:
        """Whether a field holds what cannot be taken; the first reason is said."""
        faults = faults_of(self)
        if faults:
            self.say(faults[0])
        return bool(faults)

    # --- leaving ---------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        for button in self.findChildren(QPushButton):
            # Enter in a field would press the next best button.
            button.setAutoDefault(False)
        if self._untouched is None:
            self._untouched = self._typed()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            button = QApplication.focusWidget()
            if isinstance(button, QPushButton):
                button.click()
            return
        super().keyPressEvent(event)

    def leave(self) -> None:
        """Close on purpose, without keeping anything."""
        super().reject()

    def reject(self) -> None:
        """Close by Esc or the window's button, asking first where something typed is not kept."""
        is_changed = self._keeps and self._untouched not in (None, self._typed())
        is_named = any(field.isModified() and field.text().strip() for field in self._names)
        if not (is_changed or is_named) or self.ask_to_leave():
            self.leave()

    def ask_to_leave(self) -> bool:
        """Ask whether to discard what is typed."""
        answer = QMessageBox.question(
            self,
            self.windowTitle(),
            "Your changes here are not saved yet. Discard them?",
            QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
            QMessageBox.StandardButton.Cancel,
        )
        return answer == QMessageBox.StandardButton.Discard

    def _typed(self) -> tuple[object, ...]:
        """Contents of all fields."""
        texts: list[object] = [field.text() for field in self.findChildren(QLineEdit)]
        texts += [field.toPlainText() for field in self.findChildren(QPlainTextEdit)]
        texts += [box.currentIndex() for box in self.findChildren(QComboBox)]
        texts += [box.isChecked() for box in self.findChildren(QAbstractButton) if box.isCheckable()]
        for table in self.findChildren(QTableWidget):
            cells = ((row, column) for row in range(table.rowCount()) for column in range(table.columnCount()))
            texts += [item.text() for row, column in cells if (item := table.item(row, column))]
        return tuple(texts)
