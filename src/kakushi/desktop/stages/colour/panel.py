"""Colour: brush, layers, tying habits, and what looks wrong before anything is built."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kakushi.colour.fill import block_repeated
from kakushi.desktop.document.brush import Brush, Tool
from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.colour.layers import Layers
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.views.all_round import AllRound
from kakushi.desktop.widgets.fields import ColourChooser, form, quiet
from kakushi.desktop.widgets.palette_strip import PaletteStrip
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.piece import LandingSchool
from kakushi.plan.values import PiecePlan
from kakushi.session import colour_edits, edits
from kakushi.words.plan import fault_words

_TOOLS = (
    (Tool.BRUSH, "Brush"), (Tool.ROW, "Row"), (Tool.PICK, "Pick"),
    (Tool.HELIX_RIGHT, "Helix right"), (Tool.HELIX_LEFT, "Helix left"), (Tool.ERASE, "Erase"),
)  # fmt: skip


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
        self._named = QLabel()
        self._one, self._other = ColourChooser("Colour to swap"), ColourChooser("Colour to swap with")
        self._first, self._last = QSpinBox(), QSpinBox()
        self._faults = quiet()
        self._school, self._half_turns = QComboBox(), QSpinBox()
        self._locked, self._mixed = QCheckBox("Lock every row"), QCheckBox("Always mixed duplets")
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
        self.section("Look for faults", self._faults)
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
        edit = QPushButton("Palette…")
        edit.clicked.connect(lambda _checked: self.palette_wanted.emit())
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
        swap = QPushButton("Swap these two everywhere")
        swap.clicked.connect(lambda _checked: self._swap_colours())
        choosers = QHBoxLayout()
        choosers.addWidget(self._one)
        choosers.addWidget(self._other)
        block = QHBoxLayout()
        for spin, words in ((self._first, "First row of the block"), (self._last, "Last row of the block")):
            spin.setAccessibleName(words)
        for part in (QLabel("Rows"), self._first, QLabel("to"), self._last):
            block.addWidget(part)
        block.addStretch(1)
        repeat = QPushButton("Repeat this block up the column")
        repeat.clicked.connect(lambda _checked: self._repeat())
        box = QVBoxLayout()
        box.setSpacing(6)
        box.addLayout(choosers)
        box.addWidget(swap)
        box.addLayout(block)
        box.addWidget(repeat)
        return box

    def _build_tying(self) -> QVBoxLayout:
        self._school.addItems([school.value for school in LandingSchool])
        self._school.setAccessibleName("How clusters are brought to the pole")
        self._school.activated.connect(lambda index: self._set_habit(school=list(LandingSchool)[index]))
        self._half_turns.setRange(0, 4)
        self._half_turns.setAccessibleName("Half turns behind the pole")
        self._half_turns.valueChanged.connect(lambda turns: self._set_habit(half_turns=turns))
        self._locked.toggled.connect(lambda on: self._set_habit(locked=on))
        self._mixed.toggled.connect(lambda on: self._set_habit(tie_mixed=on))
        self._mixed.setToolTip("Off: plain duplets where they do not make more kinds")
        fields = form()
        fields.addRow("School", self._school)
        fields.addRow("Half turns", self._half_turns)
        self.cards = QPushButton("Tying cards")
        self.cards.setCheckable(True)
        self.cards.toggled.connect(self.cards_wanted)
        trial = QPushButton("Landing trial…")
        trial.setToolTip("Teach how a cluster lands in your hands")
        trial.clicked.connect(lambda _checked: self.trial_wanted.emit())
        box = QVBoxLayout()
        box.setSpacing(6)
        box.addLayout(fields)
        for part in (self._locked, self._mixed, self.cards, trial):
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
        first, last = self._first.value() - 1, self._last.value() - 1
        if piece is None or piece_plan is None or len(piece_plan.colouring) != len(piece.rows):
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
        for spin in (self._first, self._last):
            spin.setRange(1, max(len(piece.rows), 1))
        with QSignalBlocker(self._half_turns), QSignalBlocker(self._locked), QSignalBlocker(self._mixed):
            self._half_turns.setValue(piece.half_turns)
            self._locked.setChecked(piece.locked)
            self._mixed.setChecked(piece.tie_mixed)
        self._school.setCurrentIndex(list(LandingSchool).index(piece.school))
        self._half_turns.setEnabled(piece.school is LandingSchool.CLUSTER_FIRST)
        self._locked.setEnabled(piece.school is not LandingSchool.LINE_BUILT)

    def _show_brush(self) -> None:
        tools = [tool for tool, _ in _TOOLS]
        if button := self._tools.button(tools.index(self.brush.tool)):
            button.setChecked(True)
        self._named.setText(self.document.job.colour(self.brush.colour).name)
        self._named.setTextFormat(Qt.TextFormat.PlainText)
        self.layers.form.show_layer(self.layers.layer, self.document.job.palette, self.brush.colour)

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
        words = [fault_words(fault) for fault in piece_plan.faults] if piece_plan else []
        if piece_plan is not None and self.isVisible():
            words += self._alike(piece_plan)
        self._faults.setText("\n".join(words) or "Nothing found: counts, hands, spirals and mixes are as asked.")
        self.layers.show_facing()
