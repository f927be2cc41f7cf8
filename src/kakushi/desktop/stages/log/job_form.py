"""One job as it went: what is known is filled in, what is not is asked for."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.typed import QuantityField
from kakushi.desktop.widgets.fields import form, heading
from kakushi.desktop.widgets.label import Label
from kakushi.log.entries import with_pops
from kakushi.model.log import LogEntry, LoggedPiece
from kakushi.model.quantities import COUNT, LENGTH
from kakushi.model.units import format_length
from kakushi.model.values import replace
from kakushi.words.log import REASONS

_HEADS = ("Piece", "Planned", "Measured", "Next day", "Popped", "After", "Why")
_UNKNOWN = "–"
"""What stands where nobody measured or counted."""
_TALLEST_MM, _MOST_POPS = 20_000.0, 1_000
_TEXT_LINES, _PADDING_PX = 3, 22


@dataclass(frozen=True, slots=True)
class _Line:
    """Fields of one piece."""

    piece: LoggedPiece
    height: QuantityField
    next_day: QuantityField
    before: QuantityField
    after: QuantityField
    why: Choices


class JobForm(QWidget):
    """The entry of the open job."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._entry: LogEntry | None = None
        self._lines: list[_Line] = []
        self._sums = Label()
        self._sums.setWordWrap(True)
        self._grid_of = QVBoxLayout()
        self._grid = QWidget()
        self.left_over, self.client = QLineEdit(), QLineEdit()
        self.next_time = QPlainTextEdit()
        self.next_time.setFixedHeight(self.fontMetrics().lineSpacing() * (_TEXT_LINES + 1))
        self.next_time.setTabChangesFocus(True)
        words = form()
        for name, field in (
            ("What was left over", self.left_over),
            ("What the client said", self.client),
            ("Otherwise next time", self.next_time),
        ):
            field.setAccessibleName(name)
            words.addRow(name, field)
        layout = QVBoxLayout(self)
        layout.addWidget(self._sums)
        layout.addLayout(self._grid_of)
        layout.addLayout(words)
        layout.addStretch(1)

    def show_entry(self, entry: LogEntry | None, sums: str) -> None:
        """Show what is known of the job; what was typed goes where its pieces change."""
        self._sums.setText(sums)
        if entry is not None and self._entry is not None and entry.pieces == self._entry.pieces:
            self._entry = entry
            return
        self._entry, self._lines = entry, []
        self._grid.deleteLater()
        self._grid = QWidget()
        grid = QGridLayout(self._grid)
        grid.setContentsMargins(0, 0, 0, 0)
        for column, head in enumerate(_HEADS):
            grid.addWidget(heading(head), 0, column)
        for number, piece in enumerate(entry.pieces if entry else (), 1):
            self._add(grid, number, piece)
        grid.setColumnStretch(0, 1)
        self._grid_of.addWidget(self._grid)

    def _add(self, grid: QGridLayout, number: int, piece: LoggedPiece) -> None:
        name, document = piece.piece, self._document
        line = _Line(
            piece,
            QuantityField(document, LENGTH, f"Measured height of {name}", 0.0, _TALLEST_MM, none=(_UNKNOWN, 0.0)),
            QuantityField(document, LENGTH, f"Height of {name} the next day", 0.0, _TALLEST_MM, none=(_UNKNOWN, 0.0)),
            QuantityField(document, COUNT, f"Popped before delivery, {name}", -1, _MOST_POPS, none=(_UNKNOWN, -1)),
            QuantityField(document, COUNT, f"Popped after delivery, {name}", -1, _MOST_POPS, none=(_UNKNOWN, -1)),
            Choices(f"Why balloons of {name} popped", [(words, why) for why, words in REASONS.items()]),
        )
        line.height.set_value(piece.height_mm or 0.0)
        line.next_day.set_value(0.0)
        # Where steps were ticked pops were recorded too; else nobody knows.
        line.before.set_value(piece.popped if piece.minutes or piece.popped else -1)
        line.after.set_value(-1)
        planned = format_length(piece.planned_mm, document.units) if piece.planned_mm else "–"
        widgets = (Label(name), Label(planned), line.height, line.next_day, line.before, line.after, line.why)
        heights = (line.height, line.next_day)
        for column, widget in enumerate(widgets):
            grid.addWidget(widget, number, column)
            if isinstance(widget, QuantityField):
                longest = "200.5 cm" if widget in heights else "999"
                widget.setFixedWidth(self.fontMetrics().horizontalAdvance(longest) + _PADDING_PX)
        self._lines.append(line)

    def filled_in(self) -> LogEntry | None:
        """The entry with what was filled in; None without pieces."""
        if self._entry is None:
            return None
        pieces = tuple(self._piece(line) for line in self._lines)
        return replace(
            self._entry,
            pieces=pieces,
            left_over=self.left_over.text()[:2000],
            client=self.client.text()[:2000],
            next_time=self.next_time.toPlainText()[:2000],
        )

    @staticmethod
    def _piece(line: _Line) -> LoggedPiece:
        """A piece as filled in."""
        before, after = (
            None if field.value is None or field.value < 0 else field.value for field in (line.before, line.after)
        )
        piece = with_pops(line.piece, before, after, line.why.value or "")
        return replace(piece, height_mm=line.height.value or None, next_day_mm=line.next_day.value or None)
