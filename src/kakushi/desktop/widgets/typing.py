"""What is typed counts: before a shortcut, a menu or a button acts, the field that is edited hands over its text."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QLineEdit, QWidget


def take_over() -> None:
    """Let the field with the keyboard hand over what is typed, as leaving it would."""
    field = QApplication.focusWidget()
    if isinstance(field, QLineEdit) and isinstance(field.parentWidget(), QAbstractSpinBox):
        field = field.parentWidget()
    if isinstance(field, QAbstractSpinBox):
        field.interpretText()
        field.editingFinished.emit()
    elif isinstance(field, QLineEdit) and field.isModified():
        field.editingFinished.emit()
        field.setModified(False)


class TypingGuard(QObject):
    """An event filter for the application: takes over before a shortcut acts or another widget is clicked."""

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is None:
            return False
        kind = event.type()
        if kind == QEvent.Type.Shortcut or (
            kind == QEvent.Type.MouseButtonPress and isinstance(watched, QWidget) and not _is_edited(watched)
        ):
            take_over()
        return False


def _is_edited(widget: QWidget) -> bool:
    """Whether a widget is the field with the keyboard, or part of it."""
    field = QApplication.focusWidget()
    return field is not None and (widget is field or field.isAncestorOf(widget) or widget.isAncestorOf(field))
