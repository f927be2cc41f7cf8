"""What shows of a piece's mechanics: pole, line, knots and necks, from the eyes that will look at it.

Every eye's picture of balloons and mechanics is drawn twice, with the balloons and without: what is left is what shows.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.parts import Dressing
from kakushi.model.piece import Piece, SeenSides
from kakushi.packing.frames import UP
from kakushi.packing.stack import Geometry
from kakushi.sight.eyes import PIXEL_MM, Eye, Sight, Tube, sight


class Mechanic(StrEnum):
    """What ought not to be seen."""

    POLE = "pole"
    LINE = "line"
    KNOTS = "knots"
    NECKS = "necks"
    STRIPS = "strips"
    BASE = "base"


HIDEABLE = (Mechanic.POLE, Mechanic.LINE, Mechanic.KNOTS, Mechanic.NECKS)
"""Mechanics that balloons can hide. Strips come with what they hold; a collar hides part of a base."""

STANDING_MM, SITTING_MM, CHILD_MM = 1600.0, 1200.0, 1050.0
"""Eye heights of grown people who stand and sit, and of a child of six to eight, who stands."""
DISTANCE_MM = 2500.0
"""Distance, mm, from which a piece is looked at in a room."""
_LINE_RADIUS_MM = 2.0
"""Line and the knots on it: as `picture.core_seen`."""
_KNOT_MM, NECK_MM, _NECK_STEP_MM = 7.0, 3.0, 5.0
"""Radii of the crossing of a row and of a rolled neck, and how far apart a neck is drawn as beads."""
_STRIP_MM, _STRIP_STEP_MM = 2.5, 10.0
"""Half the width of a stretched strip, and how far apart it is drawn as beads."""
_BASE_PIXEL_MM = 5.0
"""Pixel for bases, mm: they are large, and the share is still right to one per cent."""
_SIDES = 24
"""Number of directions in which spots are told apart: 15° each."""
_MOST_SPOTS = 12
"""Most spots told of one piece."""
_MOST_LINES = 4000
"""Most lines of pixels: pieces taller than 10 m get coarser ones, which keeps memory within about 20 MB."""
_SMALLEST_SPOT_CM2 = 0.3
"""Area, cm², below which nobody notices a spot from two steps away: the tip of a fingernail."""


SEEN_FROM_DEG: Mapping[SeenSides, tuple[int, ...]] = {
    SeenSides.FRONT: (-45, 0, 45),
    SeenSides.FRONT_AND_BACK: (-45, 0, 45, 135, 180, 225),
    SeenSides.ALL_ROUND: tuple(range(0, 360, 45)),
}
"""Directions that a piece is looked at from, degrees anticlockwise from the front."""


def eyes_of(piece: Piece) -> tuple[Eye, ...]:
    """The eyes a piece is judged by: its own, else somebody who stands at every side that is seen."""
    if piece.dressing.eyes:
        return tuple(
            Eye(math.radians(look.azimuth_deg), look.height_mm, look.distance_mm) for look in piece.dressing.eyes
        )
    return tuple(Eye(math.radians(degrees), STANDING_MM, DISTANCE_MM) for degrees in SEEN_FROM_DEG[piece.seen_sides])


@dataclass(frozen=True, slots=True)
class SeenSpot:
    """A place that shows: what, at which row (index), in which direction (radians) and how much, cm²."""

    mechanic: Mechanic
    row: int
    azimuth: float
    seen_cm2: float


@dataclass(frozen=True, slots=True, eq=False)
class Visible:
    """What one eye sees of the mechanics, pixel by pixel, (k,): rays from the eye's `origin` in the axes of the piece.

    A ray ends where `origin + ends · rays` lies on the mechanic.
    `weights` are areas, mm².
    """

    origin: Floats
    rays: Floats
    ends: Floats
    weights: Floats


class SeenThing(NamedTuple):
    """A main thing, and how much of it each eye sees, as a share; None for eyes that look at something else."""

    name: str
    shares: tuple[float | None, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Showing:
    """What shows from all eyes together. Areas cm², means over the eyes; shares of what would show without balloons.

    `by_row` (m,) share of each row's mechanics; `by_eye` shares in the eyes' order; `spots` the worst, worst first.
    Strips and the base count among neither, nor as `visible`. `things`: what is seen of the main things.
    """

    eyes: tuple[Eye, ...]
    seen_cm2: Mapping[Mechanic, float]
    all_cm2: Mapping[Mechanic, float]
    by_row: Floats
    by_eye: tuple[float, ...]
    spots: tuple[SeenSpot, ...]
    visible: tuple[Visible, ...]
    things: tuple[SeenThing, ...] = ()

    @property
    def total_cm2(self) -> float:
        """Of all mechanics that balloons can hide."""
        return sum(self.seen_cm2[mechanic] for mechanic in HIDEABLE)

    @property
    def whole_cm2(self) -> float:
        """What would show of them without balloons."""
        return sum(self.all_cm2[mechanic] for mechanic in HIDEABLE)

    @property
    def share(self) -> float:
        """Of all mechanics that balloons can hide; 0 where there are none."""
        return self.total_cm2 / self.whole_cm2 if self.whole_cm2 else 0.0

    def share_of(self, mechanic: Mechanic) -> float:
        """Of one mechanic; 0 where there is none of it."""
        whole = self.all_cm2.get(mechanic, 0.0)
        return self.seen_cm2[mechanic] / whole if whole else 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Mechanics:
    """The mechanics of a piece as spheres (k, 3), (k,) and tubes, mm, each with what it is.

    `strips` (s, 3): beads along them; thin as they are they hide nothing else. `base`: what the piece stands on.
    """

    centres: Floats
    radii: Floats
    kinds: tuple[Mechanic, ...]
    tubes: tuple[Tube, ...]
    tube_kinds: tuple[Mechanic, ...]
    spans: tuple[tuple[float, float], ...]
    strips: Floats
    base: Tube | None

    @property
    def many(self) -> int:
        """Spheres and tubes."""
        return len(self.kinds) + len(self.tube_kinds)


def mechanics_of(
    piece: Piece,
    rows: Geometry,
    groups: Sequence[range],
    strips: Sequence[tuple[Floats, Floats]] = (),
    bare: Sequence[tuple[float, float]] = (),
) -> Mechanics:
    """Pole or line between the knots of each group of rows (index ranges), a knot for each row, and necks that are out.

    `strips`: from where to where each runs, (3,) mm. `bare`: lengths of pole beyond the knots of groups, from and to.
    """
    knots, origins = rows.knots, rows.frames.origins
    straight = [r for r in groups if len(r) > 1 and bool((rows.frames.tangents[r.start] == UP).all())]
    spans = tuple((float(knots[r.start]), float(knots[r.stop - 1])) for r in straight)
    radius = piece.frame.pole_radius_mm
    core = Mechanic.POLE if radius else Mechanic.LINE
    tubes = tuple(Tube(radius or _LINE_RADIUS_MM, low, high) for low, high in (*spans, *bare))
    centres = [origins] if len(knots) else []
    radii = [np.full(len(knots), max(radius, 0.0) + _KNOT_MM)] if len(knots) else []
    kinds = [Mechanic.KNOTS] * len(knots)
    for line in (r for r in groups if len(r) > 1 and r not in straight):
        # The line inside a strand runs from knot to knot, as beads that touch.
        ends = [(origins[k], origins[k + 1]) for k in line[:-1]]
        beads = _strip_beads(ends)
        centres.append(beads)
        radii.append(np.full(len(beads), _LINE_RADIUS_MM))
        kinds += [Mechanic.LINE] * len(beads)
    if piece.dressing.necks_out:
        for beads in _necks(rows, radius, piece.dressing):
            centres.append(beads)
            radii.append(np.full(len(beads), NECK_MM))
            kinds += [Mechanic.NECKS] * len(beads)
    base = piece.frame.base
    return Mechanics(
        np.concatenate(centres) if centres else np.zeros((0, 3)),
        np.concatenate(radii) if radii else np.zeros(0),
        tuple(kinds),
        tubes,
        (core,) * len(tubes),
        spans,
        _strip_beads(strips),
        Tube(base.radius_mm, 0.0, base.height_mm) if base.is_under and base.height_mm and base.radius_mm else None,
    )


def _strip_beads(strips: Sequence[tuple[Floats, Floats]]) -> Floats:
    beads = [np.zeros((0, 3))]
    for begin, end in strips:
        steps = max(int(np.linalg.norm(end - begin) / _STRIP_STEP_MM), 1)
        beads.append(begin + np.linspace(0.0, 1.0, steps + 1)[:, None] * (end - begin))
    return np.concatenate(beads)


def _necks(rows: Geometry, pole_radius: float, dressing: Dressing) -> Iterator[Floats]:
    """Beads along the tails of each row's knot: one in every gap between neighbours, from the pole outwards."""
    along = np.arange(0.0, dressing.neck_mm + _NECK_STEP_MM / 2, _NECK_STEP_MM) + pole_radius + _KNOT_MM
    for row in range(len(rows.frames)):
        angles = np.array([gap.angle for gap in gaps_of(rows, row)])
        yield rows.frames.around(row, np.repeat(angles, len(along)), np.tile(along, len(angles)))


class RowGap(NamedTuple):
    """Between two neighbours of a row: its direction, radians, and the balloon before it among those of the row.

    `touching`: how far from the row's knot the two touch, mm.
    """

    angle: float
    balloon: int
    touching: float


def gaps_of(rows: Geometry, row: int) -> list[RowGap]:
    """The gaps of a row."""
    in_row = rows.of_row(row)
    local = rows.frames.local(rows.centres[in_row], rows.row_of[in_row])
    order = np.argsort(local.angle)
    angles, out = local.angle[order], local.out[order]
    ends = np.append(angles[1:], angles[0] + 2 * np.pi)
    touching = out * np.cos((ends - angles) / 2)
    return [
        RowGap(*each) for each in zip(((angles + ends) / 2).tolist(), order.tolist(), touching.tolist(), strict=True)
    ]


def neck_tip_mm(pole_radius: float, dressing: Dressing) -> float:
    """How far from the middle of the pole the tails of knots end that stick out, mm."""
    return max(pole_radius, 0.0) + _KNOT_MM + dressing.neck_mm


def what_shows(
    mechanics: Mechanics,
    eyes: Sequence[Eye],
    rows: Geometry,
    balloons: tuple[Floats, Floats],
    pixel: float = PIXEL_MM,
    cancelled: Cancelled = never,
) -> Showing:
    """What `eyes` see of mechanics among all `balloons` of a piece with those rows.

    `balloons`: centres (n, 3) and swollen radii (n,), mm. Raises `errors.Cancelled`.
    """
    seen, whole = dict.fromkeys(Mechanic, 0.0), dict.fromkeys(Mechanic, 0.0)
    row_seen, row_whole = np.zeros(len(rows.knots)), np.zeros(len(rows.knots))
    by_eye, visible = [], []
    spots: dict[tuple[Mechanic, int, int], float] = {}
    window = _window(mechanics, rows)
    fine = max(pixel, (window[2] - window[1]) / _MOST_LINES)
    for eye in eyes:
        stop_if(cancelled)
        bare = sight(eye, mechanics.centres, mechanics.radii, mechanics.tubes, window, fine)
        dressed = bare.behind(*balloons, first=mechanics.many)
        shown, alone = (_Part(mechanics, each) for each in (dressed, bare))
        for areas, part, behind in ((seen, shown, dressed), (whole, alone, bare)):
            for mechanic in HIDEABLE:
                areas[mechanic] += float(part.areas[part.kinds == mechanic].sum())
            areas[Mechanic.STRIPS] += _strips_seen(behind, mechanics, len(balloons[1]))
        if mechanics.base is not None:
            for areas, part_of in ((seen, balloons), (whole, _NO_BALLOONS)):
                areas[Mechanic.BASE] += _base_seen(eye, mechanics.base, part_of)
        for part, by_row in ((shown, row_seen), (alone, row_whole)):
            np.add.at(by_row, rows.frames.nearest(part.points), part.areas)
        by_eye.append(float(shown.areas.sum() / alone.areas.sum()) if alone.areas.sum() else 0.0)
        at_row = rows.frames.nearest(shown.points)
        # Where it lies as seen from the pole; of what lies on the line itself, towards the eye.
        local = rows.frames.local(shown.points, at_row)
        towards = np.where(local.out > 1.0, local.angle, eye.azimuth)
        sector = np.round(towards / (2 * np.pi) * _SIDES).astype(int) % _SIDES
        for kind, row, side, area in zip(shown.kinds, at_row, sector, shown.areas, strict=True):
            key = (Mechanic(kind), int(row), int(side))
            spots[key] = spots.get(key, 0.0) + float(area)
        visible.append(Visible(eye.place, shown.rays, shown.ends, shown.areas))
    viewers = max(len(eyes), 1)
    worst = [
        SeenSpot(kind, row, side * 2 * math.pi / _SIDES, area / viewers / 100)
        for (kind, row, side), area in spots.items()
    ]
    worst = sorted((spot for spot in worst if spot.seen_cm2 >= _SMALLEST_SPOT_CM2), key=lambda spot: -spot.seen_cm2)
    shares = np.divide(row_seen, row_whole, out=np.zeros_like(row_seen), where=row_whole > 0)
    return Showing(
        tuple(eyes),
        {kind: area / viewers / 100 for kind, area in seen.items()},
        {kind: area / viewers / 100 for kind, area in whole.items()},
        shares,
        tuple(by_eye),
        tuple(worst[:_MOST_SPOTS]),
        tuple(visible),
    )


_NO_BALLOONS = (np.zeros((0, 3)), np.zeros(0))


def _strips_seen(behind: Sight, mechanics: Mechanics, balloons: int) -> float:
    """Visible area of the strips, from what an eye sees without them, mm²."""
    if not len(mechanics.strips):
        return 0.0
    first = mechanics.many + balloons
    seen = behind.behind(mechanics.strips, np.full(len(mechanics.strips), _STRIP_MM), first)
    return float(seen.areas()[seen.identity >= first].sum())


def _base_seen(eye: Eye, base: Tube, balloons: tuple[Floats, Floats]) -> float:
    """What an eye sees of the side of a base behind balloons, mm²."""
    # On the plane through the pole its near side is seen larger, and lower or higher than it is.
    nearer = eye.distance_mm / max(eye.distance_mm - base.radius, 1.0)
    ends = [eye.height_mm + (z - eye.height_mm) * scale for z in (base.bottom, base.top) for scale in (1.0, nearer)]
    window = (base.radius * nearer, min(ends) - _BASE_PIXEL_MM, max(ends) + _BASE_PIXEL_MM)
    bare = sight(eye, *_NO_BALLOONS, (base,), window, _BASE_PIXEL_MM)
    near = balloons[0][:, 2] - balloons[1] < base.top + 2 * base.radius
    seen = bare.behind(balloons[0][near], balloons[1][near], first=1)
    return float(seen.areas()[seen.identity == 0].sum())


class _Part:
    """What an eye sees of the mechanics with some balloons before them: arrays over its pixels."""

    def __init__(self, mechanics: Mechanics, seen: Sight) -> None:
        eye = seen.eye
        kinds = np.array([*mechanics.kinds, *mechanics.tube_kinds])
        met = (seen.identity >= 0) & (seen.identity < mechanics.many)
        ends = seen.distance[met]
        self.kinds: NDArray[np.str_] = kinds[seen.identity[met]]
        rays = seen.rays[met]
        turned = eye.world(rays) - eye.world(np.zeros((1, 3)))
        self.rays, self.ends = turned, ends
        self.points = eye.place + turned * ends[:, None]
        self.areas = seen.pixel[0] * seen.pixel[1] * ends**2


def _window(mechanics: Mechanics, rows: Geometry) -> tuple[float, float, float]:
    """Half width, bottom and top on the plane through the pole that hold all mechanics."""
    reach = np.hypot(mechanics.centres[:, 0], mechanics.centres[:, 1]) + mechanics.radii
    half = max([float(reach.max(initial=0.0)), *(tube.radius for tube in mechanics.tubes)]) * 1.25 + 5.0
    low = min([float(rows.knots.min(initial=0.0)), *(tube.bottom for tube in mechanics.tubes)])
    high = max([float(rows.knots.max(initial=0.0)), *(tube.top for tube in mechanics.tubes)])
    return half, low - 60.0, high + 60.0
