"""What can be done to the selected row: one table for keys, menus, buttons and help."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from kakushi.desktop.document.document import Document
from kakushi.model.errors import BadInput
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
        self._kept: tuple[Row, ...] = ()

    def _each(self, edit_of: Callable[[Piece, Row], Edit]) -> bool:
        """Apply an edit to every selected row, as one step; whether there was any."""
        piece, rows = self._document.piece, self._document.selection.rows
        if piece is None or not rows:
            return False
        edits = [edit_of(piece, row) for row in rows]
        return self._document.apply(edits[0] if len(edits) == 1 else row_edits.together(edits))

    def resize(self, steps: int) -> None:
        """Size the rows up or down by sizer steps."""
        studio = self._document.studio
        self._each(lambda piece, row: row_edits.resize_row(piece.key, row.key, steps, studio))

    def change_count(self, by: int) -> None:
        """One balloon more or fewer."""
        self._each(lambda piece, row: row_edits.set_row_count(piece.key, row.key, row.count + by))

    def change_nominal(self, by: int) -> None:
        """The next nominal size of the catalogue up or down."""
        sizes = [n.nominal_in for n in self._document.studio.nominals]

        def edit_of(piece: Piece, row: Row) -> Edit:
            nominal = row.slots[0].nominal_in
            place = sizes.index(nominal) if nominal in sizes else 0
            wanted = sizes[min(max(place + by, 0), len(sizes) - 1)]
            return row_edits.set_row_nominal(piece.key, row.key, wanted, self._document.studio)

        self._each(edit_of)

    def insert(self) -> None:
        """A new row above the selected one (at the foot of an empty piece)."""
        piece = self._document.piece
        if piece is None:
            return
        row = self._document.selection.row
        model = row or (piece.rows[-1] if piece.rows else None)
        new = uniform_row(1, model.count, model.slots[0].nominal_in, model.diameter_mm) if model else _first_row()
        above = row.key if row else (piece.rows[-1].key if piece.rows else None)
        self._select_new(piece, row_edits.insert_row(piece.key, new, above), 1)

    def duplicate(self) -> None:
        """The selected rows once more, above them."""
        self._add_above(self._document.selection.rows, "Duplicate rows")

    def mirror(self) -> None:
        """The selected rows above them in the opposite order, as in a mirror."""
        self._add_above(self._document.selection.rows[::-1], "Mirror rows")

    def copy(self) -> None:
        """Remember the selected rows."""
        self._kept = self._document.selection.rows or self._kept

    def paste(self) -> None:
        """The remembered rows above those that are selected, or on top."""
        self._add_above(self._kept, "Paste rows")

    def _add_above(self, rows: Sequence[Row], name: str) -> None:
        piece, selected = self._document.piece, self._document.selection.rows
        if piece is None or not rows:
            return
        last = selected[-1] if selected else piece.rows[-1] if piece.rows else None
        self._select_new(piece, row_edits.insert_rows(piece.key, rows, last.key if last else None, name), len(rows))

    def add_sizes(self, sizes: Sequence[float]) -> bool:
        """Rows of some sizes, mm, above the selected ones, or on top."""
        selected = self._document.selection.rows
        piece = self._document.piece
        like = selected[-1] if selected else piece.rows[-1] if piece and piece.rows else None
        try:
            rows = row_edits.rows_of_sizes(sizes, like, self._document.studio)
        except BadInput as error:
            self._document.refused.emit(self._document.said(error))
            return False
        self._add_above(rows, "Add rows")
        return True

    def select_all(self) -> None:
        """Select every row."""
        if piece := self._document.piece:
            self._document.selection.select_rows(row.key for row in piece.rows)

    def _select_new(self, piece: Piece, edit: Edit, count: int) -> None:
        first = free_row_key(piece)
        if self._document.apply(edit):
            self._document.selection.select_rows(range(first, first + count))

    def delete(self) -> None:
        """Take the rows out; the next one is selected."""
        index = min(self._document.selection.row_indices, default=0)
        if self._each(lambda piece, row: row_edits.delete_row(piece.key, row.key)):
            self._document.selection.select_row_at(index)

    def move(self, by: int) -> None:
        """Up or down the column, the foremost first."""
        piece, rows = self._document.piece, self._document.selection.rows
        indices = self._document.selection.row_indices
        if (
            piece is None
            or not rows
            or (by > 0 and max(indices) >= len(piece.rows) - 1)
            or (by < 0 and not min(indices))
        ):
            return
        ordered = rows[::-1] if by > 0 else rows
        edits = [row_edits.move_row(piece.key, row.key, by) for row in ordered]
        self._document.apply(edits[0] if len(edits) == 1 else row_edits.together(edits))

    def pin(self) -> None:
        """Pin the rows, or let them go where all are pinned."""
        pinned = not all(row.pinned for row in self._document.selection.rows)
        self._each(lambda piece, row: row_edits.pin_row(piece.key, row.key, pinned))

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
    RowAction("duplicate", "Repeat the selected rows above", ("D",), "copy", lambda a: a.duplicate()),
    RowAction("mirror", "Mirror the selected rows above", ("M",), "copy", lambda a: a.mirror()),
    RowAction("copy", "Copy the selected rows", ("Ctrl+C",), "copy", lambda a: a.copy()),
    RowAction("paste", "Paste rows above", ("Ctrl+V",), "copy", lambda a: a.paste()),
    RowAction("all", "Select all rows", ("Ctrl+A",), "copy", lambda a: a.select_all()),
    RowAction("delete", "Delete the selected rows", ("Del",), "trash-2", lambda a: a.delete()),
    RowAction("pin", "Pin the selected rows or let them go", ("P",), "pin", lambda a: a.pin()),
    RowAction("up", "Move the row up", ("Alt+Up",), "arrow-up", lambda a: a.move(1)),
    RowAction("down", "Move the row down", ("Alt+Down",), "arrow-down", lambda a: a.move(-1)),
)  # fmt: skip


def row_action(name: str) -> RowAction:
    """The action of that name."""
    return next(action for action in ROW_ACTIONS if action.name == name)
