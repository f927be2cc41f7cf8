"""Parts of a piece that are listed and edited one by one: toppers, hung loads, collars, accents, weights, caps."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.dress.foil_fields import FoilFields
from kakushi.desktop.stages.dress.lettering_fields import LetteringFields
from kakushi.desktop.stages.kind_fields import KindFields
from kakushi.desktop.stages.place_fields import PlaceFields
from kakushi.desktop.widgets.fields import ColourChooser, LengthField, form, quiet
from kakushi.dress.collars import PlacedRing
from kakushi.dress.table import kind_of, name_of
from kakushi.model.errors import BadInput
from kakushi.model.outline import PointsOutline
from kakushi.model.parts import Collar, Extended, Fixing, FoilShape, Lettering, Part, Placed
from kakushi.model.units import format_nominal
from kakushi.session import part_edits
from kakushi.words.dress import lettering_words, ring_words
from kakushi.words.parts import HELD
from kakushi.words.wording import mass_words

_FAR_MM = 20_000.0


class PartsBox(QWidget):
    """The parts of some kinds of the selected piece and a form for the chosen one. `problem` tells what is wrong."""

    problem = pyqtSignal(str)

    def __init__(self, document: Document, kinds: Sequence[str], empty: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._shown_kinds = document, tuple(kinds)
        self._key: int | None = None
        self._list = QListWidget()
        self._list.setAccessibleName("Parts")
        self._list.setFixedHeight(self.fontMetrics().height() * 5)
        self._kinds = QComboBox()
        self._kinds.addItems(self._shown_kinds)
        self._kinds.setAccessibleName("Kind of part to add")
        self.add, self.remove = QPushButton("Add"), QPushButton("Remove")
        self._name = QLineEdit()
        self._name.setAccessibleName("Name of the part")
        self._lengths = {
            name: LengthField(document, words, 0.0, _FAR_MM)
            for name, words in (
                ("tall_mm", "height of the part"),
                ("wide_mm", "width of the part"),
                ("deep_mm", "depth of the part"),
            )
        }
        self._mass = QDoubleSpinBox()
        self._mass.setRange(0, 1000)
        self._mass.setDecimals(2)
        self._mass.setSingleStep(0.1)
        self._mass.setSuffix(" kg")
        self._mass.setAccessibleName("Mass")
        self._fixing, self._how, self._swirl = _fixing_box(), quiet(""), QCheckBox("Leans on along the swirl")
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
        self.foil, self.lettering = FoilFields(), LetteringFields()
        self.place, self.kind_fields = PlaceFields(document), KindFields(document)
        self.place_ring = QPushButton("Place it where it hides most")
        self._form = QWidget()
        self._empty = quiet(empty)
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
            ("Mass", self._mass),
            ("Tall", self._lengths["tall_mm"]),
            ("Wide", self._lengths["wide_mm"]),
            ("Deep", self._lengths["deep_mm"]),
            ("", self._swirl),
            ("Held by", self._fixing),
            ("Balloons", self._balloons),
            ("Size", self._nominal),
            ("Colour", self._colour),
            ("Strips", self._strips),
            ("Also uses", self._items),
        ):
            fields.addRow(words, widget)
        fields.addRow(self._how)
        fields.insertRow(1, self.foil)
        fields.insertRow(2, self.lettering)
        fields.insertRow(3, self.place_ring)
        fields.insertRow(3, self.place)
        fields.insertRow(4, self.kind_fields)
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
        self.place_ring.clicked.connect(self._on_place_ring)
        self._document.dresser.ring_placed.connect(self._on_ring)
        self._name.editingFinished.connect(lambda: self._set(name=self._name.text().strip()[:120]))
        for name, field in self._lengths.items():
            field.entered.connect(lambda mm, name=name: self._set(**{name: mm}))
            field.problem.connect(self.problem)
        self._mass.valueChanged.connect(lambda kg: self._set(mass_g=kg * 1000))
        self._strips.valueChanged.connect(lambda strips: self._set(strips=strips))
        self._items.editingFinished.connect(self._set_items)
        for own in (self.foil, self.lettering, self.place, self.kind_fields):
            own.changed.connect(lambda changes: self._set(**changes))
        for fields in (self.place, self.kind_fields):
            fields.problem.connect(self.problem)
        self._fixing.activated.connect(lambda index: self._set(fixing=list(Fixing)[index]))
        self._swirl.toggled.connect(lambda on: self._set(follows_swirl=on))
        self._balloons.valueChanged.connect(lambda _: self._set_balloons())
        self._nominal.activated.connect(lambda _: self._set_balloons())
        self._colour.chosen.connect(lambda _: self._set_balloons())

    # --- edits ---------------------------------------------------------------------------------

    @property
    def part(self) -> Part | None:
        """The chosen part."""
        return next((part for part in self._mine if part.key == self._key), None)

    @property
    def _mine(self) -> list[Part]:
        piece = self._document.piece
        return [part for part in piece.parts if part.kind in self._shown_kinds] if piece else []

    def _on_add(self) -> None:
        piece = self._document.piece
        if piece is not None:
            self._key = part_edits.free_part_key(piece)
            self._document.apply(part_edits.add_part(piece.key, self._kinds.currentText()))

    def _on_remove(self) -> None:
        piece, part = self._document.piece, self.part
        if piece and part:
            self._document.apply(part_edits.remove_part(piece.key, part))

    def _told_of(self, part: Lettering) -> str:
        """Letter height and film of lettering as it was planned last."""
        found = self._document.dresser.words
        return next((lettering_words(words, self._document.units) for words in found if words.part == part), "")

    def set_foil_outline(self, outline: PointsOutline) -> None:
        """Give the chosen foil shape an outline of its own."""
        if isinstance(self.part, FoilShape):
            self._set(outline=outline)

    def _set(self, **changes: object) -> None:
        piece, part = self._document.piece, self.part
        if piece and part and any(getattr(part, name) != value for name, value in changes.items()):
            self._document.apply(part_edits.change_part(piece.key, part, **changes))

    def _set_balloons(self) -> None:
        piece, part = self._document.piece, self.part
        if piece and part and kind_of(part).has_balloons:
            nominal, colour = float(self._nominal.currentData() or 5), str(self._colour.currentData())
            self._document.apply(part_edits.set_part_balloons(piece.key, part, nominal, colour, self._balloons.value()))

    def _set_items(self) -> None:
        """Things read from “2 foil stars; 1 light”; what has no number counts once."""
        try:
            self._set(items=part_edits.read_items(self._items.text()))
        except BadInput as error:
            self.problem.emit(self._document.said(error))

    def _on_place_ring(self) -> None:
        if not self._document.is_planned:
            self.problem.emit("The rows are still being worked out: try again in a moment.")
        elif isinstance(self.part, Collar):
            self._document.dresser.place_ring(self.part.key)

    def _on_ring(self, placed: PlacedRing | None, piece_key: int, key: int) -> None:
        piece, piece_plan = self._document.job.piece(piece_key), self._document.piece_plan
        part = next((part for part in piece.parts if part.key == key), None) if piece else None
        if piece is None or piece_plan is None or not isinstance(part, Collar) or part.kind not in self._shown_kinds:
            return
        knots = {row.key: float(knot) for row, knot in zip(piece.rows, piece_plan.geometry.knots, strict=False)}
        if placed is None or placed.row not in knots or not part.balloons:
            self.problem.emit("A collar needs rows and balloons of its own.")
            return
        height = knots[placed.row] + placed.up_mm
        edit = part_edits.set_ring(piece_key, part, placed.row, placed.up_mm, height, placed.count)
        self._document.apply(edit)
        self._how.setText(ring_words(placed, piece.rows))
        self._how.show()

    def _on_chosen(self, row: int) -> None:
        if 0 <= row < len(self._mine):
            self._key = self._mine[row].key
            self._show_form()

    # --- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the selected piece's parts."""
        parts = self._mine
        if self.part is None:
            self._key = parts[0].key if parts else None
        with QSignalBlocker(self._list):
            self._list.clear()
            for part in parts:
                mass = f", {mass_words(part.mass_g)}" if part.mass_g else ""
                self._list.addItem(f"{name_of(part)}: {kind_of(part).words}{mass}")
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
        widgets = (self._swirl, self._mass, self._balloons, self._name, self._strips)
        blockers = [QSignalBlocker(widget) for widget in widgets]
        self._name.setText(part.name)
        fields = type(part).model_fields
        for name, field in self._lengths.items():
            if name in fields:
                field.set_value(getattr(part, name))
            self._fields.setRowVisible(field, name in fields)
        for name, widget, shown in (
            ("follows_swirl", self._swirl, self._swirl.setChecked),
            ("fixing", self._fixing, lambda fixing: self._fixing.setCurrentText(fixing.value)),
        ):
            if name in fields:
                shown(getattr(part, name))
            self._fields.setRowVisible(widget, name in fields)
        self._how.setText(HELD[part.fixing] if isinstance(part, Extended) else "")
        self._how.setVisible(bool(self._how.text()))
        self._mass.setValue(part.mass_g / 1000)
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
        self._fields.setRowVisible(self.foil, isinstance(part, FoilShape))
        if isinstance(part, FoilShape):
            self.foil.show_part(part, palette)
        self._fields.setRowVisible(self.lettering, isinstance(part, Lettering))
        if isinstance(part, Lettering):
            self.lettering.show_part(part, palette, self._told_of(part))
        self._fields.setRowVisible(self.place, isinstance(part, Placed))
        if isinstance(part, Placed):
            self.place.show_part(part, self._document.piece.parts if self._document.piece else ())
        self._fields.setRowVisible(self.place_ring, isinstance(part, Collar))
        self.kind_fields.show_part(part, palette)
        for box in (self._balloons, self._nominal, self._colour):
            self._fields.setRowVisible(box, kind_of(part).has_balloons)
        del blockers


def _fixing_box() -> QComboBox:
    """The ways in which a part can be held."""
    box = QComboBox()
    box.addItems([fixing.value for fixing in Fixing])
    box.setAccessibleName("Held by")
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(12)
    box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
    return box
