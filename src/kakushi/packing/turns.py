"""How far each row is turned on the row below: where settling begins.

Equal rows nest half a slot round. Where sizes differ within rows, or counts change, there are many balances, and
`packing.search` looks for the lowest; the likely turns here are what it, or a quick settling, begins from.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.packing.newton import minimise
from kakushi.packing.problem import Problem, build_problem
from kakushi.packing.settings import TURNS
from kakushi.packing.stack import Packing, StackRow, place, ring_radii, rises_for_turns


def likely_steps(rows: Sequence[StackRow], packing: Packing) -> Floats:
    """Likely turn of each row on the row below, (m - 1,) radians, found on sample stacks; pinned turns are kept."""
    steps = [_nesting_turn(low, high, packing) if high.turn is None else high.turn for low, high in pairwise(rows)]
    return np.array(steps, dtype=float)


def touching_steps(rows: Sequence[StackRow], packing: Packing) -> Floats:
    """As `likely_steps`, judged by the rise at which two rows touch alone: quicker, where a search follows."""
    steps = [
        high.turn
        if high.turn is not None
        else np.pi / high.count
        if _nests(low, high)
        else _by_touching(low, high, packing)[0] + TURNS.off_symmetry
        for low, high in pairwise(rows)
    ]
    return np.array(steps, dtype=float)


def turns_up(rows: Sequence[StackRow], steps: Floats) -> Floats:
    """Angle of slot 1 of every row (at least one) from the front, (m,) radians, from the turns of the joints."""
    return np.asarray((rows[0].turn or 0.0) + np.concatenate([[0.0], np.cumsum(steps)]))


def is_open(low: StackRow, high: StackRow) -> bool:
    """Whether a joint has more than one balance worth trying."""
    if high.turn is not None:
        return False
    # Equal balloons of one count nest half a slot round: one balance, unless few of very unlike sizes meet.
    even = low.is_uniform and high.is_uniform
    if even and low.count == high.count > 2:
        ratio = max(low.mean_diameter, high.mean_diameter) / min(low.mean_diameter, high.mean_diameter)
        return low.count <= TURNS.few_balloons and ratio > TURNS.unequal
    return not even or min(low.count, high.count) <= TURNS.few_balloons


def open_runs(rows: Sequence[StackRow]) -> list[tuple[int, int]]:
    """Parts of a column with open joints that influence one another: first and last row, a few rows around included."""
    runs: list[tuple[int, int]] = []
    for joint, (low, high) in enumerate(pairwise(rows)):
        if not is_open(low, high):
            continue
        # Joints this near feel each other and are searched together; those farther off are searched apart.
        if runs and joint - runs[-1][1] <= TURNS.rows_around:
            runs[-1] = (runs[-1][0], joint)
        else:
            runs.append((joint, joint))
    return [
        (max(first - TURNS.rows_around, 0), min(last + 1 + TURNS.rows_around, len(rows) - 1)) for first, last in runs
    ]


@lru_cache(maxsize=2048)
def _nesting_turn(low: StackRow, high: StackRow, packing: Packing) -> float:
    """The turn in [0, 2 pi / n) at which `high` settles lowest in energy on `low`.

    Equal balloons nest half a slot round. Otherwise turns are ranked by the rise at which the two
    rows touch; of a mixed row that is repeated the best few are settled as short sample stacks, since
    the touching rise alone misjudges how balloons make room for each other.
    """
    if _nests(low, high):
        return float(np.pi / high.count)
    ranked = _by_touching(low, high, packing)
    # Off the symmetric point, so that no start is a saddle.
    if low != high or (low.is_uniform and low.count > 2):
        return float(ranked[0]) + TURNS.off_symmetry
    sample = (low,) * TURNS.sample_rows
    problem = build_problem(sample, packing)
    tried = np.sort(ranked)
    spread = sorted({*ranked[: TURNS.settled].tolist(), *tried[:: TURNS.tried // TURNS.settled].tolist()})
    energies = [_sample_energy(problem, sample, packing, turn + TURNS.off_symmetry) for turn in spread]
    return float(spread[int(np.argmin(np.round(energies, 6)))]) + TURNS.off_symmetry


def _nests(low: StackRow, high: StackRow) -> bool:
    """Whether a row nests half a slot round on the row below, both of equal balloons and of one count."""
    return low.is_uniform and high.is_uniform and low.count == high.count > 2


def _by_touching(low: StackRow, high: StackRow, packing: Packing) -> Floats:
    """Turns in [0, 2 pi / n), (t,) radians, those at which `high` touches `low` lowest first."""
    tried = np.arange(TURNS.tried) * 2 * np.pi / high.count / TURNS.tried
    rises = rises_for_turns(low, high, tried, packing.pole_radius) / high.mean_diameter
    # Rounded, so that equal turns tie exactly, whatever the scale.
    return np.asarray(tried[np.argsort(np.round(rises, 9), kind="stable")])


def _sample_energy(problem: Problem, sample: Sequence[StackRow], packing: Packing, turn: float) -> float:
    """Energy of a settled sample stack in which each row is turned by `turn`, over p D^3."""
    start = start_state(problem, sample, packing, np.arange(len(sample)) * turn)
    report = minimise(problem, start, TURNS.ranking_tolerance, TURNS.ranking_iterations)[1]
    return report.energy / problem.diameter**3


def start_state(problem: Problem, rows: Sequence[StackRow], packing: Packing, turns: Floats) -> Floats:
    """Unknowns with rows at the angles `turns`, (m,) radians, each just touching the row below, (n,)."""
    state = np.zeros(problem.size)
    knot = 0.0
    for index, row in enumerate(rows):
        if index:
            turn = np.array([turns[index] - turns[index - 1]])
            touching = float(rises_for_turns(rows[index - 1], row, turn, packing.pole_radius)[0])
            # Even where a row would sink through the hole below it, knots keep their order.
            knot += max(touching, problem.gap[index - 1] * 4)
        mine = np.flatnonzero(problem.row_of == index)
        angles = turns[index] + problem.slot_of[mine] * 2 * np.pi / row.count
        x, y = place(ring_radii(row, packing.pole_radius), angles)
        at = problem.balloon_at[mine]
        state[problem.knot_at[index]] = knot
        state[at], state[at + 1], state[at + 2] = x, y, knot
    return state
