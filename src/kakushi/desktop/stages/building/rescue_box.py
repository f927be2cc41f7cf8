"""When it goes wrong: what happened, the ways out with a picture of each, and taking one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from kakushi.building.aimed import aimed_again
from kakushi.building.progress import still_needed
from kakushi.building.remedies import RescueOption
from kakushi.building.rescue import short_of, wrong_colour, wrong_size
from kakushi.building.step import Step
from kakushi.desktop.document.document import Document
from kakushi.desktop.document.rescuer import Ask
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.form import BoundForm, choice, colour, quantity
from kakushi.desktop.forms.typed import faults_of
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.wrapping_list import WrappingList
from kakushi.formats.export.png import pictured
from kakushi.model.job import Job
from kakushi.model.quantities import COUNT, DIAMETER, LENGTH
from kakushi.model.units import format_nominal
from kakushi.picture.scene import portrait
from kakushi.plan.values import PiecePlan
from kakushi.session.build_edits import take_way
from kakushi.words.rescue import cost_words, way_words
from kakushi.words.wording import Wording

_AIM, _SHORT, _COLOUR, _SIZE = "it ends too high or too low", "short of balloons", "a wrong colour", "a wrong size"
_PICTURE_LINES = 15
_LINES = (
    choice("trouble", "What", [(trouble, trouble) for trouble in (_AIM, _SHORT, _COLOUR, _SIZE)], "What went wrong"),
    quantity("knot", "Last knot at", LENGTH, "height of the last knot", low=0.0, high=20_000.0),
    choice("kind", "Of", (), "Balloons you are short of"),
    quantity("left", "Left", COUNT, "How many are left", low=0, high=100_000),
    quantity("row", "Row", COUNT, "Row that is wrong", low=1),
    quantity("slot", "Slot", COUNT, "Slot that is wrong", low=1),
    colour("colour", "There is", "Colour that is there"),
    quantity("size", "Sized to", DIAMETER, "size that was built", low=20.0, high=2000.0),
)
_ASKED = {_AIM: ("knot",), _SHORT: ("kind", "left"), _COLOUR: ("row", "slot", "colour"), _SIZE: ("row", "size")}
"""What each trouble asks for."""


class RescueBox(QWidget):
    """Questions about the current copy. `problem`: a message on what was typed. `found`: the ways out."""

    problem = pyqtSignal(str)
    found = pyqtSignal(list)
    way_chosen = pyqtSignal(int)

    def __init__(self, document: Document, design: Callable[[], PiecePlan | None]) -> None:
        super().__init__()
        self._document, self._design = document, design
        self._ways: list[RescueOption] = []
        self._of = (0, 0)
        self._planned: float | None = None
        self._given: dict[str, Any] = {"trouble": _AIM, "left": 0, "row": 1, "slot": 1}
        self._fields = BoundForm(document, _LINES)
        self.ask, self.take = QPushButton("Show the ways out"), QPushButton("Take this way")
        self.ask.setToolTip("Works out what can be done from where the build stands")
        self.take.setToolTip("Changes this copy alone")
        self._list = WrappingList("Ways out")
        self._list.setMinimumHeight(self.fontMetrics().height() * 12)
        self._picture, self._told = Label(), quiet("")
        self._picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._picture.setAccessibleName("How the piece would look")
        self._drawing = Drawing(document, self)
        self._drawing.drawn.connect(self._show_picture)
        self._build()
        self._connect()
        self._show_fields()
        self._show_ways([], 0, 0)

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._fields)
        for below in (self.ask, self._told, self._list, self._picture, self.take):
            column.addWidget(below)

    def _connect(self) -> None:
        self._fields.changed.connect(self._on_given)
        self._fields.problem.connect(self.problem)
        self.ask.clicked.connect(self._on_ask)
        self.take.clicked.connect(self._on_take)
        self._list.currentRowChanged.connect(lambda _: self._show_way())
        self._list.currentRowChanged.connect(self.way_chosen)
        rescuer = self._document.rescuer
        rescuer.found.connect(self._show_ways)
        rescuer.busy_changed.connect(self._on_busy)
        self._document.job_changed.connect(lambda: self._show_ways([], 0, 0))

    # --- what is asked ---------------------------------------------------------------------------

    @property
    def _stands(self) -> list[int]:
        """Indices of the rows that stand, in the order of building."""
        builder = self._document.builder
        steps: list[Step] = builder.of(builder.copy) if builder.copy else []
        return [step.row.index for step in steps if step.row is not None and step.key in builder.progress.done]

    def _on_given(self, changes: dict[str, object]) -> None:
        self._given |= changes
        self._show_fields()

    def _on_ask(self) -> None:
        builder, design, copy = self._document.builder, self._design(), self._document.builder.copy
        if design is None or copy is None or copy[0] is None or copy[1] is None or not builder.is_ready:
            self.problem.emit("Choose a copy with rows first.")
            return
        if faults := faults_of(self._fields):
            self.problem.emit(faults[0])
            return
        question = self._question(design)
        if question is not None:
            self._document.rescuer.ask(question, copy[0], copy[1])

    def ask_short(self, kind: tuple[float, str], missing: int) -> None:
        """Ask for the ways out when a kind of balloon has run out, spares included."""
        builder = self._document.builder
        needed = still_needed(builder.of(builder.copy), builder.progress, kind) if builder.copy else 0
        if needed:
            self._on_given({"trouble": _SHORT, "kind": kind, "left": max(needed - missing, 0)})
            self._on_ask()

    @property
    def short(self) -> tuple[float, str] | None:
        """The kind of balloon that there are too few of; None where the trouble is another one."""
        return self._given.get("kind") if self._given["trouble"] == _SHORT else None

    def _question(self, design: PiecePlan) -> Ask | None:
        whole, built, given = self._document.builder.plan, len(self._stands), dict(self._given)
        row, size = given["row"] - 1, given.get("size")
        match given["trouble"]:
            case trouble if trouble == _AIM:
                return lambda cancelled: aimed_again(whole, design, built, given.get("knot"), cancelled)
            case trouble if trouble == _SHORT:
                if given.get("kind") is None:
                    return None
                left = {tuple(given["kind"]): given["left"]}
                return lambda cancelled: short_of(whole, design, built, left, cancelled)
            case trouble if trouble == _COLOUR:
                slot, key = given["slot"] - 1, given["colour"]
                return lambda cancelled: wrong_colour(whole, design, built, row, slot, key, cancelled)
        if size is None:
            self.problem.emit("Type the size that was built.")
            return None
        return lambda cancelled: wrong_size(whole, design, built, row, size, cancelled)

    def _on_busy(self, on: bool) -> None:
        if on:
            self._told.setText("Looking for ways…")
            self._told.show()

    def _on_take(self) -> None:
        option = self._way
        if option is not None and option.piece is not None:
            self._document.apply(take_way(self._of[0], self._of[1], option.piece))

    @property
    def _way(self) -> RescueOption | None:
        row = self._list.currentRow()
        return self._ways[row] if 0 <= row < len(self._ways) else None

    # --- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the copy that is built."""
        builder, design = self._document.builder, self._design()
        job = builder.plan.job
        whole = builder.of(builder.copy) if builder.copy else []
        kinds = dict.fromkeys(use.kind for step in whole for use in step.uses if use.is_balloon)
        box = self._fields.widget("kind")
        assert isinstance(box, Choices)
        box.list_choices(
            (f"{format_nominal(nominal)} {job.colour(colour).name}", (nominal, colour)) for nominal, colour in kinds
        )
        if self._given.get("kind") not in kinds:
            self._given["kind"] = next(iter(kinds), None)
        palette = [each.key for each in job.palette]
        if self._given.get("colour") not in palette:
            self._given["colour"] = palette[0]
        stands = self._stands
        is_known = design is not None and stands and stands[-1] < len(design.piece.rows)
        planned = float(design.geometry.knots[stands[-1]]) if design is not None and is_known else None
        if planned != self._planned:
            self._planned = self._given["knot"] = planned
        self._show_fields()

    def _show_fields(self) -> None:
        shown = ("trouble", *_ASKED[self._given["trouble"]])
        self._fields.show_value(None, [name for name in self._fields.lines if name not in shown], **self._shown)

    @property
    def _shown(self) -> dict[str, Any]:
        return dict.fromkeys(self._fields.lines) | self._given

    def _show_ways(self, ways: list[RescueOption], piece: int, copy: int) -> None:
        self._ways, self._of = ways, (piece, copy)
        self._list.clear()
        wording = Wording(self._document.builder.plan.job, self._document.units)
        for option in ways:
            self._list.add_words(f"{way_words(option, wording)} ({cost_words(option)})")
        self._list.setVisible(bool(ways))
        self._told.setText("The one that is noticed least comes first." if ways else "")
        self._told.setVisible(bool(ways))
        self.found.emit(ways)
        if ways:
            self._list.setCurrentRow(0)
        self._show_way()

    def choose(self, place: int) -> None:
        """Choose a way by its place."""
        self._list.setCurrentRow(place)

    def take_chosen(self) -> None:
        """Take the chosen way."""
        self._on_take()

    def _show_way(self) -> None:
        option = self._way
        self.take.setVisible(option is not None)
        self.take.setEnabled(option is not None and option.piece is not None)
        self._picture.setVisible(option is not None)
        if option is None:
            self._drawing.forget()
            return
        job, ratio = self._document.builder.plan.job, self.devicePixelRatioF()
        tall = self.fontMetrics().height() * _PICTURE_LINES
        size = int(tall * 0.7 * ratio), int(tall * ratio)
        self._drawing.want((option, size), lambda: _drawn(option.planned, job, size, ratio))

    def _show_picture(self) -> None:
        if self._drawing.picture is not None:
            self._picture.setPixmap(QPixmap.fromImage(self._drawing.picture))


def _drawn(planned: PiecePlan, job: Job, size: tuple[int, int], ratio: float) -> object:
    drawn, paints = pictured(planned, job)
    return image_of(portrait(drawn, planned.piece.frame, paints, *size), ratio)
