"""The layers of a piece: shown or hidden, in order, and the numbers of the one that is chosen."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QMenu, QToolButton, QVBoxLayout, QWidget

from kakushi.colour.facing import rows_facing
from kakushi.colour.layer_table import KINDS, colours_of, laid, layer_words, new_layer
from kakushi.desktop.document.brush import Brush
from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.colour.layer_form import LayerForm
from kakushi.desktop.widgets.fields import on_delete, quiet
from kakushi.model.layers import ColourLayer, MotifLayer, Side
from kakushi.model.piece import SeenSides
from kakushi.model.values import replace
from kakushi.session import colour_edits, edits

_KIND = Qt.ItemDataRole.UserRole
_PAINT = -1
_SIDES = {
    SeenSides.FRONT: Side.FRONT,
    SeenSides.FRONT_AND_BACK: Side.FRONT_AND_BACK,
    SeenSides.ALL_ROUND: Side.ALL_ROUND,
}


class Layers(QWidget):
    """The list, topmost first, with hand paint above all; below it the chosen layer's fields."""

    def __init__(self, document: Document, brush: Brush, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._brush = document, brush
        self._chosen = 0
        self._piece: int | None = None
        self.list = QListWidget()
        self.list.setAccessibleName("Layers of colour, the topmost first")
        self.form = LayerForm(document, brush)
        self._facing = quiet()
        self._turn = QToolButton()
        self._turn.setText("Turn the foot by half a slot")
        self._turn.setToolTip("Turns the whole piece, so that other rows face front")
        self._build()

    def _build(self) -> None:
        self.add = QToolButton()
        self.add.setText("Add")
        self.add.setToolTip("Lays a new layer on top")
        self.add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.add)
        for kind in KINDS:
            action = menu.addAction(kind.capitalize())
            if action is not None:
                action.triggered.connect(lambda _=False, k=kind: self.add_layer(k))
        self.add.setMenu(menu)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        buttons.addWidget(self.add)
        for words, tip, run in (
            ("Up", "Lay it over the layer above", lambda: self._move(1)),
            ("Down", "Lay it under the layer below", lambda: self._move(-1)),
            ("Remove", "Take the layer away", self._remove),
        ):
            button = QToolButton()
            button.setText(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked, r=run: r())
            buttons.addWidget(button)
        buttons.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        for part in (self.list, self.form, self._facing, self._turn):
            column.addWidget(part)
        column.insertLayout(1, buttons)
        self.list.itemChanged.connect(self._on_checked)
        self.list.currentItemChanged.connect(lambda item, _: self._choose(item))
        on_delete(self.list, self._remove)
        self.form.edited.connect(self._edit)
        self.form.raise_wanted.connect(self._raise)
        self._turn.clicked.connect(self._turn_foot)

    @property
    def layer(self) -> ColourLayer | None:
        """The chosen layer; None while hand paint is chosen or there is none."""
        piece = self._document.piece
        return piece.layers[self._chosen] if piece and 0 <= self._chosen < len(piece.layers) else None

    def refresh(self) -> None:
        """Show the selected piece's layers."""
        piece = self._document.piece
        count = len(piece.layers) if piece else 0
        if piece is not None and piece.key != self._piece:
            self._piece, self._chosen = piece.key, count - 1
        self._chosen = min(self._chosen, count - 1)
        with QSignalBlocker(self.list):
            self.list.clear()
            if piece is not None:
                painted = sum(slot.colour is not None for row in piece.rows for slot in row.slots)
                words = f"Hand paint · {painted} balloon{'s' if painted != 1 else ''}"
                self._add_item(words, piece.paint_shown, _PAINT)
                for index in reversed(range(count)):
                    self._add_item(layer_words(piece.layers[index]), piece.layers[index].shown, index)
        high = self.fontMetrics().height() + 10
        self.list.setFixedHeight(min(max(self.list.count(), 2), 6) * high + 6)
        self.form.show_layer(self.layer, self._chosen)
        self.show_facing()

    def _add_item(self, words: str, shown: bool, index: int) -> None:
        item = QListWidgetItem(words)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if shown else Qt.CheckState.Unchecked)
        item.setToolTip("Tick to show, untick to hide")
        item.setData(_KIND, index)
        self.list.addItem(item)
        if index == self._chosen:
            self.list.setCurrentItem(item)

    def show_facing(self) -> None:
        """Which rows face front, where a motif is chosen; changes with the plan."""
        piece = self._document.piece
        piece_plan, layer = self._document.piece_plan, self.layer
        is_motif = isinstance(layer, MotifLayer) and layer.side is not Side.ALL_ROUND
        self._facing.setVisible(is_motif)
        self._turn.setVisible(is_motif)
        if not is_motif or piece_plan is None or piece is None:
            return
        rows = [str(row + 1) for row in rows_facing(piece_plan.surface)]
        named = ", ".join(rows[:8]) + ("…" if len(rows) > 8 else "")
        self._facing.setText(
            f"A balloon's middle faces front in rows {named}; narrow motifs use those."
            if rows
            else "No row faces front with a balloon's middle; turn the foot for narrow motifs."
        )

    # --- what is done -------------------------------------------------------------------------

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self._chosen = int(item.data(_KIND))
            self.form.show_layer(self.layer, self._chosen)
            self.show_facing()

    def _on_checked(self, item: QListWidgetItem) -> None:
        piece, index = self._document.piece, int(item.data(_KIND))
        shown = item.checkState() == Qt.CheckState.Checked
        if piece is None:
            return
        if index == _PAINT:
            self._document.apply(colour_edits.show_paint(piece.key, shown))
        elif piece.layers[index].shown != shown:
            self._document.apply(colour_edits.set_layer(piece.key, index, replace(piece.layers[index], shown=shown)))

    def add_layer(self, kind: str) -> None:
        """Lay a new layer on top and choose it."""
        piece = self._document.piece
        if piece is None:
            return
        used = tuple(dict.fromkeys(key for layer in piece.layers for key in colours_of(layer)))
        layer = new_layer(kind, [colour.key for colour in self._document.job.palette], used, _SIDES[piece.seen_sides])
        self._chosen = len(piece.layers)
        self._document.apply(colour_edits.add_layer(piece.key, layer))

    def _edit(self, layer: ColourLayer) -> None:
        piece = self._document.piece
        if piece is not None and self.layer is not None:
            self._document.apply(colour_edits.set_layer(piece.key, self._chosen, layer))

    def set_motif(self, layer: MotifLayer) -> None:
        """Put another motif in place of the chosen one."""
        if isinstance(self.layer, MotifLayer):
            self._edit(layer)

    def _move(self, by: int) -> None:
        piece = self._document.piece
        if piece is not None and self.layer is not None and 0 <= self._chosen + by < len(piece.layers):
            index = self._chosen
            self._chosen += by
            self._document.apply(colour_edits.move_layer(piece.key, index, by))

    def _remove(self) -> None:
        piece = self._document.piece
        if piece is None:
            return
        if self._chosen == _PAINT:
            self._document.apply(colour_edits.clear_paint(piece.key))
        elif self.layer is not None:
            self._document.apply(colour_edits.remove_layer(piece.key, self._chosen))

    def _raise(self, steps: int) -> None:
        piece_plan, piece, layer = self._document.piece_plan, self._document.piece, self.layer
        if piece_plan is None or piece is None or not isinstance(layer, MotifLayer):
            return
        lines = laid(layer, piece_plan.surface, tuple)
        slots = [
            (piece.rows[row].key, slot) for row, line in enumerate(lines) for slot, cell in enumerate(line) if cell
        ]
        self._document.apply(colour_edits.resize_slots(piece.key, slots, steps, self._document.studio))

    def _turn_foot(self) -> None:
        piece = self._document.piece
        if piece is not None and piece.rows:
            angle = (piece.foot_angle_deg + 180 / piece.rows[0].count) % 360
            self._document.apply(edits.set_piece(piece.key, "Turn the foot", foot_angle_deg=angle))
