"""Fields of a foil shape: which shape or letters, its colour, and whether it stands on top."""

from __future__ import annotations

from collections.abc import Sequence
from typing import get_args

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPushButton, QWidget

from kakushi.desktop.widgets.fields import ColourChooser, form
from kakushi.model.catalogue import BalloonColour
from kakushi.model.parts import FoilShape


class FoilFields(QWidget):
    """`changed` carries the fields that were changed; `outline_wanted`: a shape from a file."""

    changed = pyqtSignal(dict)
    outline_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._shape, self._valve = QComboBox(), QComboBox()
        for box, field, name in ((self._shape, "shape", "Shape of the foil"), (self._valve, "valve", "Valve")):
            box.addItems(get_args(FoilShape.model_fields[field].annotation))
            box.setAccessibleName(name)
            box.activated.connect(lambda _, box=box, field=field: self._set(**{field: box.currentText()}))
        self._text = QLineEdit()
        self._text.setMaxLength(12)
        self._text.setAccessibleName("Letters of the foil")
        self._text.editingFinished.connect(lambda: self._set(text=self._text.text()))
        self._colour = ColourChooser("Colour of the foil")
        self._colour.chosen.connect(lambda key: self._set(colour=key))
        self._stands = QCheckBox("Stands on the top row")
        self._stands.toggled.connect(lambda on: self._set(stands=on))
        self.from_file = QPushButton("Shape from a file…")
        self.from_file.clicked.connect(self.outline_wanted)
        fields = form()
        fields.setContentsMargins(0, 0, 0, 0)
        for words, widget in (
            ("Shape", self._shape),
            ("Letters", self._text),
            ("Colour", self._colour),
            ("Valve", self._valve),
            ("", self._stands),
        ):
            fields.addRow(words, widget)
        fields.addRow("", self.from_file)
        self._fields = fields
        self.setLayout(fields)
        self._part: FoilShape | None = None

    def _set(self, **changes: object) -> None:
        if self._part is not None and any(getattr(self._part, name) != value for name, value in changes.items()):
            # Another shape takes the place of one that came from a file.
            self.changed.emit(changes | ({"outline": None} if "shape" in changes else {}))

    def show_part(self, part: FoilShape, palette: Sequence[BalloonColour]) -> None:
        """Show a foil shape."""
        self._part = part
        with QSignalBlocker(self._stands):
            self._stands.setChecked(part.stands)
        self._shape.setCurrentText(part.shape)
        self._valve.setCurrentText(part.valve)
        if not self._text.hasFocus():
            self._text.setText(part.text)
        self._colour.show_colours(palette, part.colour)
        self._fields.setRowVisible(self._text, part.shape == "letters" and part.outline is None)
        name = part.outline.name or "a file" if part.outline else ""
        self.from_file.setText(f"Shape from “{name}”…" if name else "Shape from a file…")
