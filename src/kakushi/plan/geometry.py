"""Where the balloons of a piece lie: packing, settled groups, toppers on top; memoised by what each stage reads."""

from __future__ import annotations

import dataclasses
import math
from functools import lru_cache

import numpy as np

from kakushi.colour.surface import Surface, surface_of
from kakushi.model.catalogue import Studio
from kakushi.model.frame import Frame
from kakushi.model.groups import BallGroup, Group, Row, RowsGroup, Slot
from kakushi.model.joints import JointKind
from kakushi.model.parts import Part, PartKind
from kakushi.model.piece import Piece, Tightness
from kakushi.packing.assembly import Assembly, assemble, resting_height
from kakushi.packing.contacts import RowMeasure, row_measures
from kakushi.packing.stack import Geometry, Packing

TAU = {Tightness.LOOSE: 0.05, Tightness.SNUG: 0.3, Tightness.TIGHT: 0.5}


def packing_of(piece: Piece, studio: Studio) -> Packing:
    """How a piece is packed: the studio's measured packing of that name, else its tightness; and its pole."""
    pole_radius = piece.frame.pole_diameter_mm / 2 if piece.frame.kind == "pole" else 0.0
    measured = studio.packing(piece.packing_name)
    if measured is not None:
        return Packing(measured.tau, pole_radius, measured.slack)
    return Packing(TAU[piece.tightness], pole_radius)


def assembly_of(piece: Piece, groups: tuple[Group, ...], studio: Studio) -> Assembly:
    """The settled groups of a piece, hand paint left aside."""
    foot_angle = math.radians(piece.foot_angle_deg)
    plain = tuple(map(without_paint, groups))
    return _assembled(plain, packing_of(piece, studio), piece.joint, foot_angle, base_height_mm(piece.frame))


def without_paint(group: Group) -> Group:
    """A group without its hand paint: colours never settle anything again."""
    if isinstance(group, RowsGroup):
        return group.model_copy(update={"rows": tuple(map(_plain_row, group.rows))})
    if isinstance(group, BallGroup):
        return group.model_copy(update={"slots": _plain_slots(group.slots)})
    return group


@lru_cache(maxsize=4096)
def _plain_row(row: Row) -> Row:
    return row.model_copy(update={"slots": _plain_slots(row.slots), "pinned": False})


def _plain_slots(slots: tuple[Slot, ...]) -> tuple[Slot, ...]:
    return tuple(slot.model_copy(update={"colour": None, "inner_colour": None}) for slot in slots)


@lru_cache(maxsize=256)
def _assembled(
    groups: tuple[Group, ...], packing: Packing, joint: JointKind, foot_angle: float, foot_mm: float
) -> Assembly:
    return assemble(groups, packing, joint, foot_angle, foot_mm)


def surface_for(rows: tuple[Row, ...], geometry: Geometry) -> Surface:
    """The surface of settled rows, which patterns are laid on."""
    return surface_of(geometry, tuple(row.count for row in rows))


def base_height_mm(frame: Frame) -> float:
    """Height of the base above the floor, mm; 0 without one."""
    return frame.base.height_mm if frame.base.kind != "none" else 0.0


def topper_rise_mm(piece: Piece, assembly: Assembly) -> float:
    """How far the tallest topper stands above the column, mm; toppers sink into the hollow of the last row."""
    toppers = [part.tall_mm for part in piece.parts if part.kind is PartKind.TOPPER and part.tall_mm > 0]
    centres, radii = assembly.spheres
    if not len(radii):
        return max(toppers, default=0.0)
    tops = [resting_height(centres, radii, tall / 2) + tall / 2 for tall in toppers]
    return max([0.0, *(top - assembly.top for top in tops)])


def drawn_toppers(piece: Piece) -> list[Part]:
    """Toppers that can be drawn: they have a height and a balloon to take the colour from."""
    toppers = [p for p in piece.parts if p.kind is PartKind.TOPPER]
    return [p for p in toppers if p.tall_mm > 0 and p.balloons] if _has_balloons(piece) else []


def _has_balloons(piece: Piece) -> bool:
    return bool(piece.rows) or any(isinstance(group, BallGroup) for group in piece.groups)


@lru_cache(maxsize=256)
def with_balls_and_toppers(assembly: Assembly, piece: Piece) -> Geometry:
    """The rows, balls and drawn toppers of a piece as one geometry; row and slot of the others are -1."""
    centres, radii = assembly.spheres
    toppers = [part.tall_mm / 2 for part in drawn_toppers(piece)]
    stand = [[0.0, 0.0, resting_height(centres, radii, radius)] for radius in toppers]
    geometry = assembly.rows
    none = np.full(len(radii) - len(geometry.radii) + len(toppers), -1)
    return dataclasses.replace(
        geometry,
        centres=np.concatenate([centres, np.array(stand).reshape(-1, 3)]),
        radii=np.concatenate([radii, toppers]),
        row_of=np.concatenate([geometry.row_of, none]),
        slot_of=np.concatenate([geometry.slot_of, none]),
    )


@lru_cache(maxsize=256)
def measures_of(geometry: Geometry, pole_radius: float) -> tuple[RowMeasure, ...]:
    """`row_measures`, remembered."""
    return row_measures(geometry, pole_radius)


def column_target_mm(piece: Piece, assembly: Assembly) -> float:
    """Floor to the highest balloon as wished: the target height less the topper where it includes it."""
    off = topper_rise_mm(piece, assembly) if piece.target_includes_topper else 0.0
    return max(piece.target_height_mm - off, 1.0)


def above_rows_mm(piece: Piece, assembly: Assembly) -> float:
    """How far what stands on the first group of rows (balls, further rows) reaches above it, mm."""
    first = next((i for i, g in enumerate(piece.groups) if isinstance(g, RowsGroup)), None)
    rest = piece.groups[first + 1 :] if first is not None else ()
    if first is None or not rest or any(group.anchor.kind != "floor" for group in rest):
        return 0.0
    return assembly.top - assembly.spans[first][1]
