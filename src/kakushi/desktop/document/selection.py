"""What is selected and pointed at: a piece, one of its rows, the row under the pointer."""

from __future__ import annotations

from collections.abc import Callable

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
    def hovered_row(self) -> int | None:
        """Index of the row pointed at."""
        return self._hovered

    def select_piece(self, key: int | None) -> None:
        """Select a piece by key."""
        if key != self._piece_key:
            self._piece_key, self._row_key, self._hovered = key, None, None
            self.changed.emit()

    def select_row(self, key: int | None) -> None:
        """Select a row of the selected piece by key."""
        if key != self._row_key:
            self._row_key = key
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
        self._row_key = self._hovered = None
