"""Which columns of a list hold size, colour and number; what comes of it is shown before it is taken."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.forms.choices import Combo
from kakushi.desktop.widgets.fields import form, quiet
from kakushi.desktop.widgets.label import Label
from kakushi.formats.read.stock_import import Imported, Mapping, Sheet, guessed, imported
from kakushi.model.catalogue import BalloonColour
from kakushi.model.units import format_nominal
from kakushi.model.workshop import StockItem

_MAX_SHOWN, _MAX_TOLD = 200, 6
"""Lines of the preview, and lines named one by one in a sentence."""


class ImportStockDialog(Dialog):
    """Maps columns of a stock list; `items` is the stock read."""

    def __init__(self, sheets: Sequence[Sheet], palette: Sequence[BalloonColour], parent: QWidget | None) -> None:
        super().__init__("Import stock", parent)
        self._sheets, self._palette = [s for s in sheets if s.lines], palette
        self._which = Combo()
        self._which.addItems([sheet.name for sheet in self._sheets])
        self.columns = {name: Combo() for name in ("nominal", "colour", "balloons")}
        self._told = Label()
        self._told.setWordWrap(True)
        self._shown = QTableWidget(0, 3)
        self._shown.setHorizontalHeaderLabels(["Nominal", "Colour", "Balloons"])
        self._shown.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self._shown.setAccessibleName("Stock found")
        if (header := self._shown.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        fields = form()
        fields.addRow("Table", self._which)
        for (name, box), words in zip(
            self.columns.items(), ("Nominal size", "Colour", "Balloons on hand"), strict=True
        ):
            box.setAccessibleName(f"Column for {name}")
            fields.addRow(words, box)
            box.activated.connect(lambda _: self._show())
        self.column.addLayout(fields)
        self.column.addWidget(
            quiet("Counts replace what is in stock of the same size and colour. Formulas are never worked out.")
        )
        self.column.addWidget(self._shown, 1)
        self.column.addWidget(self._told)
        self._take = self.add_main("Take these", "Their counts go into the table of the stock", keeps=False)
        self._take.clicked.connect(self.accept)
        self.add_close("Leave it")
        self._which.activated.connect(lambda _: self._on_sheet())
        self._found = Imported((), ())
        self._on_sheet()
        self.open_at(560, 560)

    @property
    def items(self) -> tuple[StockItem, ...]:
        """The stock that was found."""
        return self._found.items

    def _on_sheet(self) -> None:
        sheet = self._sheets[self._which.currentIndex()]
        guess = guessed(sheet)
        for name, box in self.columns.items():
            box.clear()
            box.addItems(["–", *(head or f"column {i}" for i, head in enumerate(sheet.heads, 1))])
            box.setCurrentIndex(getattr(guess, name) + 1 if guess else 0)
        self._show()

    def _show(self) -> None:
        places = {name: box.currentIndex() - 1 for name, box in self.columns.items()}
        if min(places.values()) < 0:
            self._found = Imported((), ("Choose the three columns.",))
        else:
            self._found = imported(self._sheets[self._which.currentIndex()], Mapping(**places), self._palette)
        names = {colour.key: colour.name for colour in self._palette}
        self._shown.setRowCount(min(len(self._found.items), _MAX_SHOWN))
        for row, item in enumerate(self._found.items[:_MAX_SHOWN]):
            words = (format_nominal(item.nominal_in), names.get(item.colour, item.colour), str(item.balloons))
            for place, text in enumerate(words):
                self._shown.setItem(row, place, QTableWidgetItem(text))
        problems = list(self._found.problems[:_MAX_TOLD])
        if (more := len(self._found.problems) - _MAX_TOLD) > 0:
            problems.append(f"…and {more} more lines were left out.")
        self._told.setText("\n".join(problems))
        self._take.setEnabled(bool(self._found.items))
