"""The workshop: stock, bags, rules for materials, poles, bases, pops, work rates; stock is read from CSV and XLSX."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, get_args

from PyQt6.QtWidgets import QFileDialog, QTabWidget, QVBoxLayout, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.dialogs.import_stock import ImportStockDialog
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.form import BoundForm, Line, quantity, text
from kakushi.desktop.forms.value_table import Field, ValueTable, column
from kakushi.desktop.widgets.fields import quiet, tip_button
from kakushi.desktop.widgets.waiting import waited_for
from kakushi.formats.read.stock_import import read_sheets
from kakushi.model.catalogue import BalloonColour, NominalSize, Studio
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.frame import Base
from kakushi.model.quantities import COUNT, HOURS, LENGTH, MASS, MONEY, SECONDS, SHARE, number, parts_of
from kakushi.model.units import UnitSystem
from kakushi.model.values import Value, replace
from kakushi.model.workshop import Bag, BaseKind, ItemRule, Per, PoleKind, PopRecord, StockItem

_PLAIN = number(4, 1.0)
_INCHES = number(3, 1.0)
"""Nominal sizes are printed on the bag in inches, whatever lengths are shown in."""


@dataclass(frozen=True, slots=True)
class _Tab:
    """A table of the studio: its field, the tab's name, what it holds, a fresh line."""

    name: str
    title: str
    kind: type[Value]
    columns: tuple[Field, ...]
    explained: str
    fresh: Value


def _words(values: Sequence[str]) -> tuple[tuple[str, str], ...]:
    return tuple((value, value) for value in values)


def _tables(palette: Sequence[BalloonColour], units: UnitSystem) -> tuple[_Tab, ...]:
    """All tables, lengths and masses in the units that are shown."""
    return (*_of_balloons(palette), *_of_frames(units), *_of_use())


_SIZE = column("nominal_in", "Nominal, in", _INCHES)


def _of_balloons(palette: Sequence[BalloonColour]) -> tuple[_Tab, ...]:
    colours = tuple((colour.name, colour.key) for colour in palette)
    return (
        _Tab(
            "stock", "Stock", StockItem,
            (_SIZE, Field("colour", "Colour", choices=colours), column("balloons", "Balloons", COUNT)),
            "Balloons on hand, of every size and colour.",
            StockItem(nominal_in=11, colour=palette[0].key, balloons=0),
        ),
        _Tab(
            "bags", "Bags", Bag,
            (_SIZE, Field("colour", "Colour", choices=(("any colour", ""), *colours)),
             column("balloons", "Balloons in a bag", COUNT), column("price", "Price", MONEY)),
            "Bags as they are sold. A line for one colour replaces those for any colour.",
            Bag(nominal_in=11, balloons=50),
        ),
    )  # fmt: skip


def _of_frames(units: UnitSystem) -> tuple[_Tab, ...]:
    def length(name: str, head: str) -> Field:
        return column(name, head, LENGTH, units)

    lengths = Field(
        "stock_mm",
        "Stock lengths",
        lambda values: "; ".join(LENGTH.show(mm, units) for mm in values),
        lambda text: tuple(LENGTH.read(part, units, "stock length") for part in parts_of(text)),
    )
    return (
        _Tab(
            "poles", "Poles", PoleKind,
            (Field("name", "Name"), length("diameter_mm", "Diameter"), column("g_per_m", "g per m", _PLAIN), lengths,
             length("section_mm", "Section"), column("price_per_m", "Price per m", MONEY)),
            "Kinds of pole and the lengths they are sold in.",
            PoleKind(name="new pole", diameter_mm=25, g_per_m=250, stock_mm=(2000,)),
        ),
        _Tab(
            "bases", "Bases", BaseKind,
            (Field("name", "Name"), Field("kind", "Kind", choices=_words(_BASES)), length("height_mm", "Height"),
             length("radius_mm", "Radius"), column("mass_g", "Mass", MASS, units), column("price", "Charge", MONEY)),
            "Bases: the footprint is taken as round.",
            BaseKind(name="new base", height_mm=10, radius_mm=200, mass_g=5000),
        ),
    )  # fmt: skip


def _of_use() -> tuple[_Tab, ...]:
    return (
        _Tab(
            "rules", "Rules", ItemRule,
            (Field("item", "Item"), column("amount", "Amount", _PLAIN), Field("unit", "Unit"),
             Field("per", "Per", choices=_words(get_args(Per))), column("pack", "Pack of", _PLAIN),
             column("price", "Price of a pack", MONEY)),
            "What is used up per something counted, and how it is bought.",
            ItemRule(item="new item", amount=1),
        ),
        _Tab(
            "pops", "Pops", PopRecord,
            (_SIZE, Field("handling", "Where", choices=_words(("indoors", "outdoors"))), column("used", "Used", COUNT),
             column("popped", "Popped", COUNT)),
            "Counted pops, by size. They make the spares your own.",
            PopRecord(nominal_in=11, handling="indoors", used=0, popped=0),
        ),
        _Tab(
            "nominals", "Latex", NominalSize,
            (_SIZE, column("latex_g", "One weighs, g", _PLAIN), column("fill_low", "Smallest fill", SHARE),
             column("fill_high", "Largest fill", SHARE)),
            "What balloons weigh (empty: usual latex) and how full they may be (100 % is the nominal size).",
            NominalSize(nominal_in=10, fill_low=0.5, fill_high=0.95),
        ),
    )  # fmt: skip


_BASES = tuple(kind for kind in get_args(Base.model_fields["kind"].annotation) if kind != "none")
_FORMS: tuple[tuple[str, str, str, tuple[Line, ...]], ...] = (
    (
        "rates",
        "Work",
        "Work of one person; the price and the time left follow from it.",
        (
            quantity("inflate_s", "Inflate a balloon", SECONDS),
            quantity("tie_s", "Tie a duplet or triplet", SECONDS),
            quantity("insert_s", "Put something into a balloon", SECONDS),
            quantity("row_s", "Stack a row", SECONDS),
            quantity("part_s", "Put a part on", SECONDS),
            quantity("set_up_s", "Set a copy up", SECONDS),
        ),
    ),
    (
        "frame_rules",
        "Frames",
        "Cutting, painting, gluing, wrapping.",
        (
            quantity("kerf_mm", "Saw kerf", LENGTH, step=1.0),
            quantity("cover_m2", "A can covers", _PLAIN, suffix=" m²"),
            quantity("coats", "Coats", COUNT),
            quantity("spare_cans", "Spare cans", COUNT),
            quantity("can_price", "Price of a can", MONEY),
            quantity("paint_dry_h", "Paint dries", HOURS),
            quantity("glue_g", "Glue for a foam base", MASS),
            quantity("glue_dry_h", "Glue sets", HOURS),
            quantity("modelling_in", "Modelling balloon, long", _INCHES, suffix=" in"),
            quantity("modelling_wide_mm", "Modelling balloon, thick", LENGTH, step=1.0),
            quantity("line_tail_mm", "Tail of line", LENGTH),
        ),
    ),
    (
        "sign",
        "Your name",
        "Shown to clients on a quote.",
        (text("name", "Name", "Name of the studio"), text("contact", "Contact", "Telephone, mail or web address")),
    ),
    (
        "way",
        "Way",
        "What pieces go through, and the room in your vehicle.",
        (
            quantity("door_wide_mm", "Door, wide", LENGTH),
            quantity("door_tall_mm", "Door, tall", LENGTH),
            quantity("room_long_mm", "Vehicle, long", LENGTH),
            quantity("room_wide_mm", "Vehicle, wide", LENGTH),
            quantity("room_tall_mm", "Vehicle, tall", LENGTH),
        ),
    ),
)


class _StagedForm(QWidget):
    """Fields of one value of the studio, which is kept with all the others."""

    def __init__(self, document: Document, value: Value, lines: tuple[Line, ...], explained: str) -> None:
        super().__init__()
        self.value = value
        self.fields = BoundForm(document, lines)
        layout = QVBoxLayout(self)
        layout.addWidget(quiet(explained))
        layout.addWidget(self.fields)
        layout.addStretch(1)
        self.fields.changed.connect(self._take)
        self.fields.show_value(value)

    def _take(self, changes: dict[str, object]) -> None:
        self.value = replace(self.value, **changes)
        self.fields.show_value(self.value)


class WorkshopDialog(Dialog):
    """Tabs of editable tables; nothing changes until “Keep”."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__("Stock, bags and rules", parent)
        self._document = document
        studio: Studio = document.studio
        self.tabs = QTabWidget()
        self.tabs.setAccessibleName("Workshop")
        if (bar := self.tabs.tabBar()) is not None:
            bar.setAccessibleName("Lists of the workshop")
        self.tables: dict[str, ValueTable[Any]] = {}
        for tab in _tables(document.job.palette, document.units):
            values = getattr(studio, tab.name)
            table = self.tables[tab.name] = ValueTable(tab.kind, tab.columns, tab.explained, tab.fresh, values)
            self.tabs.addTab(table, tab.title)
        self._forms = {
            name: _StagedForm(document, getattr(studio, name), lines, explained) for name, _, explained, lines in _FORMS
        }
        for form, (_, title, *_rest) in zip(self._forms.values(), _FORMS, strict=True):
            form.fields.problem.connect(self.say)
            self.tabs.addTab(form, title)
        self.import_button = tip_button(
            "Import from CSV or XLSX…", "Adds counts from a list; those of the same size and colour are replaced"
        )
        self.tables["stock"].buttons.insertWidget(2, self.import_button)
        self.column.addWidget(self.tabs, 1)
        self.import_button.clicked.connect(lambda _: self._on_import())
        self.add_main("Keep", "Keeps all tabs in the studio").clicked.connect(self._on_keep)
        self.add_close("Leave as it was")
        self.open_at(760, 560)

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
            kept = {(item.nominal_in, item.colour): item for item in self.tables["stock"].values()}
        except BadInput as error:
            self.say(self._document.said(error))
            return
        kept |= {(item.nominal_in, item.colour): item for item in items}
        self.tables["stock"].show_values(tuple(kept.values()))
        self.say("")

    def _on_keep(self) -> None:
        if self.has_faults():
            return
        try:
            tables = {name: table.values() for name, table in self.tables.items()}
        except BadInput as error:
            self.say(self._document.said(error))
            return
        self._document.studio_keeper.change(**tables, **{name: form.value for name, form in self._forms.items()})
        self.accept()
