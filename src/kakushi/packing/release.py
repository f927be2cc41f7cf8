"""What happens when the hands let go: how firmly each row stays level by itself.

Rows are settled held level (see `settle`). Here the level springs are taken away from one row at a
time, its neighbours held, and its softest mode of motion is found. A negative stiffness means that
the row pops into a dome at the first touch; the deciding balloons are those that nothing presses.
"""

from __future__ import annotations

import numpy as np

from kakushi.packing.energy import Problem, gradient_and_hessian
from kakushi.packing.stack import Floats, Ints

UNSTABLE_BELOW = -1e-3


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
    """The same for rows of one count, (k,), their blocks cut out of the band together."""
    free = problem.knot_at[rows][:, None] + 1 + np.arange(3 * count)
    i, j = free[:, :, None], free[:, None, :]
    low, high = np.minimum(i, j), np.maximum(i, j)
    blocks = band[problem.band + low - high, high].copy()
    radii = problem.radii[np.isin(problem.row_of, rows)].reshape(len(rows), count)
    held = np.zeros((len(rows), 3 * count))
    held[:, 2::3] = problem.level * np.pi * radii
    blocks[:, np.arange(3 * count), np.arange(3 * count)] -= held
    return np.asarray(np.linalg.eigvalsh(blocks)[:, 0] / (np.pi * radii.mean(axis=1)))
