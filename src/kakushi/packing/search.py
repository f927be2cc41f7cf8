"""The search among several balances: many beginnings settled side by side, the lowest in energy taken.

Where sizes differ within rows, or counts change, a column has many balances. Beginnings are ways of turning each row
on the row below: the same share of a slot all the way up (many shares), two shares in turn, the likely turns, and
random ones (seeded). All are settled at once (`newton.minimise_many`); the lowest is shaken (seeded) and what comes
of that is settled again.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kakushi.packing.energy import build_problem
from kakushi.packing.newton import minimise_many
from kakushi.packing.stack import Floats, Packing, StackRow, angle_of
from kakushi.packing.turns import is_open, open_runs, start_state, touching_steps, turns_up

SHARES, ALTERNATING, RANDOM = 24, 4, 4
SHAKES, SHAKE, LOWER_BY = 8, 0.12, 1e-5
TOLERANCE, MOST_ITERATIONS = 1e-3, 60
_SEED, _SHAKE_SEED = 20, 4


def best_start(rows: Sequence[StackRow], packing: Packing) -> tuple[Floats, Floats]:
    """Unknowns (n,) in the lowest balance found, and the angle of slot 1 of every row (m,), radians.

    The parts of a column with several balances are searched each on its own, with a few rows around.
    """
    steps = touching_steps(rows, packing)
    runs = [(low, high, _lowest(tuple(rows[low : high + 1]), tuple(steps[low:high].tolist()), packing))
            for low, high in open_runs(rows)]  # fmt: skip
    for low, high, found in runs:
        half = np.pi / np.array([row.count for row in rows[low + 1 : high + 1]])
        steps[low:high] = half + _wrapped(np.diff(found.angles) - half)
    turns = turns_up(rows, steps)
    problem = build_problem(rows, packing)
    state = start_state(problem, rows, packing, turns)
    heights = np.concatenate([problem.knot_at, problem.balloon_at + 2])
    for low, high, found in runs:
        first, after = problem.knot_at[low], problem.knot_at[low] + len(found.state)
        base, top = state[first], state[problem.knot_at[high]]
        state[first:after] = found.state
        at = problem.balloon_at[(problem.row_of >= low) & (problem.row_of <= high)]
        c, s = np.cos(turns[low] - found.angles[0]), np.sin(turns[low] - found.angles[0])
        state[at], state[at + 1] = c * state[at] - s * state[at + 1], s * state[at] + c * state[at + 1]
        state[heights[(heights >= first) & (heights < after)]] += base - found.state[0]
        state[heights[heights >= after]] += state[problem.knot_at[high]] - top
    return state, turns


@dataclass(frozen=True, slots=True, eq=False)
class _Balance:
    """Unknowns (n,) of a part of a column, and the angle of slot 1 of each of its rows (m,), radians."""

    state: Floats
    angles: Floats


@lru_cache(maxsize=512)
def _lowest(rows: tuple[StackRow, ...], steps: tuple[float, ...], packing: Packing) -> _Balance:
    """The lowest balance found of a part of a column; `steps` are the likely turns of its joints."""
    begun = [turns_up(rows, tried) for tried in _steps_tried(rows, np.array(steps))]
    problems = [build_problem(rows, packing, turns=turns) for turns in begun]
    starts = [start_state(problem, rows, packing, turns) for problem, turns in zip(problems, begun, strict=True)]
    states, reached = minimise_many(problems, np.stack(starts), TOLERANCE, MOST_ITERATIONS)
    best = _least(reached, problems[0].diameter)
    problem, state = problems[best], states[best]
    at = problem.balloon_at[:, None] + np.arange(3)
    shaken = np.repeat(state[None], SHAKES, axis=0)
    shakes = np.random.default_rng(_SHAKE_SEED).normal(0, SHAKE, (SHAKES, *at.shape))
    shaken[:, at] += shakes * 2 * problem.radii[:, None]
    states, lower = minimise_many([problem] * SHAKES, shaken, TOLERANCE, MOST_ITERATIONS)
    if lower.min() < reached[best] - LOWER_BY * abs(reached[best]):
        state = states[_least(lower, problem.diameter)]
    firsts = state[problem.balloon_at[problem.slot_of == 0, None] + np.arange(2)]
    return _Balance(state, angle_of(firsts[:, 0], firsts[:, 1]))


def _least(energies: Floats, diameter: float) -> int:
    """The first of the lowest energies, rounded so that equal ones tie whatever the scale."""
    return int(np.argmin(np.round(energies / diameter**3, 6)))


def _steps_tried(rows: Sequence[StackRow], likely: Floats) -> list[Floats]:
    """Turns of each row on the row below to begin from, each (m - 1,) radians; joints that are not open stay."""
    full = np.array([2 * np.pi / row.count for row in rows[1:]])
    may_turn = np.array([is_open(low, high) for low, high in pairwise(rows)])
    odd = np.arange(len(full)) % 2 == 1
    shares = (np.arange(SHARES) + 0.5) / SHARES
    in_turn = (np.arange(ALTERNATING if may_turn.sum() > 1 else 0) + 0.5) / ALTERNATING
    rng = np.random.default_rng(_SEED)
    tried = [share * full for share in shares]
    tried += [np.where(odd, 1 - share, share) * full for share in in_turn]
    tried += [likely, full - likely]
    random = [rng.uniform(0, 1, len(full)) * full for _ in range(RANDOM)]
    tried += [*random, *(full - steps for steps in random)]
    return [np.where(may_turn, steps, likely) for steps in tried]


def _wrapped(angles: Floats) -> Floats:
    return np.asarray(np.angle(np.exp(1j * angles)))
