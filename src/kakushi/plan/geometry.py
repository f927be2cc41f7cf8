"""Where the balloons of a piece lie: packing, settled groups, toppers on top; memoised by what each stage reads."""

from __future__ import annotations

import dataclasses
import math
from itertools import accumulate

import numpy as np

from kakushi.colour.surface import Surface, surface_of
from kakushi.dress.foils import balls_of
from kakushi.dress.table import spot_of, standing_parts
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Group, Row, balloons_in, first_rows_group, rows_groups
from kakushi.model.joints import JointKind
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.parts import FoilShape, Part, Topper
from kakushi.model.piece import Piece, Tightness
from kakushi.packing.assembly import Assembly, assemble, resting_height
from kakushi.packing.contacts import RowMeasure, row_measures
from kakushi.packing.groups.table import balloon_lines, without_paint
from kakushi.packing.stack import LOOSE, SNUG, TIGHT, Geometry, Packing
from kakushi.picture.core_seen import CoreSeen, core_seen
from kakushi.plan.dressing import seated_fillers

TAU = {Tightness.LOOSE: LOOSE, Tightness.SNUG: SNUG, Tightness.TIGHT: TIGHT}


def packing_of(piece: Piece, studio: Studio) -> Packing:
    """How a piece is packed: the studio's measured packing of that name, else its tightness; and its pole."""
    pole_radius = piece.frame.pole_radius_mm
    measured = studio.packing(piece.packing_name)
    if measured is not None:
        return Packing(measured.tau, pole_radius, measured.slack, joint=measured.joint)
    return Packing(TAU[piece.tightness], pole_radius)


def assembly_of(piece: Piece, groups: tuple[Group, ...], studio: Studio, cancelled: Cancelled = never) -> Assembly:
    """The settled groups of a piece, hand paint left aside. Raises `errors.Cancelled` while it searches."""
    foot_angle = math.radians(piece.foot_angle_deg)
    plain = tuple(map(without_paint, groups))
    return _assembled(
        plain, packing_of(piece, studio), piece.joint, foot_angle, piece.frame.base_height_mm, cancelled=cancelled
    )


@remembered(512, balloons_in)
def _assembled(
    groups: tuple[Group, ...],
    packing: Packing,
    joint: JointKind,
    foot_angle: float,
    foot_mm: float,
    *,
    cancelled: Cancelled = never,
) -> Assembly:
    return assemble(groups, packing, joint, foot_angle, foot_mm, cancelled)


def surface_for(rows: tuple[Row, ...], geometry: Geometry) -> Surface:
    """The surface of settled rows, which patterns are laid on."""
    return surface_of(geometry, tuple(row.count for row in rows))


def topper_rise_mm(piece: Piece, assembly: Assembly) -> float:
    """How far the tallest topper stands above the column, mm; toppers sink into the hollow of the last row."""
    toppers = list(standing_parts(piece.parts))
    if not len(assembly.spheres[1]):
        return max((tall for _, tall in toppers), default=0.0)
    tops = [
        foil_place(assembly, part)[2] + tall / 2
        if isinstance(part, FoilShape)
        else topper_place(assembly, part, tall)[2] + tall / 2
        for part, tall in toppers
    ]
    return max([0.0, *(top - assembly.top for top in tops)])


def topper_place(assembly: Assembly, part: Part, tall: float) -> tuple[float, float, float]:
    """Centre, mm, of a topper that rests on the highest balloons: on the centreline, or leaning on along the swirl.

    Along the swirl it lies half way out to where the next row's first balloon would come, the last joint repeated.
    """
    rows, (centres, radii) = assembly.rows, assembly.spheres
    at = (0.0, 0.0)
    if isinstance(part, Topper) and part.follows_swirl and len(rows.turns):
        last = rows.centres[rows.of_row(len(rows.turns) - 1), :2]
        next_turn = float(rows.turns[-1]) + (rows.turn_of(len(rows.turns) - 1) if len(rows.turns) > 1 else 0.0)
        out = float(np.hypot(last[:, 0], last[:, 1]).mean()) / 2
        at = (out * math.sin(next_turn), -out * math.cos(next_turn))
    return (*at, resting_height(centres, radii, tall / 2, at))


def foil_place(assembly: Assembly, part: FoilShape) -> tuple[float, float, float]:
    """Middle, mm, of a foil shape: let down until it touches the highest balloons, or where it is fixed."""
    if not part.stands:
        return spot_of(part, assembly.top)
    centres, radii = assembly.spheres
    middles, own = balls_of(part)
    aside = np.hypot(centres[None, :, 0] - middles[:, None, 0], centres[None, :, 1] - middles[:, None, 1])
    reach = own[:, None] + radii[None]
    rests = centres[None, :, 2] + np.sqrt(np.maximum(reach**2 - aside**2, 0.0)) - middles[:, None, 2]
    touching = rests[aside < reach]
    return 0.0, 0.0, float(touching.max()) if len(touching) else assembly.top + part.tall_mm / 2


def foil_balls(assembly: Assembly, part: FoilShape) -> tuple[Floats, Floats]:
    """Balls of a foil shape where it is, facing the front or away from the pole: centres (k, 3), radii (k,), mm."""
    middles, radii = balls_of(part)
    turn = 0.0 if part.stands else math.radians(part.azimuth_deg)
    c, s = math.cos(turn), math.sin(turn)
    turned = np.stack(
        [middles[:, 0] * c - middles[:, 1] * s, middles[:, 0] * s + middles[:, 1] * c, middles[:, 2]], axis=1
    )
    return turned + np.array(foil_place(assembly, part)), radii


def drawn_foils(piece: Piece) -> list[FoilShape]:
    """The foil shapes of a piece that has balloons."""
    if not any(line.slots for line in balloon_lines(piece.groups)):
        return []
    return [part for part in piece.parts if isinstance(part, FoilShape)]


def lean_of(assembly: Assembly, part: Part, tall: float) -> float:
    """How far a topper leans off the upright, radians, seen from the last knot."""
    x, y, z = topper_place(assembly, part, tall)
    knots = assembly.rows.knots
    return math.atan2(math.hypot(x, y), max(z - (float(knots.max()) if len(knots) else 0.0), 1.0))


def drawn_toppers(piece: Piece) -> list[tuple[Part, float]]:
    """Parts on top of the column that can be drawn, having balloons, with their heights, mm."""
    if not any(line.slots for line in balloon_lines(piece.groups)):
        return []
    return [(part, tall) for part, tall in standing_parts(piece.parts) if part.balloons]


def drawn_parts(piece: Piece, assembly: Assembly) -> list[tuple[Part, int]]:
    """Parts that are drawn, in the order in which `with_parts` puts them after rows and balls, with their balloons."""
    fillers = [(each.part, len(each.radii)) for each in seated_fillers(piece, assembly)]
    foils: list[tuple[Part, int]] = [(part, len(balls_of(part)[1])) for part in drawn_foils(piece)]
    return [*((part, 1) for part, _ in drawn_toppers(piece)), *fillers, *foils]


def part_colours(piece: Piece, assembly: Assembly) -> list[str]:
    """Colour key of each balloon of `drawn_parts`."""
    fillers = [colour for each in seated_fillers(piece, assembly) for colour in each.colours]
    foils = [part.colour for part in drawn_foils(piece) for _ in balls_of(part)[1]]
    return [*(part.balloons[0].colour for part, _ in drawn_toppers(piece)), *fillers, *foils]


@remembered(512, lambda assembly: len(assembly.rows.radii))
def with_parts(assembly: Assembly, piece: Piece) -> Geometry:
    """The rows, balls, drawn toppers and fillers of a piece as one geometry; row and slot of the others are -1."""
    centres, radii = assembly.spheres
    toppers = [tall / 2 for _, tall in drawn_toppers(piece)]
    stand = [topper_place(assembly, part, tall) for part, tall in drawn_toppers(piece)]
    fillers = seated_fillers(piece, assembly)
    foils = [foil_balls(assembly, part) for part in drawn_foils(piece)]
    put_on = np.concatenate([toppers, *(each.radii for each in fillers), *(reach for _, reach in foils)])
    geometry = assembly.rows
    none = np.full(len(radii) - len(geometry.radii) + len(put_on), -1)
    return dataclasses.replace(
        geometry,
        centres=np.concatenate(
            [
                centres,
                np.array(stand).reshape(-1, 3),
                *(each.centres for each in fillers),
                *(middles for middles, _ in foils),
            ]
        ),
        radii=np.concatenate([assembly.sized_radii, put_on]),
        shape_radii=np.concatenate([radii, put_on]),
        row_of=np.concatenate([geometry.row_of, none]),
        slot_of=np.concatenate([geometry.slot_of, none]),
    )


@remembered(512, lambda geometry: len(geometry.radii))
def measures_of(geometry: Geometry, pole_radius: float) -> tuple[RowMeasure, ...]:
    """`row_measures`, remembered."""
    return row_measures(geometry, pole_radius)


@remembered(512, lambda drawn: len(drawn.radii))
def core_seen_of(drawn: Geometry, pole_radius: float, groups: tuple[range, ...]) -> CoreSeen:
    """`core_seen`, remembered."""
    return core_seen(drawn, pole_radius, groups)


def group_ranges(piece: Piece) -> tuple[range, ...]:
    """The rows of each group of rows as indices among all rows of a piece."""
    counts = [len(group.rows) for _, group in rows_groups(piece.groups)]
    ends = accumulate(counts)
    return tuple(range(end - count, end) for count, end in zip(counts, ends, strict=True))


def column_target_mm(piece: Piece, assembly: Assembly) -> float:
    """Floor to the highest balloon as wished: the target height less the topper where it includes it."""
    off = topper_rise_mm(piece, assembly) if piece.target_includes_topper else 0.0
    return max(piece.target_height_mm - off, 1.0)


def rows_span_mm(piece: Piece, assembly: Assembly) -> tuple[float, float]:
    """From where to where, mm above the floor, the first group of rows may reach: its outline is stretched over that.

    It ends below what hangs or stands at a height above it, and leaves room for what stands on it; a group that hangs
    begins above what is below it. The top lies under the foot where there is no room.
    """
    first = first_rows_group(piece.groups)
    top = column_target_mm(piece, assembly)
    if first is None:
        return piece.foot_mm, top
    anchor, spans = piece.groups[first].anchor, assembly.spans
    held = [k for k, group in enumerate(piece.groups) if k != first and group.anchor.kind != "floor"]
    if anchor.kind == "hanging below":
        below = [high for k, (low, high) in enumerate(spans) if k != first and low < anchor.height_mm]
        return max([piece.frame.base_height_mm, *below]), anchor.height_mm
    foot = anchor.height_mm if anchor.kind == "at height" else piece.foot_mm
    top = min([top, *(spans[k][0] for k in held if spans[k][1] > foot)])
    return foot, top - _stacked_on_mm(piece, assembly, first)


def _stacked_on_mm(piece: Piece, assembly: Assembly, first: int) -> float:
    """How far what stands on a group (balls, further rows) reaches above it, mm."""
    top = assembly.spans[first][1]
    for group, (_, high) in zip(piece.groups[first + 1 :], assembly.spans[first + 1 :], strict=True):
        if group.anchor.kind != "floor":
            break
        top = high
    return top - assembly.spans[first][1]


def rows_of_first_group(piece: Piece, geometry: Geometry) -> Geometry:
    """The balloons of the first group of rows; of one alone the geometry itself."""
    ranges = group_ranges(piece)
    if len(ranges) < 2:
        return geometry
    mine = geometry.row_of < ranges[0].stop
    return dataclasses.replace(
        geometry,
        centres=geometry.centres[mine],
        radii=geometry.radii[mine],
        shape_radii=geometry.shape_radii[mine],
        row_of=geometry.row_of[mine],
        slot_of=geometry.slot_of[mine],
    )
