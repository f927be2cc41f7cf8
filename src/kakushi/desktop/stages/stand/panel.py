"""Stand: frame and base, whether it stands, wind, and what hangs on it."""

from __future__ import annotations

from typing import get_args

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QLabel,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.stages.parts_box import PartsBox
from kakushi.desktop.widgets.fields import ColourChooser, LengthField, form, quiet
from kakushi.model.cautions import STAND
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import BarePoleGroup
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.model.workshop import BaseKind
from kakushi.session import edits, group_edits, part_edits
from kakushi.words.plan import note_words
from kakushi.words.stand import assumption_sentences, stand_words
from kakushi.words.wording import mass_words, thickness

_KINDS = {"pole": "pole in a base", "line": "line on a weight", "frameless": "link frame, no pole"}
_OWN = "my own"


def _number(
    name: str, low: float, high: float, suffix: str = "", *, step: float = 1.0, decimals: int = 1
) -> QDoubleSpinBox:
    """A field for a number that is taken when it is typed out."""
    field = QDoubleSpinBox()
    field.setRange(low, high)
    field.setDecimals(decimals)
    field.setSingleStep(step)
    field.setSuffix(suffix)
    field.setKeyboardTracking(False)
    field.setAccessibleName(name)
    return field


class StandPanel(Panel):
    """Tools of the Stand stage."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._kind, self._pole, self._base = QComboBox(), QComboBox(), QComboBox()
        for widget, name in ((self._kind, "Frame"), (self._pole, "Kind of pole"), (self._base, "Base")):
            widget.setAccessibleName(name)
            widget.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            widget.setMinimumContentsLength(14)
            widget.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        for kind, words in _KINDS.items():
            self._kind.addItem(words, kind)
        self._length = LengthField(document, "pole length", 100.0, 20_000.0)
        self._bare = LengthField(document, "bare pole below the first row", 0.0, 10_000.0)
        self._wrap = QComboBox()
        self._wrap.addItems(["none", "coil", "plait"])
        self._wrap.setAccessibleName("Wrapping of the bare pole")
        self._strands = QSpinBox()
        self._strands.setRange(1, 4)
        self._strands.setSuffix(" strands")
        self._strands.setKeyboardTracking(False)
        self._strands.setAccessibleName("Strands that wrap the bare pole")
        self._inflated = QCheckBox("Wrapped with inflated balloons")
        self._wrap_colour = ColourChooser("Colour of the wrapping")
        self._radius = LengthField(document, "radius of the base", 10.0, 3000.0)
        self._height = LengthField(document, "height of the base", 0.0, 2000.0)
        self._lies = QComboBox()
        self._lies.addItems(get_args(Base.model_fields["place"].annotation))
        self._lies.setAccessibleName("Where the base lies")
        self._mass = _number("Mass of the base", 0.0, 1000.0, " kg", decimals=2)
        self._capped, self._painted = QCheckBox("Cap on the pole’s end"), QCheckBox("Paint the pole")
        self._gust = _number("Gust it should hold", 0.0, 60.0, " m/s")
        self._gust.setSpecialValueText("from the forecast")
        self._drag = _number("Drag coefficient", 0.3, 3.0, step=0.1)
        self._tilt = _number("Lean it should stand", 0.0, 45.0, "° wanted")
        self._push = _number("Push it should stand", 0.0, 500.0, " N wanted")
        self._weather = quiet()
        self._verdict, self._also = QLabel(), QLabel()
        self._verdict.setProperty("role", "wrong")
        for label in (self._verdict, self._also):
            label.setWordWrap(True)
        self.ballast = QPushButton()
        self._assumed = quiet()
        self.parts = PartsBox(document, ("weight", "cap"), "Weights keep it upright; caps cover a sharp pole end.")
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        self.section("Does it stand?", self._verdict, first=True)
        self.column.addWidget(self._also)
        self.column.addWidget(self.ballast)
        self.column.addWidget(self.problem)
        frame = form()
        frame.addRow("Frame", self._kind)
        frame.addRow("Pole", self._pole)
        frame.addRow("Length", self._length)
        frame.addRow("", self._capped)
        frame.addRow("", self._painted)
        frame.addRow("Bare below", self._bare)
        frame.addRow("Wrapped", self._wrap)
        frame.addRow("", self._strands)
        frame.addRow("", self._inflated)
        frame.addRow("In", self._wrap_colour)
        frame.addRow("Base", self._base)
        frame.addRow("Radius", self._radius)
        frame.addRow("Base height", self._height)
        frame.addRow("Base mass", self._mass)
        frame.addRow("Base lies", self._lies)
        self._frame_form = frame
        self.section("Frame", frame)
        self.section("Weights and caps", self.parts)
        wind = form()
        wind.addRow("Gust", self._gust)
        wind.addRow("Drag", self._drag)
        wind.addRow("Lean", self._tilt)
        wind.addRow("Push", self._push)
        self.section("Wind and pushes", wind)
        self.column.addWidget(self._weather)
        self.section("What this rests on", self._assumed)
        self.column.addWidget(quiet("\n".join(STAND)))

    def _connect(self) -> None:
        self._kind.activated.connect(self._on_kind)
        self._pole.activated.connect(self._on_pole)
        self._base.activated.connect(self._on_base)
        self._lies.activated.connect(lambda _: self._set_base(place=self._lies.currentText()))
        self._length.entered.connect(lambda mm: self._set_frame(pole_length_mm=mm))
        self._radius.entered.connect(lambda mm: self._set_base(radius_mm=mm))
        self._height.entered.connect(lambda mm: self._set_base(height_mm=mm))
        self._bare.entered.connect(lambda _: self._on_bare())
        self._wrap.activated.connect(lambda _: self._on_bare())
        self._strands.valueChanged.connect(lambda many: self._set_bare(strands=many))
        self._inflated.toggled.connect(lambda on: self._set_bare(inflated=on))
        self._wrap_colour.chosen.connect(lambda colour: self._set_bare(colour=colour))
        self._tilt.valueChanged.connect(
            lambda degrees: self.document.apply(edits.set_settings("Change wanted tilt", tilt_deg=degrees))
        )
        self._push.valueChanged.connect(
            lambda newtons: self.document.apply(edits.set_settings("Change wanted push", push_n=newtons))
        )
        self._drag.valueChanged.connect(lambda drag: self.document.apply(edits.set_settings("Change drag", drag=drag)))
        self._mass.valueChanged.connect(lambda kg: self._set_base(mass_g=kg * 1000))
        self._capped.toggled.connect(lambda on: self._set_frame(capped=on))
        self._painted.toggled.connect(lambda on: self._set_frame(painted=on))
        self._gust.valueChanged.connect(
            lambda mps: self.document.apply(edits.set_brief(gust_mps=mps if mps > 0 else None))
        )
        self.ballast.clicked.connect(self._on_ballast)
        for field in (self._length, self._radius, self._height, self._bare):
            field.problem.connect(self.show_problem)
        self.parts.problem.connect(self.show_problem)
        self.document.dossier_changed.connect(self._show_stance)
        self.document.studio_changed.connect(self._refresh)

    # --- edits ----------------------------------------------------------------------------------

    def _set_frame(self, **changes: object) -> None:
        if piece := self.document.piece:
            frame: Frame = edits.validated(piece.frame, "frame", **changes)
            self.document.apply(edits.set_piece(piece.key, "Change frame", frame=frame))

    def _set_base(self, **changes: object) -> None:
        if piece := self.document.piece:
            base: Base = edits.validated(piece.frame.base, "base", **changes)
            self._set_frame(base=base)

    def _on_kind(self, _index: int) -> None:
        if piece := self.document.piece:
            self.document.apply(edits.set_frame_kind(piece.key, self._kind.currentData()))

    def _on_bare(self) -> None:
        if piece := self.document.piece:
            self.document.apply(group_edits.set_bare_pole(piece.key, self._bare.value or 0.0, self._wrap.currentText()))

    def _set_bare(self, **changes: object) -> None:
        """Change how the first bare pole is wrapped."""
        piece = self.document.piece
        places = [k for k, group in enumerate(piece.groups) if isinstance(group, BarePoleGroup)] if piece else []
        if piece and places:
            self.document.apply(group_edits.change_group(piece.key, places[0], **changes))

    def _on_pole(self, index: int) -> None:
        kinds = self.document.studio.poles
        if 0 <= index < len(kinds):
            kind = kinds[index]
            self._set_frame(pole_name=kind.name, pole_diameter_mm=kind.diameter_mm, pole_g_per_m=kind.g_per_m)

    def _on_base(self, index: int) -> None:
        bases = self.document.studio.bases
        if 0 <= index < len(bases):
            self._set_frame(base=base_of(bases[index]))
        elif index == len(bases):
            self._set_base(kind="none")

    def _on_ballast(self) -> None:
        """Put the advised ballast on the piece as a weight."""
        piece, stance = self.document.piece, self.document.workshop.stance(self.document.piece)
        if piece is None or stance is None or not stance.ballast or stance.ballast.mass_g <= 0:
            return
        ballast = stance.ballast
        self.document.apply(
            part_edits.add_ballast(
                piece.key,
                mass_g=ballast.weight_g,
                offset_mm=ballast.offset,
                azimuth_deg=ballast.azimuth_deg,
                height_mm=stance.foot.height / 2,
            )
        )

    # --- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        piece = self.document.piece
        if body := self.widget():
            body.setEnabled(piece is not None)
        if piece is None:
            return
        self._show_frame(piece)
        self.parts.refresh()
        gust, settings = self.document.job.brief.gust_mps, self.document.job.settings
        wanted = ((self._drag, settings.drag), (self._tilt, settings.tilt_deg), (self._push, settings.push_n))
        for field, value in wanted:
            with QSignalBlocker(field):
                field.setValue(value)
        with QSignalBlocker(self._gust):
            self._gust.setValue(gust or 0.0)
        self._gust.setEnabled(self.document.job.brief.place == "outdoors")
        self._show_weather()
        self._show_stance()

    def _show_frame(self, piece: Piece) -> None:
        frame, studio = piece.frame, self.document.studio
        blockers = [QSignalBlocker(w) for w in (self._pole, self._base, self._mass, self._capped, self._painted)]
        self._kind.setCurrentIndex(self._kind.findData(frame.kind))
        self._pole.clear()
        self._pole.addItems([kind.name for kind in studio.poles])
        names = [kind.name for kind in studio.poles]
        if frame.pole_name not in names:
            self._pole.addItem(f"{_OWN}, {thickness(frame.pole_diameter_mm, self.document.units)}")
        self._pole.setCurrentIndex(names.index(frame.pole_name) if frame.pole_name in names else len(names))
        self._base.clear()
        self._base.addItems([*(base.name for base in studio.bases), "none"])
        alike = [base_of(base) for base in studio.bases]
        if not frame.base.is_there:
            self._base.setCurrentIndex(len(alike))
        elif (under := replace(frame.base, place="under")) in alike:
            self._base.setCurrentIndex(alike.index(under))
        else:
            self._base.addItem(f"{_OWN}, {mass_words(frame.base.mass_g)}")
            self._base.setCurrentIndex(len(alike) + 1)
        self._length.set_value(frame.pole_length_mm)
        self._length.setPlaceholderText("not chosen yet")
        bare = next((g for g in piece.groups if isinstance(g, BarePoleGroup)), None)
        self._bare.set_value(bare.height_mm if bare else 0.0)
        self._wrap.setCurrentText(bare.wrap if bare else "none")
        self._wrap.setEnabled(bare is not None)
        wrapped = bare is not None and bare.wrap != "none"
        if bare is not None:
            with QSignalBlocker(self._strands), QSignalBlocker(self._inflated):
                self._strands.setValue(bare.strands)
                self._inflated.setChecked(bare.inflated)
            palette = self.document.job.palette
            self._wrap_colour.show_colours(palette, bare.colour or palette[0].key)
        for field_of_wrap in (self._strands, self._inflated, self._wrap_colour):
            self._frame_form.setRowVisible(field_of_wrap, frame.has_pole and wrapped)
        self._radius.set_value(frame.base.radius_mm)
        self._height.set_value(frame.base.height_mm)
        self._lies.setCurrentText(frame.base.place)
        self._mass.setValue(frame.base.mass_g / 1000)
        self._capped.setChecked(frame.capped)
        self._painted.setChecked(frame.painted)
        for widget in (self._pole, self._length, self._capped, self._painted, self._bare, self._wrap):
            self._frame_form.setRowVisible(widget, frame.has_pole)
        for field in (self._radius, self._height, self._mass, self._lies):
            self._frame_form.setRowVisible(field, frame.base.is_there)
        self._frame_form.setRowVisible(self._radius, frame.base.is_under)
        del blockers

    def _show_stance(self) -> None:
        dossier, piece = self.document.dossier, self.document.piece
        piece_plan = dossier.plan.piece(piece.key) if piece else None
        stance = self.document.workshop.stance(self.document.piece)
        self.ballast.hide()
        if piece_plan is None or stance is None:
            self._verdict.setText("")
            self._also.setText("")
            return
        units = self.document.units
        said = stand_words(piece_plan, stance, units)
        # What does not hold comes first: how it stands, and outdoors the wind.
        many = 1 + (stance.gust is not None)
        bad = [] if not piece_plan.balloon_count or (stance.stands and stance.holds) else list(said[:many])
        words = [*said[len(bad) :], *(note_words(note, self.document.wording) for note in piece_plan.advice)]
        if not piece_plan.piece.frame.pole_length_mm and piece_plan.piece.frame.has_pole:
            words.append("Choose a pole and its length to see how many rows it takes.")
        self._verdict.setText("\n\n".join(bad))
        self._verdict.setVisible(bool(bad))
        self._also.setText("\n\n".join(words))
        if not stance.stands and stance.ballast and stance.ballast.mass_g > 0:
            self.ballast.setText(f"Add a weight of {mass_words(stance.ballast.mass_g)}")
            self.ballast.show()
        self._assumed.setText("\n".join(assumption_sentences(stance)))

    def _show_weather(self) -> None:
        forecast = self.document.workshop.forecast
        if self.document.job.brief.place == "indoors":
            self._weather.setText("Indoors: no wind is reckoned with.")
        elif forecast is None:
            self._weather.setText("No forecast: give the event a date in the Brief, or a gust here.")
        else:
            sun = "sunny" if forecast.sun >= 0.5 else "partly sunny" if forecast.sun >= 0.2 else "cloudy"
            self._weather.setText(
                f"{forecast.source.capitalize()}: gusts {forecast.gust_mps:g} m/s, "
                f"{forecast.temperature_c:.0f} °C, {sun}. Ask a real forecast on the day."
            )


def base_of(kind: BaseKind) -> Base:
    """A piece's base as the catalogue's entry makes it."""
    return Base(kind=kind.kind, height_mm=kind.height_mm, radius_mm=kind.radius_mm, mass_g=kind.mass_g)
