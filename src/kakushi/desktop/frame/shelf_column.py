"""The pieces shelf with its buttons, and what they do."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.frame.header import themed_button
from kakushi.desktop.frame.shelf import Shelf
from kakushi.desktop.widgets.fields import on_delete
from kakushi.desktop.widgets.icons import icon
from kakushi.desktop.widgets.theme import Theme
from kakushi.session import edits

_WIDTH_EM = 17


class ShelfColumn(QFrame):
    """Shelf above Add, Duplicate and Remove."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.setFixedWidth(int(self.fontMetrics().horizontalAdvance("m") * _WIDTH_EM))
        self.shelf = Shelf(document, theme)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.setSpacing(4)
        layout.addWidget(self.shelf, 1)
        line = QHBoxLayout()
        line.setContentsMargins(6, 0, 6, 0)
        line.setSpacing(3)
        self.add = themed_button("plus", "Add a piece (Ctrl+Shift+N)", theme)
        self.duplicate = themed_button("copy", "Duplicate the piece (Ctrl+D)", theme)
        self.remove = themed_button("trash-2", "Remove the piece (undo brings it back)", theme)
        self._icons: tuple[tuple[QToolButton, str], ...] = (
            (self.add, "plus"), (self.duplicate, "copy"), (self.remove, "trash-2"),
        )  # fmt: skip
        for button, _ in self._icons:
            line.addWidget(button)
        self.add.setText("Add")
        self.add.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.add.setMinimumWidth(self.fontMetrics().horizontalAdvance("Add") + 52)
        line.addStretch(1)
        layout.addLayout(line)
        self.duplicate.clicked.connect(lambda _checked: self.duplicate_piece())
        self.remove.clicked.connect(lambda _checked: self.remove_piece())
        on_delete(self.shelf, self.remove_piece)

    def duplicate_piece(self) -> None:
        """A second design like the selected one."""
        if piece := self._document.piece:
            key = edits.free_piece_key(self._document.job)
            if self._document.apply(edits.duplicate_piece(piece.key)):
                self._document.selection.select_piece(key)

    def remove_piece(self) -> None:
        """Remove the selected piece; undo brings it back."""
        if piece := self._document.piece:
            self._document.apply(edits.remove_piece(piece.key))

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self.shelf.set_theme(theme)
        for button, name in self._icons:
            button.setIcon(icon(name, theme.ink))
