"""The tally line: always there, always true; each figure leads to the stage that can change it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import restyle
from kakushi.model.units import UnitSystem, format_height, format_length
from kakushi.words.wording import Wording, capital, counted

if TYPE_CHECKING:
    from kakushi.packing.tolerance import Spread
    from kakushi.plan.values import PiecePlan
    from kakushi.stand.stance import Stance

HEIGHT_TOLERANCE_MM = 10.0
"""Error of height, mm, that is not marked: hands do no better."""
# N: said to a tenth below.
_SMALL_PUSH_N = 10.0
# mm: less nobody can measure.
_SHIFT_SAID_MM = 2.0
MAX_WORDS = 60
_MARGIN_PX = 8
_USUAL_FIGURES = 8


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure of the tally: its words, whether it is outside its limit, the stage it leads to."""

    words: str
    off: bool
    stage: str
    tip: str
    brief: str = ""
    """Said instead where there is too little room; empty: the words are short enough."""
    can_go: bool = False
    """Whether it gives way where there is too little room even so."""


def height_figure(piece_plan: PiecePlan, units: UnitSystem, spread: Spread | None = None) -> Figure:
    """Height reached against height wished, in words; with what sizing may make of it."""
    wished, reached = piece_plan.wished_height_mm, piece_plan.measured_height_mm
    includes = "with topper" if piece_plan.piece.target_includes_topper else "without topper"
    error, sure = piece_plan.height_error_mm, HEIGHT_TOLERANCE_MM
    give, tip = "", f"Floor to the highest balloon, {includes}"
    if spread and spread.height_sd:
        give = f" ± {format_height(2 * spread.height_sd, units, reached)}"
        tip += "; " + spread_words(piece_plan, spread, units)
        # Nobody can build nearer than that: no reason for alarm.
        sure = max(sure, 2 * spread.height_sd)
    brief = f"height {format_height(reached, units)}"
    words = f"{brief}{give} of {format_height(wished, units)}"
    if abs(error) > HEIGHT_TOLERANCE_MM:
        off_by = f", {format_length(abs(error), units)} {'too tall' if error > 0 else 'short'}"
        brief, words = brief + off_by, words + off_by
    return Figure(words, abs(error) > sure, "shape", tip, brief)


def spread_words(piece_plan: PiecePlan, spread: Spread, units: UnitSystem) -> str:
    """What the ± of a height contains."""
    from kakushi.plan.facts import PackingUnknown

    measured = piece_plan.piece.packing_name and not any(
        isinstance(note, PackingUnknown) for note in piece_plan.warnings
    )
    surely = "as measured" if measured else "not measured: a test stack makes it more certain"
    words = (
        f"95 of 100 builds end within ±: by sizing {format_length(2 * spread.sizing_sd, units)}, "
        f"by packing {format_length(2 * spread.packing_sd, units)} ({surely})"
    )
    if abs(spread.shift) >= _SHIFT_SAID_MM:
        words += f"; on average {format_length(abs(spread.shift), units)} {'taller' if spread.shift > 0 else 'shorter'}"
    return words


def stand_figure(stance: Stance, units: UnitSystem) -> Figure:
    """Figure of stability: in wind where a gust is set, else under a push."""
    from kakushi.words.stand import push_words, stage_words

    if stance.gust is not None:
        words = f"stands to {stance.windy.gust:.1f} m/s" + ("" if stance.holds else f", {stance.gust:.1f} expected")
        tip = f"The gust that tips or slides it, {stage_words(stance.windy.stage)}; an estimate"
        return Figure(words, not stance.holds, "stand", tip)
    if stance.leaning.balance.tilt < 0:
        tip = f"At its worst step, {stage_words(stance.leaning.stage)}; an estimate"
        return Figure("falls by itself", True, "stand", tip)
    push = stance.pushed.push
    newtons = f"{push.newtons:.{1 if push.newtons < _SMALL_PUSH_N else 0}f}"
    words = f"a push of {newtons} N {'slides' if push.slides else 'tips'} it"
    tip = f"{push_words(push, units)} at its worst step, {stage_words(stance.pushed.stage)}; an estimate"
    return Figure(words, not stance.stands, "stand", tip)


def figures(
    piece_plan: PiecePlan, wording: Wording, spread: Spread | None = None, stance: Stance | None = None
) -> list[Figure]:
    """All figures of one piece."""
    from kakushi.plan.parts import has_balloons
    from kakushi.plan.strands import is_hung
    from kakushi.shape.match import POOR_MATCH
    from kakushi.words.plan import mechanics_words, note_words

    units = wording.units
    if not has_balloons(piece_plan.piece):
        return [Figure("no rows yet", False, "shape", "Choose rows or insert one")]
    shown = [height_figure(piece_plan, units, spread)]
    if piece_plan.match is not None:
        poor = piece_plan.match.mean < POOR_MATCH
        brief = f"match {piece_plan.match.mean:.0%}"
        words = brief + (", far from the outline" if poor else "")
        tip = f"Mean over all sides; the worst side has {piece_plan.match.worst:.0%}"
        shown.append(Figure(words, poor, "shape", tip, brief))
    if seen := mechanics_words(piece_plan):
        is_bare = piece_plan.is_core_bare
        shown.append(Figure(seen.split(":")[0], is_bare, "shape", f"{capital(seen)}.", can_go=not is_bare))
    copies = len(piece_plan.piece.copies)
    each = " each" if copies > 1 else ""
    shown.append(
        Figure(f"{counted(piece_plan.balloon_count, 'balloon')}{each}", False, "supplies", "Balloons seen in one copy")
    )
    if copies > 1:
        shown.append(Figure(f"{copies} copies", False, "shape", "How many are built", can_go=True))
    if sizes := piece_plan.distinct_sizes:
        shown.append(Figure(counted(sizes, "size"), False, "shape", "Different sizer settings", can_go=True))
    if stance is not None and is_hung(piece_plan.piece, piece_plan.assembly):
        shown.append(Figure("hangs", False, "stand", "It hangs from above"))
    elif stance is not None:
        shown.append(stand_figure(stance, units))
    if piece_plan.warnings:
        warnings = [note_words(note, wording) for note in piece_plan.warnings]
        more = f" (+{len(warnings) - 1} more)" if len(warnings) > 1 else ""
        first = warnings[0].rstrip(".")
        words = f"{first if len(first) <= MAX_WORDS else first[: MAX_WORDS - 1] + '…'}{more}"
        shown.append(Figure(words, True, "shape", "\n".join(warnings), counted(len(warnings), "warning")))
    return shown


class Tally(QWidget):
    """Figures of the selected piece as flat buttons."""

    def __init__(self, document: Document, go_to: Callable[[str], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._go_to = document, go_to
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(_MARGIN_PX, 2, _MARGIN_PX, 2)
        self._layout.setSpacing(2)
        self._job = Label()
        self._job.setProperty("role", "quiet")
        self._buttons: list[QPushButton] = []
        self._figures: list[Figure] = []
        self._layout.addStretch(1)
        self._layout.addWidget(self._job)
        # Made ahead: they would take their time just when the first plan is to be drawn.
        while len(self._buttons) < _USUAL_FIGURES:
            self._add_button()
        for changed in (
            document.plan_changed,
            document.selection.changed,
            document.preferences_changed,
            document.planner.spread_changed,
            document.dossier_changed,
        ):
            changed.connect(self._show)
        self._show()

    def words(self) -> str:
        """The whole line as text."""
        return " · ".join(button.text() for button in self._buttons if not button.isHidden())

    def _show(self) -> None:
        piece_plan, plan = self._document.piece_plan, self._document.planner.plan
        dossier = self._document.dossier if self._document.workshop.is_dossier_of(plan) else None
        stance = dossier.stance(piece_plan) if piece_plan and dossier else None
        spread = self._document.planner.spread
        self._figures = figures(piece_plan, self._document.wording, spread, stance) if piece_plan else []
        while len(self._buttons) < len(self._figures):
            self._add_button()
        for button, figure in zip(self._buttons, self._figures, strict=False):
            self._fill(button, figure)
        # Until the dossier has followed an edit, the whole job is told as it was.
        told = dossier or self._document.workshop.dossier
        total = sum(line.total for line in told.supplies.whole) if told else 0
        words = f"whole job: {counted(total, 'balloon')} with spares" if total else ""
        if total and dossier:
            words += f" · {dossier.cost.price:.2f} {dossier.plan.job.pricing.currency}".rstrip()
        self._job.setText(words)
        self._make_room()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """When space is short: drop the job's total, then shorten figures, then hide those that matter least."""
        room = self.width() - 2 * _MARGIN_PX - self._layout.spacing()
        pairs = list(zip(self._buttons, self._figures, strict=False))
        for button, figure in pairs:
            button.setText(figure.words)
        widths = {button: self._width_of(button) for button, _figure in pairs}
        self._job.setVisible(sum(widths.values()) + self._job.sizeHint().width() <= room)
        # The last ones are the longest and matter least.
        for button, figure in reversed(pairs):
            if figure.brief and sum(widths.values()) > room:
                button.setText(figure.brief)
                widths[button] = self._width_of(button)
        for button, figure in reversed(pairs):
            if figure.can_go and sum(widths.values()) > room:
                del widths[button]
        for button in self._buttons:
            button.setVisible(button in widths)

    def _width_of(self, button: QPushButton) -> int:
        return button.sizeHint().width() + self._layout.spacing()

    def _add_button(self) -> None:
        button = QPushButton()
        button.setProperty("flat-figure", True)
        button.clicked.connect(lambda: self._go_to(str(button.property("stage-id"))))
        button.hide()
        self._layout.insertWidget(len(self._buttons), button)
        self._buttons.append(button)

    def _fill(self, button: QPushButton, figure: Figure) -> None:
        button.setToolTip(figure.tip)
        button.setProperty("stage-id", figure.stage)
        restyle(button, "off", figure.off)
