"""Guards input: typed text counts, keys in a text field edit text, the wheel scrolls and never changes a value."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QHelpEvent, QKeyEvent, QKeySequence, QMouseEvent
from PyQt6.QtWidgets import (
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QScrollBar,
    QTabBar,
    QTextEdit,
    QWidget,
)

from kakushi.desktop.widgets.label import show_tip

_AUTO = Qt.TextFormat.AutoText
TextField = QLineEdit | QPlainTextEdit | QTextEdit
_DOCUMENT_KEYS = ("Ctrl+N", "Ctrl+O", "Ctrl+P", "Ctrl+Q", "Ctrl+S", "Ctrl+Shift+N", "Ctrl+Shift+P", "Ctrl+Shift+S")
"""Shortcuts with Ctrl and a letter that act while a text is edited: files, not what is in them."""
_WHEELED = (QComboBox, QAbstractSpinBox, QAbstractSlider, QTabBar)


def take_over() -> None:
    """Make the focused field take its typed text, as leaving it would."""
    field = QApplication.focusWidget()
    if isinstance(field, QLineEdit) and isinstance(field.parentWidget(), QAbstractSpinBox):
        field = field.parentWidget()
    if isinstance(field, QAbstractSpinBox):
        field.interpretText()
        field.editingFinished.emit()
    elif isinstance(field, QLineEdit) and field.isModified():
        field.editingFinished.emit()
        field.setModified(False)


_LETS_GO = (QEvent.Type.MouseButtonRelease, QEvent.Type.WindowDeactivate, QEvent.Type.WindowBlocked)


class InputGuard(QObject):
    """An event filter for the whole application. `let_go` runs when no button is held, even after an interruption."""

    def __init__(self, let_go: Callable[[], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._let_go = let_go

    @contextmanager
    def put_aside(self) -> Iterator[None]:
        """Not asked meanwhile: making or styling hundreds of widgets takes half as long. No input is handled in it."""
        app = QApplication.instance()
        if app is None:
            yield
            return
        app.removeEventFilter(self)
        try:
            yield
        finally:
            app.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is None:
            return False
        kind = event.type()
        if kind == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            return _keep_for_text(QApplication.focusWidget(), event)
        if kind == QEvent.Type.Wheel:
            return _leave_to_panel(watched, event)
        if kind == QEvent.Type.ToolTip and isinstance(event, QHelpEvent) and isinstance(watched, QWidget):
            return show_tip(watched, event)
        if kind in _LETS_GO or (
            kind == QEvent.Type.MouseMove and isinstance(event, QMouseEvent) and not event.buttons()
        ):
            self._let_go()
            return False
        if kind == QEvent.Type.Polish and isinstance(watched, QWidget):
            tame(watched)
        elif kind == QEvent.Type.Shortcut or (
            kind == QEvent.Type.MouseButtonPress and isinstance(watched, QWidget) and not _is_edited(watched)
        ):
            take_over()
        return False


def tame(widget: QWidget) -> None:
    """Keep mark-up out of labels that Qt makes by itself, and the keyboard from going where the wheel is turned."""
    if isinstance(widget, QLabel) and widget.textFormat() == _AUTO:
        widget.setTextFormat(Qt.TextFormat.PlainText)
    if widget.focusPolicy() == Qt.FocusPolicy.WheelFocus:
        widget.setFocusPolicy(Qt.FocusPolicy.StrongFocus)


def _keep_for_text(field: QWidget | None, event: QKeyEvent) -> bool:
    """Keys belong to a text that is edited, but for those of files; True where the event is dealt with.

    Undo and redo belong to the text as long as it has something to undo, then to the document.
    """
    if not isinstance(field, TextField):
        return False
    for key, available in ((QKeySequence.StandardKey.Undo, _can_undo), (QKeySequence.StandardKey.Redo, _can_redo)):
        if event.matches(key):
            event.setAccepted(available(field))
            return True
    control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
    pressed = QKeySequence(event.keyCombination()).toString()
    is_text_key = event.key() <= Qt.Key.Key_ydiaeresis or event.key() in (Qt.Key.Key_Backspace, Qt.Key.Key_Delete)
    if control and is_text_key and pressed not in _DOCUMENT_KEYS:
        event.accept()
        return True
    if event.key() == Qt.Key.Key_Escape and _can_undo(field):
        event.accept()
        return True
    return False


def _can_undo(field: TextField) -> bool:
    if isinstance(field, QLineEdit):
        return field.isUndoAvailable()
    document = field.document()
    return document is not None and document.isUndoAvailable()


def _can_redo(field: TextField) -> bool:
    if isinstance(field, QLineEdit):
        return field.isRedoAvailable()
    document = field.document()
    return document is not None and document.isRedoAvailable()


def _leave_to_panel(watched: QObject | None, event: QEvent) -> bool:
    """Let the wheel over a field scroll the panel that holds it."""
    if not isinstance(watched, _WHEELED) or isinstance(watched, QScrollBar):
        return False
    event.ignore()
    return True


def _is_edited(widget: QWidget) -> bool:
    """Whether a widget is the field with the keyboard, or part of it."""
    field = QApplication.focusWidget()
    return field is not None and (widget is field or field.isAncestorOf(widget) or widget.isAncestorOf(field))
