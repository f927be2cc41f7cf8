"""A list of a job as a table: headings sort it, chips show colours, sums stand below."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QFont, QFontMetrics
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from kakushi.desktop.widgets.fields import chip_icon
from kakushi.desktop.widgets.painting import scaled
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem
from kakushi.words.cells import cell_words
from kakushi.words.lists import Cell, Column, Listing

_LEFT = ("text", "colour")
_WIDEST_EM = 30
_CELL_PX, _HEAD_PX = 10, 22


class NumberItem(QTableWidgetItem):
    """Sorts by its number, not by its text."""

    def __init__(self, value: float, text: str) -> None:
        super().__init__(text)
        self.value = value
        self.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def __lt__(self, other: QTableWidgetItem) -> bool:
        return isinstance(other, NumberItem) and self.value < other.value


class ListingTable(QTableWidget):
    """Shows one listing at a time."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setAlternatingRowColors(True)
        self.setWordWrap(True)
        self.setIconSize(QSize(30, 20))
        self.setShowGrid(False)
        if (header := self.verticalHeader()) is not None:
            header.hide()

    def show_listing(self, listing: Listing, job: Job, units: UnitSystem) -> None:
        """Fill the table; the order starts as the listing's."""
        columns = listing.columns
        self.setSortingEnabled(False)
        self.setColumnCount(len(columns) + 1)
        self.setHorizontalHeaderLabels([*(column.head for column in columns), ""])
        self.setRowCount(len(listing.rows))
        for line, row in enumerate(listing.rows):
            for place, (column, cell) in enumerate(zip(columns, row, strict=True)):
                self.setItem(line, place, self._item(column, cell, job, units))
            self.setItem(line, len(columns), QTableWidgetItem())
        self._arrange(columns)
        self.setSortingEnabled(True)
        self.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
        self.setCurrentCell(-1, -1)

    def _item(self, column: Column, cell: Cell, job: Job, units: UnitSystem) -> QTableWidgetItem:
        words = cell_words(column, cell, job, units)
        if isinstance(cell, int | float):
            item: QTableWidgetItem = NumberItem(float(cell), words)
        elif cell is None and column.kind not in _LEFT:
            item = NumberItem(0.0, "–")
        else:
            item = QTableWidgetItem(words)
            if column.kind == "colour":
                item.setIcon(chip_icon(job.colour(str(cell))))
        if column.key == "total":
            font = QFont(self.font())
            font.setBold(True)
            item.setFont(font)
        return item

    def _arrange(self, columns: tuple[Column, ...]) -> None:
        header = self.horizontalHeader()
        if header is None:
            return
        em = self.fontMetrics().horizontalAdvance("m")
        header.setMinimumSectionSize(8)
        header.setFixedHeight(self.fontMetrics().height() * 2 + 12)
        for place, column in enumerate(columns):
            if (item := self.horizontalHeaderItem(place)) is not None:
                side = Qt.AlignmentFlag.AlignLeft if column.kind in _LEFT else Qt.AlignmentFlag.AlignRight
                aligned = side | Qt.AlignmentFlag.AlignVCenter
                item.setTextAlignment(aligned.value | Qt.TextFlag.TextWordWrap.value)
        # A last, empty column takes what is left, so that numbers stand near their heads.
        header.setSectionResizeMode(len(columns), QHeaderView.ResizeMode.Stretch)
        for place, column in enumerate(columns):
            header.setSectionResizeMode(place, QHeaderView.ResizeMode.Interactive)
            header.resizeSection(place, min(self._wanted(place, column), em * _WIDEST_EM))
        self.resizeRowsToContents()

    def _wanted(self, place: int, column: Column) -> int:
        """Room for the widest cell and the longest word of the heading, which may take two lines."""
        cells = self.sizeHintForColumn(place)
        metrics = QFontMetrics(scaled(self.font(), 1.0, bold=True))
        words = column.head.split() or [""]
        splits = [(" ".join(words[:i]), " ".join(words[i:])) for i in range(1, len(words) + 1)]
        head = min(max(metrics.horizontalAdvance(part) for part in split) for split in splits)
        return max(cells + _CELL_PX, head + _HEAD_PX)

    def as_text(self) -> str:
        """The list as tab-separated text, in the order shown."""
        columns = range(self.columnCount() - 1)
        lines = ["\t".join(self._text(self.horizontalHeaderItem(c)) for c in columns)]
        lines += ["\t".join(self._text(self.item(row, c)) for c in columns) for row in range(self.rowCount())]
        return "\n".join(lines)

    @staticmethod
    def _text(item: QTableWidgetItem | None) -> str:
        return item.text() if item else ""
