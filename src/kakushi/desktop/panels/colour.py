"""Colour: the palette, and one pattern laid over the selected piece."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QSignalBlocker, QSize
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QButtonGroup,
    QColorDialog,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kakushi.colour.codes import letter_codes
from kakushi.desktop.document import Document
from kakushi.desktop.fields import ColourChooser, chip_icon, clear_form, form, quiet
from kakushi.desktop.panels.panel import Panel
from kakushi.model.catalogue import BalloonColour, Finish
from kakushi.model.errors import BadInput
from kakushi.model.layers import Band, BandsLayer, ColourLayer, Hand, SolidLayer, SpiralLayer, colours_of
from kakushi.model.values import replace
from kakushi.session import edits

_KINDS = ("solid", "spiral", "bands")
_MOST_LANES, _MOST_BANDS, _MOST_BAND_ROWS = 12, 12, 200
_NEW_HEX = "#888888"


class ColourPanel(Panel):
    """Tools of the Colour stage."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._kinds = QButtonGroup(self)
        self._pattern = form()
        self._words = quiet()
        self._shown: object = None
        self._fill: Callable[[], None] = lambda: None
        self._colours = QListWidget()
        self._colours.setIconSize(QSize(30, 20))
        self._colours.setAccessibleName("Palette")
        self._name, self._code, self._finish = QLineEdit(), QLineEdit(), QComboBox()
        self._finish.addItems([finish.value for finish in Finish])
        self._hex = QPushButton("Pick…")
        self._build()
        self.finish()

    def _build(self) -> None:
        kinds = QHBoxLayout()
        kinds.setSpacing(3)
        for index, kind in enumerate(_KINDS):
            button = QToolButton()
            button.setText(kind.capitalize())
            button.setCheckable(True)
            button.setAccessibleName(f"Pattern {kind}")
            self._kinds.addButton(button, index)
            kinds.addWidget(button)
        kinds.addStretch(1)
        self._kinds.idClicked.connect(self._set_kind)
        pattern = QVBoxLayout()
        pattern.setSpacing(7)
        pattern.addLayout(kinds)
        pattern.addWidget(self._words)
        pattern.addLayout(self._pattern)
        self.section("Pattern of the piece", pattern, first=True)
        self.column.addWidget(self.problem)
        self.section("Palette of the job", self._build_palette())

    def _build_palette(self) -> QVBoxLayout:
        self._colours.setFixedHeight(self.fontMetrics().height() * 15)
        self._colours.currentRowChanged.connect(lambda _: self._show_colour())
        fields = form()
        for label, field in (
            ("Name", self._name),
            ("Code", self._code),
            ("Finish", self._finish),
            ("Colour", self._hex),
        ):
            field.setAccessibleName(f"{label} of the colour")
            fields.addRow(label, field)
        self._name.editingFinished.connect(self._rename)
        self._code.editingFinished.connect(lambda: self._change(code=self._code.text().strip()[:4]))
        self._finish.activated.connect(lambda _: self._change(finish=Finish(self._finish.currentText())))
        self._hex.clicked.connect(self._pick)
        add = QPushButton("Add a colour")
        add.clicked.connect(self._add)
        box = QVBoxLayout()
        box.addWidget(self._colours)
        box.addLayout(fields)
        box.addWidget(add)
        return box

    # --- the pattern -----------------------------------------------------------------------

    def _layer(self) -> ColourLayer:
        piece = self.document.piece
        if piece and piece.layers:
            return piece.layers[-1]
        return SolidLayer(colour=self.document.job.palette[0].key)

    def _set_layer(self, layer: ColourLayer) -> None:
        if piece := self.document.piece:
            self.document.apply(edits.set_layers(piece.key, (*piece.layers[:-1], layer)))

    def _set_kind(self, index: int) -> None:
        used = colours_of(self._layer())
        spare = [c.key for c in self.document.job.palette if c.key not in used]
        first, second = used[0], (*used[1:], *spare, used[0])[0]
        new: tuple[ColourLayer, ...] = (
            SolidLayer(colour=first),
            SpiralLayer(lanes=(first, first, second, second)),
            BandsLayer(bands=(Band(colour=first, rows=2), Band(colour=second, rows=2))),
        )
        self._set_layer(new[index])

    def refresh(self) -> None:
        piece = self.document.piece
        for button in self._kinds.buttons():
            button.setEnabled(piece is not None)
        self._show_pattern()
        self._show_palette()

    def _show_pattern(self) -> None:
        layer = self._layer()
        if button := self._kinds.button(_KINDS.index(layer.kind)):
            button.setChecked(True)
        form_needed = (layer.kind, len(colours_of(layer)))
        if form_needed != self._shown:
            self._shown = form_needed
            clear_form(self._pattern)
            match layer:
                case SolidLayer():
                    self._words.setText("One colour all over.")
                    self._fill = self._solid_form()
                case SpiralLayer():
                    self._words.setText("Lanes lie round the row in slot order and climb half a balloon per row.")
                    self._fill = self._spiral_form(len(layer.lanes))
                case BandsLayer():
                    self._words.setText("Bands from the foot up, repeated to the top.")
                    self._fill = self._bands_form(len(layer.bands))
        self._fill()

    def _chooser(self, label: str, choose: Callable[[str], None]) -> ColourChooser:
        chooser = ColourChooser(label)
        chooser.chosen.connect(choose)
        return chooser

    def _solid_form(self) -> Callable[[], None]:
        chooser = self._chooser("Colour", lambda key: self._set_layer(SolidLayer(colour=key)))
        self._pattern.addRow("Colour", chooser)

        def fill() -> None:
            layer = self._layer()
            if isinstance(layer, SolidLayer):
                chooser.show_colours(self.document.job.palette, layer.colour)

        return fill

    def _spiral_form(self, lanes: int) -> Callable[[], None]:
        count = _spin("Lanes", 1, _MOST_LANES)
        count.valueChanged.connect(self._set_lane_count)
        hand = QComboBox()
        hand.addItems([f"{h.value} hand" for h in Hand])
        hand.setAccessibleName("Spiral hand")
        hand.activated.connect(lambda index: self._change_spiral(hand=list(Hand)[index]))
        self._pattern.addRow("Hand", hand)
        self._pattern.addRow("Lanes", count)
        choosers = []
        for place in range(lanes):
            chooser = self._chooser(f"Lane {place + 1}", partial(self._set_lane, place))
            self._pattern.addRow(f"Lane {place + 1}", chooser)
            choosers.append(chooser)

        def fill() -> None:
            layer = self._layer()
            if isinstance(layer, SpiralLayer):
                hand.setCurrentIndex(list(Hand).index(layer.hand))
                _show_number(count, len(layer.lanes))
                for chooser, key in zip(choosers, layer.lanes, strict=True):
                    chooser.show_colours(self.document.job.palette, key)

        return fill

    def _change_spiral(self, **changes: object) -> None:
        layer = self._layer()
        if isinstance(layer, SpiralLayer):
            self._set_layer(replace(layer, **changes))

    def _set_lane(self, place: int, key: str) -> None:
        layer = self._layer()
        if isinstance(layer, SpiralLayer):
            self._change_spiral(lanes=(*layer.lanes[:place], key, *layer.lanes[place + 1 :]))

    def _set_lane_count(self, count: int) -> None:
        layer = self._layer()
        if isinstance(layer, SpiralLayer):
            lanes = layer.lanes[:count]
            self._change_spiral(lanes=(*lanes, *(lanes[i % len(lanes)] for i in range(count - len(lanes)))))

    def _bands_form(self, bands: int) -> Callable[[], None]:
        count = _spin("Bands", 1, _MOST_BANDS)
        count.valueChanged.connect(self._set_band_count)
        self._pattern.addRow("Bands", count)
        lines = []
        for place in range(bands):
            chooser = self._chooser(f"Colour of band {place + 1}", partial(self._set_band_colour, place))
            rows = _spin(f"Rows of band {place + 1}", 1, _MOST_BAND_ROWS, " rows")
            rows.valueChanged.connect(partial(self._set_band_rows, place))
            line = QHBoxLayout()
            line.setSpacing(4)
            line.addWidget(chooser, 1)
            line.addWidget(rows)
            self._pattern.addRow(f"Band {place + 1}", line)
            lines.append((chooser, rows))

        def fill() -> None:
            layer = self._layer()
            if isinstance(layer, BandsLayer):
                _show_number(count, len(layer.bands))
                for (chooser, rows), band in zip(lines, layer.bands, strict=True):
                    chooser.show_colours(self.document.job.palette, band.colour)
                    _show_number(rows, band.rows)

        return fill

    def _set_band_colour(self, place: int, key: str) -> None:
        self._set_band(place, colour=key)

    def _set_band_rows(self, place: int, rows: int) -> None:
        self._set_band(place, rows=rows)

    def _set_band(self, place: int, **changes: object) -> None:
        layer = self._layer()
        if isinstance(layer, BandsLayer):
            band = replace(layer.bands[place], **changes)
            self._set_layer(replace(layer, bands=(*layer.bands[:place], band, *layer.bands[place + 1 :])))

    def _set_band_count(self, count: int) -> None:
        layer = self._layer()
        if isinstance(layer, BandsLayer):
            bands = layer.bands[:count]
            more = tuple(bands[i % len(bands)] for i in range(count - len(bands)))
            self._set_layer(replace(layer, bands=(*bands, *more)))

    # --- the palette ----------------------------------------------------------------------------

    def _show_palette(self) -> None:
        palette = self.document.job.palette
        with QSignalBlocker(self._colours):
            while self._colours.count() > len(palette):
                self._colours.takeItem(self._colours.count() - 1)
            while self._colours.count() < len(palette):
                self._colours.addItem(QListWidgetItem())
            for index, colour in enumerate(palette):
                if item := self._colours.item(index):
                    item.setIcon(chip_icon(colour))
                    item.setText(colour.name)
            if self._colours.currentRow() < 0:
                self._colours.setCurrentRow(0)
        self._show_colour()

    def _current(self) -> BalloonColour:
        palette = self.document.job.palette
        return palette[min(max(self._colours.currentRow(), 0), len(palette) - 1)]

    def _show_colour(self) -> None:
        colour = self._current()
        with QSignalBlocker(self._name), QSignalBlocker(self._code):
            self._name.setText(colour.name)
            self._code.setText(colour.code)
        self._finish.setCurrentText(colour.finish.value)
        self._hex.setText(f"{colour.hex}  Pick…")

    def _change(self, **changes: object) -> None:
        old = self._current()
        try:
            new = edits.validated(old, "colour", **changes)
        except BadInput as error:
            self._show_colour()
            self.show_problem(str(error))
            return
        palette = self.document.job.palette
        if new.code in {c.code for c in palette if c.key != old.key}:
            self._show_colour()
            self.show_problem(f"The code {new.code} already stands for another colour.")
            return
        self.document.apply(edits.set_palette([new if c.key == old.key else c for c in palette], "Change colour"))

    def _rename(self) -> None:
        name = self._name.text().strip()
        if name and name != self._current().name:
            self._change(name=name[:60])

    def _pick(self) -> None:
        picked = QColorDialog.getColor(QColor(self._current().hex), self, "Colour of the balloon")
        if picked.isValid():
            self._change(hex=picked.name())

    def _add(self) -> None:
        palette = self.document.job.palette
        keys = {c.key for c in palette}
        number = next(n for n in range(1, len(palette) + 2) if f"colour-{n}" not in keys)
        name = f"new colour {number}"
        code = _free_code(name, palette)
        new = BalloonColour(key=f"colour-{number}", name=name, code=code, hex=_NEW_HEX)
        if self.document.apply(edits.set_palette((*palette, new), "Add colour")):
            self._colours.setCurrentRow(len(palette))
            self._name.setFocus()
            self._name.selectAll()


def _free_code(name: str, palette: Sequence[BalloonColour]) -> str:
    taken = {c.code for c in palette}
    first = letter_codes([name])[0]
    return (
        first
        if first not in taken
        else next(f"{first[:2]}{n}" for n in range(2, 300) if f"{first[:2]}{n}" not in taken)
    )


def _spin(name: str, low: int, high: int, suffix: str = "") -> QSpinBox:
    spin = QSpinBox()
    spin.setRange(low, high)
    spin.setSuffix(suffix)
    spin.setAccessibleName(name)
    return spin


def _show_number(spin: QSpinBox, value: int) -> None:
    with QSignalBlocker(spin):
        spin.setValue(value)
