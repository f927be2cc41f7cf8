"""How far each row is turned on the row below: where settling begins.

Equal rows nest half a slot round. Where sizes differ within rows there are many balances, and `packing.placing`
chooses among them; the likely turns here are what a quick settling begins from.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.packing.problem import Problem
from kakushi.packing.settings import TURNS
from kakushi.packing.stack import Packing, StackRow, place, ring_radii, rises_for_turns


def likely_steps(rows: Sequence[StackRow], packing: Packing) -> Floats:
    """Likely turn of each row on the row below, (m - 1,) radians, judged joint by joint; pinned turns are kept."""
    return np.array([likely_turn(low, high, packing) for low, high in pairwise(rows)], dtype=float)


def likely_turn(low: StackRow, high: StackRow, packing: Packing) -> float:
    """Likely turn of `high` on `low`, radians: its own, half a slot where they nest, else where they touch lowest."""
    if high.turn is not None:
        return high.turn
    return float(np.pi / high.count) if _nests(low, high) else _turn_that_touches_lowest(low, high, packing)


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


def has_open_joints(rows: Sequence[StackRow]) -> bool:
    """Whether rows have several balances, so that settling them takes time."""
    return any(is_open(low, high) for low, high in pairwise(rows))


def _nests(low: StackRow, high: StackRow) -> bool:
    """Whether a row nests half a slot round on the row below, both of equal balloons and of one count."""
    return low.is_uniform and high.is_uniform and low.count == high.count > 2


@lru_cache(maxsize=2048)
def _turn_that_touches_lowest(low: StackRow, high: StackRow, packing: Packing) -> float:
    """The turn in [0, 2 pi / n), radians, at which `high` touches `low` lowest."""
    tried = np.arange(TURNS.tried) * 2 * np.pi / high.count / TURNS.tried
    rises = rises_for_turns(low, high, tried, packing.pole_radius) / high.mean_diameter
    # Rounded, so that equal turns tie exactly, whatever the scale; off symmetry, so that no start is a saddle.
    return float(tried[int(np.argmin(np.round(rises, 9)))]) + TURNS.off_symmetry


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
        in_row = np.flatnonzero(problem.row_of == index)
        angles = turns[index] + problem.slot_of[in_row] * 2 * np.pi / row.count
        x, y = place(ring_radii(row, packing.pole_radius), angles)
        at = problem.balloon_at[in_row]
        state[problem.knot_at[index]] = knot
        state[at], state[at + 1], state[at + 2] = x, y, knot
    return state
