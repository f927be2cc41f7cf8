"""How the pieces of a plan stand: loads and silhouettes from geometry, frame and parts; frames' needs."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from kakushi.model.catalogue import Studio
from kakushi.model.frame import Frame
from kakushi.model.groups import BallGroup, RowsGroup
from kakushi.model.job import Brief, Settings
from kakushi.model.parts import Part, PartKind
from kakushi.model.piece import Piece
from kakushi.picture.buffers import Pole
from kakushi.picture.exposed import Silhouettes, silhouettes
from kakushi.plan.geometry import drawn_toppers
from kakushi.plan.values import PiecePlan
from kakushi.prep.fill import Climate
from kakushi.sim.forecast import Forecast
from kakushi.stand.balance import Exposure, Load
from kakushi.stand.frame import hole_radius, water_in_hole
from kakushi.stand.stance import BASE, Assumed, Foot, Stance, Step, stance
from kakushi.stand.words import assumption_sentences, mass_words, stance_sentences

_SIDES = 6
_PUT_ON = (
    PartKind.FILLER,
    PartKind.COLLAR,
    PartKind.ACCENT,
    PartKind.HUNG,
    PartKind.WEIGHT,
    PartKind.CAP,
    PartKind.TOPPER,
)
FIXINGS_WANTED = 2
SUNNY = 0.4
Masses = tuple[tuple[float, float], ...]


def expected_gust(brief: Brief, forecast: Forecast | None) -> float | None:
    """The gust (m/s) a job should hold: none indoors, else what the brief says, else the forecast."""
    if brief.place == "indoors":
        return None
    if brief.gust_mps is not None:
        return brief.gust_mps
    return forecast.gust_mps if forecast else None


def climate_of(brief: Brief, forecast: Forecast | None) -> Climate:
    """Heat and sun the balloons will stand in; a usual room indoors or without a forecast."""
    if brief.place == "indoors" or forecast is None:
        return Climate()
    return Climate(forecast.temperature_c, forecast.sun >= SUNNY)


def stance_of(piece_plan: PiecePlan, settings: Settings, studio: Studio, gust: float | None) -> Stance:
    """How a piece stands at every step; worked out once for equal plans, settings and masses."""
    masses = tuple((size.nominal_in, size.mass_g) for size in studio.nominals)
    assumed = Assumed(settings.drag, settings.gust_factor, math.radians(settings.tilt_deg))
    return _stance(piece_plan, assumed, masses, gust)


@lru_cache(maxsize=128)
def _stance(piece_plan: PiecePlan, assumed: Assumed, masses: Masses, gust: float | None) -> Stance:
    builder = _Builder(piece_plan, dict(masses))
    return stance(builder.steps(), foot_of(piece_plan), assumed, gust)


def foot_of(piece_plan: PiecePlan) -> Foot:
    """What a piece stands on: its base, or without one the ring of row 1."""
    base = piece_plan.piece.frame.base
    if base.kind != "none":
        return Foot(base.radius_mm, base.height_mm, base.mass_g)
    return Foot(piece_plan.measures[0].ring if piece_plan.measures else 0.0, 0.0, 0.0)


def pole_length(piece_plan: PiecePlan) -> float:
    """Length of the pole above the floor, mm; where none is chosen, as tall as the column. 0 without a pole."""
    frame = piece_plan.piece.frame
    if frame.kind != "pole":
        return 0.0
    return frame.pole_length_mm or piece_plan.height_mm


def part_place(part: Part, piece_plan: PiecePlan) -> tuple[float, float, float]:
    """Where a part's mass is, mm; toppers without a height stand on the column."""
    azimuth = math.radians(part.azimuth_deg)
    z = part.height_mm
    if part.kind is PartKind.TOPPER and not z:
        z = piece_plan.height_mm + part.tall_mm / 2
    return part.offset_mm * math.sin(azimuth), -part.offset_mm * math.cos(azimuth), z


class _Builder:
    """Collects the steps of one piece's build in the order of the work."""

    def __init__(self, piece_plan: PiecePlan, masses: dict[float, float]) -> None:
        self._piece_plan, self._masses = piece_plan, masses
        self._geometry = piece_plan.drawn
        self._step_of = np.zeros(len(self._geometry.radii), dtype=np.int32)
        self._names: list[str] = []
        self._added: list[tuple[Load, ...]] = []
        self._parts: list[tuple[int, Part]] = []
        # Inner balloons weigh as much as the ones around them.
        seen = sum(u.count * masses.get(u.nominal_in, 0.0) for u in piece_plan.balloon_counts if u.kind is PartKind.ROW)
        inner = sum(
            u.count * masses.get(u.nominal_in, 0.0) for u in piece_plan.balloon_counts if u.kind is PartKind.INNER
        )
        self._doubled = 1 + inner / seen if seen else 1.0

    def steps(self) -> list[Step]:
        """All steps, the frame first."""
        self._frame()
        self._groups()
        self._put_on()
        seen = self._silhouettes()
        return [
            Step(name, added, self._exposures(seen, step))
            for step, (name, added) in enumerate(zip(self._names, self._added, strict=True))
        ]

    def _frame(self) -> None:
        frame = self._piece_plan.piece.frame
        loads = []
        if frame.base.kind != "none":
            loads.append(Load(BASE, frame.base.mass_g, 0, 0, frame.base.height_mm / 2))
        length = pole_length(self._piece_plan)
        loads.append(Load("pole", frame.pole_g_per_m * length / 1000, 0, 0, length / 2))
        self._step("with the bare frame", tuple(loads))

    def _groups(self) -> None:
        row = 0
        ball_at = len(self._piece_plan.geometry.radii)
        for group in self._piece_plan.piece.groups:
            if isinstance(group, RowsGroup):
                for _ in group.rows:
                    rows = "1 row" if row == 0 else f"{row + 1} rows"
                    self._balloons(np.flatnonzero(self._geometry.row_of == row), f"with {rows} on")
                    row += 1
            elif isinstance(group, BallGroup):
                self._balloons(np.arange(ball_at, ball_at + len(group.slots)), "with the ball on")
                ball_at += len(group.slots)

    def _balloons(self, members: np.ndarray, name: str) -> None:
        self._step_of[members] = len(self._names)
        piece = self._piece_plan.piece
        slots = [slot for g in piece.groups if isinstance(g, BallGroup) for slot in g.slots]
        rows = piece.rows
        first_ball = len(self._piece_plan.geometry.radii)
        weights = []
        for index in members:
            row = int(self._geometry.row_of[index])
            slot = rows[row].slots[int(self._geometry.slot_of[index])] if row >= 0 else slots[int(index) - first_ball]
            weights.append(self._masses.get(slot.nominal_in, 0.0) * self._doubled)
        mass = float(sum(weights))
        x, y, z = np.average(self._geometry.centres[members], axis=0, weights=weights) if mass else (0.0, 0.0, 0.0)
        self._step(name, (Load(name, mass, float(x), float(y), float(z)),))

    def _put_on(self) -> None:
        parts = [p for p in self._piece_plan.piece.parts if p.kind in _PUT_ON]
        toppers = [part.key for part in drawn_toppers(self._piece_plan.piece)]
        first_topper = len(self._geometry.radii) - len(toppers)
        for part in sorted(parts, key=lambda p: _PUT_ON.index(p.kind)):
            latex = sum(self._masses.get(b.nominal_in, 0.0) * b.count for b in part.balloons)
            mass = part.mass_g or latex
            if part.key in toppers:
                self._step_of[first_topper + toppers.index(part.key)] = len(self._names)
            elif part.tall_mm and part.wide_mm:
                self._parts.append((len(self._names), part))
            name = f"with “{part.name or part.kind.value}” on"
            self._step(name, (Load(name, mass, *part_place(part, self._piece_plan)),))

    def _step(self, name: str, added: tuple[Load, ...]) -> None:
        self._names.append(name)
        self._added.append(added)

    def _silhouettes(self) -> Silhouettes:
        frame, length = self._piece_plan.piece.frame, pole_length(self._piece_plan)
        foot = self._piece_plan.foot_mm
        pole = Pole(frame.pole_diameter_mm / 2, foot, length) if length > foot and frame.pole_diameter_mm else None
        azimuths = [math.pi * i / _SIDES for i in range(_SIDES)]
        g = self._geometry
        return silhouettes(
            centres=g.centres,
            radii=g.radii,
            step_of=self._step_of,
            steps=len(self._names),
            pole=pole,
            azimuths=azimuths,
        )

    def _exposures(self, seen: Silhouettes, step: int) -> tuple[Exposure, ...]:
        """What the wind meets from every side and its opposite, with hung things and the base beside the balloons."""
        foot = foot_of(self._piece_plan)
        area_more = 2 * foot.radius * foot.height
        moment_more = area_more * foot.height / 2
        for at, part in self._parts:
            if at <= step:
                area_more += part.tall_mm * part.wide_mm
                moment_more += part.tall_mm * part.wide_mm * part.height_mm
        exposures = []
        for side, azimuth in enumerate(seen.azimuths):
            area = float(seen.area[side, step]) + area_more
            middle = (float(seen.moment[side, step]) + moment_more) / area if area else 0.0
            exposures += [Exposure(azimuth, area, middle), Exposure(azimuth + math.pi, area, middle)]
        return tuple(exposures)


# --- in words -----------------------------------------------------------------------------


def stand_words(piece_plan: PiecePlan, settings: Settings, studio: Studio, gust: float | None) -> tuple[str, ...]:
    """How a piece stands, fixings, water weight: sentences for panel and print, without the assumptions."""
    if not piece_plan.balloon_counts:
        return ("No balloons yet: choose rows to see how it stands.",)
    sentences = list(stance_sentences(stance_of(piece_plan, settings, studio, gust)))
    sentences += fixing_words(piece_plan.piece)
    if water := water_words(piece_plan, stance_of(piece_plan, settings, studio, gust)):
        sentences.append(water)
    return tuple(sentences)


def assumptions_of(piece_plan: PiecePlan, settings: Settings, studio: Studio, gust: float | None) -> tuple[str, ...]:
    """What `stand_words` rests on."""
    return assumption_sentences(stance_of(piece_plan, settings, studio, gust))


def fixing_words(piece: Piece) -> list[str]:
    """Hung loads that hang by less than two fixings."""
    return [
        f"“{part.name or 'Hung load'}” hangs by {part.fixings} fixing{'' if part.fixings == 1 else 's'}: give it two, "
        "each able to hold it alone."
        for part in piece.parts
        if part.kind is PartKind.HUNG and part.fixings < FIXINGS_WANTED
    ]


def water_words(piece_plan: PiecePlan, stance: Stance) -> str:
    """What water weight fits into the hole of row 1 and whether that is enough; empty without rows."""
    if not piece_plan.piece.rows:
        return ""
    row, measure = piece_plan.piece.rows[0], piece_plan.measures[0]
    touching = hole_radius(row.count, row.diameter_mm) if row.count > 2 else 0.0
    room = max(measure.ring - row.diameter_mm / 2, touching)
    pole = piece_plan.piece.frame.pole_diameter_mm / 2 if piece_plan.piece.frame.kind == "pole" else 0.0
    grams = water_in_hole(room, pole)
    if grams < 10:
        return "The hole of row 1 has no room for a water weight."
    words = f"The hole of row 1 holds a water weight of about {mass_words(grams)}"
    wanted = stance.ballast.mass_g if stance.ballast and not stance.ballast.offset else 0.0
    if stance.stands or not wanted:
        return f"{words}."
    return f"{words}: {'enough' if grams >= wanted else 'not enough'} to stand the bump."


def frame_words(frame: Frame) -> str:
    """A frame in a few words."""
    base = "no base" if frame.base.kind == "none" else f"{frame.base.kind} of {mass_words(frame.base.mass_g)}"
    if frame.kind == "pole":
        return f"pole of {frame.pole_diameter_mm:.0f} mm on a {base}"
    return f"{'line' if frame.kind == 'line' else 'link frame'} on a {base}"
