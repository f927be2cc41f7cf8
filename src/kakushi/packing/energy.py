"""The energy of a stack, its gradient and its banded Hessian: the terms of `packing.law` over a `packing.problem`."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.law import Response, joint, neck, pole, skin, spring
from kakushi.packing.problem import Problem

# The six entries of a symmetric 3 × 3 matrix.
_ROW, _COLUMN = np.triu_indices(3)


def overlaps(problem: Problem, state: Floats) -> Floats:
    """Overlap of every pair in reach, (p,) mm; negative where they do not touch."""
    centres = state[problem.balloon_at[:, None] + np.arange(3)]
    apart = centres[problem.pairs[:, 1]] - centres[problem.pairs[:, 0]]
    return np.asarray(problem.pair_reach - np.sqrt((apart**2).sum(axis=1)))


def energy(problem: Problem, state: Floats) -> float:
    """Energy in units of p * mm^3."""
    return sum(float(share.sum()) for _, share in _energy_shares(problem, state))


def energies(problem: Problem, states: Floats, each: int) -> Floats:
    """Energy (p·mm³) of each of the stacks `side_by_side`, of `each` unknowns: (problem.size / each,)."""
    count = problem.size // each
    return np.asarray(sum(np.bincount(at // each, share, count) for at, share in _energy_shares(problem, states)))


def _energy_shares(problem: Problem, state: Floats) -> Iterator[tuple[Ints, Floats]]:
    """The terms of the energy, each with an unknown it belongs to."""
    for term in _terms(problem, state):
        yield term.at_b, term.response.energy
    yield problem.knot_at[problem.joints + 1], _joints(problem, state).energy
    yield problem.ground, _ground(problem, state).energy


def _joints(problem: Problem, state: Floats) -> Response:
    rises = state[problem.knot_at[problem.joints + 1]] - state[problem.knot_at[problem.joints]]
    return joint(problem.law, rises, problem.pull, problem.joint_diameter, problem.hold)


def _ground(problem: Problem, state: Floats) -> Response:
    return spring(np.full(len(problem.ground), problem.diameter), state[problem.ground])


@dataclass(frozen=True, slots=True)
class _Term:
    """Central forces along `direction` (t, 3) between the points at `at_a` and `at_b`, unknowns of their x.

    Only the axes `moves_a` and `moves_b` of these points are unknowns: of a fixed point none, of a knot the height.
    """

    at_a: Ints
    at_b: Ints
    direction: Floats
    distance: Floats
    response: Response
    moves_a: tuple[int, ...] = (0, 1, 2)
    moves_b: tuple[int, ...] = (0, 1, 2)


def _terms(problem: Problem, state: Floats) -> list[_Term]:
    centres = state[problem.balloon_at[:, None] + np.arange(3)]
    terms = [
        _contacts(problem, centres),
        _necks(problem, state, centres),
        _level(problem, state, centres),
        _pole(problem, centres),
        _turn(problem, centres),
    ]
    return [term for term in terms if len(term.at_b)]


def _contacts(problem: Problem, centres: Floats) -> _Term:
    apart = centres.take(problem.pairs[:, 1], axis=0) - centres.take(problem.pairs[:, 0], axis=0)
    squared = np.einsum("ij,ij->i", apart, apart)
    near = np.flatnonzero(squared < problem.pair_reach**2)
    distance = np.maximum(np.sqrt(squared[near]), 1e-9)
    return _Term(
        problem.balloon_at[problem.pairs[near, 0]],
        problem.balloon_at[problem.pairs[near, 1]],
        apart[near] / distance[:, None],
        distance,
        skin(problem.law, distance, problem.pair_reach[near], problem.pair_stiffness[near]),
    )


def _necks(problem: Problem, state: Floats, centres: Floats) -> _Term:
    apart = centres.copy()
    apart[:, 2] -= state[problem.knot_at[problem.row_of]]
    distance = np.maximum(np.sqrt((apart**2).sum(axis=1)), 1e-9)
    taut = np.flatnonzero(distance > problem.neck_rest)
    # The knot moves only up and down: its unknown is its height, two before would-be x.
    return _Term(
        problem.knot_at[problem.row_of[taut]] - 2,
        problem.balloon_at[taut],
        apart[taut] / distance[taut, None],
        distance[taut],
        neck(problem.law, distance[taut], problem.neck_rest[taut], problem.radii[taut]),
        moves_a=(2,),
    )


def _pole(problem: Problem, centres: Floats) -> _Term:
    apart = centres * [1.0, 1.0, 0.0]
    distance = np.maximum(np.hypot(apart[:, 0], apart[:, 1]), 1e-9)
    near = np.flatnonzero(distance < problem.pole_radius + problem.radii)
    return _Term(
        problem.balloon_at[near],
        problem.balloon_at[near],
        apart[near] / distance[near, None],
        distance[near],
        pole(problem.law, distance[near], problem.pole_radius, problem.radii[near]),
        moves_a=(),
        moves_b=(0, 1),
    )


def _level(problem: Problem, state: Floats, centres: Floats) -> _Term:
    drop = centres[:, 2] - state[problem.knot_at[problem.row_of]]
    return _Term(
        problem.knot_at[problem.row_of] - 2,
        problem.balloon_at,
        np.tile([0.0, 0.0, 1.0], (len(drop), 1)),
        np.full(len(drop), np.inf),
        spring(problem.level * np.pi * problem.radii, drop),
        moves_a=(2,),
        moves_b=(2,),
    )


def _turn(problem: Problem, centres: Floats) -> _Term:
    shift = (centres[problem.held] * problem.tangents).sum(axis=1)
    return _Term(
        problem.balloon_at[problem.held],
        problem.balloon_at[problem.held],
        problem.tangents,
        np.full(len(shift), np.inf),
        spring(problem.law.turn * np.pi * problem.radii[problem.held], shift),
        moves_a=(),
        moves_b=(0, 1),
    )


def gradient_and_hessian(problem: Problem, state: Floats) -> tuple[Floats, Floats]:
    """Gradient (n,) and upper banded Hessian (band + 1, n) as scipy.linalg.solveh_banded takes it."""
    gradient = np.zeros(problem.size)
    entries = [_added(problem, term, gradient) for term in _terms(problem, state)]
    # Summed in one go: many small sums over the whole band cost more than the blocks themselves.
    places = np.concatenate([at for at, _ in entries])
    values = np.concatenate([value for _, value in entries])
    hessian = np.asarray(np.bincount(places, values, (problem.band + 1) * problem.size), dtype=np.float64)
    _add_knots(problem, state, gradient, hessian)
    return gradient, hessian.reshape(problem.band + 1, problem.size)


def _added(problem: Problem, term: _Term, gradient: Floats) -> tuple[Ints, Floats]:
    """Add a term to the gradient; its entries of the flat upper band, as places and values."""
    for at, moves, sign in ((term.at_a, term.moves_a, -1.0), (term.at_b, term.moves_b, 1.0)):
        axes = np.array(moves, dtype=int)
        force = sign * term.response.slope[:, None] * term.direction[:, axes]
        gradient += np.bincount((at[:, None] + axes).ravel(), force.ravel(), problem.size)
    block = _block(term.moves_a, term.moves_b)
    across = term.response.slope / term.distance
    # Of the symmetric 3 x 3 curvature each entry is worked out once.
    curvature = (term.response.curvature - across)[:, None] * (term.direction[:, _ROW] * term.direction[:, _COLUMN])
    curvature[:, _ROW == _COLUMN] += across[:, None]
    values = curvature.take(block.entry, axis=1) * block.sign
    # Row i and column j of the matrix stand in the band at (band + i - j) * size + j.
    size = problem.size
    both = np.stack([term.at_a, term.at_b, term.at_a * size - term.at_b * (size - 1)], axis=1)
    places = both.take(block.ends, axis=1) + (block.row_axis * size - block.column_axis * (size - 1))
    return (places + problem.band * size).ravel(), values.ravel()


@dataclass(frozen=True, slots=True)
class _Block:
    """A term's entries in the upper triangle, all (e,).

    `ends`: between which ends they are (0: a, 1: b, 2: both); the axes of row and column; `entry` of the
    six of the curvature; `sign`.
    """

    ends: Ints
    row_axis: Ints
    column_axis: Ints
    entry: Ints
    sign: Floats


@lru_cache(maxsize=16)
def _block(moves_a: tuple[int, ...], moves_b: tuple[int, ...]) -> _Block:
    # The unknowns of a come before those of b.
    unknowns = [*((0, axis) for axis in moves_a), *((1, axis) for axis in moves_b)]
    table = np.array([(*row, *column) for i, row in enumerate(unknowns) for column in unknowns[i:]])
    row_end, row_axis, column_end, column_axis = table.T
    low, high = np.minimum(row_axis, column_axis), np.maximum(row_axis, column_axis)
    entry = np.array([int(np.flatnonzero((i == _ROW) & (j == _COLUMN))[0]) for i, j in zip(low, high, strict=True)])
    ends = np.where(row_end == column_end, row_end, 2)
    return _Block(ends, row_axis, column_axis, entry, np.where(ends == 2, -1.0, 1.0))


def _add_knots(problem: Problem, state: Floats, gradient: Floats, hessian: Floats) -> None:
    low, high = problem.knot_at[problem.joints], problem.knot_at[problem.joints + 1]
    joints, ground = _joints(problem, state), _ground(problem, state)
    np.add.at(gradient, high, joints.slope)
    np.add.at(gradient, low, -joints.slope)
    gradient[problem.ground] += ground.slope
    add_springs(problem, hessian, low, high, joints.curvature)
    hessian[problem.band * problem.size + problem.ground] += ground.curvature


def add_springs(problem: Problem, hessian: Floats, low: Ints, high: Ints, stiffness: Floats) -> None:
    """Add springs of `stiffness` (p·mm) between the unknowns `low` < `high`, (k,) each, to a flat upper band."""
    diagonal = problem.band * problem.size
    np.add.at(hessian, diagonal + low, stiffness)
    np.add.at(hessian, diagonal + high, stiffness)
    np.add.at(hessian, (problem.band + low - high) * problem.size + high, -stiffness)
