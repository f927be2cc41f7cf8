"""What is on a piece besides its rows: toppers, hung loads, weights, fillers, accents; listed and edited."""

from __future__ import annotations

import re
from collections.abc import Hashable

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import ColourChooser, LengthField, form, quiet
from kakushi.model.errors import BadInput
from kakushi.model.parts import Part, PartBalloons, PartItem, PartKind
from kakushi.model.piece import Piece
from kakushi.model.units import format_nominal
from kakushi.model.values import replace
from kakushi.session import edits
from kakushi.stand.words import mass_words

_ADDED = {
    PartKind.HUNG: Part(key=1, kind=PartKind.HUNG, name="hung load", height_mm=1200, offset_mm=250, mass_g=500,
                        tall_mm=200, wide_mm=200, fixings=2),
    PartKind.WEIGHT: Part(key=1, kind=PartKind.WEIGHT, name="weight", mass_g=2000),
    PartKind.TOPPER: Part(key=1, kind=PartKind.TOPPER, name="topper", tall_mm=300, wide_mm=300, strips=1),
    PartKind.FILLER: Part(key=1, kind=PartKind.FILLER, name="fillers", height_mm=300),
    PartKind.ACCENT: Part(key=1, kind=PartKind.ACCENT, name="accent", height_mm=1000, offset_mm=150, mass_g=20),
    PartKind.COLLAR: Part(key=1, kind=PartKind.COLLAR, name="collar", height_mm=100),
}  # fmt: skip
_WITH_BALLOONS = (PartKind.TOPPER, PartKind.FILLER, PartKind.ACCENT, PartKind.COLLAR)
_FAR_MM = 20_000.0


def read_items(text: str) -> tuple[PartItem, ...]:
    """Things and their numbers, parted by semicolons. Raises BadInput."""
    items = []
    for words in filter(None, (piece.strip() for piece in text.split(";"))):
        match = re.fullmatch(r"(?:(\d{1,4}(?:[.,]\d{1,2})?)\s*[x×]?\s+)?(\S.{0,100})", words)
        count = float(match[1].replace(",", ".")) if match and match[1] else 1.0
        if match is None or count <= 0:
            raise BadInput(f"“{words[:40]}” is not understood: write “2 foil stars; 1 light”.", "items")
        items.append(PartItem(item=match[2].strip(), count=count))
    return tuple(items)


class PartsBox(QWidget):
    """The list of parts of the selected piece and a form for the chosen one. `problem` tells what is wrong."""

    problem = pyqtSignal(str)

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._key: int | None = None
        self._list = QListWidget()
        self._list.setAccessibleName("Parts")
        self._list.setFixedHeight(self.fontMetrics().height() * 5)
        self._kinds = QComboBox()
        for kind in _ADDED:
            self._kinds.addItem(kind.value, kind)
        self._kinds.setAccessibleName("Kind of part to add")
        self.add, self.remove = QPushButton("Add"), QPushButton("Remove")
        self._name = QLineEdit()
        self._name.setAccessibleName("Name of the part")
        self._lengths = {
            name: LengthField(document, words, 0.0, _FAR_MM)
            for name, words in (
                ("height_mm", "height above the floor"),
                ("offset_mm", "distance from the pole"),
                ("tall_mm", "height of the part"),
                ("wide_mm", "width of the part"),
            )
        }
        self._azimuth = QSpinBox()
        self._azimuth.setRange(-180, 360)
        self._azimuth.setSuffix("° from the front")
        self._azimuth.setAccessibleName("Direction")
        self._mass = QDoubleSpinBox()
        self._mass.setRange(0, 1000)
        self._mass.setDecimals(2)
        self._mass.setSingleStep(0.1)
        self._mass.setSuffix(" kg")
        self._mass.setAccessibleName("Mass")
        self._fixings = QSpinBox()
        self._fixings.setRange(0, 20)
        self._fixings.setAccessibleName("Fixings")
        self._balloons = QSpinBox()
        self._balloons.setRange(0, 1000)
        self._balloons.setAccessibleName("Balloons used")
        self._nominal = QComboBox()
        self._nominal.setAccessibleName("Nominal size of its balloons")
        self._colour = ColourChooser("Colour of its balloons")
        self._strips = QDoubleSpinBox()
        self._strips.setRange(0, 1000)
        self._strips.setDecimals(1)
        self._strips.setSingleStep(0.5)
        self._strips.setSuffix(" strips")
        self._strips.setAccessibleName("Strips used")
        self._items = QLineEdit()
        self._items.setPlaceholderText("2 foil stars; 1 light")
        self._items.setAccessibleName("What else it uses")
        self._form = QWidget()
        self._empty = quiet("Toppers, hung signs and weights change how it stands.")
        self._build()
        self._connect()

    def _build(self) -> None:
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(self._kinds, 1)
        line.addWidget(self.add)
        line.addWidget(self.remove)
        fields = form()
        self._fields = fields
        fields.addRow("Name", self._name)
        for words, widget in (
            ("At height", self._lengths["height_mm"]),
            ("Off the pole", self._lengths["offset_mm"]),
            ("Towards", self._azimuth),
            ("Mass", self._mass),
            ("Tall", self._lengths["tall_mm"]),
            ("Wide", self._lengths["wide_mm"]),
            ("Fixings", self._fixings),
            ("Balloons", self._balloons),
            ("Size", self._nominal),
            ("Colour", self._colour),
            ("Strips", self._strips),
            ("Also uses", self._items),
        ):
            fields.addRow(words, widget)
        self._form.setLayout(fields)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._list)
        layout.addWidget(self._empty)
        layout.addLayout(line)
        layout.addWidget(self._form)

    def _connect(self) -> None:
        self.add.clicked.connect(self._on_add)
        self.remove.clicked.connect(self._on_remove)
        self._list.currentRowChanged.connect(self._on_chosen)
        self._name.editingFinished.connect(lambda: self._set(name=self._name.text().strip()[:120]))
        for name, field in self._lengths.items():
            field.entered.connect(lambda mm, name=name: self._set(**{name: mm}))
            field.problem.connect(self.problem)
        self._azimuth.valueChanged.connect(lambda degrees: self._set(azimuth_deg=float(degrees)))
        self._mass.valueChanged.connect(lambda kg: self._set(mass_g=kg * 1000))
        self._strips.valueChanged.connect(lambda strips: self._set(strips=strips))
        self._items.editingFinished.connect(self._set_items)
        self._fixings.valueChanged.connect(lambda count: self._set(fixings=count))
        self._balloons.valueChanged.connect(lambda _: self._set_balloons())
        self._nominal.activated.connect(lambda _: self._set_balloons())
        self._colour.chosen.connect(lambda _: self._set_balloons())

    # --- edits ---------------------------------------------------------------------------------

    @property
    def part(self) -> Part | None:
        """The chosen part."""
        piece = self._document.piece
        return next((p for p in piece.parts if p.key == self._key), None) if piece else None

    def _on_add(self) -> None:
        piece = self._document.piece
        if piece is None:
            return
        key = max((part.key for part in piece.parts), default=0) + 1
        kind: PartKind = self._kinds.currentData()
        part = replace(_ADDED[kind], key=key)
        high = min(part.height_mm, round(piece.target_height_mm * 0.6, -1))
        part = replace(part, height_mm=high, offset_mm=min(part.offset_mm, round(high / 4, -1)))
        if kind in _WITH_BALLOONS:
            used = PartBalloons(nominal_in=5, colour=self._document.job.palette[0].key, count=1)
            part = replace(part, balloons=(used,))
        self._key = key
        self.put(piece, (*piece.parts, part), f"Add {kind.value}")

    def _on_remove(self) -> None:
        piece, part = self._document.piece, self.part
        if piece and part:
            self.put(piece, tuple(p for p in piece.parts if p is not part), f"Remove {part.kind.value}")

    def put(self, piece: Piece, parts: tuple[Part, ...], name: str, merge: Hashable = None) -> None:
        """Give a piece other parts, as one edit."""
        self._document.apply(edits.set_parts(piece.key, parts, name, merge))

    def _set(self, **changes: object) -> None:
        piece, part = self._document.piece, self.part
        if piece and part and any(getattr(part, name) != value for name, value in changes.items()):
            changed = edits.validated(part, part.kind.value, **changes)
            parts = tuple(changed if p is part else p for p in piece.parts)
            self.put(piece, parts, f"Change {part.kind.value}", (part.key, tuple(changes)))

    def _set_balloons(self) -> None:
        part = self.part
        if part is None or part.kind not in _WITH_BALLOONS:
            return
        count = self._balloons.value()
        colour, nominal = str(self._colour.currentData()), float(self._nominal.currentData() or 5)
        used = (PartBalloons(nominal_in=nominal, colour=colour, count=count),) if count else ()
        # What else it consumes stays as it is.
        self._set(balloons=(*used, *part.balloons[1:]))

    def _set_items(self) -> None:
        """Things read from “2 foil stars; 1 light”; what has no number counts once."""
        try:
            self._set(items=read_items(self._items.text()))
        except BadInput as error:
            self.problem.emit(str(error))

    def _on_chosen(self, row: int) -> None:
        piece = self._document.piece
        if piece and 0 <= row < len(piece.parts):
            self._key = piece.parts[row].key
            self._show_form()

    # --- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the selected piece's parts."""
        piece = self._document.piece
        parts = piece.parts if piece else ()
        if self.part is None:
            self._key = parts[0].key if parts else None
        with QSignalBlocker(self._list):
            self._list.clear()
            for part in parts:
                mass = f", {mass_words(part.mass_g)}" if part.mass_g else ""
                self._list.addItem(f"{part.name or part.kind.value}: {part.kind.value}{mass}")
            self._list.setCurrentRow(next((i for i, part in enumerate(parts) if part.key == self._key), -1))
        self._list.setVisible(bool(parts))
        self._empty.setVisible(not parts)
        self._show_form()

    def _show_form(self) -> None:
        part = self.part
        self._form.setVisible(part is not None)
        self.remove.setEnabled(part is not None)
        if part is None:
            return
        widgets = (self._azimuth, self._mass, self._fixings, self._balloons, self._name, self._strips)
        blockers = [QSignalBlocker(widget) for widget in widgets]
        self._name.setText(part.name)
        for name, field in self._lengths.items():
            field.set_value(getattr(part, name))
        self._azimuth.setValue(round(part.azimuth_deg))
        self._mass.setValue(part.mass_g / 1000)
        self._fixings.setValue(part.fixings)
        self._strips.setValue(part.strips)
        if not self._items.hasFocus():
            self._items.setText("; ".join(f"{item.count:g} {item.item}" for item in part.items))
        used = part.balloons[0] if part.balloons else None
        self._balloons.setValue(used.count if used else 0)
        self._nominal.clear()
        for size in self._document.studio.nominals:
            self._nominal.addItem(format_nominal(size.nominal_in), size.nominal_in)
        self._nominal.setCurrentIndex(max(self._nominal.findData(used.nominal_in if used else 5.0), 0))
        palette = self._document.job.palette
        self._colour.show_colours(palette, used.colour if used else palette[0].key)
        for widget, shown in (
            (self._fixings, part.kind is PartKind.HUNG),
            (self._balloons, part.kind in _WITH_BALLOONS),
            (self._nominal, part.kind in _WITH_BALLOONS),
            (self._colour, part.kind in _WITH_BALLOONS),
        ):
            self._fields.setRowVisible(widget, shown)
        del blockers
