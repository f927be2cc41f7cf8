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
    found = []
    low, high = reach(balls.local, balls.radii)
    low_planned, high_planned = reach(planned, model.radii)
    rises = (balls.local - planned) @ up
    for row in range(model.row_count):
        mine = np.flatnonzero(model.rows == row)
        outer_left = mine[np.argmin(low_planned[mine])] if len(mine) else -1
        outer_right = mine[np.argmax(high_planned[mine])] if len(mine) else -1
        seen = mine[is_judged[mine] & (sure[mine] > 1.0)] if len(mine) else mine
        if outer_left < 0:
            continue
        left = -low[outer_left] if is_judged[outer_left] and sure[outer_left] > 1 else np.nan
        over = high[outer_right] if is_judged[outer_right] and sure[outer_right] > 1 else np.nan
        rise = float(np.median(rises[seen])) if len(seen) >= _LEAST_SEEN else float("nan")
        planned_sides = float(-low_planned[outer_left]), float(high_planned[outer_right])
        height = float(model.centres[mine, 2].mean())
        y = float(lines[mine].mean()) * by
        found.append(RowSides(row, float(left), float(over), *planned_sides, rise, height, y))
    return tuple(found)


def turned_by(model: ModelSpheres, judged: JudgedColours, is_judged: NDArray[np.bool_], row: int) -> int:
    """Number of slots a row is turned by, anticlockwise, if that explains its colours; 0 where it is as planned."""
    mine = np.flatnonzero(model.rows == row)
    mine = mine[np.argsort(model.slots[mine])]
    seen = judged.seen[mine]
    ok = is_judged[mine]
    planned = model.colours[mine]
    many = len(mine)
    # Two wrong ones are two that were exchanged.
    if int((seen[ok] != planned[ok]).sum()) < _LEAST_WRONG:
        return 0
    for by in sorted(range(1, many), key=lambda each: min(each, many - each)):
        if (seen[ok] == np.roll(planned, by)[ok]).all():
            return by if by <= many // 2 else by - many
    return 0
