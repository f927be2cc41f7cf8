"""Dress: what shows of the mechanics from which eyes, fillers that hide it, toppers and hung things."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QCheckBox, QComboBox, QLabel, QListWidget, QSizePolicy, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.dress.ball_box import BallBox
from kakushi.desktop.stages.dress.fillers_box import FillersBox
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.stages.parts_box import PartsBox
from kakushi.desktop.views.all_round import AllRound
from kakushi.desktop.widgets.fields import LengthField, form, heading, quiet, rule
from kakushi.desktop.widgets.theme import Theme
from kakushi.dress.shows import CHILD_MM, DISTANCE_MM, SEEN_FROM_DEG, SITTING_MM, STANDING_MM
from kakushi.dress.table import KINDS
from kakushi.model.cautions import DRESS
from kakushi.model.parts import LookFrom
from kakushi.model.piece import Piece
from kakushi.plan.toppers import topper_notes
from kakushi.session import part_edits
from kakushi.words.dress import showing_words, spot_words
from kakushi.words.plan import note_words

_HEIGHTS = {"somebody standing": STANDING_MM, "somebody sitting": SITTING_MM, "a child": CHILD_MM}
_OWN = "an eye at my height"
_ONE_SIDE = {"the sides that are seen": None, "the front": 0, "the right": 90, "the back": 180, "the left": 270}


class DressPanel(Panel):
    """Tools of the Dress stage."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._eye, self._from = QComboBox(), QComboBox()
        self._eye.addItems([*_HEIGHTS, _OWN])
        self._from.addItems(list(_ONE_SIDE))
        for box, name in ((self._eye, "Who looks"), (self._from, "Sides looked from")):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(14)
            box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._height = LengthField(document, "height of the eye", 0.0, 20_000.0)
        self._distance = LengthField(document, "distance of the eye", 300.0, 100_000.0)
        self._necks = QCheckBox("Necks stick out")
        self._neck = LengthField(document, "length of the necks", 0.0, 300.0)
        self._told = QLabel()
        self._told.setWordWrap(True)
        self._order = quiet("")
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
        eyes = form()
        for words, widget in (
            ("Seen by", self._eye),
            ("From", self._from),
            ("Eye height", self._height),
            ("Distance", self._distance),
            ("", self._necks),
            ("Neck length", self._neck),
        ):
            eyes.addRow(words, widget)
        self._eye_form = eyes
        self.column.addLayout(eyes)
        self.section("Fillers", self.fillers)
        self._ball_section = QWidget()
        holder = QVBoxLayout(self._ball_section)
        holder.setContentsMargins(0, 0, 0, 0)
        holder.addWidget(rule())
        holder.addWidget(heading("Ball"))
        holder.addWidget(self.ball)
        self.column.addWidget(self._ball_section)
        self.section("Toppers and hung things", self.parts)
        self.column.addWidget(self._order)
        self.section("Cautions", quiet("\n\n".join(DRESS)))

    def _connect(self) -> None:
        self._eye.activated.connect(lambda _: self._set_eyes())
        self._from.activated.connect(lambda _: self._set_eyes())
        for field in (self._height, self._distance):
            field.entered.connect(lambda _: self._set_eyes())
        for field in (self._height, self._distance, self._neck):
            field.problem.connect(self.show_problem)
        self._necks.toggled.connect(lambda on: self._set(necks_out=on))
        self._neck.entered.connect(lambda mm: self._set(neck_mm=mm))
        self.fillers.problem.connect(self.show_problem)
        self.parts.problem.connect(self.show_problem)
        self._spots.currentRowChanged.connect(self._on_spot)
        for follow in (self._show_showing, self.parts.refresh):
            self.document.dresser.showing_changed.connect(follow)
        self.document.plan_changed.connect(self._on_plan)

    # --- edits ---------------------------------------------------------------------------------

    def _set(self, **changes: object) -> None:
        piece = self.document.piece
        if piece and any(getattr(piece.dressing, name) != value for name, value in changes.items()):
            self.document.apply(part_edits.set_dressing(piece.key, **changes))

    def _set_eyes(self) -> None:
        piece = self.document.piece
        if piece is None:
            return
        height = _HEIGHTS.get(self._eye.currentText(), self._height.value or STANDING_MM)
        side = _ONE_SIDE[self._from.currentText()]
        sides = SEEN_FROM_DEG[piece.seen_sides] if side is None else (side,)
        distance = self._distance.value or DISTANCE_MM
        if side is None and (height, distance) == (STANDING_MM, DISTANCE_MM):
            self._set(eyes=())
            return
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
        self.ball.refresh()
        self.parts.refresh()
        self._show_showing()

    def _show_eyes(self, piece: Piece) -> None:
        dressing = piece.dressing
        look = dressing.eyes[0] if dressing.eyes else LookFrom()
        height = look.height_mm if dressing.eyes else STANDING_MM
        known = next((words for words, mm in _HEIGHTS.items() if mm == height), _OWN)
        self._eye.setCurrentText(known)
        only = look.azimuth_deg if len(dressing.eyes) == 1 else None
        self._from.setCurrentText(next((words for words, side in _ONE_SIDE.items() if side == only), "the front"))
        self._height.set_value(height)
        self._distance.set_value(look.distance_mm if dressing.eyes else DISTANCE_MM)
        with QSignalBlocker(self._necks):
            self._necks.setChecked(dressing.necks_out)
        self._neck.set_value(dressing.neck_mm)
        self._eye_form.setRowVisible(self._neck, dressing.necks_out)

    def _show_showing(self) -> None:
        showing = self.document.dresser.showing
        piece_plan = self.document.piece_plan
        notes = topper_notes(piece_plan.piece, piece_plan.assembly, self.document.studio) if piece_plan else ()
        wording = self.document.wording
        told = [note_words(note, wording) for note in notes]
        self._order.setText(" ".join(filter(None, [*told, self.document.dresser.order_words])))
        if showing is None:
            self._told.setText("Looking…" if self.document.piece and self.document.piece.rows else "No rows yet.")
            return
        self._told.setText(" ".join(showing_words(showing, wording.units)))
        with QSignalBlocker(self._spots):
            self._spots.clear()
            self._spots.addItems(spot_words(showing, wording.units))
        self._spots.setVisible(bool(showing.spots))
