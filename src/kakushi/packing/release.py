"""What happens when the hands let go: how firmly each row stays level by itself.

Rows are settled held level (see `settle`). Here only their crossed necks still keep them level. Three questions:
the softest mode of a row while its neighbours are held (a negative stiffness pops into a dome at the first touch);
what a knock does to the whole; and whether the last row, with nothing above it, would rather lie domed.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.energy import gradient_and_hessian
from kakushi.packing.newton import minimise, minimise_many
from kakushi.packing.problem import Problem, build_problem, released_level
from kakushi.packing.stack import Geometry, Packing, StackRow

# Over π·p·r: zero but for rounding; loose balloons on slack necks have none.
UNSTABLE_BELOW = -1e-3
# mm (standard deviation). A knock as from a hand that slips.
KNOCK_MM = 6.0
# Of the diameter, in height between balloons of a row: plainly no longer flat.
DOMED_FROM = 0.3
# Residual force over p·D²: enough to tell a dome from a row.
_KNOCK_TOLERANCE = 1e-3
# The same knock every time.
_SEED = 7
LAST_ROWS = 5
"""Number of rows let go at the top: the last one and those that give way when it domes."""
# Ways of lifting balloons of the last row: every so many of them, and by how much, over the diameter.
_LIFTS = ((1, 0.3), (1, 0.4), (2, 0.4), (2, 0.65), (3, 0.5), (3, 0.8))
# Over π·r³: less is no difference between two balances.
_LOWER_BY = 0.002
# Residual force over p·D² that is left: its energy is a thousandth of the least difference; and Newton steps.
_LIFT_TOLERANCE, _LIFT_ITERATIONS = 2e-3, 80


def domed_after_knock(rows: Sequence[StackRow], packing: Packing, held: Geometry) -> NDArray[np.bool_]:
    """Rows that pop into a dome when the settled column is knocked with no hand on it, (m,) bool.

    Every balloon is pushed a few millimetres (seeded) and the whole settles with no hand on it;
    a row has domed when its balloons end further apart in height than DOMED_FROM of their diameter.
    """
    problem = build_problem(rows, packing, released=True)
    rng = np.random.default_rng(_SEED)
    state = unknowns(problem, held)
    at = problem.balloon_at[:, None] + np.arange(3)
    state[at] += rng.normal(0, KNOCK_MM, held.centres.shape)
    state, _ = minimise(problem, state, _KNOCK_TOLERANCE)
    return _domed(problem, state)


def _domed(problem: Problem, state: Floats) -> NDArray[np.bool_]:
    """Rows whose balloons clearly differ in height, (m,) bool."""
    heights = state[problem.balloon_at + 2]
    rows = len(problem.knot_at)
    low, high = np.full(rows, np.inf), np.full(rows, -np.inf)
    np.minimum.at(low, problem.row_of, heights)
    np.maximum.at(high, problem.row_of, heights)
    widths = 2 * np.bincount(problem.row_of, problem.radii) / np.bincount(problem.row_of)
    return np.asarray(high - low > DOMED_FROM * widths)


def last_row_comes_up(rows: Sequence[StackRow], packing: Packing, held: Geometry) -> bool:
    """Whether the last row of a settled stack, with no hand on it, lies lower in energy domed than flat.

    Some of its balloons are lifted (several ways) and the stack settled anew, side by side. It may lie flat all the
    same until something lifts it: practice says that such a row wants to come up. `LAST_ROWS` tell.
    """
    problem = build_problem(rows, packing, released=True)
    flat, report = minimise(problem, unknowns(problem, held), _LIFT_TOLERANCE)
    last = problem.balloon_at[problem.row_of == len(problem.knot_at) - 1] + 2
    diameter = 2 * float(problem.radii[-len(last) :].mean())
    starts = np.repeat(flat[None], len(_LIFTS), axis=0)
    for start, (few, share) in zip(starts, _LIFTS, strict=True):
        start[last[: len(last) * few // 3 if few > 1 else 1]] += share * diameter
    states, reached = minimise_many([problem] * len(starts), starts, _LIFT_TOLERANCE, _LIFT_ITERATIONS)
    least = report.energy - _LOWER_BY * np.pi * (diameter / 2) ** 3
    return any(energy < least and _domed(problem, state)[-1] for state, energy in zip(states, reached, strict=True))


def unknowns(problem: Problem, near: Geometry) -> Floats:
    """The solver's unknowns, (n,), of balloons that lie as in `near`."""
    state: Floats = np.zeros(problem.size)
    state[problem.knot_at] = near.knots - near.knots[0]
    state[problem.balloon_at[:, None] + np.arange(3)] = near.centres - [0.0, 0.0, near.knots[0]]
    return state


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
    level = problem.level[np.isin(problem.row_of, rows)].reshape(len(rows), count)
    released = released_level(problem.law, np.array([count]))
    held[:, 2::3] = (level - released) * np.pi * radii
    blocks[:, np.arange(3 * count), np.arange(3 * count)] -= held
    return np.asarray(np.linalg.eigvalsh(blocks)[:, 0] / (np.pi * radii.mean(axis=1)))
