"""What the fit may use: counts, nominal sizes, packing, pole, and the limits few jobs need."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSizePolicy,
    QSlider,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import LengthField, form, quiet
from kakushi.model.errors import BadInput
from kakushi.model.joints import JointKind
from kakushi.model.limits import LARGEST_HEIGHT_MM
from kakushi.model.piece import FitControls, Piece, StockLine, Tightness
from kakushi.model.units import format_nominal
from kakushi.model.values import replace
from kakushi.session import edits, group_edits

COUNTS = (2, 3, 4, 5, 6, 7, 8)
_MAX_POLE_MM = 200.0
_BUILT = ("pole", "line", "frameless")
_USUAL_RATIO, _USUAL_ROWS = 1.4, 12


_LEARNT = "\0learnt"
"""No packing has a NUL in its name."""


class FitControlsBox(QWidget):
    """Edits `Piece.fit`, its packing and its pole."""

    def __init__(self, document: Document, problem: QLabel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._problem = document, problem
        self._counts = {count: QToolButton() for count in COUNTS}
        self._nominals: dict[float, QToolButton] = {}
        self._nominal_grid = QGridLayout()
        self._packing = QComboBox()
        self._pole = LengthField(document, "pole diameter", 0.0, _MAX_POLE_MM)
        self._pole_length = LengthField(document, "pole length", 0.0, LARGEST_HEIGHT_MM)
        self._built, self._joint = QComboBox(), QComboBox()
        self._base = LengthField(document, "height of the first row above the floor", 0.0, LARGEST_HEIGHT_MM / 2)
        self._capped, self._max_sizes = QCheckBox("at most"), QSpinBox()
        self._more = QToolButton()
        self._limits = QWidget()
        self._even = QSlider(Qt.Orientation.Horizontal)
        self._bounded, self._ratio = QCheckBox("at most"), QDoubleSpinBox()
        self._fixed, self._rows = QCheckBox("exactly"), QSpinBox()
        self._stock = QLineEdit()
        self._build()
        self._connect()

    # --- building ------------------------------------------------------------------------

    def _build(self) -> None:
        counts = QHBoxLayout()
        counts.setSpacing(2)
        for count, button in self._counts.items():
            button.setText(str(count))
            button.setCheckable(True)
            button.setAccessibleName(f"Rows of {count}")
            # Seven of them stand in a row of the narrowest panel.
            button.setFixedWidth(self.fontMetrics().horizontalAdvance("0") + 24)
            counts.addWidget(button)
        counts.addStretch(1)
        self._nominal_grid.setSpacing(3)
        self._packing.setAccessibleName("Packing")
        self._max_sizes.setRange(1, 30)
        self._max_sizes.setAccessibleName("Most different sizes")
        fields = form()
        fields.addRow("Per row", counts)
        fields.addRow("Sizes", self._pair(self._capped, self._max_sizes))
        fields.addRow("Packing", self._packing)
        self._built.addItems(_BUILT)
        self._built.setAccessibleName("Built on")
        self._joint.addItems([joint.value for joint in JointKind])
        self._joint.setAccessibleName("Joints")
        for chooser in (self._joint, self._packing):
            chooser.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            chooser.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        fields.addRow("Built on", self._built)
        fields.addRow("Pole", self._pair(self._pole, QLabel("long"), self._pole_length))
        fields.addRow("Starts at", self._base)
        fields.addRow("Joints", self._joint)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        box.addWidget(QLabel("Nominal sizes on hand"))
        box.addLayout(self._nominal_grid)
        box.addLayout(fields)
        self._more.setText("More limits…")
        self._more.setCheckable(True)
        self._more.toggled.connect(self._limits.setVisible)
        box.addWidget(self._more)
        self._build_limits()
        box.addWidget(self._limits)

    def _build_limits(self) -> None:
        self._even.setRange(0, 100)
        self._even.setAccessibleName("Evenness of steps")
        self._even.setToolTip("How much even grading counts against closeness to the outline")
        self._ratio.setRange(1.05, 5.0)
        self._ratio.setSingleStep(0.05)
        self._ratio.setSuffix(" : 1")
        self._ratio.setAccessibleName("Largest ratio of neighbouring sizes")
        self._rows.setRange(1, 200)
        self._rows.setAccessibleName("Number of rows")
        self._stock.setPlaceholderText("11: 60, 9: 48")
        self._stock.setAccessibleName("Balloons on hand")
        self._stock.setToolTip("Nominal size: number of balloons for one copy; sizes left out have no limit")
        limits = form()
        limits.addRow("Even steps", self._even)
        limits.addRow("Neighbours", self._pair(self._bounded, self._ratio))
        limits.addRow("Rows", self._pair(self._fixed, self._rows))
        limits.addRow("On hand", self._stock)
        box = QVBoxLayout(self._limits)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(limits)
        box.addWidget(quiet("Pinned rows (P in the ladder) stay exactly as they are."))
        self._limits.hide()

    @staticmethod
    def _pair(*widgets: QWidget) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        for widget in widgets:
            row.addWidget(widget)
        if isinstance(widgets[0], QCheckBox):
            row.addStretch(1)
        return row

    def _connect(self) -> None:
        for button in self._counts.values():
            button.clicked.connect(self._set_fit)
        for box, number in ((self._capped, self._max_sizes), (self._bounded, self._ratio), (self._fixed, self._rows)):
            box.clicked.connect(self._set_fit)
            number.valueChanged.connect(self._set_fit)
        self._even.valueChanged.connect(self._set_fit)
        self._stock.editingFinished.connect(self._set_fit)
        self._packing.activated.connect(self._set_packing)
        self._pole.entered.connect(lambda mm: self._set_frame(pole_diameter_mm=mm))
        self._pole_length.entered.connect(lambda mm: self._set_frame(pole_length_mm=mm or None))
        self._base.entered.connect(self._set_base)
        self._built.activated.connect(lambda _: self._set_frame(kind=self._built.currentText()))
        self._joint.activated.connect(self._set_joint)
        for field in (self._pole, self._pole_length, self._base):
            field.problem.connect(self._say)

    def _say(self, text: str) -> None:
        self._problem.setText(text)
        self._problem.setVisible(bool(text))

    # --- edits ----------------------------------------------------------------------------

    def _set_fit(self) -> None:
        piece = self._document.piece
        if piece is None:
            return
        counts = tuple(c for c, b in self._counts.items() if b.isChecked())
        nominals = tuple(n for n, b in self._nominals.items() if b.isChecked())
        try:
            stock = parse_stock(self._stock.text())
        except BadInput as error:
            self._say(self._document.said(error))
            return
        if not counts or not nominals:
            self.show_piece(piece)
            self._say("At least one count and one nominal size must stay on.")
            return
        every = len(nominals) == len(self._nominals)
        controls = replace(
            piece.fit,
            counts=counts,
            nominals=() if every else nominals,
            max_sizes=self._max_sizes.value() if self._capped.isChecked() else None,
            even_steps=self._even.value() / 100,
            ratio_limit=self._ratio.value() if self._bounded.isChecked() else None,
            row_count=self._rows.value() if self._fixed.isChecked() else None,
            stock=stock,
        )
        self._document.apply(edits.set_piece(piece.key, "Change what may be used", fit=controls))

    def _set_packing(self, index: int) -> None:
        piece = self._document.piece
        if piece is None:
            return
        name = self._packing.itemData(index)
        if name == _LEARNT:
            return
        if name in [t.value for t in Tightness]:
            changes: dict[str, object] = {"tightness": Tightness(name), "packing_name": None, "learnt_tau": None}
        else:
            changes = {"packing_name": name, "learnt_tau": None}
        self._document.apply(edits.set_piece(piece.key, "Change packing", **changes))

    def _set_frame(self, **changes: object) -> None:
        if piece := self._document.piece:
            frame = replace(piece.frame, **changes)
            self._document.apply(edits.set_piece(piece.key, "Change pole", frame=frame))

    def _set_base(self, mm: float) -> None:
        """The first row starts that high: what the base does not reach stays bare pole."""
        if piece := self._document.piece:
            base = piece.frame.base
            bare = mm - (base.height_mm if base.kind != "none" else 0.0)
            if bare < -0.05:
                self._say("The base is that high already: choose a lower one in the Stand stage.")
            self._document.apply(group_edits.set_bare_pole(piece.key, max(bare, 0.0)))

    def _set_joint(self) -> None:
        if piece := self._document.piece:
            joint = JointKind(self._joint.currentText())
            self._document.apply(edits.set_piece(piece.key, "Change joints", joint=joint))

    # --- showing ----------------------------------------------------------------------------

    def show_piece(self, piece: Piece) -> None:
        """Show what a piece has."""
        controls = piece.fit
        for count, button in self._counts.items():
            button.setChecked(count in controls.counts)
        self._show_nominals(controls)
        self._show_packing(piece)
        self._pole.set_value(piece.frame.pole_diameter_mm)
        self._pole_length.set_value(piece.frame.pole_length_mm)
        self._base.set_value(piece.foot_mm)
        self._built.setCurrentText(piece.frame.kind)
        self._joint.setCurrentText(piece.joint.value)
        for field in (self._pole, self._pole_length):
            field.setEnabled(piece.frame.has_pole)
        for box, number, value, usual in (
            (self._capped, self._max_sizes, controls.max_sizes, 6),
            (self._fixed, self._rows, controls.row_count, len(piece.rows) or _USUAL_ROWS),
        ):
            with QSignalBlocker(number):
                box.setChecked(value is not None)
                number.setEnabled(value is not None)
                number.setValue(value or usual)
        with QSignalBlocker(self._ratio), QSignalBlocker(self._even):
            self._bounded.setChecked(controls.ratio_limit is not None)
            self._ratio.setEnabled(controls.ratio_limit is not None)
            self._ratio.setValue(controls.ratio_limit or _USUAL_RATIO)
            self._even.setValue(round(controls.even_steps * 100))
        if not self._stock.hasFocus():
            self._stock.setText(", ".join(f"{line.nominal_in:g}: {line.balloons}" for line in controls.stock))
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
                button.setSizePolicy(self._stock.sizePolicy())
                button.clicked.connect(self._set_fit)
                self._nominals[nominal] = button
                self._nominal_grid.addWidget(button, index // 4, index % 4)
        for nominal, button in self._nominals.items():
            button.setChecked(not controls.nominals or nominal in controls.nominals)

    def _show_packing(self, piece: Piece) -> None:
        names = [p.name for p in self._document.studio.packings]
        if piece.packing_name and piece.packing_name not in names:
            names.append(piece.packing_name)
        with QSignalBlocker(self._packing):
            self._packing.clear()
            for tightness in Tightness:
                self._packing.addItem(tightness.value, tightness.value)
            for name in names:
                self._packing.addItem(f"measured: {name}", name)
            if piece.learnt_tau is not None:
                self._packing.addItem("measured on what stands", _LEARNT)
            shown = _LEARNT if piece.learnt_tau is not None else piece.packing_name or piece.tightness.value
            self._packing.setCurrentIndex(self._packing.findData(shown))


def parse_stock(text: str) -> tuple[StockLine, ...]:
    """Balloons on hand from words like “11: 60, 9: 48”. Raises BadInput."""
    lines = []
    for part in filter(None, (p.strip() for p in text.replace(";", ",").split(","))):
        size, colon, count = part.partition(":")
        try:
            lines.append(StockLine(nominal_in=float(size.strip().rstrip('"″')), balloons=int(count)))
        except ValueError as error:
            raise BadInput(f"“{part[:30]}” is not a size and a number of balloons, like 11: 60.", "stock") from error
        if not colon:
            raise BadInput(f"“{part[:30]}” needs a colon, like 11: 60.", "stock")
    return tuple(lines)
