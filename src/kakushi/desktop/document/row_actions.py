"""What can be done to the selected row: one table for keys, menus, buttons and help."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from kakushi.desktop.document.document import Document
from kakushi.model.groups import Row, uniform_row
from kakushi.model.piece import Piece, free_row_key
from kakushi.session import row_edits
from kakushi.session.session import Edit


@dataclass(frozen=True, slots=True)
class RowAction:
    """An action on a row. `keys` work while the ladder has the focus."""

    name: str
    words: str
    keys: tuple[str, ...]
    icon: str
    run: Callable[[RowActions], None]


class RowActions(QObject):
    """Runs row actions on the document's selected row."""

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document

    def _selected(self) -> tuple[Piece, Row] | None:
        piece, row = self._document.piece, self._document.selection.row
        return (piece, row) if piece and row else None

    def resize(self, steps: int) -> None:
        """Size the row up or down by sizer steps."""
        if selected := self._selected():
            piece, row = selected
            self._document.apply(row_edits.resize_row(piece.key, row.key, steps, self._document.studio))

    def change_count(self, by: int) -> None:
        """One balloon more or fewer."""
        if selected := self._selected():
            piece, row = selected
            self._document.apply(row_edits.set_row_count(piece.key, row.key, row.count + by))

    def change_nominal(self, by: int) -> None:
        """The next nominal size of the catalogue up or down."""
        if selected := self._selected():
            piece, row = selected
            sizes = [n.nominal_in for n in self._document.studio.nominals]
            nominal = row.slots[0].nominal_in
            place = sizes.index(nominal) if nominal in sizes else 0
            wanted = sizes[min(max(place + by, 0), len(sizes) - 1)]
            self._document.apply(row_edits.set_row_nominal(piece.key, row.key, wanted, self._document.studio))

    def insert(self) -> None:
        """A new row above the selected one (at the foot of an empty piece)."""
        piece = self._document.piece
        if piece is None:
            return
        row = self._document.selection.row
        model = row or (piece.rows[-1] if piece.rows else None)
        new = uniform_row(1, model.count, model.slots[0].nominal_in, model.diameter_mm) if model else _first_row()
        above = row.key if row else (piece.rows[-1].key if piece.rows else None)
        self._select_new(piece, row_edits.insert_row(piece.key, new, above))

    def duplicate(self) -> None:
        """A duplicate above the selected row."""
        if selected := self._selected():
            piece, row = selected
            self._select_new(piece, row_edits.duplicate_row(piece.key, row.key))

    def _select_new(self, piece: Piece, edit: Edit) -> None:
        key = free_row_key(piece)
        if self._document.apply(edit):
            self._document.selection.select_row(key)

    def delete(self) -> None:
        """Take the row out; the next one is selected."""
        if selected := self._selected():
            piece, row = selected
            index = self._document.selection.row_index or 0
            if self._document.apply(row_edits.delete_row(piece.key, row.key)):
                self._document.selection.select_row_at(index)

    def move(self, by: int) -> None:
        """Up or down the column."""
        if selected := self._selected():
            piece, row = selected
            self._document.apply(row_edits.move_row(piece.key, row.key, by))

    def pin(self) -> None:
        """Pin the row, or let it go."""
        if selected := self._selected():
            piece, row = selected
            self._document.apply(row_edits.pin_row(piece.key, row.key, not row.pinned))

    def take_key(self, event: QKeyEvent) -> bool:
        """Run the action of a key; False where it has none."""
        pressed = QKeySequence(event.keyCombination()).toString()
        typed = event.text()
        for action in ROW_ACTIONS:
            if pressed in action.keys or (typed and typed in action.keys):
                action.run(self)
                return True
        return False

    def menu(self, parent: QWidget) -> QMenu:
        """All actions as a context menu."""
        menu = QMenu(parent)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for action in ROW_ACTIONS:
            menu.addAction(self.qt_action(action, menu))
        return menu

    def qt_action(self, action: RowAction, parent: QObject) -> QAction:
        """One action for a menu; its key is told, the ladder listens for it."""
        shown = QAction(f"{action.words}\t{action.keys[0]}", parent)
        shown.triggered.connect(lambda: action.run(self))
        return shown


def _first_row() -> Row:
    return uniform_row(1, 4, 11.0, 8.5 * 25.4)


ROW_ACTIONS: tuple[RowAction, ...] = (
    RowAction("larger", "Size up one sizer step", ("Right",), "plus", lambda a: a.resize(1)),
    RowAction("smaller", "Size down one sizer step", ("Left",), "minus", lambda a: a.resize(-1)),
    RowAction("more", "One balloon more in the row", ("+", "="), "plus", lambda a: a.change_count(1)),
    RowAction("fewer", "One balloon fewer in the row", ("-",), "minus", lambda a: a.change_count(-1)),
    RowAction("nominal_up", "Next larger nominal size", ("PgUp",), "chevron-right", lambda a: a.change_nominal(1)),
    RowAction("nominal_down", "Next smaller nominal size", ("PgDown",), "chevron-left", lambda a: a.change_nominal(-1)),
    RowAction("insert", "Insert a row above", ("Ins",), "plus", lambda a: a.insert()),
    RowAction("duplicate", "Duplicate the row", ("D",), "copy", lambda a: a.duplicate()),
    RowAction("delete", "Delete the row", ("Del",), "trash-2", lambda a: a.delete()),
    RowAction("pin", "Pin the row or let it go", ("P",), "pin", lambda a: a.pin()),
    RowAction("up", "Move the row up", ("Alt+Up",), "arrow-up", lambda a: a.move(1)),
    RowAction("down", "Move the row down", ("Alt+Down",), "arrow-down", lambda a: a.move(-1)),
)  # fmt: skip


def row_action(name: str) -> RowAction:
    """The action of that name."""
    return next(action for action in ROW_ACTIONS if action.name == name)
