"""The numbers of one colour layer: which fields each kind has."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from enum import StrEnum
from functools import partial
from itertools import groupby
from typing import Any

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QPushButton, QVBoxLayout, QWidget

from kakushi.colour.lab import dark_first
from kakushi.desktop.widgets.fields import ColourChooser, ColourList, NumberSlider, clear_form, form, quiet
from kakushi.desktop.widgets.motif_grid import MotifGrid
from kakushi.model.catalogue import BalloonColour
from kakushi.model.layers import (
    Band,
    BandsLayer,
    ChecksLayer,
    ColourLayer,
    DiamondsLayer,
    GradientLayer,
    Hand,
    MixLayer,
    MotifLayer,
    RingsLayer,
    Share,
    Side,
    SolidLayer,
    SpiralLayer,
    StripesLayer,
)
from kakushi.model.values import replace

Fill = Callable[[Any], None]

WORDS = {
    "solid": "One colour all over.",
    "spiral": "Lanes lie round the row in slot order and climb half a balloon per row.",
    "stripes": "Upright stripes. Packed rows lie half a slot round, so they climb in zigzags.",
    "bands": "Bands from the foot up, repeated to the top.",
    "rings": "Rings of accent; what lies under shows between.",
    "checks": "Staggered checks. They close round the row where its count divides evenly.",
    "diamonds": "Diamonds from the middle out; the last colour is the ground.",
    "gradient": "From foot to top, in whole rows or balloon by balloon.",
    "mix": "Exact shares, no two touching balloons alike where that can be.",
    "motif": "A small picture on the surface. Click its cells with the brush's colour.",
}


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
            self._words.setText(WORDS[layer.kind] if layer else "")
            if layer is not None:
                self._build(layer)
        if layer is not None:
            for fill in self._fills:
                fill(layer)

    def _set(self, **changes: object) -> None:
        if self._layer is not None:
            self.edited.emit(replace(self._layer, **changes))

    # --- fields ------------------------------------------------------------------------------

    def _build(self, layer: ColourLayer) -> None:
        match layer:
            case SolidLayer():
                self._colour("colour", "Colour")
            case SpiralLayer():
                self._choice("hand", "Hand", Hand, " hand")
                self._lanes("lane")
                self._number("lead", "Climbs", 1, 9, " half slots")
                self._number("reverse_every", "Turns back", 0, 40, " rows", "never")
            case StripesLayer():
                self._lanes("stripe")
            case BandsLayer():
                self._bands()
            case RingsLayer():
                self._colour("colour", "Colour")
                self._number("every", "Every", 1, 60, " rows")
                self._number("high", "Rows each", 1, 30)
                self._number("first", "First at row", 1, 60)
            case ChecksLayer():
                self._colours("colours", "colour", 2, 6)
                self._number("wide", "Slots wide", 1, 6)
                self._number("high", "Rows high", 1, 30)
            case DiamondsLayer():
                self._colours("colours", "colour", 1, 6)
                self._number("around", "Round the piece", 1, 12)
                self._number("high", "Rows tall", 2, 60)
                self._check("staggered", "Staggered")
            case GradientLayer():
                self._colours("colours", "colour", 2, 6)
                self._check("dithered", "Balloon by balloon")
                self._button("Dark foot", self._dark_foot)
            case MixLayer():
                self._shares()
                self._button("Another mix", lambda: self._set(seed=(self._mix().seed + 1) % 1_000_000))
            case MotifLayer():
                self._motif()

    def _number(self, field: str, label: str, low: int, high: int, suffix: str = "", zero: str = "") -> None:
        slider = NumberSlider(label, low, high, suffix, zero)
        slider.moved.connect(lambda value: self._set(**{field: value}))
        self._form.addRow(label, slider)
        self._fills.append(lambda layer: slider.show_value(getattr(layer, field)))

    def _percent(self, field: str, label: str, low: int, high: int) -> None:
        slider = NumberSlider(label, low, high, " %")
        slider.moved.connect(lambda value: self._set(**{field: value / 100}))
        self._form.addRow(label, slider)
        self._fills.append(lambda layer: slider.show_value(round(getattr(layer, field) * 100)))

    def _check(self, field: str, label: str) -> None:
        box = QCheckBox(label)
        box.toggled.connect(lambda on: self._set(**{field: on}))
        self._form.addRow("", box)

        def fill(layer: Any) -> None:
            with QSignalBlocker(box):
                box.setChecked(getattr(layer, field))

        self._fills.append(fill)

    def _choice(self, field: str, label: str, values: type[StrEnum], suffix: str = "") -> None:
        box = QComboBox()
        box.setAccessibleName(label)
        listed = list(values)
        box.addItems([f"{value.value}{suffix}" for value in listed])
        box.activated.connect(lambda index: self._set(**{field: listed[index]}))
        self._form.addRow(label, box)
        self._fills.append(lambda layer: box.setCurrentIndex(listed.index(getattr(layer, field))))

    def _colour(self, field: str, label: str) -> None:
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

    def _colours(self, field: str, name: str, least: int, most: int) -> None:
        self._list(
            ColourList(name, least, most),
            lambda layer: [(key, 1) for key in getattr(layer, field)],
            lambda entries: self._set(**{field: tuple(key for key, _ in entries)}),
        )

    def _lanes(self, name: str) -> None:
        """Lanes as colours with widths: equal neighbours are one wide lane."""
        self._list(
            ColourList(name, 1, 6, " wide", 6),
            lambda layer: [(key, len(list(run))) for key, run in groupby(layer.lanes)],
            lambda entries: self._set(lanes=tuple(key for key, wide in entries for _ in range(wide))[:12]),
        )

    def _bands(self) -> None:
        self._list(
            ColourList("band", 1, 12, " rows", 200),
            lambda layer: [(band.colour, band.rows) for band in layer.bands],
            lambda entries: self._set(bands=tuple(Band(colour=key, rows=rows) for key, rows in entries)),
        )

    def _shares(self) -> None:
        self._list(
            ColourList("part", 1, 12, " parts", 100),
            lambda layer: [(share.colour, max(round(share.parts), 1)) for share in layer.shares],
            lambda entries: self._set(shares=tuple(Share(colour=key, parts=parts) for key, parts in entries)),
        )

    def _button(self, words: str, run: Callable[[], None]) -> None:
        button = QPushButton(words)
        button.clicked.connect(lambda _checked: run())
        self._form.addRow("", button)

    def _dark_foot(self) -> None:
        if isinstance(self._layer, GradientLayer):
            self._set(colours=dark_first(self._layer.colours, self._palette))

    def _mix(self) -> MixLayer:
        assert isinstance(self._layer, MixLayer)
        return self._layer

    def _motif(self) -> None:
        grid = MotifGrid(lambda: self._brush)
        grid.drawn.connect(lambda cells: self._set(cells=cells))
        self._form.addRow(grid)
        self._fills.append(lambda layer: grid.show_cells(layer.cells, self._palette))
        for words, is_across in (("Columns", True), ("Rows", False)):
            slider = NumberSlider(f"{words} of the motif", 1, 32)
            slider.moved.connect(partial(self._resize, is_across))
            self._form.addRow(words, slider)
            self._fills.append(partial(_show_extent, slider, is_across))
        self._choice("side", "Laid on", Side)
        self._percent("tall", "Height", 2, 150)
        self._percent("middle", "Middle at", 0, 100)
        self._number_of_degrees()
        self._check("mirrored", "Mirrored")
        self._button("From a picture…", self.picture_wanted.emit)
        self._button("Make its balloons proud", lambda: self.proud_wanted.emit(1))
        self._button("Level them again", lambda: self.proud_wanted.emit(-1))

    def _number_of_degrees(self) -> None:
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


def new_layer(kind: str, palette: Sequence[BalloonColour], used: Sequence[str], side: Side) -> ColourLayer:
    """A layer of a kind to begin with, in colours the piece has not got yet where there are some."""
    keys = [*used, *(c.key for c in palette if c.key not in used)]
    first, second = keys[0], keys[min(1, len(keys) - 1)]
    accent = next((c.key for c in palette if c.key not in used), second)
    third = keys[min(2, len(keys) - 1)]
    diamond = (("", accent, ""), (accent, accent, accent), ("", accent, ""))
    layers: dict[str, ColourLayer] = {
        "solid": SolidLayer(colour=first),
        "spiral": SpiralLayer(lanes=(first, first, second, second)),
        "stripes": StripesLayer(lanes=(first, second)),
        "bands": BandsLayer(bands=(Band(colour=first, rows=2), Band(colour=second, rows=2))),
        "rings": RingsLayer(colour=accent),
        "checks": ChecksLayer(colours=(first, second)),
        "diamonds": DiamondsLayer(colours=(accent, first)),
        "gradient": GradientLayer(colours=(first, second)),
        "mix": MixLayer(shares=tuple(Share(colour=key, parts=1) for key in dict.fromkeys((first, second, third)))),
        "motif": MotifLayer(cells=diamond, side=side),
    }
    return layers[kind]
