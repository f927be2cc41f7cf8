"""The search among several balances: many beginnings settled side by side, the lowest in energy taken.

Where sizes differ within rows, or counts change, a column has many balances. Beginnings are ways of turning each row
on the row below: the same share of a slot all the way up (many shares), two shares in turn, the likely turns, and
random ones (seeded). All are settled at once (`newton.minimise_many`); the lowest is shaken (seeded), or turned on at
one joint, and what comes of that is settled again, until that leads no lower.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.packing.newton import minimise_many
from kakushi.packing.problem import Problem, build_problem
from kakushi.packing.settings import BALANCE_SEARCH
from kakushi.packing.stack import Packing, StackRow, angle_of
from kakushi.packing.turns import is_open, open_runs, start_state, touching_steps, turns_up


def best_start(rows: Sequence[StackRow], packing: Packing, cancelled: Cancelled = never) -> tuple[Floats, Floats]:
    """Unknowns (n,) in the lowest balance found, and the angle of slot 1 of every row (m,), radians.

    The parts of a column with several balances are searched each on its own, with a few rows around. Raises
    `errors.Cancelled` soon after `cancelled()` answers True.
    """
    steps = touching_steps(rows, packing)
    runs = [
        (low, high, _lowest(tuple(rows[low : high + 1]), tuple(steps[low:high].tolist()), packing, cancelled=cancelled))
        for low, high in open_runs(rows)
    ]
    for low, high, balance in runs:
        half = np.pi / np.array([row.count for row in rows[low + 1 : high + 1]])
        # Angles are known up to full turns: the turn nearest to half a slot is how hands stack.
        steps[low:high] = half + _wrapped(np.diff(balance.angles) - half)
    turns = turns_up(rows, steps)
    problem = build_problem(rows, packing)
    state = start_state(problem, rows, packing, turns)
    heights = np.concatenate([problem.knot_at, problem.balloon_at + 2])
    for low, high, balance in runs:
        first, after = problem.knot_at[low], problem.knot_at[low] + len(balance.state)
        base, top = state[first], state[problem.knot_at[high]]
        state[first:after] = balance.state
        at = problem.balloon_at[(problem.row_of >= low) & (problem.row_of <= high)]
        c, s = np.cos(turns[low] - balance.angles[0]), np.sin(turns[low] - balance.angles[0])
        state[at], state[at + 1] = c * state[at] - s * state[at + 1], s * state[at] + c * state[at + 1]
        state[heights[(heights >= first) & (heights < after)]] += base - balance.state[0]
        state[heights[heights >= after]] += state[problem.knot_at[high]] - top
    return state, turns


@dataclass(frozen=True, slots=True, eq=False)
class _Balance:
    """A balance of a part of a column: unknowns (n,), the angle of slot 1 of each of its rows (m,), radians.

    `energy` is over p D^3.
    """

    state: Floats
    angles: Floats
    energy: float


@remembered(512)
def _lowest(
    rows: tuple[StackRow, ...], steps: tuple[float, ...], packing: Packing, *, cancelled: Cancelled = never
) -> _Balance:
    """The lowest balance found of a part of a column; `steps` are the likely turns of its joints."""
    begun = np.array([turns_up(rows, tried) for tried in _steps_tried(rows, np.array(steps))])
    one = build_problem(rows, packing)
    balance = _settled(
        rows, packing, begun, np.array([start_state(one, rows, packing, turns) for turns in begun]), cancelled
    )
    for round_number in range(BALANCE_SEARCH.rounds):
        shaken = _shaken(one, balance.state, round_number)
        angles, flipped = _flipped(rows, one, balance, round_number)
        angles = np.concatenate([np.repeat(balance.angles[None], len(shaken), axis=0), angles])
        again = _settled(rows, packing, angles, np.concatenate([shaken, flipped]), cancelled)
        # Less is rounding, and each round costs as much as the first.
        if not again.energy < balance.energy - BALANCE_SEARCH.lower_by * abs(balance.energy):
            break
        balance = again
    return balance


def _settled(
    rows: Sequence[StackRow], packing: Packing, angles: Floats, starts: Floats, cancelled: Cancelled
) -> _Balance:
    """The lowest of the balances near `starts` (b, n), in which slot 1 of the rows lies at `angles` (b, m)."""
    # Only pinned turns make the problems differ; else one is built for all.
    if any(row.turn is not None for row in rows[1:]):
        problems = [build_problem(rows, packing, turns=turns) for turns in angles]
    else:
        problems = [build_problem(rows, packing)] * len(starts)
    states, reached = minimise_many(
        problems, starts, BALANCE_SEARCH.tolerance, BALANCE_SEARCH.max_iterations, cancelled
    )
    one = problems[0]
    # Rounded, so that equal energies tie whatever the scale, and the first of them is taken.
    energies = np.round(reached / one.diameter**3, 6)
    best = int(np.argmin(energies))
    firsts = states[best, one.balloon_at[one.slot_of == 0, None] + np.arange(2)]
    return _Balance(states[best], angle_of(firsts[:, 0], firsts[:, 1]), float(energies[best]))


def _shaken(problem: Problem, state: Floats, round_number: int) -> Floats:
    """States with every balloon moved a little (seeded), (BALANCE_SEARCH.shakes, n)."""
    at = problem.balloon_at[:, None] + np.arange(3)
    shaken = np.repeat(state[None], BALANCE_SEARCH.shakes, axis=0)
    rng = np.random.default_rng([BALANCE_SEARCH.shake_seed, round_number])
    moved = rng.normal(0, BALANCE_SEARCH.shake, (BALANCE_SEARCH.shakes, *at.shape))
    shaken[:, at] += moved * 2 * problem.radii[:, None]
    return np.asarray(shaken)


def _flipped(rows: Sequence[StackRow], problem: Problem, balance: _Balance, round_number: int) -> tuple[Floats, Floats]:
    """Angles (f, m) and states (f, n) with one joint turned to another share of a slot, and all above lifted clear."""
    angles, states = [], []
    joints = [joint for joint, (low, high) in enumerate(pairwise(rows)) if is_open(low, high)]
    # Long columns try some of their joints each round, in turn: the cost of a round is bounded.
    several = -(-len(joints) * len(BALANCE_SEARCH.flips) // BALANCE_SEARCH.max_flipped)
    for joint in joints[round_number % several :: several]:
        full = 2 * np.pi / rows[joint + 1].count
        now = balance.angles[joint + 1] - balance.angles[joint]
        above = problem.balloon_at[problem.row_of > joint]
        lifted = np.concatenate([above + 2, problem.knot_at[joint + 1 :]])
        for on in _wrapped(np.array(BALANCE_SEARCH.flips) * full - now):
            # It would slide back to where it lies now.
            if abs(on) < BALANCE_SEARCH.near_flip * full:
                continue
            state = balance.state.copy()
            x, y = state[above], state[above + 1]
            state[above], state[above + 1] = np.cos(on) * x - np.sin(on) * y, np.sin(on) * x + np.cos(on) * y
            # Clear of the row below, or the turn would begin inside it.
            state[lifted] += BALANCE_SEARCH.lift * problem.diameter
            states.append(state)
            angles.append(balance.angles + on * (np.arange(len(rows)) > joint))
    return np.array(angles).reshape(-1, len(rows)), np.array(states).reshape(-1, problem.size)


def _steps_tried(rows: Sequence[StackRow], likely: Floats) -> list[Floats]:
    """Turns of each row on the row below to begin from, each (m - 1,) radians; joints that are not open stay."""
    full = np.array([2 * np.pi / row.count for row in rows[1:]])
    may_turn = np.array([is_open(low, high) for low, high in pairwise(rows)])
    # Hands turn rows to and fro as often as on and on: both kinds of start.
    odd = np.arange(len(full)) % 2 == 1
    shares = (np.arange(BALANCE_SEARCH.shares) + 0.5) / BALANCE_SEARCH.shares
    in_turn = (np.arange(BALANCE_SEARCH.alternating if may_turn.sum() > 1 else 0) + 0.5) / BALANCE_SEARCH.alternating
    rng = np.random.default_rng(BALANCE_SEARCH.seed)
    tried = [share * full for share in shares]
    tried += [np.where(odd, 1 - share, share) * full for share in in_turn]
    tried += [np.where(odd, -share, share) * full for share in in_turn]
    # Every turn with its mirror image: a column and its mirrored one must find mirrored balances.
    tried += [likely, full - likely]
    random = [rng.uniform(0, 1, len(full)) * full for _ in range(BALANCE_SEARCH.random)]
    tried += [*random, *(full - steps for steps in random)]
    return [np.where(may_turn, steps, likely) for steps in tried]


def _wrapped(angles: Floats) -> Floats:
    return np.asarray(np.angle(np.exp(1j * angles)))
