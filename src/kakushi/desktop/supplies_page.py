"""The supplies list over the whole job: totals, then one column per piece."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document import Document
from kakushi.desktop.fields import chip_icon, quiet
from kakushi.model.units import format_nominal
from kakushi.planning import PiecePlan
from kakushi.prep.supplies import totals

_PIECE_EM = 9
_COLUMNS = ("Nominal", "Colour", "Needed", "Spares", "Total")


class _NumberItem(QTableWidgetItem):
    """Sorts by its number, not by its text."""

    def __init__(self, value: float, text: str) -> None:
        super().__init__(text)
        self.value = value
        self.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def __lt__(self, other: QTableWidgetItem) -> bool:
        return isinstance(other, _NumberItem) and self.value < other.value


class SuppliesPage(QWidget):
    """A table that follows the plan; headings sort it."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._title = QLabel("Supplies for the whole job")
        self._title.setProperty("role", "title")
        self._sums = quiet()
        self.table = QTableWidget()
        self.table.setAccessibleName("Supplies")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setAlternatingRowColors(True)
        self.table.setWordWrap(False)
        self.table.setIconSize(QSize(30, 20))
        self.table.setShowGrid(False)
        header = self.table.verticalHeader()
        if header is not None:
            header.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(self._title)
        layout.addWidget(self._sums)
        layout.addWidget(self.table, 1)
        document.plan_changed.connect(self._show)
        document.preferences_changed.connect(self._show)

    def _show(self) -> None:
        plan = self._document.plan
        pieces = [p for p in plan.pieces if p.supplies]
        heads = [*_COLUMNS, *(self._head(p) for p in pieces), ""]
        self.table.setSortingEnabled(False)
        self.table.setColumnCount(len(heads))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.setRowCount(len(plan.supplies))
        for index, line in enumerate(plan.supplies):
            colour = plan.job.colour(line.colour)
            self.table.setItem(index, 0, _NumberItem(line.nominal_in, format_nominal(line.nominal_in)))
            name = QTableWidgetItem(chip_icon(colour), colour.name)
            self.table.setItem(index, 1, name)
            for place, piece in enumerate(pieces, len(_COLUMNS)):
                needed = sum(
                    s.needed for s in piece.supplies if (s.nominal_in, s.colour) == (line.nominal_in, line.colour)
                )
                self.table.setItem(index, place, _NumberItem(needed, str(needed) if needed else "–"))
            for place, number in enumerate((line.needed, line.spares, line.total), 2):
                item = _NumberItem(number, str(number))
                if heads[place] == "Total":
                    font = QFont(self.font())
                    font.setBold(True)
                    item.setFont(font)
                self.table.setItem(index, place, item)
            self.table.setItem(index, len(heads) - 1, QTableWidgetItem())
        self._align_heads(len(heads))
        self.table.setSortingEnabled(True)
        self.table.setCurrentCell(-1, -1)
        self._size_columns(len(heads))
        sums = totals(plan.supplies)
        self._sums.setText(
            f"{sums.needed} balloons needed + {sums.spares} spares = {sums.total} to buy, all copies included."
            if plan.supplies
            else "Nothing to buy yet: choose rows for a piece first."
        )

    @staticmethod
    def _head(piece: PiecePlan) -> str:
        name, copies = piece.piece.name, len(piece.piece.copies)
        return f"{name} × {copies}" if copies > 1 else name

    def _align_heads(self, count: int) -> None:
        for column in range(count):
            item = self.table.horizontalHeaderItem(column)
            if item is not None:
                side = Qt.AlignmentFlag.AlignLeft if column == 1 else Qt.AlignmentFlag.AlignRight
                aligned = side | Qt.AlignmentFlag.AlignVCenter
                item.setTextAlignment(aligned.value | Qt.TextFlag.TextWordWrap.value)

    def _size_columns(self, count: int) -> None:
        header = self.table.horizontalHeader()
        if header is None:
            return
        header.setMinimumSectionSize(8)
        header.setFixedHeight(self.fontMetrics().height() * 2 + 12)
        for column in range(count):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        for column in range(len(_COLUMNS), count - 1):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(column, self.fontMetrics().horizontalAdvance("m") * _PIECE_EM)
        # A last, empty column takes what is left, so that numbers stand near their heads.
        header.setSectionResizeMode(count - 1, QHeaderView.ResizeMode.Stretch)

    def as_text(self) -> str:
        """The list as tab-separated text, in the order shown."""
        columns = range(self.table.columnCount() - 1)
        heads = [self._text(self.table.horizontalHeaderItem(c)) for c in columns]
        lines = ["\t".join(heads)]
        for row in range(self.table.rowCount()):
            cells = [self._text(self.table.item(row, c)) for c in columns]
            lines.append("\t".join(cells))
        return "\n".join(lines)

    @staticmethod
    def _text(item: QTableWidgetItem | None) -> str:
        return item.text() if item else ""
