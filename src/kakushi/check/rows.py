"""Rows as seen: how far they reach to both sides, how far they rise, whether one is turned."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kakushi.check.light import JudgedColours
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.values import RowSides
from kakushi.model.arrays import Floats
from kakushi.sight.expected import Balls
from kakushi.sight.pinhole import Pose

_LEAST_SEEN, _LEAST_WRONG = 2, 3
"""Balloons that must be seen for the height of a row, and wrong ones for its turn: fewer are chance."""


def sides_of(
    model: ModelSpheres,
    pose: Pose,
    balls: Balls,
    planned: Floats,
    is_judged: NDArray[np.bool_],
    sure: Floats,
    by: float = 1.0,
) -> tuple[RowSides, ...]:
    """Measure how far each row reaches left and right of the axis, and how much higher it lies than planned, mm.

    `planned` (n, 3): middles as planned, in the camera's axes; `balls`: where they are seen.
    `by`: size of the photograph over that of the picture the pose is of.
    """
    axis = pose.local(np.array([[0.0, 0.0, 0.0]]))[0]
    up = pose.turn[:, 2]
    right = pose.turn[:, 0]

    def reach(local: Floats, radii: Floats) -> tuple[Floats, Floats]:
        aside = (local - axis) @ right
        return aside - radii, aside + radii

    lines = pose.pixels(balls.local)[:, 1]
    sides = []
    low, high = reach(balls.local, balls.radii)
    low_planned, high_planned = reach(planned, model.radii)
    rises = (balls.local - planned) @ up
    for row in range(model.row_count):
        in_row = np.flatnonzero(model.rows == row)
        outer_left = in_row[np.argmin(low_planned[in_row])] if len(in_row) else -1
        outer_right = in_row[np.argmax(high_planned[in_row])] if len(in_row) else -1
        seen = in_row[is_judged[in_row] & (sure[in_row] > 1.0)] if len(in_row) else in_row
        if outer_left < 0:
            continue
        left = -low[outer_left] if is_judged[outer_left] and sure[outer_left] > 1 else np.nan
        over = high[outer_right] if is_judged[outer_right] and sure[outer_right] > 1 else np.nan
        rise = float(np.median(rises[seen])) if len(seen) >= _LEAST_SEEN else float("nan")
        planned_sides = float(-low_planned[outer_left]), float(high_planned[outer_right])
        height = float(model.centres[in_row, 2].mean())
        y = float(lines[in_row].mean()) * by
        sides.append(RowSides(row, float(left), float(over), *planned_sides, rise, height, y))
    return tuple(sides)


def turned_by(model: ModelSpheres, judged: JudgedColours, is_judged: NDArray[np.bool_], row: int) -> int:
    """Number of slots a row is turned by, anticlockwise, if that explains its colours; else 0. `is_judged` (n,)."""
    in_row = np.flatnonzero(model.rows == row)
    in_row = in_row[np.argsort(model.slots[in_row])]
    seen = judged.seen[in_row]
    ok = is_judged[in_row]
    planned = model.colours[in_row]
    count = len(in_row)
    # Two wrong ones are two that were exchanged.
    if int((seen[ok] != planned[ok]).sum()) < _LEAST_WRONG:
        return 0
    for by in sorted(range(1, count), key=lambda each: min(each, count - each)):
        if (seen[ok] == np.roll(planned, by)[ok]).all():
            return by if by <= count // 2 else by - count
    return 0
