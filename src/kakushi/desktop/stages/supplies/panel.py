"""Supplies: how sure, from stock or bags, price, and what to do with the lists."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QLineEdit, QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.fields import form, quiet
from kakushi.session import edits
from kakushi.words.sheet import last_row_words, shortage_words
from kakushi.words.wording import Wording

_MAX_TOLD = 3
_AIMS = ("cheapest", "fewest left over")


class SuppliesPanel(Panel):
    """Tools of the Supplies stage. `stock_wanted` asks for the stock and its bags."""

    stock_wanted = pyqtSignal()

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._spares = _number("Certainty that nothing runs out, percent", 50, 99.9, " %", 1)
        self._aim = QComboBox()
        self._aim.addItems(_AIMS)
        self._aim.setAccessibleName("How bags are chosen")
        self._rows = quiet()
        self._short = quiet()
        self.stock = QPushButton("Stock, bags and rules…")
        self.refit = QPushButton("Choose rows within my stock")
        self.refit.setToolTip("Makes the stock a limit for the selected piece and chooses its rows anew")
        self._currency = QLineEdit()
        self._currency.setAccessibleName("Currency")
        self._currency.setMaxLength(12)
        self._prices = {
            "hourly": _number("Rate an hour", 0, 10_000),
            "delivery": _number("Delivery", 0, 100_000),
            "margin_percent": _number("Margin, percent", 0, 500, " %"),
            "tax_percent": _number("Tax", 0, 100, " %"),
        }
        self.print_button = QPushButton("Print the dossier (PDF)…")
        self.quote_button = QPushButton("Quote for the client (PDF)…")
        self.cost_button = QPushButton("Cost sheet for me (PDF)…")
        self.book_button = QPushButton("All lists as a workbook (XLSX)…")
        self.csv_button = QPushButton("This list as CSV…")
        self.copy_button = QPushButton("Copy this list as text")
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        fields = form()
        fields.addRow("Certainty", self._spares)
        self.section("Spare balloons", fields, first=True)
        self.column.addWidget(quiet("Chance that no size and colour runs out in the whole job."))
        self.column.addWidget(self._rows)
        buying = form()
        buying.addRow("Buy", self._aim)
        self.section("Stock and bags", buying)
        self.column.addWidget(self._short)
        self.column.addWidget(self.stock)
        self.column.addWidget(self.refit)
        prices = form()
        prices.addRow("Currency", self._currency)
        for words, name in (
            ("An hour", "hourly"),
            ("Delivery", "delivery"),
            ("Margin", "margin_percent"),
            ("Tax", "tax_percent"),
        ):
            prices.addRow(words, self._prices[name])
        self.section("Price", prices)
        box = QVBoxLayout()
        for button in (
            self.print_button,
            self.quote_button,
            self.cost_button,
            self.book_button,
            self.csv_button,
            self.copy_button,
        ):
            box.addWidget(button)
        self.section("Take along", box)

    def _connect(self) -> None:
        apply = self.document.apply
        self._spares.valueChanged.connect(
            lambda percent: apply(edits.set_settings("Change spares", confidence=percent / 100))
        )
        self._aim.activated.connect(lambda index: self.document.workshop.set_wishes(aim=_AIMS[index]))
        self._currency.editingFinished.connect(lambda: apply(edits.set_pricing(currency=self._currency.text().strip())))
        for name, field in self._prices.items():
            field.valueChanged.connect(lambda value, name=name: apply(edits.set_pricing(**{name: value})))
        self.stock.clicked.connect(lambda _: self.stock_wanted.emit())
        self.refit.clicked.connect(self._on_refit)
        self.document.dossier_changed.connect(self._show_dossier)

    def _on_refit(self) -> None:
        """The stock limits the fit of the selected piece."""
        piece, stock = self.document.piece, self.document.studio.stock
        if piece is None or not stock:
            self.show_problem("List your stock first.")
            return
        self.document.apply(edits.fit_within_stock(piece.key, stock))
        self.document.chooser.choose_rows()

    def refresh(self) -> None:
        job = self.document.job
        with QSignalBlocker(self._spares):
            self._spares.setValue(job.settings.confidence * 100)
        for name, field in self._prices.items():
            with QSignalBlocker(field):
                field.setValue(getattr(job.pricing, name))
        self._currency.setText(job.pricing.currency)
        self._show_dossier()

    def _show_dossier(self) -> None:
        dossier = self.document.dossier
        wording = Wording(dossier.plan.job, self.document.units)
        rows = [last_row_words(last, wording) for last in dossier.last_rows()]
        self._rows.setText("\n".join(rows))
        self._rows.setVisible(bool(rows))
        told = [shortage_words(shortage, wording) for shortage in dossier.shortages[:_MAX_TOLD]]
        if more := len(dossier.shortages) - _MAX_TOLD:
            told += [f"…and {more} more, see “To buy”."] if more > 0 else []
        self._short.setText(
            "\n".join(told)
            or ("Your stock covers it." if self.document.studio.stock else "No stock listed: everything is bought.")
        )


def _number(name: str, low: float, high: float, suffix: str = "", decimals: int = 2) -> QDoubleSpinBox:
    field = QDoubleSpinBox()
    field.setRange(low, high)
    field.setDecimals(decimals if suffix != " %" else 1)
    field.setSuffix(suffix)
    field.setAccessibleName(name)
    field.setKeyboardTracking(False)
    return field
