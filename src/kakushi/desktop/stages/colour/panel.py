"""Colour: brush, layers, tying habits, and what looks wrong before anything is built."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kakushi.colour.faults import ColourFault
from kakushi.colour.fill import block_repeated
from kakushi.desktop.document.brush import Brush, Tool
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import ColourChooser
from kakushi.desktop.forms.form import BoundForm, check, choice, options, push_button, quantity
from kakushi.desktop.forms.typed import count_field
from kakushi.desktop.stages.colour.layers import Layers
from kakushi.desktop.stages.concerns_box import ConcernsBox
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.views.all_round import AllRound
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.palette_strip import PaletteStrip
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.limits import MAX_ROWS
from kakushi.model.piece import LandingSchool
from kakushi.model.quantities import COUNT
from kakushi.plan.values import PiecePlan
from kakushi.session import colour_edits, edits

_TOOLS = (
    (Tool.BRUSH, "Brush"), (Tool.ROW, "Row"), (Tool.PICK, "Pick"),
    (Tool.HELIX_RIGHT, "Spiral right"), (Tool.HELIX_LEFT, "Spiral left"), (Tool.ERASE, "Erase"),
)  # fmt: skip
_TYING = (
    choice("school", "School", options(LandingSchool), "How clusters are brought to the pole"),
    quantity("half_turns", "Half turns", COUNT, "Half turns behind the pole"),
    check("locked", "Lock every row"),
    check("tie_mixed", "Always mixed duplets", "Off: plain duplets where they do not make more kinds"),
)


class ColourPanel(Panel):
    """Tools of the Colour stage."""

    palette_wanted = pyqtSignal()
    cards_wanted = pyqtSignal(bool)
    trial_wanted = pyqtSignal()

    def __init__(self, document: Document, brush: Brush, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self.brush = brush
        self.all_round = AllRound(document, theme)
        self.strip = PaletteStrip(document, brush, theme)
        self.layers = Layers(document, brush)
        self._tools = QButtonGroup(self)
        self._named = Label()
        self._one, self._other = ColourChooser("Colour to swap"), ColourChooser("Colour to swap with")
        self._first = count_field("First row of the block", 1, MAX_ROWS)
        self._last = count_field("Last row of the block", 1, MAX_ROWS)
        self._faults = quiet()
        self._concerns = ConcernsBox(document, ColourFault)
        self._tying = BoundForm(document, _TYING)
        self._swap = ["", ""]
        self._build()
        brush.changed.connect(self._show_brush)
        document.plan_changed.connect(self._show_plan)
        self.finish()

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self.all_round.set_theme(theme)
        self.strip.set_theme(theme)

    def _build(self) -> None:
        self.section("All round", self.all_round, first=True)
        self.section("Paint", self._build_paint())
        self.column.addWidget(self.problem)
        self.section("Layers", self.layers)
        self.section("Look for faults", self._concerns)
        self.column.addWidget(self._faults)
        self.section("Tying", self._build_tying())
        self.section("Whole piece", self._build_whole())

    def _build_paint(self) -> QVBoxLayout:
        tools = QGridLayout()
        tools.setSpacing(4)
        for index, (tool, words) in enumerate(_TOOLS):
            button = QToolButton()
            button.setText(words)
            button.setToolTip(
                f"Paints {tool.value}" if tool not in (Tool.PICK, Tool.ERASE) else tool.value.capitalize()
            )
            button.setCheckable(True)
            button.setSizePolicy(button.sizePolicy().horizontalPolicy().Expanding, button.sizePolicy().verticalPolicy())
            self._tools.addButton(button, index)
            tools.addWidget(button, index // 3, index % 3)
        self._tools.idClicked.connect(lambda index: self.brush.take(_TOOLS[index][0]))
        edit = push_button("Palette…", self.palette_wanted.emit, "The job's colours: their names, codes, finishes")
        line = QHBoxLayout()
        line.addWidget(self._named, 1)
        line.addWidget(edit)
        box = QVBoxLayout()
        box.setSpacing(5)
        box.addLayout(tools)
        box.addWidget(self.strip)
        box.addLayout(line)
        return box

    def _build_whole(self) -> QVBoxLayout:
        for place, chooser in enumerate((self._one, self._other)):
            chooser.chosen.connect(lambda key, p=place: self._swap.__setitem__(p, key))
        swap = push_button("Swap these two everywhere", self._swap_colours, "In hand paint and in all layers")
        choosers = QHBoxLayout()
        choosers.addWidget(self._one)
        choosers.addWidget(self._other)
        block = QHBoxLayout()
        for field in (self._first, self._last):
            field.set_value(1)
            field.problem.connect(self.show_problem)
        for part in (Label("Rows"), self._first, Label("to"), self._last):
            block.addWidget(part)
        block.addStretch(1)
        repeat = push_button(
            "Repeat this block up the column", self._repeat, "Paints rows above like those of the block"
        )
        box = QVBoxLayout()
        box.setSpacing(6)
        box.addLayout(choosers)
        box.addWidget(swap)
        box.addLayout(block)
        box.addWidget(repeat)
        return box

    def _build_tying(self) -> QVBoxLayout:
        self._tying.changed.connect(lambda changes: self._set_habit(**changes))
        for source in (self._tying, self.layers.form):
            source.problem.connect(self.show_problem)
        self.cards = QPushButton("Tying cards")
        self.cards.setToolTip("How each row is tied, drawn (Ctrl+Shift+K)")
        self.cards.setCheckable(True)
        self.cards.toggled.connect(self.cards_wanted)
        trial = push_button("Landing trial…", self.trial_wanted.emit, "Teach how a cluster lands in your hands")
        box = QVBoxLayout()
        box.setSpacing(6)
        for part in (self._tying, self.cards, trial):
            box.addWidget(part)
        return box

    # --- what is done --------------------------------------------------------------------------

    def _set_habit(self, **changes: object) -> None:
        if piece := self.document.piece:
            self.document.apply(edits.set_piece(piece.key, "Change tying", **changes))

    def _swap_colours(self) -> None:
        piece, (one, other) = self.document.piece, self._swap
        if piece is not None and one != other:
            self.document.apply(colour_edits.swap_colours(piece.key, one, other))

    def _repeat(self) -> None:
        piece, piece_plan = self.document.piece, self.document.piece_plan
        first, last = self._first.value - 1, self._last.value - 1
        if self._first.fault or self._last.fault:
            return
        if piece is None or piece_plan is None or len(piece_plan.colouring) != len(piece.rows):
            return
        if last >= len(piece.rows):
            self.show_problem(f"There are {len(piece.rows)} rows.")
            return
        if last < first:
            self.show_problem("The block's last row lies below its first.")
            return
        painted = block_repeated(piece_plan.colouring, first, last)
        if not painted:
            self.show_problem("There is no row of the same count above the block.")
            return
        keys = {(piece.rows[row].key, slot): colour for (row, slot), colour in painted.items()}
        self.document.apply(colour_edits.paint(piece.key, keys))

    # --- showing ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        self.layers.refresh()
        self._show_brush()
        piece, palette = self.document.piece, self.document.job.palette
        keys = [c.key for c in palette]
        for place, chooser in enumerate((self._one, self._other)):
            if self._swap[place] not in keys:
                self._swap[place] = keys[min(place, len(keys) - 1)]
            chooser.show_colours(palette, self._swap[place])
        if piece is None:
            return
        self._tying.show_value(piece)
        self._tying.widget("half_turns").setEnabled(piece.landing_school is LandingSchool.CLUSTER_FIRST)
        self._tying.widget("locked").setEnabled(piece.landing_school is not LandingSchool.LINE_BUILT)

    def _show_brush(self) -> None:
        tools = [tool for tool, _ in _TOOLS]
        if button := self._tools.button(tools.index(self.brush.tool)):
            button.setChecked(True)
        self._named.setText(self.document.job.colour(self.brush.colour).name)
        self._named.setTextFormat(Qt.TextFormat.PlainText)

    def _alike(self, piece_plan: PiecePlan) -> list[str]:
        """Colours of the piece that everybody would find hard to tell apart."""
        from kakushi.colour.lab import hardly_apart

        job = self.document.plan.job
        used = [job.colour(key) for key in dict.fromkeys(piece_plan.balloon_colours())]
        return [
            f"{job.colour(pair.one).name.capitalize()} and {job.colour(pair.other).name} can hardly be told apart."
            for pair in hardly_apart(used)
            if not pair.to
        ]

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._show_plan()

    def _show_plan(self) -> None:
        piece_plan = self.document.piece_plan
        words = self._alike(piece_plan) if piece_plan is not None and self.isVisible() else []
        if not (words or (piece_plan and piece_plan.faults)):
            words = ["Nothing found: counts, hands, spirals and mixes are as asked."]
        self._faults.setText("\n".join(words))
        self._faults.setVisible(bool(words))
        self.layers.show_facing()
