"""How the chosen group of rows is bent: its path, how it is held, and what ties it to other rows."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QListWidget, QPushButton, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choice, Choices
from kakushi.desktop.forms.form import BoundForm, check, choice, options, quantity
from kakushi.desktop.forms.typed import QuantityField
from kakushi.desktop.views.path_handles import PathHandles
from kakushi.desktop.widgets.fields import form, quiet, side_by_side
from kakushi.formats.read.path_svg import load_path_svg
from kakushi.model.errors import KakushiError
from kakushi.model.groups import RowsGroup
from kakushi.model.limits import LARGEST_WIDTH_MM
from kakushi.model.paths import SHORTEST_PATH_MM, DrawnPath, PathPreset, PresetPath, Strand, StrandStands
from kakushi.model.quantities import COUNT, LENGTH, number
from kakushi.model.ties import Tie
from kakushi.plan.strands import marks_of, strands_of
from kakushi.session import part_edits, strand_edits
from kakushi.words.strands import MOUNTS, mark_words, tie_words

_DRAWN = "drawn"
_SHAPES: tuple[Choice, ...] = (
    ("not bent", None),
    ("an arch", "arch"),
    ("a pointed arch", "pointed-arch"),
    ("a ring", "ring"),
    ("a loop with tails", "loop"),
    ("a heart", "heart"),
    ("a wave", "wave"),
    ("a spiral", "spiral"),
    ("an S", "s"),
    ("a drawn path", _DRAWN),
)
_CORES: tuple[Choice, ...] = (("line alone", "line"), ("a bent pipe or flat bar", "bent pipe"))
_LINES = (
    quantity("width_mm", "Wide", LENGTH, "width of the path", low=SHORTEST_PATH_MM, high=LARGEST_WIDTH_MM),
    quantity("height_mm", "Tall", LENGTH, "height of the path", low=SHORTEST_PATH_MM, high=LARGEST_WIDTH_MM),
    quantity("tail_mm", "Tails", LENGTH, "length of the tails", low=0.0, high=LARGEST_WIDTH_MM),
    quantity("turns", "Turns", number(1, 0.5), "turns of the path", low=0.5, high=20.0),
    check("smooth", "Smooth"),
    check("closed", "Closed"),
    quantity("x_mm", "To the right", LENGTH, "distance of the strand from the middle", low=-LARGEST_WIDTH_MM),
    choice("stands", "Stands", options(StrandStands), "How the strand is held up"),
    choice("core", "On", _CORES, "What keeps it bent"),
    check("front_first", "Its beginning passes in front"),
    check("shares_row", "Crossings share a row"),
)
_OF_STRAND = frozenset({"x_mm", "stands", "core", "front_first", "shares_row"})
_MOUNTS: tuple[Choice, ...] = tuple((words, mount) for mount, words in MOUNTS.items())


class StrandBox(QWidget):
    """Form of the path of one group of rows. `problem`: a message."""

    problem = pyqtSignal(str)

    def __init__(self, document: Document, handles: PathHandles) -> None:
        super().__init__()
        self._document, self._handles = document, handles
        self._place: int | None = None
        self.shape = Choices("Bent along", _SHAPES)
        self.form = BoundForm(document, _LINES, "Change path")
        self.by_hand, self.from_file = QPushButton("Draw it by hand"), QPushButton("Path from a file…")
        self.by_hand.setCheckable(True)
        self.by_hand.setToolTip("Drag points of the path on the elevation; a double click adds one")
        self.from_file.setToolTip("The longest line of an SVG drawing")
        self.by_rows = QPushButton("As large as its rows make it")
        self.by_rows.setToolTip("The largest path of this kind that the rows fill: ring, arch or loop")
        self.mirrored = QCheckBox("Left and right alike")
        self._marks = quiet()
        self._ties = QListWidget()
        self._ties.setAccessibleName("Ties")
        self._ties.setFixedHeight(self.fontMetrics().height() * 4)
        self.row = QuantityField(document, COUNT, "Row that is tied", 1, 1000)
        self.other = QuantityField(document, COUNT, "Row it is tied to", 0, 1000, none=("a mount", 0))
        self.mount = Choices("What it is tied to", _MOUNTS)
        self.loose = QCheckBox("Loose, to be bent yet")
        self.tie, self.untie, self.collar = QPushButton("Tie"), QPushButton("Untie"), QPushButton("Hide with a collar")
        self.collar.setToolTip("A ring of small balloons round the row of the chosen tie")
        self.tie.setToolTip("Ties the row to the other one, or to the mount where there is none")
        self.untie.setToolTip("Takes the chosen tie out")
        self.row.set_value(1)
        self.other.set_value(0)
        self._more = QWidget()
        self._build()
        self._connect()

    def _build(self) -> None:
        inner = QVBoxLayout(self._more)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(self.form)
        inner.addLayout(side_by_side(self.by_hand, self.from_file))
        inner.addWidget(self.by_rows)
        inner.addWidget(self.mirrored)
        inner.addWidget(self._marks)
        tied = form()
        tied.addRow("Tie row", self.row)
        tied.addRow("to row", self.other)
        tied.addRow("or to", self.mount)
        tied.addRow("", self.loose)
        inner.addLayout(tied)
        inner.addLayout(side_by_side(self.tie, self.untie, self.collar))
        inner.addWidget(self._ties)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        bent = form()
        bent.addRow("Bent along", self.shape)
        column.addLayout(bent)
        column.addWidget(self._more)

    def _connect(self) -> None:
        self.shape.chosen.connect(self._on_shape)
        self.form.changed.connect(self._on_changed)
        for source in (self.form, self.row, self.other):
            source.problem.connect(self.problem)
        self.by_hand.clicked.connect(lambda on: self._handles.draw(self._place if on else None))
        self.from_file.clicked.connect(lambda _: self.load(self._asked()))
        self.by_rows.clicked.connect(lambda _: self._on_by_rows())
        self.mirrored.toggled.connect(self._on_mirrored)
        self.tie.clicked.connect(lambda _: self._on_tie())
        self.untie.clicked.connect(lambda _: self._on_untie())
        self.collar.clicked.connect(lambda _: self._on_collar())
        self._handles.changed.connect(self._show_handles)
        self._document.plan_changed.connect(self._show_marks)

    # --- edits ------------------------------------------------------------------------------------

    def _group(self) -> RowsGroup | None:
        piece, place = self._document.piece, self._place
        group = piece.groups[place] if piece and place is not None and place < len(piece.groups) else None
        return group if isinstance(group, RowsGroup) else None

    def _on_shape(self, shape: PathPreset | str | None) -> None:
        piece, place, group = self._document.piece, self._place, self._group()
        if piece is None or place is None or group is None:
            return
        before = group.strand.path if group.strand else None
        path: PresetPath | DrawnPath | None
        if shape is None:
            path = None
        elif shape == _DRAWN:
            path = strand_edits.drawn(before or PresetPath())
        elif isinstance(before, PresetPath):
            path = strand_edits.reshaped(before, shape)
        else:
            path = PresetPath.model_validate({"preset": shape})
        self._document.apply(strand_edits.set_path(piece.key, place, path))

    def _on_changed(self, changes: dict[str, Any]) -> None:
        piece, place = self._document.piece, self._place
        if piece is None or place is None:
            return
        edit = strand_edits.change_strand if set(changes) <= _OF_STRAND else strand_edits.change_path
        self._document.apply(edit(piece.key, place, **changes))

    def _asked(self) -> FilePath | None:
        text, _ = QFileDialog.getOpenFileName(self, "Path from a file", str(FilePath.home()), "Drawings (*.svg)")
        return FilePath(text) if text else None

    def load(self, file: FilePath | None) -> None:
        """Take the path from an SVG drawing; what cannot be read is said."""
        piece, place = self._document.piece, self._place
        if file is None or piece is None or place is None:
            return
        try:
            path = load_path_svg(file)
        except KakushiError as error:
            self.problem.emit(self._document.said(error))
            return
        self._document.apply(strand_edits.set_path(piece.key, place, path))

    def _on_by_rows(self) -> None:
        """Scale the path to the length of the rows."""
        piece, place, piece_plan = self._document.piece, self._place, self._document.piece_plan
        laid = dict(piece_plan.assembly.strands).get(place) if piece_plan and place is not None else None
        if piece is None or place is None or laid is None:
            self.problem.emit("There are no rows yet: choose or add some.")
            return
        self._document.apply(strand_edits.scale_path(piece.key, place, laid.fills))

    def _on_mirrored(self, on: bool) -> None:
        self._handles.mirrored = on

    def _on_tie(self) -> None:
        piece, row, other = self._document.piece, self.row.value, self.other.value
        if piece is None or row is None:
            return
        if not (1 <= row <= len(piece.rows) and 0 <= (other or 0) <= len(piece.rows)):
            self.problem.emit(f"There are {len(piece.rows)} rows.")
            return
        to = piece.rows[other - 1].key if other else None
        tie = Tie(row=piece.rows[row - 1].key, other=to, mount=self.mount.value, loose=self.loose.isChecked())
        self._document.apply(strand_edits.add_tie(piece.key, tie))

    def _on_untie(self) -> None:
        piece, place = self._document.piece, self._ties.currentRow()
        if piece is not None and 0 <= place < len(piece.ties):
            self._document.apply(strand_edits.remove_tie(piece.key, place))

    def _on_collar(self) -> None:
        piece, place = self._document.piece, self._ties.currentRow()
        if piece is None or not 0 <= place < len(piece.ties):
            self.problem.emit("Choose a tie in the list first.")
            return
        self._document.apply(part_edits.add_collar(piece.key, piece.ties[place].row, self._document.studio))

    # --- showing ----------------------------------------------------------------------------------

    def show_group(self, place: int | None) -> None:
        """Show how the group at a place is bent; nothing for one without rows of its own."""
        if place != self._place and self._handles.place is not None:
            self._handles.draw(None)
        self._place = place
        group = self._group()
        self.setVisible(group is not None)
        if group is None:
            return
        strand = group.strand
        path = strand.path if strand else None
        self.shape.set_value(None if path is None else path.preset if isinstance(path, PresetPath) else _DRAWN)
        self._more.setVisible(strand is not None)
        if strand is not None:
            self.form.show_value(
                strand.path, self._hidden(strand), place, x_mm=strand.x_mm, stands=strand.stands, core=strand.core,
                front_first=strand.front_first, shares_row=strand.shares_row,
            )  # fmt: skip
        self._show_ties()
        self._show_marks()
        self._show_handles()

    @staticmethod
    def _hidden(strand: Strand) -> set[str]:
        """Measures that mean nothing for the path."""
        hidden, path = set[str](), strand.path
        if isinstance(path, PresetPath):
            hidden |= {"tail_mm"} if path.preset != "loop" else {"turns"}
            hidden |= {"turns"} if path.preset not in ("wave", "spiral") else set()
            hidden |= {"front_first", "shares_row"} if path.preset != "loop" else set()
        return hidden

    def _show_ties(self) -> None:
        piece = self._document.piece
        ties = piece.ties if piece else ()
        numbers = {row.key: number for number, row in enumerate(piece.rows if piece else (), 1)}
        with QSignalBlocker(self._ties):
            self._ties.clear()
            self._ties.addItems([tie_words(tie, numbers) for tie in ties])
        self._ties.setVisible(bool(ties))
        for button in (self.untie, self.collar):
            button.setEnabled(bool(ties))

    def _show_marks(self) -> None:
        piece_plan, place = self._document.piece_plan, self._place
        said = ""
        if piece_plan is not None and place is not None:
            for _, group, laid in strands_of(piece_plan.piece, piece_plan.assembly):
                if laid is dict(piece_plan.assembly.strands).get(place):
                    said = "; ".join(mark_words(mark) for mark in marks_of(group, laid))
        self._marks.setText(f"{said[:1].upper()}{said[1:]}." if said else "")
        self._marks.setVisible(bool(said))

    def _show_handles(self) -> None:
        is_on = self._handles.place is not None and self._handles.place == self._place
        self.by_hand.setChecked(is_on)
        self.by_hand.setText("Done drawing" if is_on else "Draw it by hand")
        self.mirrored.setVisible(is_on)
