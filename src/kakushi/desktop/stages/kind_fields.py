"""Fields that only some kinds of part have: how many cones, tails or stems, a second place, a colour of its own."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QSpinBox, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import ColourChooser, LengthField, form
from kakushi.dress.table import kind_of
from kakushi.model.catalogue import BalloonColour
from kakushi.model.parts import FoilShape, Part

_NUMBERS = {
    "cones": ("Cones", "Number of cones", 4, 40, ""),
    "tails": ("Tails", "Number of tails", 0, 60, ""),
    "stems": ("Stems", "Number of stems", 1, 200, ""),
    "fixings": ("Fixings", "Fixings", 0, 20, ""),
    "to_deg": ("And held", "Second place, further round", -180, 180, "° further round"),
}
"""By field: label, accessible name, range and unit."""
_LENGTHS = {
    "tail_mm": ("Tail length", "length of the tails", 0.0, 5000.0),
    "to_up_mm": ("And higher by", "second place, higher by", -5000.0, 5000.0),
}


class KindFields(QWidget):
    """`changed` carries the fields that were changed, `problem` what is wrong."""

    changed = pyqtSignal(dict)
    problem = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._part: Part | None = None
        self._rows = form()
        self._numbers: dict[str, QSpinBox] = {}
        for name, (words, spoken, low, high, unit) in _NUMBERS.items():
            spin = self._numbers[name] = QSpinBox()
            spin.setRange(low, high)
            spin.setSuffix(unit)
            spin.setAccessibleName(spoken)
            spin.setKeyboardTracking(False)
            spin.valueChanged.connect(lambda value, name=name: self._set(**{name: value}))
            self._rows.addRow(words, spin)
        self._lengths: dict[str, LengthField] = {}
        for name, (words, spoken, low_mm, high_mm) in _LENGTHS.items():
            field = self._lengths[name] = LengthField(document, spoken, low_mm, high_mm)
            field.entered.connect(lambda mm, name=name: self._set(**{name: mm}))
            field.problem.connect(self.problem)
            self._rows.addRow(words, field)
        self._colour = ColourChooser("Colour of the part")
        self._colour.chosen.connect(lambda key: self._set(colour=key))
        self._rows.addRow("Drawn in", self._colour)
        self._stands = QCheckBox("Stands on the top row")
        self._stands.toggled.connect(lambda on: self._set(stands=on))
        self._rows.addRow("", self._stands)
        self.setLayout(self._rows)

    def _set(self, **changes: object) -> None:
        if self._part is not None and any(getattr(self._part, name) != value for name, value in changes.items()):
            self.changed.emit(changes)

    def show_part(self, part: Part, palette: Sequence[BalloonColour]) -> None:
        """Show what is special about a part; nothing where nothing is."""
        self._part = None
        fields = type(part).model_fields
        for name, spin in self._numbers.items():
            self._rows.setRowVisible(spin, name in fields)
            if name in fields:
                spin.setValue(round(getattr(part, name)))
        for name, field in self._lengths.items():
            self._rows.setRowVisible(field, name in fields)
            if name in fields:
                field.set_value(getattr(part, name))
        # A foil shape has fields of its own.
        own = not isinstance(part, FoilShape)
        coloured = own and "colour" in fields and not kind_of(part).has_balloons
        self._rows.setRowVisible(self._colour, coloured and "text" not in fields)
        if coloured:
            self._colour.show_colours(palette, getattr(part, "colour", ""))
        self._rows.setRowVisible(self._stands, own and "stands" in fields)
        with QSignalBlocker(self._stands):
            self._stands.setChecked(bool(getattr(part, "stands", False)))
        self._part = part
