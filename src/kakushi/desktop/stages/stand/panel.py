"""Stand: frame and base, whether it stands, wind, and what hangs on it."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QPushButton, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choice, Choices
from kakushi.desktop.forms.form import BoundForm, check, choice, colour, options, quantity, seldom
from kakushi.desktop.forms.frame_lines import POLE_LENGTH
from kakushi.desktop.stages.concerns_box import ConcernsBox
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.stages.parts.parts_box import PartsBox
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.model.cautions import STAND
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import BarePoleGroup
from kakushi.model.job import Settings
from kakushi.model.piece import Firmness, Piece
from kakushi.model.quantities import ANGLE, COUNT, FORCE, LENGTH, MASS, SPEED, number
from kakushi.model.values import replace
from kakushi.model.workshop import BaseKind
from kakushi.plan.facts import PoleNote
from kakushi.session import edits, group_edits, part_edits
from kakushi.words.stand import assumption_sentences, stand_words
from kakushi.words.wording import mass_words, thickness

_KINDS = (("pole in a base", "pole"), ("line on a weight", "line"), ("link frame, no pole", "frameless"))
_OWN = "my own"
_SUNNY, _PARTLY_SUNNY = 0.5, 0.2
"""Shares of the sun's full strength from which a forecast is called so."""
_FRAME = (
    choice("kind", "Frame", _KINDS, "Frame"),
    choice("pole", "Pole", (), "Kind of pole"),
    POLE_LENGTH,
    check("capped", "Cap on the pole’s end"),
    check("painted", "Paint the pole"),
    quantity("bare_mm", "Bare below", LENGTH, "bare pole below the first row", low=0.0, high=10_000.0),
    choice("wrap", "Wrapped", options(BarePoleGroup.model_fields["wrap"].annotation), "Wrapping of the bare pole"),
    quantity("strands", "", COUNT, "Strands that wrap the bare pole", " strands", low=1, high=4),
    check("inflated", "Wrapped with inflated balloons"),
    check("clockwise", "Coiled clockwise seen from above"),
    colour("wrap_colour", "In", "Colour of the wrapping"),
    choice("base", "Base", (), "Base"),
    quantity("base.radius_mm", "Radius", LENGTH, "radius of the base", low=10.0, high=3000.0),
    quantity("base.height_mm", "Base height", LENGTH, "height of the base", high=2000.0),
    quantity("base.mass_g", "Base mass", MASS, "Mass of the base"),
    choice("base.place", "Base lies", options(Base.model_fields["place"].annotation), "Where the base lies"),
)
_USUAL = Settings()
_WIND = (
    quantity("gust_mps", "Gust", SPEED, "Gust it should hold", none=("from the forecast", None)),
    seldom(
        quantity("drag", "Drag", number(2, 0.1), "Drag coefficient", tip="How strongly wind pulls: 1.2 for a column"),
        _USUAL.drag,
    ),
    seldom(quantity("tilt_deg", "Lean", ANGLE, "Lean of a brush in passing", " for a brush"), _USUAL.tilt_deg),
    seldom(quantity("push_n", "Push", FORCE, "Push of a brush in passing", " for a brush"), _USUAL.push_n),
)
_FIRM = (
    choice(
        "firmness",
        "Must stand",
        (("as its frame suggests", None), *((firm.value, firm) for firm in Firmness)),
        "How firmly it must stand",
    ),
)
_WIND_EDITS = {"drag": "Change drag", "tilt_deg": "Change wanted tilt", "push_n": "Change wanted push"}
_OF_POLE = ("pole", "pole_length_mm", "capped", "painted", "bare_mm", "wrap")
_OF_WRAP = {
    "wrap": "wrap",
    "strands": "strands",
    "inflated": "inflated",
    "clockwise": "clockwise",
    "wrap_colour": "colour",
}
"""By field of the form: the field of the bare pole."""
_OF_BASE = ("base.radius_mm", "base.height_mm", "base.mass_g", "base.place")


class StandPanel(Panel):
    """Tools of the Stand stage."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._frame = BoundForm(document, _FRAME)
        self._wind, self._firm = BoundForm(document, _WIND), BoundForm(document, _FIRM)
        self._weather = quiet()
        self._verdict, self._also = Label(), Label()
        self._verdict.setProperty("role", "wrong")
        for label in (self._verdict, self._also):
            label.setWordWrap(True)
        self.ballast = QPushButton()
        self.ballast.setToolTip("Adds the weight as a part of the piece")
        self._assumed = quiet()
        self.parts = PartsBox(document, ("weight", "cap"), "Weights keep it upright; caps cover a sharp pole end.")
        self.section("Does it stand?", self._firm, first=True)
        self.column.addWidget(self._verdict)
        self.column.addWidget(self._also)
        self.column.addWidget(ConcernsBox(document, PoleNote))
        self.column.addWidget(self.ballast)
        self.column.addWidget(self.problem)
        self.section("Frame", self._frame)
        self.section("Weights and caps", self.parts)
        self.section("Wind and pushes", self._wind)
        self.column.addWidget(self._weather)
        self.section("What this rests on", self._assumed)
        self.column.addWidget(quiet("\n".join(STAND)))
        self._frame.changed.connect(self._on_frame)
        self._wind.changed.connect(self._on_wind)
        self._firm.changed.connect(self._on_firm)
        for source in (self._frame, self._wind, self.parts):
            source.problem.connect(self.show_problem)
        self.ballast.clicked.connect(self._on_ballast)
        self.document.dossier_changed.connect(self._show_stance)
        self.document.studio_changed.connect(self._refresh)
        self.finish()

    # --- edits ----------------------------------------------------------------------------------

    def _set_frame(self, **changes: object) -> None:
        if piece := self.document.piece:
            self.document.apply(edits.set_inside(piece.key, "Change frame", "frame", **changes))

    def _on_frame(self, changes: dict[str, Any]) -> None:
        """Apply changed fields to the frame, its base or the bare pole."""
        piece, (name, value) = self.document.piece, next(iter(changes.items()))
        if piece is None:
            return
        if name == "kind":
            self.document.apply(edits.set_frame_kind(piece.key, value))
        elif name == "pole":
            kind = next(kind for kind in self.document.studio.poles if kind.name == value)
            self._set_frame(pole_name=kind.name, pole_diameter_mm=kind.diameter_mm, pole_g_per_m=kind.g_per_m)
        elif name == "bare_mm":
            wrap = str(self._frame.shown("wrap"))
            self.document.apply(group_edits.set_bare_pole(piece.key, value, wrap))
        elif name in _OF_WRAP:
            self._set_bare(**{_OF_WRAP[name]: value})
        else:
            self._set_frame(**changes)

    def _on_firm(self, changes: dict[str, Any]) -> None:
        if piece := self.document.piece:
            self.document.apply(edits.set_piece(piece.key, "Change how firmly it must stand", **changes))

    def _set_bare(self, **changes: object) -> None:
        """Change how the first bare pole is wrapped."""
        piece = self.document.piece
        places = [k for k, group in enumerate(piece.groups) if isinstance(group, BarePoleGroup)] if piece else []
        if piece and places:
            self.document.apply(group_edits.change_group(piece.key, places[0], **changes))

    def _on_wind(self, changes: dict[str, object]) -> None:
        name = next(iter(changes))
        if name == "gust_mps":
            self.document.apply(edits.set_brief(**changes))
        else:
            self.document.apply(edits.set_settings(_WIND_EDITS[name], **changes))

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
        self._firm.show_value(piece)
        self.parts.refresh()
        brief = self.document.job.brief
        self._wind.show_value(self.document.job.settings, gust_mps=brief.gust_mps)
        self._wind.widget("gust_mps").setEnabled(brief.place == "outdoors")
        self._show_weather()
        self._show_stance()

    def _show_frame(self, piece: Piece) -> None:
        frame = piece.frame
        for name, choices in (("pole", self._poles(frame)), ("base", self._bases(frame.base))):
            box = self._frame.widget(name)
            assert isinstance(box, Choices)
            box.list_choices(choices)
        bare = next((g for g in piece.groups if isinstance(g, BarePoleGroup)), None)
        wrap: dict[str, object] = {"bare_mm": bare.height_mm if bare else 0.0, "wrap": bare.wrap if bare else "none"}
        if frame.has_pole and bare is not None and bare.wrap != "none":
            wrap |= {name: getattr(bare, of_bare) for name, of_bare in _OF_WRAP.items()}
        hidden = () if frame.has_pole else _OF_POLE
        hidden_base = _OF_BASE if not frame.base.is_there else () if frame.base.is_under else ("base.radius_mm",)
        self._frame.show_value(
            frame, (*hidden, *hidden_base), pole=frame.pole_name, base=replace(frame.base, place="under"), **wrap
        )
        self._frame.widget("wrap").setEnabled(bare is not None)

    def _poles(self, frame: Frame) -> list[Choice]:
        names = [kind.name for kind in self.document.studio.poles]
        own = [] if frame.pole_name in names else [frame.pole_name]
        size = thickness(frame.pole_diameter_mm, self.document.units)
        return [*((name, name) for name in names), *((f"{_OWN}, {size}", name) for name in own)]

    def _bases(self, base: Base) -> list[Choice]:
        """The catalogue's bases, none, and the piece's own where it is another one."""
        listed: list[Choice] = [(kind.name, base_of(kind)) for kind in self.document.studio.bases]
        under = replace(base, place="under")
        if not base.is_there:
            return [*listed, ("none", under)]
        listed.append(("none", replace(under, kind="none")))
        if all(under != known for _, known in listed):
            listed.append((f"{_OWN}, {mass_words(base.mass_g, self.document.units)}", under))
        return listed

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
        lines = 1 + (stance.gust is not None)
        bad = [] if not piece_plan.balloon_count or (stance.stands and stance.holds) else list(said[:lines])
        words = list(said[len(bad) :])
        if not piece_plan.piece.frame.pole_length_mm and piece_plan.piece.frame.has_pole:
            words.append("Choose a pole and its length to see how many rows it takes.")
        self._verdict.setText("\n\n".join(bad))
        self._verdict.setVisible(bool(bad))
        self._also.setText("\n\n".join(words))
        if not stance.stands and stance.ballast and stance.ballast.mass_g > 0:
            self.ballast.setText(f"Add a weight of {mass_words(stance.ballast.mass_g, self.document.units)}")
            self.ballast.show()
        self._assumed.setText("\n".join(assumption_sentences(stance)))

    def _show_weather(self) -> None:
        forecast = self.document.workshop.forecast
        if self.document.job.brief.place == "indoors":
            self._weather.setText("Indoors: wind is not considered.")
        elif forecast is None:
            self._weather.setText("No forecast: give the event a date in the Brief, or a gust here.")
        else:
            sun = "sunny" if forecast.sun >= _SUNNY else "partly sunny" if forecast.sun >= _PARTLY_SUNNY else "cloudy"
            self._weather.setText(
                f"{forecast.source.capitalize()}: gusts {forecast.gust_mps:g} m/s, "
                f"{forecast.temperature_c:.0f} °C, {sun}. Ask a real forecast on the day."
            )


def base_of(kind: BaseKind) -> Base:
    """A piece's base as the catalogue's entry makes it."""
    return Base(kind=kind.kind, height_mm=kind.height_mm, radius_mm=kind.radius_mm, mass_g=kind.mass_g)
