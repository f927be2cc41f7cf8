"""Parts of a piece that are listed and edited one by one: toppers, hung loads, collars, accents, weights, caps."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.stages.parts.part_form import PartForm
from kakushi.desktop.widgets.fields import on_delete, quiet, side_by_side
from kakushi.dress.collars import PlacedRing
from kakushi.dress.table import kind_of, name_of
from kakushi.model.outline import PointsOutline
from kakushi.model.parts import Collar, FoilShape, Part
from kakushi.session import part_edits
from kakushi.words.dress import ring_words


class PartsBox(QWidget):
    """Parts of some kinds of the selected piece, and a form for the chosen one. `problem`: a message."""

    problem = pyqtSignal(str)

    def __init__(self, document: Document, kinds: Sequence[str], empty: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._shown_kinds = document, tuple(kinds)
        self._key: int | None = None
        self._unplaced: int | None = None
        """A new collar, to be placed once the plan has it."""
        self._list = QListWidget()
        self._list.setAccessibleName("Parts")
        self._list.setFixedHeight(self.fontMetrics().height() * 5)
        self._kinds = Choices("Kind of part to add", [(kind, kind) for kind in self._shown_kinds])
        self.add, self.remove = QPushButton("Add"), QPushButton("Remove")
        self.add.setToolTip("Adds a part of the kind on the left")
        self.remove.setToolTip("Removes the part that is chosen in the list (Delete)")
        self.form = PartForm(document)
        self._empty = quiet(empty)
        self._build()
        self._connect()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._list)
        layout.addWidget(self._empty)
        layout.addLayout(side_by_side(self._kinds, self.add, self.remove))
        layout.addWidget(self.form)

    def _connect(self) -> None:
        self.add.clicked.connect(self._on_add)
        self.remove.clicked.connect(self._on_remove)
        on_delete(self._list, self._on_remove)
        self._list.currentRowChanged.connect(self._on_chosen)
        self.form.problem.connect(self.problem)
        self.form.place_wanted.connect(self._on_place_ring)
        self._document.dresser.ring_placed.connect(self._on_ring)
        self._document.plan_changed.connect(self._place_new)
        self.form.lay_wanted.connect(self._on_lay)

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
            self._unplaced = self._key if self._kinds.value == "collar" else None
            self._document.apply(part_edits.add_part(piece.key, self._kinds.value, self._document.studio))

    def _on_remove(self) -> None:
        piece, part = self._document.piece, self.part
        if piece and part:
            self._document.apply(part_edits.remove_part(piece.key, part))

    def set_foil_outline(self, outline: PointsOutline) -> None:
        """Give the chosen foil shape an outline of its own."""
        if isinstance(self.part, FoilShape):
            self.form.change(outline=outline)

    def _place_new(self) -> None:
        piece_plan = self._document.piece_plan
        planned = piece_plan is not None and any(part.key == self._unplaced for part in piece_plan.piece.parts)
        if self._unplaced is not None and planned and self._document.is_planned:
            key, self._unplaced = self._unplaced, None
            self._document.dresser.place_ring(key)

    def _on_lay(self) -> None:
        piece, part = self._document.piece, self.part
        if piece and part:
            self._document.apply(part_edits.lay_on_skin(piece.key, part, self._document.studio))

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
        self.form.held.setText(ring_words(placed, piece.rows))
        self.form.held.show()

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
                mass = f", {self._document.wording.mass(part.mass_g)}" if part.mass_g else ""
                self._list.addItem(f"{name_of(part)}: {kind_of(part).words}{mass}")
            self._list.setCurrentRow(next((i for i, part in enumerate(parts) if part.key == self._key), -1))
        self._list.setVisible(bool(parts))
        self._empty.setVisible(not parts)
        self._show_form()

    def _show_form(self) -> None:
        part = self.part
        self.form.setVisible(part is not None)
        self.remove.setEnabled(part is not None)
        if part is not None:
            self.form.show_part(part)
