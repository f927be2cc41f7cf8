"""What stands on a piece's centreline, foot first: rows, balls, bare pole, reserved room; where each is held."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QListWidget, QPushButton, QSpinBox, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import ColourChooser, LengthField, form
from kakushi.model.groups import Anchor, BallGroup, BarePoleGroup, ClearPole, Group, RowsGroup, Twist
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.units import format_length, format_nominal
from kakushi.packing.groups.table import KINDS, kind_of
from kakushi.session import group_edits

_ANCHORS = {"floor": "on what is below", "at height": "standing at a height", "hanging below": "hanging from a height"}
_HIGHEST_MM = 20_000.0


class GroupsBox(QWidget):
    """The groups of the selected piece and a form for the chosen one."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.list = QListWidget()
        self.list.setAccessibleName("Groups, the foot at the bottom")
        self.list.setFixedHeight(self.fontMetrics().height() * 5)
        self.kind = QComboBox()
        for name, kind in KINDS.items():
            self.kind.addItem(kind.offered, name)
        self.kind.setAccessibleName("What to add")
        self.add, self.remove = QPushButton("Add on top"), QPushButton("Remove")
        self._anchor = QComboBox()
        for key, words in _ANCHORS.items():
            self._anchor.addItem(words, key)
        self._anchor.setAccessibleName("How it is held")
        self._fills = QCheckBox("Fills what remains below the next group")
        self._twist = QComboBox()
        for twist in Twist:
            self._twist.addItem(twist.value, twist.value)
        self._twist.setAccessibleName("How rows of several sizes turn on each other")
        self._at = LengthField(document, "height it is held at", 0.0, _HIGHEST_MM)
        self._tall = LengthField(document, "height it takes", 1.0, _HIGHEST_MM)
        self._count = QSpinBox()
        self._count.setRange(4, 24)
        self._count.setAccessibleName("Balloons of the ball")
        self._nominal = QComboBox()
        self._nominal.setAccessibleName("Nominal size of the ball")
        self._diameter = LengthField(
            document, "sized diameter of the ball", SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM, diameter=True
        )
        self._colour = ColourChooser("Colour of the ball")
        self._form = form()
        self._build()
        self._connect()

    def _build(self) -> None:
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(self.kind, 1)
        line.addWidget(self.add)
        line.addWidget(self.remove)
        for words, widget in (
            ("Held", self._anchor),
            ("At", self._at),
            ("Tall", self._tall),
            ("", self._fills),
            ("Turned", self._twist),
            ("Balloons", self._count),
            ("Size", self._nominal),
            ("Sized to", self._diameter),
            ("Colour", self._colour),
        ):
            self._form.addRow(words, widget)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.list)
        layout.addLayout(line)
        layout.addLayout(self._form)

    def _connect(self) -> None:
        self.add.clicked.connect(lambda _: self._on_add())
        self.remove.clicked.connect(lambda _: self._on_remove())
        self.list.currentRowChanged.connect(lambda _: self._show_form())
        self._anchor.activated.connect(lambda _: self._set_anchor())
        self._at.entered.connect(lambda _: self._set_anchor())
        self._fills.clicked.connect(lambda on: self._set(fills=on))
        self._twist.activated.connect(lambda _: self._set(twist=self._twist.currentData()))
        self._tall.entered.connect(lambda mm: self._set(height_mm=mm))
        self._count.valueChanged.connect(lambda _: self._set_ball())
        self._nominal.activated.connect(lambda _: self._set_ball())
        self._colour.chosen.connect(self._set_ball)
        self._diameter.entered.connect(lambda _: self._set_ball())

    # --- edits ---------------------------------------------------------------------------------

    @property
    def place(self) -> int | None:
        """Index of the chosen group, the foot first; the list shows the top first."""
        piece, row = self._document.piece, self.list.currentRow()
        return len(piece.groups) - 1 - row if piece and 0 <= row < len(piece.groups) else None

    def _chosen(self) -> Group | None:
        piece, place = self._document.piece, self.place
        return piece.groups[place] if piece and place is not None else None

    def _on_add(self) -> None:
        if piece := self._document.piece:
            self._document.apply(group_edits.add_group(piece.key, self.kind.currentData()))
            self.list.setCurrentRow(0)

    def _on_remove(self) -> None:
        piece, place = self._document.piece, self.place
        if piece and place is not None:
            self._document.apply(group_edits.remove_group(piece.key, place))

    def _set(self, **changes: object) -> None:
        piece, place = self._document.piece, self.place
        if piece and place is not None:
            self._document.apply(group_edits.change_group(piece.key, place, **changes))

    def _set_anchor(self) -> None:
        self._set(anchor=Anchor(kind=self._anchor.currentData(), height_mm=self._at.value or 0.0))

    def _set_ball(self, colour: str | None = None) -> None:
        piece, place, group = self._document.piece, self.place, self._chosen()
        if piece and place is not None and isinstance(group, BallGroup):
            changes: dict[str, object] = {
                "nominal_in": float(self._nominal.currentData() or 11),
                "diameter_mm": self._diameter.value or group.slots[0].diameter_mm,
            }
            if colour is not None:
                changes["colour"] = colour
            self._document.apply(group_edits.change_ball(piece.key, place, self._count.value(), **changes))

    # --- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the selected piece's groups."""
        piece = self._document.piece
        kept = self.list.currentRow()
        with QSignalBlocker(self.list):
            self.list.clear()
            for group in reversed(piece.groups if piece else ()):
                self.list.addItem(self._words(group))
            self.list.setCurrentRow(min(max(kept, 0), self.list.count() - 1))
        self.remove.setEnabled(self.list.count() > 1)
        self._show_form()

    def _words(self, group: Group) -> str:
        units = self._document.units
        words = kind_of(group).said(group, units)
        if group.anchor.kind == "floor":
            return words
        return f"{words}, {group.anchor.kind} {format_length(group.anchor.height_mm, units)}"

    def _show_form(self) -> None:
        group = self._chosen()
        if group is None:
            return
        slots = group.slots if isinstance(group, BallGroup) else ()
        clear = group if isinstance(group, ClearPole) else None
        mixed = isinstance(group, RowsGroup) and any(not row.is_uniform for row in group.rows)
        if isinstance(group, RowsGroup):
            self._twist.setCurrentIndex(self._twist.findData(group.twist.value))
        ball = slots[0] if slots else None
        with QSignalBlocker(self._count):
            self._count.setValue(len(slots) or 10)
        self._anchor.setCurrentIndex(self._anchor.findData(group.anchor.kind))
        self._at.set_value(group.anchor.height_mm)
        if clear is not None:
            self._tall.set_value(clear.height_mm)
        self._fills.setChecked(isinstance(clear, BarePoleGroup) and clear.fills)
        self._nominal.clear()
        for size in self._document.studio.nominals:
            self._nominal.addItem(format_nominal(size.nominal_in), size.nominal_in)
        if ball is not None:
            self._nominal.setCurrentIndex(max(self._nominal.findData(ball.nominal_in), 0))
            self._diameter.set_value(ball.diameter_mm)
            palette = self._document.job.palette
            self._colour.show_colours(palette, ball.colour or palette[0].key)
        for widget, shown in (
            (self._at, group.anchor.kind != "floor"),
            (self._tall, clear is not None and not (isinstance(clear, BarePoleGroup) and clear.fills)),
            (self._fills, isinstance(clear, BarePoleGroup)),
            (self._twist, mixed),
            (self._count, ball is not None),
            (self._nominal, ball is not None),
            (self._diameter, ball is not None),
            (self._colour, ball is not None),
        ):
            self._form.setRowVisible(widget, shown)
