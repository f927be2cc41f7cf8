"""The lists of the Supplies stage: balloons, what to buy, materials, cut list, cost, packing."""

from __future__ import annotations

from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.listing_table import ListingTable
from kakushi.words.lists import Listing, lists_of
from kakushi.words.wording import counted

TABS = (
    ("supplies", "Balloons"), ("buying", "To buy"), ("materials", "Materials"), ("cuts", "Cut list"),
    ("packing", "Packing"), ("cost", "Cost"),
)  # fmt: skip


class SuppliesPage(QWidget):
    """One list at a time, of the whole job."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._title = Label("Supplies for the whole job")
        self._title.setProperty("role", "title")
        self._note = quiet()
        self._sums = Label()
        self._sums.setProperty("role", "heading")
        self.table = ListingTable("Supplies")
        self._tabs = QButtonGroup(self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(self._title)
        layout.addLayout(self._build_tabs())
        layout.addWidget(self._note)
        layout.addWidget(self.table, 1)
        layout.addWidget(self._sums)
        self._key = TABS[0][0]
        document.dossier_changed.connect(self._show_if_seen)
        document.preferences_changed.connect(self._show_if_seen)

    def _build_tabs(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(3)
        for index, (_, words) in enumerate(TABS):
            button = QToolButton()
            button.setText(words)
            button.setToolTip(f"The list “{words}” of the whole job")
            button.setCheckable(True)
            button.setChecked(index == 0)
            self._tabs.addButton(button, index)
            row.addWidget(button)
        row.addStretch(1)
        self._tabs.idClicked.connect(lambda index: self.show_list(TABS[index][0]))
        return row

    def show_list(self, key: str) -> None:
        """Show one of the lists by its key."""
        self._key = key
        if button := self._tabs.button([k for k, _ in TABS].index(key)):
            button.setChecked(True)
        self._show()

    @property
    def listing(self) -> Listing | None:
        """The list that is shown."""
        return self._lists.get(self._key)

    @property
    def _lists(self) -> dict[str, Listing]:
        return lists_of(self._document.dossier, self._document.units)

    def showEvent(self, event: object) -> None:
        self._show()

    def _show_if_seen(self) -> None:
        if self.isVisible():
            self._show()

    def _show(self) -> None:
        listing = self.listing
        if listing is None:
            return
        dossier = self._document.dossier
        self.table.show_listing(listing, dossier.plan.job, self._document.units)
        self._note.setText(listing.note)
        self._sums.setText(self._sums_words())

    def _sums_words(self) -> str:
        dossier = self._document.dossier
        supplies = self._lists["supplies"]
        needed, spares = (int(supplies.total(key)) for key in ("needed", "spares"))
        currency = dossier.plan.job.pricing.currency
        cost = dossier.cost
        match self._key:
            case "supplies" if needed:
                return (
                    f"{counted(needed, 'balloon')} needed + {spares} spares = {needed + spares}, all copies included."
                )
            case "supplies":
                return "Nothing to buy yet: choose rows for a piece first."
            case "buying" | "materials":
                total = f"{self._lists[self._key].total('cost'):.2f} {currency}".strip()
                return f"{total} in whole {'bags' if self._key == 'buying' else 'packs'}."
            case "cuts" if not self._lists["cuts"].rows:
                return "No pole has a length yet: choose one in the Stand stage."
            case "cost":
                return f"Price: {cost.price:.2f} {currency}".strip()
            case _:
                return ""

    def as_text(self) -> str:
        """The list as tab-separated text, in the order shown."""
        return self.table.as_text()
