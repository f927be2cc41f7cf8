"""The numbers of one colour layer: which fields each kind has."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from enum import StrEnum
from functools import partial
from itertools import groupby
from typing import Any

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QPushButton, QVBoxLayout, QWidget

from kakushi.colour.lab import dark_first
from kakushi.colour.layer_table import kind_of
from kakushi.desktop.widgets.fields import ColourChooser, ColourList, NumberSlider, clear_form, form, quiet
from kakushi.desktop.widgets.motif_grid import MotifGrid
from kakushi.model.catalogue import BalloonColour
from kakushi.model.layers import Band, ColourLayer, GradientLayer, Hand, MixLayer, MotifLayer, Share, Side
from kakushi.model.values import replace

Fill = Callable[[Any], None]


class LayerForm(QWidget):
    """Fields for one layer; `edited` carries the layer as it is to be."""

    edited = pyqtSignal(object)
    picture_wanted = pyqtSignal()
    proud_wanted = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._words = quiet()
        self._form: QFormLayout = form()
        self._layer: ColourLayer | None = None
        self._palette: Sequence[BalloonColour] = ()
        self._brush = ""
        self._fills: list[Fill] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._words)
        column.addLayout(self._form)

    def show_layer(self, layer: ColourLayer | None, palette: Sequence[BalloonColour], brush: str) -> None:
        """Show a layer's numbers; nothing for None."""
        kind_changed = (layer and layer.kind) != (self._layer and self._layer.kind)
        self._layer, self._palette, self._brush = layer, palette, brush
        if kind_changed:
            clear_form(self._form)
            self._fills = []
            self._words.setText(kind_of(layer).explained if layer else "")
            if layer is not None:
                for add in FORMS[layer.kind]:
                    add(self)
        if layer is not None:
            for fill in self._fills:
                fill(layer)

    def _set(self, **changes: object) -> None:
        if self._layer is not None:
            self.edited.emit(replace(self._layer, **changes))

    # --- fields ------------------------------------------------------------------------------

    def add_number(self, field: str, label: str, low: int, high: int, suffix: str = "", zero: str = "") -> None:
        """A whole number on a slider; `zero` is what 0 is called."""
        slider = NumberSlider(label, low, high, suffix, zero)
        slider.moved.connect(lambda value: self._set(**{field: value}))
        self._form.addRow(label, slider)
        self._fills.append(lambda layer: slider.show_value(getattr(layer, field)))

    def add_percent(self, field: str, label: str, low: int, high: int) -> None:
        """A share, shown in per cent."""
        slider = NumberSlider(label, low, high, " %")
        slider.moved.connect(lambda value: self._set(**{field: value / 100}))
        self._form.addRow(label, slider)
        self._fills.append(lambda layer: slider.show_value(round(getattr(layer, field) * 100)))

    def add_check(self, field: str, label: str) -> None:
        """A box to tick."""
        box = QCheckBox(label)
        box.toggled.connect(lambda on: self._set(**{field: on}))
        self._form.addRow("", box)

        def fill(layer: Any) -> None:
            with QSignalBlocker(box):
                box.setChecked(getattr(layer, field))

        self._fills.append(fill)

    def add_choice(self, field: str, label: str, values: type[StrEnum], suffix: str = "") -> None:
        """One of an enumeration."""
        box = QComboBox()
        box.setAccessibleName(label)
        listed = list(values)
        box.addItems([f"{value.value}{suffix}" for value in listed])
        box.activated.connect(lambda index: self._set(**{field: listed[index]}))
        self._form.addRow(label, box)
        self._fills.append(lambda layer: box.setCurrentIndex(listed.index(getattr(layer, field))))

    def add_colour(self, field: str, label: str) -> None:
        """One colour of the palette."""
        chooser = ColourChooser(label)
        chooser.chosen.connect(lambda key: self._set(**{field: key}))
        self._form.addRow(label, chooser)
        self._fills.append(lambda layer: chooser.show_colours(self._palette, getattr(layer, field)))

    def _list(
        self, entries: ColourList, read: Callable[[Any], list[tuple[str, int]]], write: Callable[[Any], None]
    ) -> None:
        entries.changed.connect(write)
        self._form.addRow(entries)
        self._fills.append(lambda layer: entries.show_entries(self._palette, read(layer)))

    def add_colours(self, field: str, name: str, least: int, most: int) -> None:
        """Several colours of the palette."""
        self._list(
            ColourList(name, least, most),
            lambda layer: [(key, 1) for key in getattr(layer, field)],
            lambda entries: self._set(**{field: tuple(key for key, _ in entries)}),
        )

    def add_lanes(self, name: str) -> None:
        """Lanes as colours with widths: equal neighbours are one wide lane."""
        self._list(
            ColourList(name, 1, 6, " wide", 6),
            lambda layer: [(key, len(list(run))) for key, run in groupby(layer.lanes)],
            lambda entries: self._set(lanes=tuple(key for key, wide in entries for _ in range(wide))[:12]),
        )

    def add_bands(self) -> None:
        """Bands as colours with numbers of rows."""
        self._list(
            ColourList("band", 1, 12, " rows", 200),
            lambda layer: [(band.colour, band.rows) for band in layer.bands],
            lambda entries: self._set(bands=tuple(Band(colour=key, rows=rows) for key, rows in entries)),
        )

    def add_shares(self) -> None:
        """Colours with their parts of a mix."""
        self._list(
            ColourList("part", 1, 12, " parts", 100),
            lambda layer: [(share.colour, max(round(share.parts), 1)) for share in layer.shares],
            lambda entries: self._set(shares=tuple(Share(colour=key, parts=parts) for key, parts in entries)),
        )

    def add_button(self, words: str, run: Callable[[], None]) -> None:
        """A button."""
        button = QPushButton(words)
        button.clicked.connect(lambda _checked: run())
        self._form.addRow("", button)

    def put_dark_foot(self) -> None:
        """Grade from the darkest colour at the foot."""
        if isinstance(self._layer, GradientLayer):
            self._set(colours=dark_first(self._layer.colours, self._palette))

    def next_mix(self) -> None:
        """Another mix of the same shares."""
        if isinstance(self._layer, MixLayer):
            self._set(seed=(self._layer.seed + 1) % 1_000_000)

    def add_motif(self) -> None:
        """The cells of a motif, their number and where they lie."""
        grid = MotifGrid(lambda: self._brush)
        grid.drawn.connect(lambda cells: self._set(cells=cells))
        self._form.addRow(grid)
        self._fills.append(lambda layer: grid.show_cells(layer.cells, self._palette))
        for words, is_across in (("Columns", True), ("Rows", False)):
            slider = NumberSlider(f"{words} of the motif", 1, 32)
            slider.moved.connect(partial(self._resize, is_across))
            self._form.addRow(words, slider)
            self._fills.append(partial(_show_extent, slider, is_across))
        self.add_choice("side", "Laid on", Side)
        self.add_percent("tall", "Height", 2, 150)
        self.add_percent("middle", "Middle at", 0, 100)
        self.add_degrees()
        self.add_check("mirrored", "Mirrored")
        self.add_button("From a picture…", self.picture_wanted.emit)
        self.add_button("Make its balloons proud", lambda: self.proud_wanted.emit(1))
        self.add_button("Level them again", lambda: self.proud_wanted.emit(-1))

    def add_degrees(self) -> None:
        """How far a motif is turned."""
        slider = NumberSlider("Turned", -180, 180, "°")
        slider.moved.connect(lambda value: self._set(turn_deg=value))
        self._form.addRow("Turned", slider)
        self._fills.append(lambda layer: slider.show_value(round(layer.turn_deg)))

    def _resize(self, is_across: bool, extent: int) -> None:
        layer = self._layer
        if not isinstance(layer, MotifLayer):
            return
        wide = extent if is_across else len(layer.cells[0])
        high = len(layer.cells) if is_across else extent
        lines = [(*line[:wide], *("",) * (wide - len(line))) for line in layer.cells[:high]]
        lines += [("",) * wide] * (high - len(lines))
        self._set(cells=tuple(lines))


def _show_extent(slider: NumberSlider, is_across: bool, layer: MotifLayer) -> None:
    slider.show_value(len(layer.cells[0]) if is_across else len(layer.cells))


FORMS: Mapping[str, tuple[Callable[[LayerForm], None], ...]] = {
    "solid": (lambda f: f.add_colour("colour", "Colour"),),
    "spiral": (
        lambda f: f.add_choice("hand", "Hand", Hand, " hand"),
        lambda f: f.add_lanes("lane"),
        lambda f: f.add_number("lead", "Climbs", 1, 9, " half slots"),
        lambda f: f.add_number("reverse_every", "Turns back", 0, 40, " rows", "never"),
    ),
    "stripes": (lambda f: f.add_lanes("stripe"),),
    "bands": (lambda f: f.add_bands(),),
    "rings": (
        lambda f: f.add_colour("colour", "Colour"),
        lambda f: f.add_number("every", "Every", 1, 60, " rows"),
        lambda f: f.add_number("high", "Rows each", 1, 30),
        lambda f: f.add_number("first", "First at row", 1, 60),
    ),
    "checks": (
        lambda f: f.add_colours("colours", "colour", 2, 6),
        lambda f: f.add_number("wide", "Slots wide", 1, 6),
        lambda f: f.add_number("high", "Rows high", 1, 30),
    ),
    "diamonds": (
        lambda f: f.add_colours("colours", "colour", 1, 6),
        lambda f: f.add_number("around", "Round the piece", 1, 12),
        lambda f: f.add_number("high", "Rows tall", 2, 60),
        lambda f: f.add_check("staggered", "Staggered"),
    ),
    "sizes": (
        lambda f: f.add_colours("large", "large colour", 1, 6),
        lambda f: f.add_colours("small", "small colour", 1, 6),
        lambda f: f.add_number("lead", "Moves on", 0, 9, " a row", "never"),
    ),
    "gradient": (
        lambda f: f.add_colours("colours", "colour", 2, 6),
        lambda f: f.add_check("dithered", "Balloon by balloon"),
        lambda f: f.add_button("Dark foot", f.put_dark_foot),
    ),
    "mix": (lambda f: f.add_shares(), lambda f: f.add_button("Another mix", f.next_mix)),
    "motif": (lambda f: f.add_motif(),),
}
"""The fields of every kind of layer, in order."""
