"""Whole rows that stand higher or lower than planned, or to one side: found before balloons are looked at one by one.

Rims of a row's balloons are moved along together, and lie on edges where the row really is. A row stays where its
neighbour is unless its rims say plainly that it does not.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kakushi.check.image import between
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.pose import Search
from kakushi.check.rims import rims_of
from kakushi.model.arrays import Floats, Ints
from kakushi.sight.pinhole import Pose

UP, ASIDE = 2, 0
"""Axes of the eye."""
_MOST, _STEPS = {UP: 0.8, ASIDE: 1.2}, 32
"""Largest shift of a row that is tried, in radii of its balloons, and the steps to each side."""
_LEAST = 0.25
"""Shift against the neighbouring row, in radii, below which a row is in its place. Single balloons are searched this
far anyway."""
_STEP_COST = 0.35
"""Cost of a shift of one radius from row to row, in mean strength of edges (0 to 1) along a row's rims."""
_FEW = 40
"""Points on its rims from which a row has its full say."""


def row_shifts(search: Search, pose: Pose, direction: int) -> Floats:
    """Shift of each row, mm, (rows,): UP, or ASIDE to the right as the camera sees it."""
    model = search.model
    shown, circles = search.shown(pose), search.circles(pose)
    rims = rims_of(shown, circles, model.is_balloon & model.is_in_row, model.whole)
    rows = model.row_count
    none = np.zeros(rows)
    if rows < 2 or not len(rims.ball):
        return none
    radius = float(np.median(model.radii[model.rows >= 0]))
    shifts = np.linspace(-_MOST[direction], _MOST[direction], 2 * _STEPS + 1)
    local = pose.local(model.centres)
    # Where a shift by a radius takes a middle, px.
    per_radius = pose.pixels(local + radius * pose.turn[:, direction]) - pose.pixels(local)
    at = rims.at[:, None] + per_radius[rims.ball][:, None] * shifts[:, None]
    strength = between(search.image.edges, at[..., 0], at[..., 1])
    row_of = model.rows[rims.ball]
    balloons = np.maximum(np.bincount(row_of, minlength=rows), 1).astype(float)
    total = np.stack([np.bincount(row_of, weights=each, minlength=rows) for each in strength.T], axis=1)
    told = total / balloons[:, None] * np.minimum(balloons / _FEW, 1.0)[:, None]
    best = np.asarray(shifts[_cheapest(told, float(shifts[1] - shifts[0]))], dtype=float)
    steps = np.diff(best, prepend=best[0] if direction == UP else 0.0)
    # Many small steps are a camera that is not quite known, and no rows out of their places.
    return np.asarray(np.cumsum(np.where(np.abs(steps) > _LEAST, steps, 0.0)) * radius)


def _cheapest(told: Floats, step: float) -> Ints:
    """Best column for each line of (rows, shifts): strong edges, and little change from row to row (Viterbi)."""
    rows, steps = told.shape
    change = _STEP_COST * step * np.abs(np.arange(steps)[:, None] - np.arange(steps))
    best = np.empty((rows, steps), dtype=np.int64)
    # Rows lie where they were planned before one looks.
    total = told[0] - change[steps // 2]
    for row in range(1, rows):
        ways = total[:, None] - change
        best[row] = ways.argmax(axis=0)
        total = ways.max(axis=0) + told[row]
    path = np.empty(rows, dtype=np.int64)
    path[-1] = int(total.argmax())
    for row in range(rows - 1, 0, -1):
        path[row - 1] = best[row, path[row]]
    return path


def shifted(model: ModelSpheres, shifts: Floats, direction: Floats) -> ModelSpheres:
    """The model with its rows moved by `shifts` (rows,) mm in a direction (3,); parts move with the nearest row."""
    is_in_row = model.is_in_row
    if not is_in_row.any():
        return model
    # Half-way the upper rows have no balloons.
    there = np.unique(model.rows[is_in_row])
    heights = np.array([model.centres[model.rows == row, 2].mean() for row in there])
    nearest = there[np.abs(model.centres[:, 2][:, None] - heights).argmin(axis=1)]
    row_of = np.where(is_in_row, model.rows, nearest)
    return replace(model, centres=model.centres + shifts[row_of][:, None] * direction)
