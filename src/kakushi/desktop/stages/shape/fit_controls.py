"""What the fit may use: counts, nominal sizes, packing, pole, and the limits few jobs need."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choice, Choices
from kakushi.desktop.forms.form import BoundForm, choice, options, quantity, slider, written
from kakushi.desktop.forms.frame_lines import POLE_LENGTH
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.model.errors import BadInput
from kakushi.model.frame import Frame
from kakushi.model.joints import JointKind
from kakushi.model.limits import LARGEST_HEIGHT_MM
from kakushi.model.piece import FitControls, Piece, StockLine, Tightness
from kakushi.model.quantities import COUNT, LENGTH, number
from kakushi.model.units import format_nominal
from kakushi.session import edits, group_edits

COUNTS = (2, 3, 4, 5, 6, 7, 8)
_LEARNT = "\0learnt"
"""No packing has a NUL in its name."""


def parse_stock(text: str) -> tuple[StockLine, ...]:
    """Balloons on hand from words like “11: 60, 9: 48”. Raises BadInput."""
    lines = []
    for part in filter(None, (p.strip() for p in text.replace(";", ",").split(","))):
        size, colon, count = part.partition(":")
        if not colon:
            raise BadInput(f"“{part[:30]}” needs a colon, like 11: 60.", "stock")
        try:
            lines.append(StockLine(nominal_in=float(size.strip().rstrip('"″')), balloons=int(count)))
        except ValueError as error:
            raise BadInput(f"“{part[:30]}” is not a size and a number of balloons, like 11: 60.", "stock") from error
    return tuple(lines)


_FIELDS = (
    quantity("max_sizes", "Sizes", COUNT, "Most different sizes", " at most", ("no limit", None), 1, 30),
    choice("packing", "Packing", (), "Packing"),
    choice("kind", "Built on", options(Frame.model_fields["kind"].annotation), "Built on"),
    quantity("pole_diameter_mm", "Pole", LENGTH, "pole diameter", low=0.0, high=200.0),
    POLE_LENGTH,
    quantity(
        "foot_mm", "Starts at", LENGTH, "height of the first row above the floor", low=0.0, high=LARGEST_HEIGHT_MM / 2
    ),
    choice("joint", "Joints", options(JointKind), "Joints"),
)
_LIMITS = (
    slider("even_steps", "Even steps", suffix=" %", per=0.01, spoken="Evenness of steps"),
    quantity(
        "ratio_limit",
        "Neighbours",
        number(2, 0.05),
        "Largest ratio of neighbouring sizes",
        " : 1",
        none=("any", None),
        tip="How much larger a row may be than its neighbour",
    ),
    quantity("row_count", "Rows", COUNT, "Number of rows", none=("as many as fit", None)),
    written(
        "stock",
        "On hand",
        parse_stock,
        lambda stock: ", ".join(f"{line.nominal_in:g}: {line.balloons}" for line in stock or ()),
        "Balloons on hand",
        "11: 60, 9: 48",
        "Nominal size: number of balloons for one copy; sizes left out have no limit",
    ),
)


class FitControlsBox(QWidget):
    """Edits `Piece.fit`, its packing and its pole."""

    def __init__(self, document: Document, problem: QLabel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._problem = document, problem
        self._counts = {count: QToolButton() for count in COUNTS}
        self._nominals: dict[float, QToolButton] = {}
        self._nominal_grid = QGridLayout()
        self._fields = BoundForm(document, _FIELDS)
        self._limits = BoundForm(document, _LIMITS, "Change what may be used")
        self._more, self._limits_box = QToolButton(), QWidget()
        self._build()
        self._fields.changed.connect(self._on_field)
        self._limits.changed.connect(lambda changes: self._set_fit(**changes))
        for source in (self._fields, self._limits):
            source.problem.connect(self._say)

    # --- building ------------------------------------------------------------------------

    def _build(self) -> None:
        counts = QHBoxLayout()
        counts.setSpacing(2)
        for count, button in self._counts.items():
            button.setText(str(count))
            button.setCheckable(True)
            button.setAccessibleName(f"Rows of {count}")
            button.setToolTip(f"Rows of {count} balloons may be used")
            # Seven of them stand in a row of the narrowest panel.
            button.setFixedWidth(self.fontMetrics().horizontalAdvance("0") + 24)
            button.clicked.connect(self._set_buttons)
            counts.addWidget(button)
        counts.addStretch(1)
        self._nominal_grid.setSpacing(3)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        box.addWidget(Label("Nominal sizes on hand"))
        box.addLayout(self._nominal_grid)
        self._fields.rows.insertRow(0, "Per row", counts)
        box.addWidget(self._fields)
        self._more.setText("More limits…")
        self._more.setToolTip("Even steps, neighbours, number of rows, balloons on hand")
        self._more.setCheckable(True)
        self._more.toggled.connect(self._limits_box.setVisible)
        box.addWidget(self._more)
        limits = QVBoxLayout(self._limits_box)
        limits.setContentsMargins(0, 0, 0, 0)
        limits.addWidget(self._limits)
        limits.addWidget(quiet("Pinned rows (P in the ladder) stay exactly as they are."))
        self._limits_box.hide()
        box.addWidget(self._limits_box)

    def _say(self, text: str) -> None:
        self._problem.setText(text)
        self._problem.setVisible(bool(text))

    # --- edits ----------------------------------------------------------------------------

    def _set_fit(self, **changes: object) -> None:
        if piece := self._document.piece:
            self._document.apply(edits.set_inside(piece.key, "Change what may be used", "fit", **changes))

    def _set_buttons(self) -> None:
        """The counts and nominal sizes whose buttons are down."""
        piece = self._document.piece
        if piece is None:
            return
        counts = tuple(c for c, b in self._counts.items() if b.isChecked())
        nominals = tuple(n for n, b in self._nominals.items() if b.isChecked())
        if not counts or not nominals:
            self.show_piece(piece)
            self._say("At least one count and one nominal size must stay on.")
            return
        self._set_fit(counts=counts, nominals=() if len(nominals) == len(self._nominals) else nominals)

    def _on_field(self, changes: dict[str, Any]) -> None:
        """Apply changed fields to the piece, its fit or its frame."""
        piece, (name, value) = self._document.piece, next(iter(changes.items()))
        if piece is None:
            return
        if name == "max_sizes":
            self._set_fit(max_sizes=value)
        elif name == "packing":
            self._set_packing(value)
        elif name == "foot_mm":
            self._set_foot(value)
        elif name == "joint":
            self._document.apply(edits.set_piece(piece.key, "Change joints", joint=value))
        elif name == "kind":
            self._document.apply(edits.set_frame_kind(piece.key, value))
        else:
            self._document.apply(edits.set_inside(piece.key, "Change pole", "frame", **changes))

    def _set_packing(self, name: str) -> None:
        piece = self._document.piece
        if piece is None or name == _LEARNT:
            return
        if name in [t.value for t in Tightness]:
            changes: dict[str, object] = {"tightness": Tightness(name), "packing_name": None}
        else:
            changes = {"packing_name": name}
        self._document.apply(edits.set_packing(piece.key, **changes))

    def _set_foot(self, mm: float) -> None:
        """The first row starts that high: what the base does not reach stays bare pole."""
        if piece := self._document.piece:
            base = piece.frame.base
            bare = mm - (base.height_mm if base.kind != "none" else 0.0)
            if bare < -0.05:
                self._say("The base is that high already: choose a lower one in the Stand stage.")
            self._document.apply(group_edits.set_bare_pole(piece.key, max(bare, 0.0)))

    # --- showing ----------------------------------------------------------------------------

    def show_piece(self, piece: Piece) -> None:
        """Show what a piece has."""
        controls, frame = piece.fit, piece.frame
        for count, button in self._counts.items():
            button.setChecked(count in controls.counts)
        self._show_nominals(controls)
        box = self._fields.widget("packing")
        assert isinstance(box, Choices)
        box.list_choices(self._packings(piece))
        self._fields.show_value(
            frame,
            max_sizes=controls.max_sizes,
            packing=_LEARNT if piece.learnt_tau is not None else piece.packing_name or piece.tightness.value,
            foot_mm=piece.foot_mm,
            joint=piece.joint,
        )
        for name in ("pole_diameter_mm", "pole_length_mm"):
            self._fields.widget(name).setEnabled(frame.has_pole)
        self._limits.show_value(controls)
        if controls.ratio_limit or controls.row_count or controls.stock or controls.even_steps:
            self._more.setChecked(True)

    def _show_nominals(self, controls: FitControls) -> None:
        sizes = [n.nominal_in for n in self._document.studio.nominals]
        if sizes != list(self._nominals):
            for button in self._nominals.values():
                button.deleteLater()
            self._nominals = {}
            for index, nominal in enumerate(sizes):
                button = QToolButton()
                button.setText(format_nominal(nominal))
                button.setCheckable(True)
                button.setAccessibleName(f"Nominal size {nominal:g} inches")
                button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
                button.setToolTip("Balloons of this size are on hand")
                button.clicked.connect(self._set_buttons)
                self._nominals[nominal] = button
                self._nominal_grid.addWidget(button, index // 4, index % 4)
        for nominal, button in self._nominals.items():
            button.setChecked(not controls.nominals or nominal in controls.nominals)

    def _packings(self, piece: Piece) -> list[Choice]:
        names = [p.name for p in self._document.studio.packings]
        if piece.packing_name and piece.packing_name not in names:
            names.append(piece.packing_name)
        listed = [*options(Tightness), *((f"measured: {name}", name) for name in names)]
        return [*listed, ("measured on what stands", _LEARNT)] if piece.learnt_tau is not None else listed
