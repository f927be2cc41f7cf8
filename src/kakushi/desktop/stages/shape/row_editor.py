"""The selected row: size, count, nominal size, order; and how it looks from above."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.document.row_actions import RowActions, row_action
from kakushi.desktop.forms.choices import Choices, nominal_choices
from kakushi.desktop.forms.sizing_field import sizing_field
from kakushi.desktop.forms.typed import QuantityField, TypedField, count_field, diameter_field
from kakushi.desktop.views.plan_view import PlanView
from kakushi.desktop.widgets.fields import form, heading, quiet
from kakushi.desktop.widgets.icons import icon
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.groups import Row
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.quantities import ANGLE, DIAMETER, parts_of
from kakushi.model.sizing import Sizing
from kakushi.model.units import format_diameter, format_length, format_nominal
from kakushi.plan.relations import relation_of
from kakushi.session import row_edits
from kakushi.session.session import Edit
from kakushi.words.rows import relation_words
from kakushi.words.sizing import read_sizes

_ORDER = ("insert", "duplicate", "up", "down", "pin", "delete")
_ASSORTED = 0.15
"""Spread of sizes within an assorted row, as a share of the diameter."""
_USUAL_SIZES = 3
"""Number of sizes an assorted row begins with."""
_WORDS = {"insert": "Insert", "duplicate": "Duplicate", "up": "Up", "down": "Down", "delete": "Delete"}

# Of a row's height: less nobody sees.
_SEEN_SAID = 0.01


class RowEditor(QWidget):
    """Buttons and fields for what the ladder does by keys."""

    def __init__(self, document: Document, actions: RowActions, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._actions = document, actions
        self._title = heading("No row selected")
        self._hint = quiet("Click a card or a balloon, or use ↑ ↓ in the ladder.")
        self._size = diameter_field(document, "sized diameter", SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM)
        self._sizing = sizing_field(document, "How it is sized")
        self._count = Label()
        self._nominal = Choices("Nominal size")
        self._slots = TypedField("Sizes slot by slot", self._read_sizes, self._sizes_shown, lambda: document.units)
        self._slots.setToolTip("One size per balloon, from slot 1 anticlockwise, like 8 1/2, 6, 8 1/2, 6")
        self._assort = QPushButton("Assort")
        self._assort.setToolTip("Deliberately uneven sizes; press again for another mix")
        self._sizes = count_field("Different sizes of an assorted row", 2, 6, " sizes")
        self._sizes.set_value(_USUAL_SIZES)
        self._many = TypedField(
            "Rows as a list", lambda words: read_sizes(words, document.units), lambda _: "", lambda: document.units
        )
        self._many.setPlaceholderText("5, 6, 7, 8, 9.5 x6")
        self._many.setToolTip("Sizes from the foot up, added above the selected row; x6: six rows of that size")
        self._turn = QuantityField(
            document, ANGLE, "Turn on the row below", -180.0, 180.0, none=("as it lies", None), step=1.0
        )
        self._seed = 0
        self._row_shown: int | None = None
        self._measures = quiet()
        self.plan_view = PlanView(document, theme)
        self._words = quiet()
        self._buttons: list[tuple[QToolButton, str]] = []
        self._problem = Label()
        self._problem.setProperty("role", "wrong")
        self._problem.setWordWrap(True)
        self._body = QWidget()
        self._build()
        self._size.entered.connect(self._on_size)
        self._nominal.chosen.connect(self._on_nominal)
        self._slots.entered.connect(self._on_sizes)
        self._sizing.entered.connect(self._on_sizing)
        self._assort.clicked.connect(self._on_assort)
        self._turn.entered.connect(self._on_turn)
        self._many.entered.connect(self._on_many)
        for field in (self._size, self._sizing, self._slots, self._sizes, self._turn, self._many):
            field.problem.connect(self._on_problem)
        for changed in (document.job_changed, document.selection.changed, document.preferences_changed):
            changed.connect(self._refresh)
        for changed in (document.plan_changed, document.selection.changed, document.planner.spread_changed):
            changed.connect(self._show_measures)
        self.set_theme(theme)
        self._refresh()

    def _build(self) -> None:
        fields = form()
        fields.addRow("Sized to", self._stepped(self._size, "smaller", "larger"))
        fields.addRow("Or", self._sizing)
        fields.addRow("Balloons", self._stepped(self._count, "fewer", "more"))
        fields.addRow("Nominal", self._nominal)
        fields.addRow("Slots", self._slots)
        uneven = QHBoxLayout()
        uneven.addWidget(self._sizes)
        uneven.addWidget(self._assort)
        uneven.addStretch(1)
        fields.addRow("Uneven", uneven)
        fields.addRow("Turned", self._turn)
        order = QHBoxLayout()
        order.setSpacing(3)
        for name in _ORDER:
            button = self._button(name)
            order.addWidget(button)
        order.addStretch(1)
        body = QVBoxLayout(self._body)
        body.setContentsMargins(0, 0, 0, 0)
        body.addLayout(fields)
        body.addWidget(self._problem)
        body.addLayout(order)
        body.addWidget(self._measures)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._title)
        layout.addWidget(self._hint)
        added = form()
        added.addRow("Add rows", self._many)
        layout.addLayout(added)
        layout.addWidget(self._body)
        layout.addWidget(self.plan_view)
        layout.addWidget(self._words)

    def _stepped(self, middle: QWidget, down: str, up: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self._button(down))
        row.addWidget(middle, 1)
        row.addWidget(self._button(up))
        return row

    def _button(self, name: str) -> QToolButton:
        action = row_action(name)
        button = QToolButton()
        button.setToolTip(f"{action.words} ({action.keys[0]})")
        button.setAccessibleName(action.words)
        button.setIconSize(QSize(17, 17))
        button.clicked.connect(lambda: action.run(self._actions))
        self._buttons.append((button, action.icon))
        return button

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        for button, name in self._buttons:
            button.setIcon(icon(name, theme.ink))
        self.plan_view.set_theme(theme)

    def _on_size(self, mm: float) -> None:
        piece, row = self._document.piece, self._document.selection.row
        if piece and row:
            self._each(lambda one: row_edits.set_row_diameter(piece.key, one.key, mm))

    def _each(self, edit_of: Callable[[Row], Edit]) -> None:
        """Apply an edit to every selected row, as one step."""
        self._document.apply(row_edits.together([edit_of(row) for row in self._document.selection.rows]))

    def _on_sizing(self, sizing: Sizing | float | None) -> None:
        piece, row = self._document.piece, self._document.selection.row
        if piece is None or row is None or sizing is None:
            return
        if isinstance(sizing, Sizing):
            studio = self._document.studio
            self._each(lambda one: row_edits.set_row_sizing(piece.key, one.key, sizing, studio))
        else:
            self._each(lambda one: row_edits.set_row_diameter(piece.key, one.key, sizing))

    def _read_sizes(self, text: str) -> tuple[float, ...]:
        return tuple(
            DIAMETER.read_between(
                part, SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM, self._document.units, "sized diameter"
            )
            for part in parts_of(text)
        )

    def _sizes_shown(self, sizes: tuple[float, ...] | None) -> str:
        return ", ".join(format_diameter(mm, self._document.units) for mm in sizes or ())

    def _on_sizes(self, sizes: tuple[float, ...]) -> None:
        piece, row = self._document.piece, self._document.selection.row
        if piece and row:
            self._document.apply(row_edits.set_row_sizes(piece.key, row.key, sizes))

    def _on_assort(self) -> None:
        piece, row = self._document.piece, self._document.selection.row
        count = self._sizes.value
        if piece and row and not self._sizes.fault:
            self._seed += 1
            edit = row_edits.assort_row(piece.key, row.key, _ASSORTED, count, self._seed, self._document.studio)
            self._document.apply(edit)

    def _on_turn(self, degrees: float | None) -> None:
        piece, row = self._document.piece, self._document.selection.row
        if piece and row:
            self._document.apply(row_edits.set_row_turn(piece.key, row.key, degrees))

    def _on_many(self, sizes: tuple[float, ...] | None) -> None:
        if sizes and self._actions.add_sizes(sizes):
            self._many.set_value(None, True)

    def _show_measures(self) -> None:
        piece_plan, index = self._document.piece_plan, self._document.selection.row_index
        if piece_plan is None or index is None or index >= len(piece_plan.geometry.frames):
            self._measures.setText("")
            self._words.setText("")
            return
        self._words.setText(relation_words(relation_of(piece_plan, index), self._document.wording))
        measure, units = piece_plan.measures[index], self._document.units
        words = [
            f"{format_length(measure.width, units)} across",
            f"pressed {measure.overlap_ratio:.0%} into its neighbours",
            f"{format_length(measure.gap, units)} from the {'pole' if piece_plan.packing.pole_radius else 'middle'}",
        ]
        if not piece_plan.lies_flat[index]:
            words.append("does not lie flat by itself")
        seen = piece_plan.core_seen
        if seen and seen.by_row[index] >= _SEEN_SAID:
            words.append(f"{piece_plan.core} seen {seen.by_row[index]:.0%} from the worst side")
        spread = self._document.planner.spread
        if spread is not None and index < len(spread.gaps) and spread.gaps[index] > 0:
            words.append(f"a visible gap in {spread.gaps[index]:.0%} of builds with your sizing")
        if index:
            words.append(f"turned {math.degrees(piece_plan.geometry.turn_of(index)):.0f}° on the row below")
        self._measures.setText(" · ".join(words))

    def _on_problem(self, text: str) -> None:
        self._problem.setText(text)
        self._problem.show()

    def _on_nominal(self, nominal: float) -> None:
        piece, row = self._document.piece, self._document.selection.row
        if piece and row:
            studio = self._document.studio
            self._each(lambda one: row_edits.set_row_nominal(piece.key, one.key, nominal, studio))

    def _refresh(self) -> None:
        piece, row, index = self._document.piece, self._document.selection.row, self._document.selection.row_index
        self._problem.hide()
        self._body.setVisible(row is not None)
        self._hint.setVisible(row is None)
        if piece is None or row is None or index is None:
            self._title.setText("No row selected")
            return
        many = len(self._document.selection.rows)
        title = f"{many} rows selected" if many > 1 else f"Row {index + 1} of {len(piece.rows)}, from the foot"
        self._title.setText(title)
        is_other = row.key != self._row_shown
        self._row_shown = row.key
        self._size.set_value(row.diameter_mm, is_other)
        self._sizing.set_value(row.sizing, is_other)
        self._count.setText(f"{row.count} in the row")
        known = {size.nominal_in: size for size in self._document.studio.nominals}
        current = row.slots[0].nominal_in
        own = [] if current in known else [(format_nominal(current), current)]
        self._nominal.list_choices([*nominal_choices(known.values()), *own])
        self._nominal.set_value(current)
        self._slots.set_value(tuple(slot.diameter_mm for slot in row.slots), is_other)
        self._turn.setEnabled(index > 0)
        self._turn.set_value(row.turn_deg, is_other)
        self._show_measures()
