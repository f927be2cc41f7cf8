"""Measuring a piece by its photograph, from one length that is known."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kakushi.check.values import Result
from kakushi.model.piece import Piece
from kakushi.packing.calibration import TestStack
from kakushi.sight.pinhole import Point

_CLICK_PX = 2.5
"""Standard deviation of a mark set by hand, px of the photograph."""
_LEAST_PX = 20.0
"""Length of a line below which it measures nothing, px."""
_DEEP_SHARE = 0.02
"""Relative error because the known length may lie before or behind the axis: a third of a balloon in five metres."""
_RIM_MM = 4.0
"""Uncertainty of where the rim of a balloon is, mm: about one pixel of a usual photograph."""


@dataclass(frozen=True, slots=True)
class Measured:
    """A piece measured, mm, with standard deviations (`_off`): height of its highest balloon, rise from row to row.

    `share`: its size over the planned one.
    """

    height_mm: float
    height_off_mm: float
    rise_mm: float
    rise_off_mm: float
    width_mm: float
    share: float


def measured(result: Result, line: tuple[Point, Point], known_mm: float) -> Measured | None:
    """The piece measured by a length at the distance of its axis, from one end to the other; None for a short one.

    What the camera sees tells shape, not size: everything grows with the known length.
    """
    long_px = math.dist(*line)
    if long_px < _LEAST_PX or result.refused or not result.balloons:
        return None
    pose = result.pose
    ends = [pose.on_axis_plane(point) for point in line]
    planned = float(np.linalg.norm(ends[0] - ends[1]))
    if planned < 1:
        return None
    share = known_mm / planned
    unsure = math.hypot(_CLICK_PX * math.sqrt(2) / long_px, _DEEP_SHARE)
    top = float(pose.on_axis_plane(result.top)[2] - pose.on_axis_plane(result.foot)[2])
    heights = {side.row: side.height + side.rise for side in result.sides if math.isfinite(side.rise)}
    rises = [(heights[row] - heights[row - 1]) * share for row in heights if row - 1 in heights]
    rise = float(np.mean(rises)) if rises else float("nan")
    spread = float(np.std(rises) / math.sqrt(len(rises))) if len(rises) > 1 else _RIM_MM
    widths = [side.left + side.right for side in result.sides if math.isfinite(side.left + side.right)]
    width = max(widths, default=float("nan")) * share
    return Measured(
        top * share,
        math.hypot(top * share * unsure, _RIM_MM),
        rise,
        math.hypot(rise * unsure, spread),
        width,
        share,
    )


def stack_of(measurement: Measured, piece: Piece, foot_mm: float) -> TestStack | None:
    """A measured piece as a test stack that a packing is fitted to; None unless all its rows are of one size.

    `foot_mm`: height above the floor of where its first balloons stand.
    """
    rows = piece.rows
    slots = {(slot.nominal_in, slot.diameter_mm, row.count) for row in rows for slot in row.slots}
    if len(slots) != 1 or len(rows) < 2 or len(piece.groups) != 1:
        return None
    nominal, diameter, count = slots.pop()
    width = measurement.width_mm if math.isfinite(measurement.width_mm) else None
    return TestStack(
        len(rows),
        count,
        nominal,
        diameter,
        measurement.height_mm - foot_mm,
        width,
        piece.frame.pole_radius_mm,
        piece.joint,
    )
