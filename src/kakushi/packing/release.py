"""What happens when the hands let go: how firmly each row stays level by itself.

Rows are settled held level (see `settle`). Here the level springs are taken away from one row at a
time, its neighbours held, and its softest mode of motion is found. A negative stiffness means that
the row pops into a dome at the first touch; the deciding balloons are those that nothing presses.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.energy import gradient_and_hessian
from kakushi.packing.newton import minimise
from kakushi.packing.problem import Problem, build_problem
from kakushi.packing.stack import Geometry, Packing, StackRow

# Over π·p·r: zero but for rounding; loose balloons on slack necks have none.
UNSTABLE_BELOW = -1e-3
# mm (standard deviation). A knock as from a hand that slips.
KNOCK_MM = 6.0
# Of the diameter, in height between balloons of a row: plainly no longer flat.
DOMED_FROM = 0.3
# Residual force over p·D²: enough to tell a dome from a row.
_KNOCK_TOLERANCE = 1e-5
# The same knock every time.
_SEED = 7


def domed_after_knock(rows: Sequence[StackRow], packing: Packing, held: Geometry) -> NDArray[np.bool_]:
    """Rows that pop into a dome when the settled column is knocked with no hand on it, (m,) bool.

    Every balloon is pushed a few millimetres (seeded) and the whole settles without level springs;
    a row has domed when its balloons end further apart in height than DOMED_FROM of their diameter.
    """
    problem = build_problem(rows, packing, level=0.0)
    rng = np.random.default_rng(_SEED)
    state: Floats = np.zeros(problem.size)
    state[problem.knot_at] = held.knots - held.knots[0]
    at = problem.balloon_at[:, None] + np.arange(3)
    state[at] = held.centres - [0.0, 0.0, held.knots[0]] + rng.normal(0, KNOCK_MM, held.centres.shape)
    state, _ = minimise(problem, state, _KNOCK_TOLERANCE)
    heights = state[problem.balloon_at + 2]
    low, high = np.full(len(rows), np.inf), np.full(len(rows), -np.inf)
    np.minimum.at(low, problem.row_of, heights)
    np.maximum.at(high, problem.row_of, heights)
    diameters = np.array([row.mean_diameter for row in rows])
    return np.asarray(high - low > DOMED_FROM * diameters)


def softest_modes(problem: Problem, state: Floats) -> Floats:
    """Stiffness of each row's softest mode at a settled state, (m,), in units of pi p r.

    Zero is a motion nothing resists (loose balloons on slack necks), negative wants to dome.
    """
    _, band = gradient_and_hessian(problem, state)
    softest = np.zeros(len(problem.knot_at))
    counts = np.bincount(problem.row_of)
    for count in np.unique(counts):
        rows = np.flatnonzero(counts == count)
        softest[rows] = _softest_of(problem, band, rows, int(count))
    return softest


def _softest_of(problem: Problem, band: Floats, rows: Ints, count: int) -> Floats:
    """Softest modes of rows of one count, (k,), their blocks cut out of the band together."""
    free = problem.knot_at[rows][:, None] + 1 + np.arange(3 * count)
    i, j = free[:, :, None], free[:, None, :]
    low, high = np.minimum(i, j), np.maximum(i, j)
    blocks = band[problem.band + low - high, high].copy()
    radii = problem.radii[np.isin(problem.row_of, rows)].reshape(len(rows), count)
    held = np.zeros((len(rows), 3 * count))
    held[:, 2::3] = problem.level * np.pi * radii
    blocks[:, np.arange(3 * count), np.arange(3 * count)] -= held
    return np.asarray(np.linalg.eigvalsh(blocks)[:, 0] / (np.pi * radii.mean(axis=1)))
