"""Dress: what shows of the mechanics from which eyes, fillers that hide it, toppers and hung things."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QListWidget, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.form import BoundForm, check, choice, quantity
from kakushi.desktop.stages.concerns_box import ConcernsBox
from kakushi.desktop.stages.dress.ball_box import BallBox
from kakushi.desktop.stages.dress.fillers_box import FillersBox
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.stages.parts.parts_box import PartsBox
from kakushi.desktop.views.all_round import AllRound
from kakushi.desktop.widgets.fields import heading, quiet, rule
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.dress.shows import CHILD_MM, DISTANCE_MM, SEEN_FROM_DEG, SITTING_MM, STANDING_MM
from kakushi.dress.table import KINDS
from kakushi.model.cautions import cautions_of
from kakushi.model.parts import LookFrom
from kakushi.model.piece import Piece
from kakushi.model.quantities import LENGTH
from kakushi.plan.facts import PartNote
from kakushi.session import part_edits
from kakushi.words.dress import showing_words, spot_words

_HEIGHTS = (("somebody standing", STANDING_MM), ("somebody sitting", SITTING_MM), ("a child", CHILD_MM))
_OWN = "an eye at my height"
_ONE_SIDE = (
    ("the sides that are seen", None),
    ("the front", 0.0),
    ("the right", 90.0),
    ("the back", 180.0),
    ("the left", 270.0),
)
_EYES = (
    choice("who", "Seen by", [*_HEIGHTS, (_OWN, None)], "Who looks"),
    choice("side", "From", _ONE_SIDE, "Sides looked from"),
    quantity("height_mm", "Eye height", LENGTH, "height of the eye"),
    quantity("distance_mm", "Distance", LENGTH, "distance of the eye"),
)
_NECKS = (
    check("necks_out", "Necks stick out"),
    quantity("neck_mm", "Neck length", LENGTH, "length of the necks"),
)


class DressPanel(Panel):
    """Tools of the Dress stage."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._eyes, self._necks = BoundForm(document, _EYES), BoundForm(document, _NECKS)
        self._told = Label()
        self._told.setWordWrap(True)
        self._order = quiet("")
        self._concerns = ConcernsBox(document, PartNote)
        self._spots = QListWidget()
        self._spots.setAccessibleName("Worst spots")
        self._spots.setFixedHeight(self.fontMetrics().height() * 5)
        self.all_round = AllRound(document, theme, lights_mechanics=True)
        self.fillers = FillersBox(document, theme)
        self.ball = BallBox(document)
        self.parts = PartsBox(
            document,
            tuple(kind for kind in KINDS if kind not in ("weight", "cap", "fillers")),
            "What ends the column, hides a joint, decorates it or hangs on it.",
        )
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        self.section("What shows", self._told, first=True)
        self.column.addWidget(self.all_round)
        self.column.addWidget(self._spots)
        self.column.addWidget(self.problem)
        self.column.addWidget(self._eyes)
        self.column.addWidget(self._necks)
        self.section("Fillers", self.fillers)
        self._cautions = quiet()
        self._ball_section = QWidget()
        holder = QVBoxLayout(self._ball_section)
        holder.setContentsMargins(0, 0, 0, 0)
        holder.addWidget(rule())
        holder.addWidget(heading("Ball"))
        holder.addWidget(self.ball)
        self.column.addWidget(self._ball_section)
        self.section("Toppers and hung things", self.parts)
        self.column.addWidget(self._concerns)
        self.column.addWidget(self._order)
        self.column.addWidget(self._cautions)

    def _connect(self) -> None:
        self._eyes.changed.connect(self._set_eyes)
        self._necks.changed.connect(lambda changes: self._set(**changes))
        for source in (self._eyes, self._necks):
            source.problem.connect(self.show_problem)
        self.fillers.problem.connect(self.show_problem)
        self.parts.problem.connect(self.show_problem)
        self._spots.currentRowChanged.connect(self._on_spot)
        for follow in (self._show_showing, self.parts.refresh):
            self.document.dresser.showing_changed.connect(follow)
        self.document.plan_changed.connect(self._on_plan)

    # --- edits ---------------------------------------------------------------------------------

    def _set(self, **changes: object) -> None:
        if piece := self.document.piece:
            self.document.apply(part_edits.set_dressing(piece.key, **changes))

    def _set_eyes(self, changes: dict[str, object]) -> None:
        piece = self.document.piece
        if piece is None:
            return
        given: dict[str, Any] = {name: self._eyes.shown(name) for name in ("side", "height_mm", "distance_mm")}
        if changes.get("who") is not None:
            given["height_mm"] = changes["who"]
        given |= {name: value for name, value in changes.items() if name in given}
        side, height, distance = given.values()
        if side is None and (height, distance) == (STANDING_MM, DISTANCE_MM):
            self._set(eyes=())
            return
        sides = SEEN_FROM_DEG[piece.seen_sides] if side is None else (side,)
        self._set(
            eyes=tuple(
                LookFrom(azimuth_deg=float(degrees), height_mm=height, distance_mm=distance) for degrees in sides
            )
        )

    def _on_spot(self, index: int) -> None:
        """The elevation lights the row of a spot."""
        showing = self.document.dresser.showing
        if showing and 0 <= index < len(showing.spots):
            self.document.selection.hover_row(showing.spots[index].row)

    # --- showing --------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.document.dresser.want_showing(True)

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.document.dresser.want_showing(False)
        super().hideEvent(event)

    def set_theme(self, theme: Theme) -> None:
        """Show in another theme."""
        self.fillers.set_theme(theme)
        self.all_round.set_theme(theme)

    def _on_plan(self) -> None:
        if self.isVisible():
            self.fillers.refresh()
            self.ball.refresh()
            self._show_showing()

    def refresh(self) -> None:
        piece = self.document.piece
        if piece is not None:
            self._show_eyes(piece)
        self.fillers.refresh()
        self._ball_section.setVisible(self.ball.ball is not None)
        cautions = cautions_of(piece.parts if piece else ())
        self._cautions.setText("\n\n".join(cautions))
        self._cautions.setVisible(bool(cautions))
        self.ball.refresh()
        self.parts.refresh()
        self._show_showing()

    def _show_eyes(self, piece: Piece) -> None:
        dressing = piece.dressing
        look = dressing.eyes[0] if dressing.eyes else LookFrom(height_mm=STANDING_MM, distance_mm=DISTANCE_MM)
        self._eyes.show_value(
            look,
            who=look.height_mm if look.height_mm in dict(_HEIGHTS).values() else None,
            side=look.azimuth_deg if len(dressing.eyes) == 1 else None,
        )
        self._necks.show_value(dressing, () if dressing.necks_out else ("neck_mm",))

    def _show_showing(self) -> None:
        showing = self.document.dresser.showing
        wording = self.document.wording
        self._order.setText(self.document.dresser.order_words)
        if showing is None:
            self._told.setText("Looking…" if self.document.piece and self.document.piece.rows else "No rows yet.")
            return
        self._told.setText(" ".join(showing_words(showing, wording.units)))
        with QSignalBlocker(self._spots):
            self._spots.clear()
            self._spots.addItems(spot_words(showing, wording.units))
        self._spots.setVisible(bool(showing.spots))
