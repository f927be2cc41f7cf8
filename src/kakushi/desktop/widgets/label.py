"""Text from jobs and files is shown as it is, never as mark-up that could load a picture or freeze the window."""

from __future__ import annotations

import html

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QAbstractItemView, QLabel, QMenu, QToolTip, QWidget


class Label(QLabel):
    """A label of plain text. Every label of the window is one."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    def setText(self, text: str | None) -> None:
        """Show a text; bytes of file names that are no UTF-8 become question marks."""
        super().setText((text or "").encode("utf-8", "replace").decode())


def show_tip(widget: QWidget, event: QHelpEvent) -> bool:
    """Show a tooltip as plain text where Qt would take it for mark-up; False where Qt shows it as it is."""
    text = _tip_of(widget, event.pos())
    if "<" not in text:
        return False
    escaped = html.escape(text).replace("\n", "<br>")
    QToolTip.showText(event.globalPos(), f"<span>{escaped}</span>", widget)
    return True


def _tip_of(widget: QWidget, at: QPoint) -> str:
    """The tooltip at a place of a widget: that of the entry there in lists and menus, else its own."""
    view = widget.parent()
    if isinstance(view, QAbstractItemView) and widget is view.viewport():
        tip = view.indexAt(at).data(Qt.ItemDataRole.ToolTipRole)
        return str(tip) if tip is not None else view.toolTip()
    if isinstance(widget, QMenu) and (action := widget.actionAt(at)) is not None:
        return action.toolTip()
    return widget.toolTip()
