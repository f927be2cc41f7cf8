"""Values of the studio as an editable table: one line a value, one column a field; wrong cells say why."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from pydantic import ValidationError
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QStyledItemDelegate,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.forms.choices import Combo
from kakushi.desktop.widgets.fields import quiet, tip_button
from kakushi.model.errors import BadInput
from kakushi.model.quantities import Quantity
from kakushi.model.units import UnitSystem
from kakushi.model.values import Value

V = TypeVar("V", bound=Value)


@dataclass(frozen=True, slots=True)
class Field:
    """A column: the value's field, its heading, how it is shown and read; `choices` are (shown, stored) pairs."""

    name: str
    head: str
    show: Callable[[Any], str] = str
    read: Callable[[str], object] = str
    choices: tuple[tuple[str, str], ...] = ()
    is_number: bool = False

    def words_of(self, stored: object) -> str:
        """How a stored value is shown."""
        return next((words for words, key in self.choices if key == stored), None) or self.show(stored)

    def read_words(self, text: str) -> object:
        """Value of a cell's text. Raises BadInput."""
        chosen = dict(self.choices)
        return chosen[text] if text in chosen else self.read(text)


def column(name: str, head: str, quantity: Quantity, units: UnitSystem = UnitSystem.METRIC) -> Field:
    """A column of quantities; an empty cell is no value."""
    return Field(
        name,
        head,
        lambda value: "" if value is None else quantity.show(value, units),
        lambda text: quantity.read(text, units, head.lower()) if text.strip() else None,
        is_number=True,
    )


_STORED = Qt.ItemDataRole.UserRole
"""Of a cell: what it showed at first, and the value that stands for."""


class _Chooser(QStyledItemDelegate):
    """A cell with a list to choose from."""

    def __init__(self, choices: Sequence[tuple[str, str]], parent: QWidget) -> None:
        super().__init__(parent)
        self._choices = choices

    def createEditor(self, parent: QWidget | None, option: object, index: object) -> QWidget:
        box = Combo(parent)
        box.addItems([words for words, _ in self._choices])
        return box


class ValueTable(QWidget, Generic[V]):
    """Edits a tuple of values of one kind."""

    def __init__(self, kind: type[V], fields: Sequence[Field], explained: str, fresh: V, values: Sequence[V]) -> None:
        super().__init__()
        self._kind, self._fields, self._fresh = kind, fields, fresh
        self.table = QTableWidget(0, len(fields))
        self.table.setHorizontalHeaderLabels([field.head for field in fields])
        self.table.setAccessibleName(explained)
        self.table.setAlternatingRowColors(True)
        self.table.setShowGrid(False)
        if (header := self.table.verticalHeader()) is not None:
            header.hide()
        if (header := self.table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        for place, field in enumerate(fields):
            if field.choices:
                self.table.setItemDelegateForColumn(place, _Chooser(field.choices, self.table))
        self.add, self.remove = (
            tip_button("Add a line", "A new line at the end"),
            tip_button("Remove the line", "Removes the chosen line"),
        )
        self.buttons = QHBoxLayout()
        self.buttons.addWidget(self.add)
        self.buttons.addWidget(self.remove)
        self.buttons.addStretch(1)
        layout = QVBoxLayout(self)
        layout.addWidget(quiet(explained))
        layout.addWidget(self.table, 1)
        layout.addLayout(self.buttons)
        self.add.clicked.connect(lambda _: self._append(self._fresh, True))
        self.remove.clicked.connect(lambda _: self.table.removeRow(self.table.currentRow()))
        self.show_values(values)

    def show_values(self, values: Sequence[V]) -> None:
        """Fill the table."""
        self.table.setRowCount(0)
        for value in values:
            self._append(value, False)

    def _append(self, value: V, chosen: bool) -> None:
        row = self.table.rowCount()
        self.table.insertRow(row)
        for place, field in enumerate(self._fields):
            stored = getattr(value, field.name)
            words = field.words_of(stored)
            item = QTableWidgetItem(words)
            item.setData(_STORED, (words, stored))
            if field.is_number:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(row, place, item)
        if chosen:
            self.table.setCurrentCell(row, 0)

    def values(self) -> tuple[V, ...]:
        """What the table holds. Raises BadInput naming line and column."""
        return tuple(self._value(row) for row in range(self.table.rowCount()))

    def _value(self, row: int) -> V:
        cells: dict[str, object] = {}
        for place, field in enumerate(self._fields):
            item = self.table.item(row, place)
            text = item.text().strip() if item else ""
            try:
                # What nobody touched stays as exact as it was.
                words, stored = item.data(_STORED) if item else ("", None)
                read = stored if text == words else field.read_words(text)
            except BadInput as error:
                raise BadInput(f"Line {row + 1}, {field.head}: {error}") from error
            if read is not None:
                cells[field.name] = read
        try:
            return self._kind.model_validate(cells)
        except ValidationError as error:
            first = error.errors(include_url=False, include_input=False)[0]
            heads = {field.name: field.head for field in self._fields}
            where = heads.get(str(first["loc"][0]) if first["loc"] else "", "")
            raise BadInput(f"Line {row + 1}{f', {where}' if where else ''}: {first['msg'].lower()}.") from error
