"""The list of all jobs: thousands of entries, shown as they are scrolled to."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from kakushi.model.log import LogLine
from kakushi.model.units import UnitSystem
from kakushi.words.log import LOG_COLUMNS, log_cell

_ROLE = Qt.ItemDataRole


class LogTable(QAbstractTableModel):
    """Entries of the log in short."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: Sequence[LogLine] = ()
        self._units = UnitSystem.METRIC

    def show(self, lines: Sequence[LogLine], units: UnitSystem) -> None:
        """Show other entries."""
        self.beginResetModel()
        self.lines, self._units = lines, units
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.lines)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(LOG_COLUMNS)

    def data(self, index: QModelIndex, role: int = _ROLE.DisplayRole) -> Any:
        column = LOG_COLUMNS[index.column()]
        if role == _ROLE.DisplayRole:
            return log_cell(self.lines[index.row()], column.key, self._units)
        if role == _ROLE.TextAlignmentRole and column.kind != "text":
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = _ROLE.DisplayRole) -> Any:
        if role == _ROLE.DisplayRole and orientation is Qt.Orientation.Horizontal:
            return LOG_COLUMNS[section].head
        return None
