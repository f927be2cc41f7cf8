"""Supplies: how sure, from stock or bags, price, and what to do with the lists."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.form import BoundForm, choice, quantity, text
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.fields import quiet, tip_button
from kakushi.model.quantities import MONEY, PERCENT, SHARE
from kakushi.session import edits
from kakushi.words.sheet import last_row_words, shortage_words
from kakushi.words.wording import Wording

_MAX_TOLD = 3
_AIMS = (("cheapest", "cheapest"), ("fewest left over", "fewest left over"))
_SPARES = (quantity("confidence", "Certainty", SHARE, "Certainty that nothing runs out"),)
_BUYING = (choice("aim", "Buy", _AIMS, "How bags are chosen"),)
_PRICE = (
    text("currency", "Currency"),
    quantity("hourly", "An hour", MONEY, "Rate an hour"),
    quantity("delivery", "Delivery", MONEY, "Delivery"),
    quantity("margin_percent", "Margin", PERCENT, "Margin, percent"),
    quantity("tax_percent", "Tax", PERCENT, "Tax"),
)


class SuppliesPanel(Panel):
    """Tools of the Supplies stage. `stock_wanted` asks for the stock and its bags."""

    stock_wanted = pyqtSignal()

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._spares = BoundForm(document, _SPARES)
        self._buying = BoundForm(document, _BUYING)
        self._price = BoundForm(document, _PRICE)
        self._rows = quiet()
        self._short = quiet()
        self.stock = tip_button("Stock, bags and rules…", "What you have, what shops sell, what is used up")
        self.refit = QPushButton("Choose rows within my stock")
        self.refit.setToolTip("Makes the stock a limit for the selected piece and chooses its rows again")
        self.print_button = tip_button("Print…", "Build sheets, lists and cards; you choose which (Ctrl+P)")
        self.quote_button = tip_button(
            "Quote for the client (PDF)…", "The scene, what is included and the price (Ctrl+Shift+P)"
        )
        self.cost_button = tip_button("Cost sheet for me (PDF)…", "What the price rests on")
        self.book_button = tip_button("All lists as a workbook (XLSX)…", "Every list on a sheet of its own")
        self.csv_button = tip_button("This list as CSV…", "The list in the middle, for other programs")
        self.copy_button = tip_button("Copy this list as text", "The list in the middle, to paste into a message")
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        self.section("Spare balloons", self._spares, first=True)
        self.column.addWidget(quiet("Chance that no size and colour runs out in the whole job."))
        self.column.addWidget(self._rows)
        self.section("Stock and bags", self._buying)
        self.column.addWidget(self._short)
        self.column.addWidget(self.stock)
        self.column.addWidget(self.refit)
        self.section("Price", self._price)
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
        self._spares.changed.connect(lambda changes: apply(edits.set_settings("Change spares", **changes)))
        self._buying.changed.connect(self._on_buying)
        self._price.changed.connect(lambda changes: apply(edits.set_pricing(**changes)))
        for source in (self._spares, self._price):
            source.problem.connect(self.show_problem)
        self.stock.clicked.connect(lambda _: self.stock_wanted.emit())
        self.refit.clicked.connect(self._on_refit)
        self.document.dossier_changed.connect(self._show_dossier)

    def _on_buying(self, changes: dict[str, object]) -> None:
        self.document.workshop.set_wishes(**changes)
        self._show_wishes()

    def _show_wishes(self) -> None:
        self._buying.show_value(None, aim=self.document.workshop.wishes.aim)

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
        self._spares.show_value(job.settings)
        self._show_wishes()
        self._price.show_value(job.pricing)
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
