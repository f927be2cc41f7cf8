"""Test stack: measure how you pack, and keep it under a name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices, nominal_choices
from kakushi.desktop.forms.form import options
from kakushi.desktop.forms.typed import TextField, count_field, diameter_field, length_field
from kakushi.desktop.widgets.fields import form, heading, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.formats.store.studio_store import StudioStore, with_packing, without_packing
from kakushi.model.catalogue import NamedPacking
from kakushi.model.errors import KakushiError
from kakushi.model.joints import JointKind
from kakushi.model.limits import LARGEST_DIAMETER_MM, LARGEST_HEIGHT_MM, SMALLEST_DIAMETER_MM
from kakushi.model.units import format_diameter, format_length, format_nominal
from kakushi.packing.calibration import MAX_ROWS, PackingCalibration, TestStack, calibrate_packing
from kakushi.packing.stack import SNUG, Packing
from kakushi.words.wording import thickness

_SPOILS_MM = 2.0
"""Error of a diameter that spoils the packing found from a stack of some ten rows, mm."""
_EXPLAINED = (
    "Build some rows of one size the way you always do, let them rest, and measure. Hold a template to the finished "
    "balloons for their diameter: {off} off spoils the answer. "
    "More rows, and a second stack of another size, make it more certain."
)
_MAX_POLE_MM = 200.0
"""Thickest pole, mm."""
_NEW = "a new packing"
_LONGEST_NAME = 60
"""Longest name of a packing, characters."""


@dataclass(frozen=True, slots=True)
class _Column:
    words: str
    show: Callable[[TestStack], str]


class StackDialog(Dialog):
    """Enter measurements, see the fit and its doubt, name it."""

    def __init__(self, document: Document, store: StudioStore, parent: QWidget | None = None) -> None:
        super().__init__("Test stack", parent)
        self._document, self._store = document, store
        self._stacks: list[TestStack] = []
        self._found: PackingCalibration | None = None
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_fitted)
        self._runner.failed.connect(self._on_failed)
        self._which = Choices("Packing")
        self._name = TextField(document, "Name of the packing", _LONGEST_NAME)
        self._rows = count_field("Rows in the stack", 2, MAX_ROWS)
        self._count = count_field("Balloons per row", 2, 8)
        self._nominal = Choices("Nominal size", nominal_choices(document.studio.nominals))
        self._diameter = diameter_field(document, "sized diameter, measured", SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM)
        self._height = length_field(document, "stack height", 50.0, LARGEST_HEIGHT_MM)
        self._width = length_field(document, "stack width", 50.0, 4000.0)
        self._pole = length_field(document, "pole diameter", 0.0, _MAX_POLE_MM)
        self._joint = Choices("Rows held by", options(JointKind))
        self._add = tip_button("Add this stack", "Fits the packing to this stack and those in the list")
        self._drop = tip_button("Take out the selected stack", "Fits the packing to the others")
        self._table = QTableWidget(0, len(self._columns()))
        self._answer = Label()
        self._build()
        self._connect()
        self._show_packings()
        self.open_at(760, 620)

    def propose(self, stack: TestStack) -> None:
        """Fill in a stack measured elsewhere, to be checked and added."""
        for field, value in (
            (self._rows, stack.rows),
            (self._count, stack.count),
            (self._nominal, stack.nominal_in),
            (self._diameter, stack.diameter),
            (self._height, stack.height),
            (self._width, stack.width),
            (self._pole, 2 * stack.pole_radius),
            (self._joint, stack.joint),
        ):
            field.set_value(value)

    def _columns(self) -> tuple[_Column, ...]:
        units = self._document.units
        return (
            _Column("rows", lambda s: f"{s.rows} × {s.count}"),
            _Column("balloon", lambda s: format_nominal(s.nominal_in)),
            _Column("sized to", lambda s: format_diameter(s.diameter, units)),
            _Column("height", lambda s: format_length(s.height, units)),
            _Column("width", lambda s: "–" if s.width is None else format_length(s.width, units)),
            _Column("pole", lambda s: "none" if not s.pole_radius else format_length(2 * s.pole_radius, units)),
            _Column("held by", lambda s: s.joint.value),
        )

    def _build(self) -> None:
        piece = self._document.piece
        self._rows.set_value(8)
        self._count.set_value(4)
        self._nominal.set_value(11.0)
        self._pole.set_value(piece.frame.pole_diameter_mm if piece else 25.0)
        self._joint.set_value(piece.joint if piece else JointKind.WRAPPED)
        self._name.setPlaceholderText("my pole columns")
        left, right = form(), form()
        left.addRow("Rows", self._rows)
        left.addRow("Balloons per row", self._count)
        left.addRow("Nominal size", self._nominal)
        left.addRow("Sized to, by template", self._diameter)
        right.addRow("Height, floor to top", self._height)
        right.addRow("Width (if measured)", self._width)
        right.addRow("Pole (0: none)", self._pole)
        right.addRow("Rows held by", self._joint)
        right.addRow("", self._add)
        fields = QHBoxLayout()
        fields.setSpacing(24)
        fields.addLayout(left)
        fields.addLayout(right)
        names = form()
        names.addRow("Packing", self._which)
        names.addRow("Name", self._name)
        self._build_table()
        self._answer.setWordWrap(True)
        self._answer.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.column.addWidget(quiet(_EXPLAINED.format(off=thickness(_SPOILS_MM, self._document.units))))
        self.column.addLayout(names)
        self.column.addLayout(fields)
        self.column.addWidget(heading("Measured stacks"))
        self.column.addWidget(self._table, 1)
        self.column.addWidget(self._drop, 0, Qt.AlignmentFlag.AlignLeft)
        self.column.addWidget(self._answer)
        self._remove = tip_button("Forget this packing", "Removes it from the studio; pieces built with it say so")
        self.column.addWidget(self._remove, 0, Qt.AlignmentFlag.AlignLeft)
        self._keep = self.add_main("Keep this packing", "Keeps it in the studio under its name")
        self.add_close()

    def _build_table(self) -> None:
        self._table.setHorizontalHeaderLabels([column.words for column in self._columns()])
        self._table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self._table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self._table.setAccessibleName("Measured stacks")
        if (header := self._table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        if (header := self._table.verticalHeader()) is not None:
            header.hide()

    def _connect(self) -> None:
        self._which.chosen.connect(lambda _: self._on_which())
        self._add.clicked.connect(self._on_add)
        self._drop.clicked.connect(self._on_drop)
        self._keep.clicked.connect(self._on_keep)
        self._remove.clicked.connect(self._on_remove)
        for field in (self._rows, self._count, self._name, self._diameter, self._height, self._width, self._pole):
            field.problem.connect(self.say)
        self.finished.connect(lambda _code: self._runner.close())

    # --- packings -------------------------------------------------------------------------

    def _show_packings(self, current: str = "") -> None:
        self._which.list_choices([(_NEW, ""), *((p.name, p.name) for p in self._document.studio.packings)])
        self._which.set_value(current)
        self._on_which()

    def _on_which(self) -> None:
        name = self._which.value or ""
        self._name.set_value(name)
        self._remove.setEnabled(bool(name))
        try:
            self._stacks = self._store.stacks_of(name) if name else []
        except KakushiError as error:
            self.say(self._document.said(error))
            self._stacks = []
        self._show_stacks()

    # --- stacks ----------------------------------------------------------------------------

    def _on_add(self) -> None:
        self.say("")
        if self.has_faults():
            return
        diameter, height = self._diameter.value, self._height.value
        if diameter is None or height is None:
            self.say("A stack needs its sized diameter and its height.")
            return
        stack = TestStack(
            rows=self._rows.value,
            count=self._count.value,
            nominal_in=self._nominal.value,
            diameter=diameter,
            height=height,
            width=self._width.value,
            pole_radius=(self._pole.value or 0.0) / 2,
            joint=self._joint.value,
        )
        stacks = [*self._stacks, stack]
        self._runner.submit(lambda _progress, _cancelled: (stacks, calibrate_packing(stacks)))
        self._answer.setText("Fitting…")

    def _on_drop(self) -> None:
        row = self._table.currentRow()
        if 0 <= row < len(self._stacks):
            del self._stacks[row]
            self._show_stacks()

    def _show_stacks(self) -> None:
        self._table.setRowCount(len(self._stacks))
        for line, stack in enumerate(self._stacks):
            for place, column in enumerate(self._columns()):
                self._table.setItem(line, place, QTableWidgetItem(column.show(stack)))
        self._found = None
        self._keep.setEnabled(False)
        if self._stacks:
            stacks = list(self._stacks)
            self._runner.submit(lambda _progress, _cancelled: (stacks, calibrate_packing(stacks)))
            self._answer.setText("Fitting…")
        else:
            self._answer.setText("Add a stack to see what it says.")

    def _on_fitted(self, answer: tuple[list[TestStack], PackingCalibration]) -> None:
        stacks, calibration = answer
        if stacks != self._stacks:
            self._stacks = stacks
            self._show_stacks()
        self._found = calibration
        self._keep.setEnabled(True)
        worst = max(calibration.misses, key=abs)
        units = self._document.units
        snug = Packing(SNUG).for_joint(calibration.joint).tau
        self._answer.setText(
            f"Packing force {calibration.tau:.2f} ± {calibration.tau_sd:.2f} (snug is {snug:.2f}), "
            f"necks {calibration.slack:.2f} ± {calibration.slack_sd:.2f} times the usual slack. "
            f"The worst stack is missed by {thickness(abs(worst), units)}. "
            f"The height of a long column is good to ± {2 * calibration.height_percent:.1f} %, sizing aside."
        )

    def _on_failed(self, words: str) -> None:
        self.say(words)
        self._answer.setText("" if self._stacks else "Add a stack to see what it says.")

    # --- keeping ----------------------------------------------------------------------------

    def _on_keep(self) -> None:
        name = self._name.value
        if not name:
            self.say("Give the packing a name, like “my pole columns”.")
            return
        if self._found is None:
            return
        packing = NamedPacking(
            name=name,
            tau=self._found.tau,
            slack=self._found.slack,
            tau_sd=self._found.tau_sd,
            slack_sd=self._found.slack_sd,
            height_percent=self._found.height_percent,
            joint=self._found.joint,
        )
        try:
            self._store.save_packing(packing, self._stacks)
        except KakushiError as error:
            self.say(self._document.said(error))
            return
        self._document.set_studio(with_packing(self._document.studio, packing))
        self._document.told.emit(f"“{name}” is kept. Choose it under Packing for pieces built that way.")
        self.accept()

    def _on_remove(self) -> None:
        name = self._which.value or ""
        try:
            self._store.remove_packing(name)
        except KakushiError as error:
            self.say(self._document.said(error))
            return
        self._document.set_studio(without_packing(self._document.studio, name))
        self._show_packings()
