"""Where the balloons of a piece lie: packing, settled groups, toppers on top; memoised by what each stage reads."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Iterable
from itertools import accumulate

from kakushi.colour.surface import Surface, surface_of
from kakushi.dress.bodies import Body, joined
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Group, Row, balloons_in, first_rows_group, rows_groups
from kakushi.model.joints import JointKind
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.piece import Piece, Tightness
from kakushi.packing.assembly import Assembly, assemble
from kakushi.packing.contacts import RowMeasure, row_measures
from kakushi.packing.curve import curve_of
from kakushi.packing.groups.table import without_paint
from kakushi.packing.stack import LOOSE, SNUG, TIGHT, Geometry, Packing
from kakushi.packing.strands import Laid
from kakushi.plan.parts import topper_rise_mm
from kakushi.sight.core_seen import CoreSeen, core_seen

TAU = {Tightness.LOOSE: LOOSE, Tightness.SNUG: SNUG, Tightness.TIGHT: TIGHT}


def packing_of(piece: Piece, studio: Studio) -> Packing:
    """How a piece is packed: as measured on itself, else as the studio's packing of that name, else its tightness."""
    pole_radius = piece.frame.pole_radius_mm
    measured = studio.packing(piece.packing_name)
    if measured is not None:
        usual = Packing(measured.tau, pole_radius, measured.slack, joint=measured.joint)
    else:
        usual = Packing(TAU[piece.tightness], pole_radius)
    # What was measured on the piece itself knows more than any name or word.
    return usual if piece.learnt_tau is None else dataclasses.replace(usual, tau=piece.learnt_tau)


def assembly_of(piece: Piece, groups: tuple[Group, ...], studio: Studio, cancelled: Cancelled = never) -> Assembly:
    """The settled groups of a piece, hand paint left aside. Raises `errors.Cancelled` while it searches."""
    foot_angle = math.radians(piece.foot_angle_deg)
    # Colours move no balloon: without them the answer is remembered through every repaint.
    plain = tuple(map(without_paint, groups))
    assembly = _assembled(
        plain, packing_of(piece, studio), piece.joint, foot_angle, piece.frame.base_height_mm, cancelled=cancelled
    )
    frame = piece.frame
    return _on_pole(assembly, frame.pole_length_mm) if frame.has_pole and frame.pole_length_mm else assembly


@remembered(512)
def _on_pole(assembly: Assembly, pole_end: float) -> Assembly:
    """The same groups on a pole that ends at a height, mm."""
    return dataclasses.replace(assembly, pole_end=pole_end)


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


def with_bodies(assembly: Assembly, bodies: Iterable[Body]) -> Geometry:
    """The rows, balls and bodies of parts of a piece as one geometry; row and slot of the others are -1."""
    rows = assembly.rows
    balls = len(rows.radii)
    centres, radii = assembly.spheres
    added = joined(list(bodies))
    column = rows.with_more(centres[balls:], assembly.sized_radii[balls:], radii[balls:])
    return column.with_more(added.centres, added.radii)


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
    """Floor to the highest balloon as wished: the target height less the topper where it includes it.

    Of a piece whose first rows are a strand, the height of its path, with half the strand's thickness about it.
    """
    if (laid := first_strand(piece, assembly)) is not None:
        return laid.curve.scaled(laid.arc_mm / laid.curve.length).height_of(laid.reach_mm)
    if assembly.frames and not piece.rows:
        # An open frame is as tall as its links make it.
        return max(assembly.top, 1.0)
    rise = topper_rise_mm(piece, assembly) if piece.target_includes_topper else 0.0
    return max(piece.target_height_mm - rise, 1.0)


def rows_span_mm(piece: Piece, assembly: Assembly) -> tuple[float, float]:
    """From where to where, mm above the floor, the first group of rows may reach: its outline is stretched over that.

    It ends below what hangs or stands at a height above it, and leaves room for what stands on it; a group that hangs
    begins above what is below it. The top lies under the foot where there is no room. Of a strand it is the length of
    its path.
    """
    first = first_rows_group(piece.groups)
    if first is not None and (strand := rows_groups(piece.groups)[0][1].strand) is not None:
        return 0.0, curve_of(strand.path).length
    top = column_target_mm(piece, assembly)
    if first is None:
        return piece.foot_mm, top
    anchor, spans = piece.groups[first].anchor, assembly.spans
    # What stands on the group moves with it and bounds nothing.
    held = [k for k, group in enumerate(piece.groups) if k != first and group.anchor.kind != "floor"]
    if anchor.kind == "hanging below":
        below = [high for k, (low, high) in enumerate(spans) if k != first and low < anchor.height_mm]
        return max([piece.frame.base_height_mm, *below]), anchor.height_mm
    foot = anchor.height_mm if anchor.kind == "at height" else piece.foot_mm
    top = min([top, *(spans[k][0] for k in held if spans[k][1] > foot)])
    return foot, top - _stacked_on_mm(piece, assembly, first)


def _stacked_on_mm(piece: Piece, assembly: Assembly, first: int) -> float:
    """Height of what stands on a group (balls, further rows) above it, mm."""
    top = assembly.spans[first][1]
    for group, (_, high) in zip(piece.groups[first + 1 :], assembly.spans[first + 1 :], strict=True):
        if group.anchor.kind != "floor":
            break
        top = high
    return top - assembly.spans[first][1]


def first_strand(piece: Piece, assembly: Assembly) -> Laid | None:
    """The first group of rows as a strand; None where it is straight or has no rows."""
    first = first_rows_group(piece.groups)
    return next((laid for place, laid in assembly.strands if place == first), None)


def rows_of_first_group(piece: Piece, assembly: Assembly) -> Geometry:
    """The balloons of the first group of rows, before they were bent; of one straight one alone the geometry itself."""
    if (laid := first_strand(piece, assembly)) is not None:
        return laid.straight.lifted(-laid.straight.bottom)
    geometry = assembly.rows
    ranges = group_ranges(piece)
    if len(ranges) < 2:
        return geometry
    return _rows_below(geometry, ranges[0].stop)


@remembered(512, lambda geometry: len(geometry.radii))
def _rows_below(geometry: Geometry, stop: int) -> Geometry:
    """Cached per geometry, so that what is measured on it is cached too."""
    return geometry.only(geometry.row_of < stop)
