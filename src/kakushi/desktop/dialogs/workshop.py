"""The workshop: stock, bags, rules for materials, poles, bases, pops, work rates; stock is read from CSV and XLSX."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QFormLayout, QLineEdit, QTabWidget, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.dialogs.import_stock import ImportStockDialog
from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.desktop.widgets.value_table import Field, ValueTable, number_field, number_words, read_number
from kakushi.desktop.widgets.waiting import waited_for
from kakushi.formats.stock_import import read_sheets
from kakushi.model.catalogue import NominalSize
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.values import Value
from kakushi.model.workshop import (
    Bag,
    BaseKind,
    FrameRules,
    ItemRule,
    PoleKind,
    PopRecord,
    Rates,
    StockItem,
    Way,
)
from kakushi.session.edits import validated

_PER = (
    "job",
    "copy",
    "row",
    "joint",
    "balloon",
    "topper",
    "hung load",
    "accent",
    "cluster",
    "metre of pole",
    "metre of height",
    "pole joint",
)
_RATES = (
    ("inflate_s", "Inflate a balloon, s"),
    ("tie_s", "Tie a duplet or triplet, s"),
    ("row_s", "Stack a row, s"),
    ("part_s", "Put a part on, s"),
    ("set_up_s", "Set a copy up, s"),
)
_FRAME = (("kerf_mm", "Saw kerf, mm"), ("cover_m2", "A can covers, m²"), ("coats", "Coats"),
          ("spare_cans", "Spare cans"), ("can_price", "Price of a can"), ("paint_dry_h", "Paint dries, h"),
          ("glue_g", "Glue for a foam base, g"), ("glue_dry_h", "Glue sets, h"),
          ("modelling_in", "Modelling balloon, long, in"),
          ("modelling_wide_mm", "Modelling balloon, thick, mm"), ("line_tail_mm", "Tail of line, mm"))  # fmt: skip


_WAY = (("door_wide_mm", "Door, wide, mm"), ("door_tall_mm", "Door, tall, mm"), ("room_long_mm", "Vehicle, long, mm"),
        ("room_wide_mm", "Vehicle, wide, mm"), ("room_tall_mm", "Vehicle, tall, mm"))  # fmt: skip


def _lengths(text: str) -> tuple[float, ...]:
    parts = [part for part in text.replace(";", " ").split() if part]
    return tuple(value for part in parts if (value := read_number(part)) is not None)


def _lengths_words(value: object) -> str:
    return "; ".join(f"{length:g}" for length in value) if isinstance(value, tuple) else ""


class WorkshopDialog(Dialog):
    """Tabs of editable tables; nothing changes until “Keep”."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__("Stock, bags and rules", parent)
        self._document = document
        palette, studio = document.job.palette, document.studio
        colours = tuple((colour.name, colour.key) for colour in palette)
        self.tabs = QTabWidget()
        size = number_field("nominal_in", "Nominal, in")
        self.stock = ValueTable(
            StockItem, (size, Field("colour", "Colour", choices=colours), number_field("balloons", "Balloons")),
            "Balloons on hand, of every size and colour.",
            StockItem(nominal_in=11, colour=palette[0].key, balloons=0), studio.stock,
        )  # fmt: skip
        self.bags = ValueTable(
            Bag, (size, Field("colour", "Colour", choices=(("any colour", ""), *colours)),
                  number_field("balloons", "Balloons in a bag"), number_field("price", "Price")),
            "Bags as they are sold. A line for one colour replaces those for any colour.",
            Bag(nominal_in=11, balloons=50), studio.bags,
        )  # fmt: skip
        self.rules = ValueTable(
            ItemRule, (Field("item", "Item"), number_field("amount", "Amount"), Field("unit", "Unit"),
                       Field("per", "Per", choices=tuple((p, p) for p in _PER)), number_field("pack", "Pack of"),
                       number_field("price", "Price of a pack")),
            "What is used up per something counted, and how it is bought.",
            ItemRule(item="new item", amount=1), studio.rules,
        )  # fmt: skip
        self.poles = ValueTable(
            PoleKind, (Field("name", "Name"), number_field("diameter_mm", "Diameter, mm"),
                       number_field("g_per_m", "g per m"),
                       Field("stock_mm", "Stock lengths, mm", _lengths_words, _lengths),
                       Field("section_mm", "Section, mm", number_words, read_number),
                       number_field("price_per_m", "Price per m")),
            "Kinds of pole and the lengths they are sold in.",
            PoleKind(name="new pole", diameter_mm=25, g_per_m=250, stock_mm=(2000,)), studio.poles,
        )  # fmt: skip
        self.bases = ValueTable(
            BaseKind, (Field("name", "Name"), Field("kind", "Kind", choices=tuple((k, k) for k in _BASES)),
                       number_field("height_mm", "Height, mm"), number_field("radius_mm", "Radius, mm"),
                       number_field("mass_g", "Mass, g"), number_field("price", "Charge")),
            "Bases: the footprint is taken as round.",
            BaseKind(name="new base", height_mm=10, radius_mm=200, mass_g=5000), studio.bases,
        )  # fmt: skip
        self.pops = ValueTable(
            PopRecord, (size, Field("handling", "Where", choices=(("indoors", "indoors"), ("outdoors", "outdoors"))),
                        number_field("used", "Used"), number_field("popped", "Popped")),
            "Counted pops, by size. They make the spares your own.",
            PopRecord(nominal_in=11, handling="indoors", used=0, popped=0), studio.pops,
        )  # fmt: skip
        self.nominals = ValueTable(
            NominalSize, (size, number_field("latex_g", "One weighs, g"), number_field("fill_low", "Smallest fill"),
                          number_field("fill_high", "Largest fill")),
            "What balloons weigh (empty: usual latex) and how full they may be (1 is the nominal size).",
            NominalSize(nominal_in=10, fill_low=0.5, fill_high=0.95), studio.nominals,
        )  # fmt: skip
        self.import_button = tip_button(
            "Import from CSV or XLSX…", "Adds counts from a list; those of the same size and colour are replaced"
        )
        self.stock.buttons.insertWidget(2, self.import_button)
        self._build()
        self.import_button.clicked.connect(lambda _: self._on_import())
        self.add_main("Keep", "Keeps all tabs in the studio").clicked.connect(self._on_keep)
        self.add_close("Leave as it was")
        self.resize(760, 560)

    def _build(self) -> None:
        studio = self._document.studio
        self.tabs.addTab(self.stock, "Stock")
        self.tabs.addTab(self.bags, "Bags")
        self.tabs.addTab(self.rules, "Rules")
        self.tabs.addTab(self.poles, "Poles")
        self.tabs.addTab(self.bases, "Bases")
        self.tabs.addTab(self.pops, "Pops")
        self.tabs.addTab(self.nominals, "Latex")
        self._rates = _NumberForm(
            studio.rates, _RATES, "Seconds of work for one person; the price and the time left follow from them."
        )
        self._frame = _NumberForm(studio.frame_rules, _FRAME, "Cutting, painting, gluing, wrapping.")
        self.tabs.addTab(self._rates, "Work")
        self._way = _NumberForm(studio.way, _WAY, "What pieces go through, and the room in your vehicle.")
        self.tabs.addTab(self._frame, "Frames")
        self.tabs.addTab(self._way, "Way")
        self.column.addWidget(self.tabs, 1)

    def ask_file(self) -> Path | None:
        """Ask for a list of stock."""
        text, _ = QFileDialog.getOpenFileName(self, "Import stock", str(Path.home()), "Lists (*.csv *.txt *.xlsx)")
        return Path(text) if text else None

    def _on_import(self) -> None:
        path = self.ask_file()
        if path is None:
            return
        try:
            sheets = waited_for(lambda _: read_sheets(path), f"Reading “{path.name}”…", self)
            if sheets is None:
                return
            if not any(sheet.lines for sheet in sheets):
                raise BadInput(f"“{path.name}” has no table with heads and lines.")
        except KakushiError as error:
            self.say(self._document.said(error))
            return
        dialog = ImportStockDialog(sheets, self._document.job.palette, self)
        dialog.accepted.connect(lambda: self._take(dialog.items))
        dialog.open()

    def _take(self, items: tuple[StockItem, ...]) -> None:
        """Imported counts replace those of the same size and colour; everything else stays."""
        try:
            kept = {(item.nominal_in, item.colour): item for item in self.stock.values()}
        except BadInput as error:
            self.say(self._document.said(error))
            return
        kept |= {(item.nominal_in, item.colour): item for item in items}
        self.stock.show_values(tuple(kept.values()))
        self.say("")

    def _on_keep(self) -> None:
        try:
            self._document.keep_studio(
                stock=self.stock.values(),
                bags=self.bags.values(),
                rules=self.rules.values(),
                poles=self.poles.values(),
                bases=self.bases.values(),
                pops=self.pops.values(),
                nominals=self.nominals.values(),
                rates=self._rates.value(Rates),
                frame_rules=self._frame.value(FrameRules),
                way=self._way.value(Way),
            )
        except BadInput as error:
            self.say(self._document.said(error))
            return
        self.accept()


_BASES = ("stand", "plate", "foam", "weight")


class _NumberForm(QWidget):
    """Numbers of one value as a form."""

    def __init__(self, value: Value, fields: tuple[tuple[str, str], ...], explained: str) -> None:
        super().__init__()
        self._value, self._fields = value, fields
        self._edits = {name: QLineEdit(number_words(getattr(value, name))) for name, _ in fields}
        layout: QFormLayout = form()
        layout.setContentsMargins(12, 12, 12, 12)
        layout.addRow(quiet(explained))
        for name, words in fields:
            self._edits[name].setAccessibleName(words)
            layout.addRow(words, self._edits[name])
        self.setLayout(layout)

    def value(self, kind: type[Value]) -> Value:
        """The value with what was typed. Raises BadInput."""
        assert isinstance(self._value, kind)
        typed: dict[str, object] = {}
        for name, words in self._fields:
            number = read_number(self._edits[name].text())
            if number is None:
                raise BadInput(f"{words}: a number is missing.")
            typed[name] = int(number) if name in ("coats", "spare_cans") else number
        return validated(self._value, "setting", **typed)
