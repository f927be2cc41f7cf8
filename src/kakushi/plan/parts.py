"""Parts of a piece where they are: the heights of those that move with a row, and what is drawn of each."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from kakushi.dress.bodies import Body, balls, film_points, joined, turned
from kakushi.dress.clusters import STUCK_ON, KnotLine, line_round, shape_of_balloons
from kakushi.dress.collars import MOST_IN_RING
from kakushi.dress.kind import PointMm
from kakushi.dress.kinds.fillers import MOST_IN_CLUSTER, one_by_one
from kakushi.dress.table import kind_of, name_of, sized_mm, spot_of, standing_parts
from kakushi.model.arrays import Floats
from kakushi.model.groups import LinkFrameGroup, Row
from kakushi.model.memo import remembered
from kakushi.model.parts import Extended, Part, Placed, Topper
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.packing.assembly import Assembly, resting_height
from kakushi.packing.groups.table import balloon_lines
from kakushi.plan.dressing import seated_fillers, settled_on
from kakushi.plan.facts import PartLost, PartUnheld

_TOUCHES_MM = 5.0
"""Distance of two skins, mm, up to which they touch: balloons are drawn swollen, and settled to a tenth of that."""


def parts_in_place(piece: Piece, assembly: Assembly) -> tuple[Part, ...]:
    """The parts of a piece, those that move with a row at the height above the floor where they are now."""
    # The same tuple, so that what is remembered by it is found.
    if not any(isinstance(part, Placed) and (part.row is not None or _window(part, assembly)) for part in piece.parts):
        return piece.parts
    knots = assembly.rows.knots
    of_row = {row.key: float(knots[index]) for index, row in enumerate(piece.rows) if index < len(knots)}

    def height(part: Part) -> float | None:
        if (window := _window(part, assembly)) is not None:
            return window.z
        return of_row.get(part.row) if isinstance(part, Placed) and part.row is not None else None

    return tuple(
        replace(part, height_mm=max(at + part.up_mm, 0.0))
        if isinstance(part, Placed) and (at := height(part)) is not None
        else part
        for part in piece.parts
    )


def _window(part: Part, assembly: Assembly) -> PointMm | None:
    """The middle, mm, of the joints of an open frame that a part is tied to; None where it is tied to none."""
    joints = assembly.frames[0][1].joints if assembly.frames else np.zeros((0, 3))
    if not isinstance(part, Extended) or not part.tied_to or max(part.tied_to) >= len(joints):
        return None
    x, y, z = joints[list(part.tied_to)].mean(axis=0).tolist()
    return PointMm(x, y, z)


def lost_parts(piece: Piece) -> Iterator[PartLost]:
    """Parts whose row, or whose part that they are fixed to, is gone."""
    rows, keys = {row.key for row in piece.rows}, {part.key for part in piece.parts}
    joints = next((len(group.joints) for group in piece.groups if isinstance(group, LinkFrameGroup)), 0)
    for part in piece.parts:
        if isinstance(part, Placed) and part.row is not None and part.row not in rows:
            yield PartLost(name_of(part), "row")
        if isinstance(part, Extended) and part.on is not None and part.on not in keys - {part.key}:
            yield PartLost(name_of(part), "part")
        if isinstance(part, Extended) and any(joint >= joints for joint in part.tied_to):
            yield PartLost(name_of(part), "joint")


def unheld_parts(piece: Piece, assembly: Assembly) -> Iterator[PartUnheld]:
    """Parts that lie on the column at a height where they touch none of its balloons."""
    centres, radii = assembly.spheres
    lying = [part for part in parts_in_place(piece, assembly) if kind_of(part).lies_on]
    for part in lying if len(radii) else ():
        body = _lying(part, piece, assembly)
        if not len(body):
            continue
        gaps = np.linalg.norm(body.centres[:, None] - centres[None], axis=2) - body.radii[:, None] - radii[None]
        if gaps.min(initial=math.inf) > _TOUCHES_MM:
            yield PartUnheld(name_of(part))


def has_balloons(piece: Piece) -> bool:
    """Whether there is anything that parts could be put on."""
    return any(line.slots for line in balloon_lines(piece.groups))


def drawn_toppers(piece: Piece) -> list[tuple[Part, float]]:
    """Parts on top of the column that are a single balloon, with their heights, mm."""
    if not has_balloons(piece):
        return []
    return [(part, tall) for part, tall in standing_parts(piece.parts) if is_single(part)]


def is_single(part: Part) -> bool:
    """Whether a part is one balloon, drawn where it rests."""
    return sum(line.count for line in part.balloons) == 1


@remembered(256)
def _places_on_top(parts: tuple[Part, ...], assembly: Assembly) -> Mapping[int, PointMm]:
    """Middles, mm, by key of the parts that stand on top: each on the column and on those listed before it."""
    centres, radii = assembly.spheres
    places: dict[int, PointMm] = {}
    for part, tall in standing_parts(parts) if len(radii) else ():
        if _base_of(part, parts) is not None:
            continue
        if is_single(part):
            place = _topper_place(assembly, (centres, radii), part, tall)
            body = balls(np.zeros((1, 3)), np.array([tall / 2]), "")
        else:
            body = kind_of(part).body(part)
            place = PointMm(0.0, 0.0, _let_down(assembly, (centres, radii), body, tall))
        places[part.key] = place
        centres, radii = np.concatenate([centres, body.centres + np.array(place)]), np.concatenate([radii, body.radii])
    return places


def _topper_place(assembly: Assembly, under: tuple[Floats, Floats], part: Part, tall: float) -> PointMm:
    """Centre, mm, of a topper that rests on the highest balloons: on the centreline, or leaning on along the swirl.

    `under`: what it may rest on, centres (n, 3) and radii (n,), mm. Along the swirl it lies half way out to where the
    next row's first balloon would come, the last joint repeated.
    """
    rows, (centres, radii) = assembly.rows, under
    at = (0.0, 0.0)
    if isinstance(part, Topper) and part.follows_swirl and len(rows.turns):
        last = rows.centres[rows.of_row(len(rows.turns) - 1), :2]
        next_turn = float(rows.turns[-1]) + (rows.turn_of(len(rows.turns) - 1) if len(rows.turns) > 1 else 0.0)
        out = float(np.hypot(last[:, 0], last[:, 1]).mean()) / 2
        at = (out * math.sin(next_turn), -out * math.cos(next_turn))
    rests = resting_height(centres, radii, tall / 2, at)
    # On the centreline it rests on the pole's end, where that ends in it; a pole that goes on beyond is too long yet.
    is_reached = not any(at) and assembly.pole_end < rests + tall / 2
    return PointMm(*at, max(rests, assembly.pole_end + tall / 2) if is_reached else rests)


def lean_of(part: Part, parts: tuple[Part, ...], rows: Sequence[Row], assembly: Assembly) -> float:
    """How far a topper leans off the upright, radians, seen from the last knot."""
    x, y, z = place_of(part, parts, rows, assembly)
    knots = assembly.rows.knots
    return math.atan2(math.hypot(x, y), max(z - (float(knots.max()) if len(knots) else 0.0), 1.0))


def _base_of(part: Part, parts: Sequence[Part]) -> Part | None:
    """The part that a part is fixed to. One level only: of two fixed on each other neither would ever have a place."""
    base = next((other for other in parts if isinstance(part, Extended) and other.key == part.on != part.key), None)
    return None if isinstance(base, Extended) and base.on is not None else base


def place_of(part: Part, parts: tuple[Part, ...], rows: Sequence[Row], assembly: Assembly) -> PointMm:
    """Middle, mm, of a part among all `parts` in place: on top, where it hangs, or by the part that it is fixed to."""
    base, off_pole = _base_of(part, parts), _window(part, assembly) or _on_strand(part, rows, assembly)
    if isinstance(part, Placed) and (base is not None or off_pole is not None):
        x, y, z = place_of(base, parts, rows, assembly) if base is not None else off_pole or PointMm(0.0, 0.0, 0.0)
        azimuth = math.radians(part.azimuth_deg)
        return PointMm(x + part.offset_mm * math.sin(azimuth), y - part.offset_mm * math.cos(azimuth), z + part.up_mm)
    if not kind_of(part).standing(part) or not len(assembly.spheres[1]):
        return spot_of(part, assembly.top)
    return _places_on_top(parts, assembly).get(part.key) or spot_of(part, assembly.top)


def _on_strand(part: Part, rows: Sequence[Row], assembly: Assembly) -> PointMm | None:
    """The knot, mm, of the row of a strand that a part moves with; None where it moves with none."""
    if not assembly.strands or not isinstance(part, Placed) or part.row is None:
        return None
    row = next((index for index, row in enumerate(rows) if row.key == part.row), None)
    return None if row is None else PointMm(*assembly.rows.frames.origins[row].tolist())


def _let_down(assembly: Assembly, under: tuple[Floats, Floats], body: Body, tall: float) -> float:
    """Height of the middle of a body, on the centreline, that is let down until it touches what is `under` it, mm."""
    centres, radii = under
    points, thick = body.centres, body.radii
    if body.film is not None:
        # A flat thing touches with what it is, not with the balls that stand for it.
        points = film_points(body, both_faces=True)
        thick = np.zeros(len(points))
    aside = np.hypot(centres[None, :, 0] - points[:, None, 0], centres[None, :, 1] - points[:, None, 1])
    reach = thick[:, None] + radii[None]
    rests = centres[None, :, 2] + np.sqrt(np.maximum(reach**2 - aside**2, 0.0)) - points[:, None, 2]
    touching = rests[aside < reach]
    rested = float(touching.max()) if len(touching) else assembly.top + tall / 2
    # What is over the pole's end rests on that; a foil is tied before it.
    out = np.hypot(body.centres[:, 0], body.centres[:, 1])
    over = out < body.radii if body.film is None else np.zeros(len(body), dtype=bool)
    lows = body.centres[over, 2] - np.sqrt(np.maximum(body.radii[over] ** 2 - out[over] ** 2, 0.0))
    is_reached = bool(len(lows)) and 0 < assembly.pole_end < rested + tall / 2
    return max(rested, assembly.pole_end - float(lows.min())) if is_reached else rested


def topper_rise_mm(piece: Piece, assembly: Assembly) -> float:
    """How far the tallest topper stands above the column, mm; toppers sink into the hollow of the last row."""
    toppers = list(standing_parts(piece.parts))
    if not len(assembly.spheres[1]):
        return max((tall for _, tall in toppers), default=0.0)
    tops = [place_of(part, piece.parts, piece.rows, assembly).z + tall / 2 for part, tall in toppers]
    return max([0.0, *(top - assembly.top for top in tops)])


@remembered(256, lambda piece: len(piece.parts))
def bodies_of(piece: Piece, assembly: Assembly) -> tuple[tuple[Part, Body], ...]:
    """Bodies of all parts, in place: toppers, then filler clusters, then the others in order."""
    if not has_balloons(piece):
        return ()
    parts = parts_in_place(piece, assembly)
    drawn: list[tuple[Part, Body]] = []
    for part, tall in drawn_toppers(piece):
        spot = place_of(part, parts, piece.rows, assembly)
        drawn.append((part, balls(np.array([spot]), np.array([tall / 2]), _colour_of(part))))
    drawn += [(each.part, Body(each.centres, each.radii, each.colours)) for each in seated_fillers(piece, assembly)]
    for part in parts:
        body = _lying(part, piece, assembly) if kind_of(part).lies_on else kind_of(part).body(part)
        if not kind_of(part).lies_on and len(body):
            # What stands on top faces the front.
            faces = isinstance(part, Placed) and not kind_of(part).standing(part)
            azimuth = math.radians(getattr(part, "azimuth_deg", 0.0)) if faces else 0.0
            body = turned(body, azimuth, place_of(part, parts, piece.rows, assembly))
        if len(body):
            drawn.append((part, body))
    return tuple(drawn)


def _colour_of(part: Part) -> str:
    return next(line.colour for line in part.balloons if line.count)


def _lying(part: Part, piece: Piece, assembly: Assembly) -> Body:
    """Balloons of a part that lies on the column: in one cluster, or in a ring around it."""
    balloons = one_by_one(part.balloons)
    kind = kind_of(part)
    if not isinstance(part, Placed) or not 0 < len(balloons) <= (MOST_IN_RING if kind.is_ring else MOST_IN_CLUSTER):
        return joined(())
    azimuth, count = math.radians(part.azimuth_deg), len(balloons)
    sized = [replace(line, diameter_mm=sized_mm(part, line)) for line in balloons]
    if kind.is_ring:
        lines = [_line_of(part, piece, assembly, azimuth + 2 * math.pi * k / count) for k in range(count)]
        wanted = [(line, shape_of_balloons((each,))) for line, each in zip(lines, sized, strict=True)]
    else:
        wanted = [(_line_of(part, piece, assembly, azimuth), shape_of_balloons(tuple(sized)))]
    centres = np.concatenate(settled_on(assembly, wanted, piece.frame.pole_radius_mm))
    radii = np.array([line.diameter_mm or 0.0 for line in sized]) / 2
    return Body(centres, radii, tuple(line.colour for line in sized))


def _line_of(part: Placed, piece: Piece, assembly: Assembly, azimuth: float) -> KnotLine:
    """The line on which a balloon of a part lies: round the row that it moves with, else round the pole."""
    row = next((index for index, row in enumerate(piece.rows) if row.key == part.row), None)
    if row is None:
        return KnotLine(azimuth, part.height_mm, 0.0, STUCK_ON)
    line = line_round(assembly.rows.frames, row, azimuth, part.up_mm)
    return dataclasses.replace(line, pull=STUCK_ON)
