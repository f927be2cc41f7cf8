"""How far each row is turned on the row below: where the search for a balance begins.

Equal rows nest half a slot round. Where sizes differ within rows, or counts change, there are many
balances; several ways of turning the rows are settled and the lowest in energy is taken, so that
the answer does not depend on the start.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kakushi.packing.energy import Problem, build_problem
from kakushi.packing.newton import minimise
from kakushi.packing.stack import Floats, Packing, StackRow, place, ring_radii, rises_for_turns

_TURNS_TRIED = 24
_OFF_SYMMETRY = 0.01
_SAMPLE_ROWS = 5
_TURNS_SETTLED = 6
_RANDOM_STARTS = 2
_ROWS_AROUND = 3
_FEW_BALLOONS, _UNEQUAL = 3, 1.5
_SEED = 20
RANKING_TOLERANCE = 1e-4
RANKING_ITERATIONS = 90


def start_turns(rows: Sequence[StackRow], packing: Packing, search: bool = True) -> Floats:
    """Angle of slot 1 of every row from that of row 1, (m,) radians.

    Each is the first at or anticlockwise of slot 1 below; pinned turns are kept.
    Without `search` only the likely turns are taken.
    """
    if not rows:
        return np.zeros(0)
    steps = np.array([_step(low, high, packing) for low, high in pairwise(rows)])
    open_joints = [i for i, (low, high) in enumerate(pairwise(rows)) if search and is_open(low, high)]
    for first, last in _runs(open_joints):
        low, high = max(first - _ROWS_AROUND, 0), min(last + 1 + _ROWS_AROUND, len(rows) - 1)
        steps[first : last + 1] = _searched(
            tuple(rows[low : high + 1]), tuple(steps[low:high].tolist()), first - low, last - low + 1, packing
        )  # fmt: skip
    return np.asarray((rows[0].turn or 0.0) + np.concatenate([[0.0], np.cumsum(steps)]))


def _step(low: StackRow, high: StackRow, packing: Packing) -> float:
    return _nesting_turn(low, high, packing) if high.turn is None else high.turn


def is_open(low: StackRow, high: StackRow) -> bool:
    """Whether a joint has more than one balance worth trying."""
    if high.turn is not None:
        return False
    even = low.is_uniform and high.is_uniform
    if even and low.count == high.count > 2:
        ratio = max(low.mean_diameter, high.mean_diameter) / min(low.mean_diameter, high.mean_diameter)
        return low.count <= _FEW_BALLOONS and ratio > _UNEQUAL
    return not even or min(low.count, high.count) <= _FEW_BALLOONS


def _runs(joints: Sequence[int]) -> list[tuple[int, int]]:
    """Open joints that influence one another, as (first, last) of each run."""
    runs: list[tuple[int, int]] = []
    for joint in joints:
        if runs and joint - runs[-1][1] <= _ROWS_AROUND:
            runs[-1] = (runs[-1][0], joint)
        else:
            runs.append((joint, joint))
    return runs


@lru_cache(maxsize=512)
def _searched(
    rows: tuple[StackRow, ...], steps: tuple[float, ...], first: int, last: int, packing: Packing
) -> tuple[float, ...]:
    """The turns at joints [first, last) with which this part of the column settles lowest in energy.

    Tried are the likely turns, the same with every second one mirrored, random ones (seeded), and the
    mirror image of each, so that a mirrored column gets the mirrored answer.
    """
    problem = build_problem(rows, packing)
    full = np.array([2 * np.pi / row.count for row in rows[1:]])
    may_turn = np.zeros(len(steps), dtype=bool)
    may_turn[first:last] = [is_open(low, high) for low, high in pairwise(rows[first : last + 1])]
    likely = np.array(steps)
    mirrored = np.where(may_turn, np.mod(full - likely, full), likely)
    tried = [likely, np.where(np.arange(len(steps)) % 2, mirrored, likely)]
    rng = np.random.default_rng(_SEED)
    tried += [np.where(may_turn, rng.uniform(0, 1, len(steps)) * full, likely) for _ in range(_RANDOM_STARTS)]
    tried += [np.where(may_turn, np.mod(full - turns, full), turns) for turns in tried]
    energies = []
    for turns in tried:
        angles = np.concatenate([[0.0], np.cumsum(turns)])
        report = minimise(problem, start_state(problem, rows, packing, angles), RANKING_TOLERANCE, RANKING_ITERATIONS)[
            1
        ]
        energies.append(report.energy)
    best = tried[int(np.argmin(np.round(np.array(energies) / problem.diameter**3, 6)))]
    return tuple(best[first:last].tolist())


@lru_cache(maxsize=2048)
def _nesting_turn(low: StackRow, high: StackRow, packing: Packing) -> float:
    """The turn in [0, 2 pi / n) at which `high` settles lowest in energy on `low`.

    Equal balloons nest half a slot round. Otherwise turns are ranked by the rise at which the two
    rows touch; of a mixed row that is repeated the best few are settled as short sample stacks, since
    the touching rise alone misjudges how balloons make room for each other.
    """
    even = low.is_uniform and high.is_uniform and min(low.count, high.count) > 2
    if even and low.count == high.count:
        return float(np.pi / high.count)
    tried = np.arange(_TURNS_TRIED) * 2 * np.pi / high.count / _TURNS_TRIED
    rises = rises_for_turns(low, high, tried, packing.pole_radius) / high.mean_diameter
    # Rounded, so that equal turns tie exactly, whatever the scale.
    ranked = tried[np.argsort(np.round(rises, 9), kind="stable")]
    # Off the symmetric point, so that no start is a saddle.
    if even or low != high:
        return float(ranked[0]) + _OFF_SYMMETRY
    sample = (low,) * _SAMPLE_ROWS
    problem = build_problem(sample, packing)
    spread = sorted({*ranked[:_TURNS_SETTLED].tolist(), *tried[:: _TURNS_TRIED // _TURNS_SETTLED].tolist()})
    energies = [_sample_energy(problem, sample, packing, turn + _OFF_SYMMETRY) for turn in spread]
    return float(spread[int(np.argmin(np.round(energies, 6)))]) + _OFF_SYMMETRY


def _sample_energy(problem: Problem, sample: Sequence[StackRow], packing: Packing, turn: float) -> float:
    """Energy of a settled sample stack in which each row is turned by `turn`, over p D^3."""
    start = start_state(problem, sample, packing, np.arange(len(sample)) * turn)
    report = minimise(problem, start, RANKING_TOLERANCE, RANKING_ITERATIONS)[1]
    return report.energy / problem.diameter**3


def start_state(problem: Problem, rows: Sequence[StackRow], packing: Packing, turns: Floats) -> Floats:
    """Unknowns with rows at the angles `turns`, (m,) radians, each just touching the row below, (n,)."""
    state = np.zeros(problem.size)
    knot = 0.0
    for index, row in enumerate(rows):
        if index:
            turn = np.array([turns[index] - turns[index - 1]])
            touching = float(rises_for_turns(rows[index - 1], row, turn, packing.pole_radius)[0])
            knot += max(touching, problem.gap[index - 1] * 4)
        mine = np.flatnonzero(problem.row_of == index)
        angles = turns[index] + problem.slot_of[mine] * 2 * np.pi / row.count
        x, y = place(ring_radii(row, packing.pole_radius), angles)
        at = problem.balloon_at[mine]
        state[problem.knot_at[index]] = knot
        state[at], state[at + 1], state[at + 2] = x, y, knot
    return state
