"""What is selected and pointed at: a piece, one of its rows, the row under the pointer."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.model.groups import Row
from kakushi.model.job import Job
from kakushi.model.piece import Piece


class Selection(QObject):
    """Pieces and rows are selected by key, so that a selection outlives edits around it."""

    changed = pyqtSignal()
    hover_changed = pyqtSignal()

    def __init__(self, job: Callable[[], Job], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._job = job
        self._piece_key: int | None = None
        self._row_key: int | None = None
        self._more: frozenset[int] = frozenset()
        self._anchor: int | None = None
        self._hovered: int | None = None
        self.stage = "shape"
        """The stage that is open."""

    @property
    def piece(self) -> Piece | None:
        """The selected piece."""
        return self._job().piece(self._piece_key) if self._piece_key is not None else None

    @property
    def row(self) -> Row | None:
        """The selected row."""
        index, piece = self.row_index, self.piece
        return piece.rows[index] if piece and index is not None else None

    @property
    def row_index(self) -> int | None:
        """Index of the selected row from the foot, 0 first."""
        piece = self.piece
        if piece is None or self._row_key is None:
            return None
        return next((i for i, row in enumerate(piece.rows) if row.key == self._row_key), None)

    @property
    def rows(self) -> tuple[Row, ...]:
        """All selected rows, foot first: the selected one, and those selected with it."""
        piece = self.piece
        keys = self._more | ({self._row_key} if self._row_key is not None else set())
        return tuple(row for row in piece.rows if row.key in keys) if piece else ()

    @property
    def row_indices(self) -> frozenset[int]:
        """Indices of all selected rows."""
        piece = self.piece
        keys = {row.key for row in self.rows}
        return frozenset(index for index, row in enumerate(piece.rows) if row.key in keys) if piece else frozenset()

    @property
    def hovered_row(self) -> int | None:
        """Index of the row pointed at."""
        return self._hovered

    def select_piece(self, key: int | None) -> None:
        """Select a piece by key."""
        if key != self._piece_key:
            self._piece_key, self._row_key, self._hovered = key, None, None
            self._more, self._anchor = frozenset(), None
            self.changed.emit()

    def select_row(self, key: int | None) -> None:
        """Select a row of the selected piece by key."""
        if key != self._row_key or self._more:
            self._row_key, self._more, self._anchor = key, frozenset(), None
            self.changed.emit()

    def extend_to(self, index: int) -> None:
        """Select every row from the one that was selected first to one at an index."""
        piece = self.piece
        if piece is None or not piece.rows:
            return
        index = min(max(index, 0), len(piece.rows) - 1)
        if self._row_key is None:
            self.select_row_at(index)
            return
        anchor = self._anchor if self._anchor is not None else self._row_key
        first = next((k for k, row in enumerate(piece.rows) if row.key == anchor), index)
        low, high = sorted((first, index))
        self._anchor, self._row_key = anchor, piece.rows[index].key
        self._more = frozenset(row.key for row in piece.rows[low : high + 1])
        self.changed.emit()

    def toggle_row_at(self, index: int) -> None:
        """Select one row more, or one fewer."""
        piece = self.piece
        if piece is None or not 0 <= index < len(piece.rows):
            return
        key, chosen = piece.rows[index].key, {row.key for row in self.rows}
        chosen ^= {key}
        self._row_key = key if key in chosen else next(iter(sorted(chosen)), None)
        self._more, self._anchor = frozenset(chosen), None
        self.changed.emit()

    def select_rows(self, keys: Iterable[int]) -> None:
        """Select several rows by their keys; the last one is the selected one."""
        listed = list(keys)
        self._row_key, self._more, self._anchor = (listed[-1] if listed else None), frozenset(listed), None
        self.changed.emit()

    def select_row_at(self, index: int) -> None:
        """Select a row by its index from the foot, kept within the column."""
        piece = self.piece
        if piece and piece.rows:
            self.select_row(piece.rows[min(max(index, 0), len(piece.rows) - 1)].key)

    def show(self, piece: int | None, row: int | None) -> None:
        """Bring a piece and one of its rows into view, where there are such."""
        if piece is not None:
            self.select_piece(piece)
        if row is not None:
            self.select_row(row)

    def hover_row(self, index: int | None) -> None:
        """Point at a row by its index, or at none."""
        if index != self._hovered:
            self._hovered = index
            self.hover_changed.emit()

    def follow(self) -> None:
        """Follow an edit: deselect what is gone; the last piece replaces a removed one."""
        pieces = self._job().pieces
        if self.piece is None:
            self.select_piece(pieces[-1].key if pieces else None)
        if self._row_key is not None and self.row is None:
            self.select_row(None)

    def begin_with(self, job: Job) -> None:
        """Select the first piece of a job that was opened; the caller tells that everything changed."""
        self._piece_key = job.pieces[0].key if job.pieces else None
        self._row_key = self._hovered = self._anchor = None
        self._more = frozenset()
