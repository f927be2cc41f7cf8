"""How the pieces of a plan stand: loads and silhouettes from geometry, frame and parts; frames' needs."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from kakushi.dress.kind import PointMm, WindArea
from kakushi.dress.table import in_build_order, kind_of, mass_of, name_of, wind_of
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import Studio
from kakushi.model.groups import LinkFrameGroup, Slot
from kakushi.model.job import Brief, Settings
from kakushi.model.limits import MAX_COPIES
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.parts import Fillers
from kakushi.model.piece import Firmness
from kakushi.packing.groups.table import balloon_lines, lines_beside_rows
from kakushi.plan.strands import base_places, is_hung, strands_of
from kakushi.plan.values import PiecePlan
from kakushi.sight.buffers import Pole
from kakushi.sight.exposed import Silhouettes, silhouettes
from kakushi.sim.forecast import Forecast
from kakushi.stand.balance import Exposure, Footing, Load
from kakushi.stand.frame import water_in_hole
from kakushi.stand.stance import BASE, Assumed, BuildState, BuiltPart, Foot, Stance, stance

_BY_ITSELF, _BUMP = (2.0, 0.3), (8.0, 10.0)
"""Lean, degrees, and level push, N, to stand on a table or in a corner, and where people pass. Assumed."""
_SIDES = 6
"""Sides from which the wind is tried; with their opposites, every 30°."""
# Of a radius: balloons that low are pressed flat on the floor.
_TOUCHES = 0.05
_CORNERS = 24
"""Corners that a round base is taken to have where several stand together: 1 % smaller than round."""
Masses = tuple[tuple[float, float], ...]


def expected_gust(brief: Brief, forecast: Forecast | None) -> float | None:
    """The gust (m/s) a job should hold: none indoors, else what the brief says, else the forecast."""
    if brief.place == "indoors":
        return None
    if brief.gust_mps is not None:
        return brief.gust_mps
    return forecast.gust_mps if forecast else None


def wanted_of(firm: Firmness, settings: Settings) -> tuple[float, float]:
    """The lean (degrees) and the level push (N) that a piece must stand; a brush in passing is the job's own."""
    match firm:
        case Firmness.BY_ITSELF:
            return _BY_ITSELF
        case Firmness.BRUSH:
            return settings.tilt_deg, settings.push_n
        case Firmness.BUMP:
            return max(settings.tilt_deg, _BUMP[0]), max(settings.push_n, _BUMP[1])


def stance_of(
    piece_plan: PiecePlan, settings: Settings, studio: Studio, gust: float | None, cancelled: Cancelled = never
) -> Stance:
    """How a piece stands at every step; worked out once for equal plans, settings and masses.

    Raises `errors.Cancelled` soon after `cancelled()` answers True.
    """
    masses = tuple((size.nominal_in, size.mass_g) for size in studio.nominals)
    tilt_deg, push_n = wanted_of(piece_plan.piece.firm, settings)
    assumed = Assumed(settings.drag, settings.gust_factor, math.radians(tilt_deg), push_n)
    return _stance(piece_plan, assumed, masses, gust, cancelled=cancelled)


@remembered(2 * MAX_COPIES, lambda piece_plan: len(piece_plan.geometry.radii))
def _stance(
    piece_plan: PiecePlan, assumed: Assumed, masses: Masses, gust: float | None, *, cancelled: Cancelled
) -> Stance:
    return stance(build_steps(piece_plan, dict(masses), cancelled), foot_of(piece_plan), assumed, gust)


def build_steps(piece_plan: PiecePlan, masses: dict[float, float], cancelled: Cancelled = never) -> list[BuildState]:
    """The steps of a piece's build, the frame first; `masses` of balloons (g) by nominal size (in)."""
    return _Builder(piece_plan, masses, cancelled).steps()


def build_loads(piece_plan: PiecePlan, masses: dict[float, float]) -> tuple[list[Load], dict[int, Load]]:
    """The frame and the balloons of the groups, and the parts by their keys; `masses` as of `build_steps`."""
    return _Builder(piece_plan, masses, never).loads()


def foot_of(piece_plan: PiecePlan) -> Foot:
    """What a piece stands on: the base under it, else the lowest points of its balloons or the weight between them."""
    base = piece_plan.piece.frame.base
    places = base_places(piece_plan.piece, piece_plan.assembly)
    if base.is_under and places == [(0.0, 0.0)]:
        return Foot(Footing(base.radius_mm), base.height_mm, base.mass_g)
    if base.is_under and places:
        return Foot(Footing(corners=_corners_round(places, base.radius_mm)), base.height_mm, base.mass_g * len(places))
    balloons = Footing(corners=_contact_corners(piece_plan))
    if not base.is_there or base.is_tied_on:
        return Foot(balloons, 0.0, 0.0)
    # Rows that hang clear of the floor stand on the weight between them.
    return Foot(balloons if balloons.corners else Footing(base.radius_mm), base.height_mm, base.mass_g)


def _corners_round(places: Sequence[tuple[float, float]], radius: float) -> tuple[tuple[float, float], ...]:
    """Corners of what round bases at several places span together, mm, anticlockwise."""
    turn = np.arange(_CORNERS) * 2 * math.pi / _CORNERS
    # The polygon lies outside its circle by nothing and inside by a hundredth.
    edge = radius * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    return _hull(np.concatenate([edge + np.array(place) for place in places]))


def _hull(points: Floats) -> tuple[tuple[float, float], ...]:
    """Corners of the convex hull of points (k, 2), anticlockwise; none where they span no area."""
    from scipy.spatial import ConvexHull, QhullError  # noqa: PLC0415 - needed for few pieces only

    try:
        hull = ConvexHull(points)
    except (QhullError, ValueError):
        return ()
    return tuple((float(x), float(y)) for x, y in points[hull.vertices])


def _contact_corners(piece_plan: PiecePlan) -> tuple[tuple[float, float], ...]:
    """Corners of what the lowest balloons touch of the floor, mm, anticlockwise; none where they span no area."""
    # What is put on bears nothing: grass about the foot is no foot.
    centres, radii = piece_plan.assembly.spheres
    # Swollen skins touch a little later than sized ones: the tolerance is of the sized radius.
    lows = centres[:, 2] - radii
    return _hull(centres[lows <= lows.min(initial=0.0) + _TOUCHES * piece_plan.assembly.sized_radii, :2])


def pole_length(piece_plan: PiecePlan) -> float:
    """Length of the pole above the floor, mm; where none is chosen, as tall as the column. 0 without a pole."""
    frame = piece_plan.piece.frame
    if not frame.has_pole:
        return 0.0
    return frame.pole_length_mm or piece_plan.height_mm


class _Builder:
    """Collects the steps of one piece's build in the order of the work."""

    def __init__(self, piece_plan: PiecePlan, masses: dict[float, float], cancelled: Cancelled) -> None:
        self._piece_plan, self._masses, self._cancelled = piece_plan, masses, cancelled
        self._geometry = piece_plan.drawn
        self._step_of = np.zeros(len(self._geometry.radii), dtype=np.int32)
        self._stages: list[BuiltPart] = []
        self._added: list[tuple[Load, ...]] = []
        self._winds: list[tuple[int, WindArea]] = []
        self._lying: list[Load] = []
        """Loads of rows that lie on the floor until their strand is stood up."""

    def steps(self) -> list[BuildState]:
        """All steps, the frame first."""
        self._frame()
        self._groups()
        self._put_on()
        seen, tops, foot = self._silhouettes(), self._tops(), foot_of(self._piece_plan)
        return [
            BuildState(stage, added, self._exposures(seen, step, foot), float(tops[step]))
            for step, (stage, added) in enumerate(zip(self._stages, self._added, strict=True))
        ]

    def loads(self) -> tuple[list[Load], dict[int, Load]]:
        """Loads of the bare piece, and of the parts by key."""
        self._frame()
        self._groups()
        before = [load for added in self._added for load in added]
        part_count = len(self._added)
        self._put_on()
        parts = in_build_order(self._piece_plan.piece.parts)
        return before, {part.key: added[0] for part, added in zip(parts, self._added[part_count:], strict=True)}

    def _frame(self) -> None:
        frame = self._piece_plan.piece.frame
        loads = []
        # A weight on a ribbon holds nothing upright: the ribbon is slack until the piece has gone over. What hangs from
        # above has no base.
        hangs = is_hung(self._piece_plan.piece, self._piece_plan.assembly)
        if frame.base.is_there and not frame.base.is_tied_on and not hangs:
            places = base_places(self._piece_plan.piece, self._piece_plan.assembly) if frame.base.is_under else []
            loads += [Load(BASE, frame.base.mass_g, x, y, frame.base.height_mm / 2) for x, y in places or [(0.0, 0.0)]]
        # The pole's mass is spread over its length, so it acts in the middle.
        length = pole_length(self._piece_plan)
        loads.append(Load("pole", frame.pole_g_per_m * length / 1000, 0, 0, length / 2))
        loads += self._water()
        self._step(BuiltPart("frame"), tuple(loads))

    def _water(self) -> Iterator[Load]:
        """Water in the joints of open frames: it is what they are stood up on."""
        for place, frame in self._piece_plan.assembly.frames:
            group = self._piece_plan.piece.groups[place]
            assert isinstance(group, LinkFrameGroup)
            for joint, spot in zip(group.joints, frame.joints, strict=True):
                if joint.water_g:
                    yield Load("water", joint.water_g, *map(float, spot))

    def _groups(self) -> None:
        """Lines of balloons in order; those of rows come first in the geometry, balls after them."""
        row, ball_at = 0, len(self._piece_plan.geometry.radii)
        # A strand is stood up when it is whole: its rows are no stages of their own.
        strands = strands_of(self._piece_plan.piece, self._piece_plan.assembly)
        lying = {first + k for first, group, _ in strands for k in range(len(group.rows) - 1)}
        groups = self._piece_plan.piece.groups
        begins: dict[tuple[Slot, ...], list[int]] = {}
        for _, line in lines_beside_rows(groups):
            begins.setdefault(line.slots, []).append(ball_at)
            ball_at += len(line.slots)
        for line in balloon_lines(groups):
            if line.takes_pattern:
                members, colours = np.flatnonzero(self._geometry.row_of == row), self._piece_plan.colouring[row]
                row += 1
            else:
                first = begins[line.slots].pop(0)
                members, colours = np.arange(first, first + len(line.slots)), ()
            stage = BuiltPart("rows" if line.takes_pattern else "ball", row)
            self._balloons(members, line.slots, colours, stage, line.takes_pattern and row - 1 in lying)

    def _balloons(
        self, members: np.ndarray, slots: tuple[Slot, ...], colours: Sequence[str], stage: BuiltPart, lies: bool
    ) -> None:
        self._step_of[members] = len(self._stages)
        stuffed, weights = dict(self._piece_plan.stuffed), []
        for place, slot in enumerate(slots):
            key = colours[place] if colours else slot.colour or self._piece_plan.fallback
            weights.append(self._masses.get(slot.nominal_in, 0.0))
            if slot.inner_colour or key in stuffed:
                weights[-1] += self._masses.get(stuffed.get(key) or slot.nominal_in, 0.0)
        mass = float(sum(weights))
        x, y, z = np.average(self._geometry.centres[members], axis=0, weights=weights) if mass else (0.0, 0.0, 0.0)
        self._lying.append(Load("balloons", mass, float(x), float(y), float(z)))
        if not lies:
            self._step(stage, tuple(self._lying))
            self._lying = []

    def _put_on(self) -> None:
        drawn = self._piece_plan.drawn_parts
        in_place = {part.key: part for part in self._piece_plan.parts}
        owner = np.repeat([part.key for part, _ in drawn], [count for _, count in drawn]).astype(int)
        first_drawn = len(self._geometry.radii) - len(owner)
        for part in in_build_order(self._piece_plan.piece.parts):
            of_part = first_drawn + np.flatnonzero(owner == part.key)
            self._step_of[of_part] = len(self._stages)
            # What has no balls is no part of the silhouette; it meets the wind by its own figures.
            if not len(of_part):
                self._winds.append((len(self._stages), wind_of(in_place[part.key])))
            name = name_of(part)
            spot = self._piece_plan.place_of(in_place[part.key])
            if len(of_part) and (isinstance(part, Fillers) or kind_of(part).lies_on):
                spot = PointMm(*self._geometry.centres[of_part].mean(axis=0).tolist())
            self._step(BuiltPart("part", part=name), (Load(name, mass_of(part, self._masses), *spot),))

    def _step(self, stage: BuiltPart, added: tuple[Load, ...]) -> None:
        self._stages.append(stage)
        self._added.append(added)

    def _silhouettes(self) -> Silhouettes:
        frame, length = self._piece_plan.piece.frame, pole_length(self._piece_plan)
        foot = self._piece_plan.foot_mm
        pole = Pole(frame.pole_diameter_mm / 2, foot, length) if length > foot and frame.pole_diameter_mm else None
        azimuths = [math.pi * i / _SIDES for i in range(_SIDES)]
        g = self._geometry
        return silhouettes(
            centres=g.centres,
            radii=g.shape_radii,
            step_of=self._step_of,
            steps=len(self._stages),
            pole=pole,
            azimuths=azimuths,
            cancelled=self._cancelled,
        )

    def _tops(self) -> Floats:
        """Highest point after each step of the build, mm, (steps,)."""
        tops = np.full(len(self._stages), pole_length(self._piece_plan))
        np.maximum.at(tops, self._step_of, self._geometry.centres[:, 2] + self._geometry.shape_radii)
        return np.maximum.accumulate(tops)

    def _exposures(self, seen: Silhouettes, step: int, foot: Foot) -> tuple[Exposure, ...]:
        """What the wind meets from every side and its opposite, with hung things and the base beside the balloons."""
        # A base is low, but outdoors it stands in the wind as well.
        base = 2 * foot.radius * foot.height
        exposures = []
        for side, azimuth in enumerate(seen.azimuths):
            more = [(wind.area(azimuth), wind.middle) for at, wind in self._winds if at <= step]
            area = float(seen.area[side, step]) + base + sum(part for part, _ in more)
            moment = float(seen.moment[side, step]) + base * foot.height / 2 + sum(part * at for part, at in more)
            middle = moment / area if area else 0.0
            exposures += [Exposure(azimuth, area, middle), Exposure(azimuth + math.pi, area, middle)]
        return tuple(exposures)


def water_weight(piece_plan: PiecePlan) -> float | None:
    """Water (g) that fits into the hole of row 1; None without rows."""
    if not piece_plan.piece.rows:
        return None
    pole = piece_plan.piece.frame.pole_radius_mm
    room = piece_plan.measures[0].gap + pole
    # The knots of row 1 close the hole from above: what lies in it is no taller than they are high.
    return water_in_hole(room, pole, float(piece_plan.geometry.knots[0] - piece_plan.foot_mm))
