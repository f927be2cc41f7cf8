"""Fields of lettering: the words, their colour, how large they come out, and saving them for the cutter."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QLineEdit, QPushButton, QSpinBox, QWidget

from kakushi.desktop.widgets.fields import ColourChooser, form, quiet
from kakushi.model.catalogue import BalloonColour
from kakushi.model.parts import Lettering

_LINES = " / "
"""Parts lines of words where they are typed."""


class LetteringFields(QWidget):
    """`changed` carries the fields that were changed; `svg_wanted` whether the film is to be mirrored."""

    changed = pyqtSignal(dict)
    svg_wanted = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self._part: Lettering | None = None
        self._text = QLineEdit()
        self._text.setMaxLength(80)
        self._text.setPlaceholderText("Lantern / Quay")
        self._text.setAccessibleName("Words on the balloon")
        self._text.editingFinished.connect(
            lambda: self._set(text="\n".join(line.strip() for line in self._text.text().split("/")))
        )
        self._colour = ColourChooser("Colour of the letters")
        self._colour.chosen.connect(lambda key: self._set(colour=key))
        self._cap = QSpinBox()
        self._cap.setRange(20, 95)
        self._cap.setSuffix(" % of the balloon")
        self._cap.setKeyboardTracking(False)
        self._cap.setAccessibleName("How far out the words reach")
        self._cap.valueChanged.connect(lambda percent: self._set(cap=percent / 100))
        self._told = quiet("")
        self._mirrored = QCheckBox("Mirrored, cut from the back")
        self.save = QPushButton("Save for the cutter…")
        self.save.clicked.connect(lambda: self.svg_wanted.emit(self._mirrored.isChecked()))
        fields = form()
        fields.setContentsMargins(0, 0, 0, 0)
        for words, widget in (("Words", self._text), ("Colour", self._colour), ("Within", self._cap)):
            fields.addRow(words, widget)
        fields.addRow(self._told)
        fields.addRow("", self._mirrored)
        fields.addRow("", self.save)
        self.setLayout(fields)

    def _set(self, **changes: object) -> None:
        if self._part is not None and any(getattr(self._part, name) != value for name, value in changes.items()):
            self.changed.emit(changes)

    def show_part(self, part: Lettering, palette: Sequence[BalloonColour], told: str) -> None:
        """Show lettering, and what there is to say of it; nothing where it has no balloon."""
        self._part = None
        if not self._text.hasFocus():
            self._text.setText(part.text.replace("\n", _LINES))
        self._colour.show_colours(palette, part.colour)
        self._cap.setValue(round(part.cap * 100))
        self._told.setText(told or "Words need a topper of one balloon, and letters that can be cut.")
        self.save.setEnabled(bool(told))
        self._part = part
