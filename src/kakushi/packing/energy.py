"""The energy of a stack, its gradient and its banded Hessian.

Balloons are spheres with a pressure p = 1 (only ratios matter). Terms, per `docs/accuracy.md`:

* contact: force pi p R delta, R = 2 r1 r2 / (r1 + r2), delta the overlap, stiffening
  beyond a third of (r1 + r2);
* tether: none until the centre is r + s from its knot, then TETHER * pi p r per mm;
* pole: a rigid cylinder, 2 pi p r per mm of overlap, stiffening beyond r / 3 (the wall is a mirror balloon);
  without one the line and the knots on it, which no balloon lies over: a cylinder of no radius;
* packing force: tau p D^2 draws neighbouring knots together, D the mean of those two rows;
* level spring: LEVEL * pi p r per mm between a balloon's height and its knot's;
* turn spring: HELD * pi p r per mm sideways off its place, for balloons of a row whose turn is pinned
  and of the row below it;
* a stop that keeps knots from passing each other.

Unknowns per row: the knot's height, then x, y, z of each balloon, mm; so rows that
touch are near in memory and the Hessian is a band.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.stack import Packing, StackRow

TETHER = 20.0
LEVEL = 20.0
HELD = 20.0
STIFFENING = 40.0
STIFF_FROM = 1 / 3
KNOT_GAP = 0.05
ROWS_IN_REACH = 3
_ROW, _COLUMN = np.triu_indices(3)


@dataclass(frozen=True, slots=True)
class Problem:
    """A stack laid out for the solver. Index arrays point into the vector of unknowns."""

    size: int
    band: int
    diameter: float
    balloon_at: Ints
    knot_at: Ints
    ground: Ints
    row_of: Ints
    slot_of: Ints
    radii: Floats
    tether: Floats
    pairs: Ints
    pair_reach: Floats
    pair_stiffness: Floats
    joints: Ints
    pull: Floats
    gap: Floats
    pole_radius: float
    level: float
    held: Ints
    tangents: Floats


_ARRAYS = (
    "balloon_at", "knot_at", "ground", "row_of", "slot_of", "radii", "tether", "pairs", "pair_reach", "pair_stiffness",
    "joints", "pull", "gap", "held", "tangents",
)  # fmt: skip


def build_problem(
    rows: Sequence[StackRow], packing: Packing, level: float = LEVEL, turns: Floats | None = None
) -> Problem:
    """Lay out `rows` (at least one) for the solver.

    `turns` (m,) radians, slot 1 of each row from the front: rows with a pinned turn are held there.
    """
    counts = np.array([row.count for row in rows])
    row_of = np.repeat(np.arange(len(rows)), counts)
    first_balloon = np.concatenate([[0], np.cumsum(counts)[:-1]])
    knot_at = np.concatenate([[0], np.cumsum(1 + 3 * counts)[:-1]])
    slot_of = np.arange(len(row_of)) - first_balloon[row_of]
    radii = np.concatenate([row.diameters for row in rows]) / 2
    slacks = np.concatenate([row.slacks for row in rows])
    means = np.array([row.mean_diameter for row in rows])
    joints = (means[1:] + means[:-1]) / 2
    pairs = _pairs_in_reach(tuple(counts.tolist()))
    low, high = radii[pairs[:, 0]], radii[pairs[:, 1]]
    held = np.flatnonzero(_held_rows(rows)[row_of]) if turns is not None else np.zeros(0, dtype=int)
    angles = (turns if turns is not None else means)[row_of] + slot_of * 2 * np.pi / counts[row_of]
    in_reach = np.convolve(1 + 3 * counts, np.ones(ROWS_IN_REACH + 1, dtype=int))
    return Problem(
        size=int((1 + 3 * counts).sum()),
        band=int(in_reach.max()) - 1,
        diameter=float(means.mean()),
        balloon_at=knot_at[row_of] + 1 + 3 * slot_of,
        knot_at=knot_at,
        ground=knot_at[:1],
        row_of=row_of,
        slot_of=slot_of,
        radii=radii,
        tether=radii + slacks,
        pairs=pairs,
        pair_reach=low + high,
        pair_stiffness=2 * np.pi * low * high / (low + high),
        joints=np.arange(len(rows) - 1),
        pull=packing.tau * joints**2 * np.array([row.packing for row in rows[1:]]),
        gap=KNOT_GAP * joints,
        pole_radius=packing.pole_radius,
        level=level,
        held=held,
        # Sideways at an angle from the front, anticlockwise.
        tangents=np.stack([np.cos(angles), np.sin(angles), np.zeros_like(angles)], axis=1)[held],
    )


def _held_rows(rows: Sequence[StackRow]) -> np.ndarray:
    """Rows with a pinned turn and the rows those are turned on, (m,) bool."""
    pinned = np.array([index > 0 and row.turn is not None for index, row in enumerate(rows)])
    return np.asarray(pinned | np.append(pinned[1:], False))


@lru_cache(maxsize=64)
def _pairs_in_reach(counts: tuple[int, ...]) -> Ints:
    """Every two balloons up to ROWS_IN_REACH rows apart, (p, 2); rows of so many balloons each."""
    ends = np.cumsum(counts)
    blocks = []
    for row, count in enumerate(counts):
        mine = np.arange(ends[row] - count, ends[row])
        others = np.arange(ends[row] - count, ends[min(row + ROWS_IN_REACH, len(counts) - 1)])
        a, b = np.meshgrid(mine, others, indexing="ij")
        blocks.append(np.stack([a[b > a], b[b > a]], axis=1))
    return np.concatenate(blocks)


def overlaps(problem: Problem, state: Floats) -> Floats:
    """Overlap of every pair in reach, (p,) mm; negative where they do not touch."""
    centres = state[problem.balloon_at[:, None] + np.arange(3)]
    apart = centres[problem.pairs[:, 1]] - centres[problem.pairs[:, 0]]
    return np.asarray(problem.pair_reach - np.sqrt((apart**2).sum(axis=1)))


def energy(problem: Problem, state: Floats) -> float:
    """Energy in units of p * mm^3."""
    return sum(float(share.sum()) for _, share in _energy_shares(problem, state))


def energies(problem: Problem, states: Floats, each: int) -> Floats:
    """Energy of every one of the stacks `side_by_side`, of `each` unknowns, (problem.size / each,)."""
    count = problem.size // each
    return np.asarray(sum(np.bincount(at // each, share, count) for at, share in _energy_shares(problem, states)))


def _energy_shares(problem: Problem, state: Floats) -> Iterator[tuple[Ints, Floats]]:
    """The terms of the energy, each with an unknown it belongs to."""
    for term in _terms(problem, state):
        yield term.at_b, term.energy
    low, high = problem.knot_at[problem.joints], problem.knot_at[problem.joints + 1]
    gaps = state[high] - state[low]
    stop = np.maximum(problem.gap - gaps, 0.0)
    yield high, problem.pull * gaps + _stop_stiffness(problem) * stop**2 / 2
    yield problem.ground, problem.diameter * state[problem.ground] ** 2 / 2


def side_by_side(problems: Sequence[Problem]) -> Problem:
    """Stacks of one layout (at least one) that do not touch one another, the unknowns of each after the last one's."""
    first = problems[0]
    balloons, rows = len(first.radii), len(first.knot_at)
    steps = {
        "balloon_at": first.size,
        "knot_at": first.size,
        "ground": first.size,
        "row_of": rows,
        "joints": rows,
        "pairs": balloons,
        "held": balloons,
    }
    joined: dict[str, Any] = {
        name: np.concatenate([getattr(problem, name) + steps.get(name, 0) * k for k, problem in enumerate(problems)])
        for name in _ARRAYS
    }
    return replace(first, size=first.size * len(problems), **joined)


def _stop_stiffness(problem: Problem) -> Floats:
    return np.asarray(100.0 * problem.gap / KNOT_GAP)


@dataclass(frozen=True, slots=True)
class _Term:
    """Central forces along `direction` (t, 3) between the points at `at_a` and `at_b`, unknowns of their x.

    Only the axes `moves_a` and `moves_b` of these points are unknowns: of a fixed point none, of a knot the height.
    """

    at_a: Ints
    at_b: Ints
    direction: Floats
    distance: Floats
    energy: Floats
    slope: Floats
    curve: Floats
    moves_a: tuple[int, ...] = (0, 1, 2)
    moves_b: tuple[int, ...] = (0, 1, 2)


def _terms(problem: Problem, state: Floats) -> list[_Term]:
    centres = state[problem.balloon_at[:, None] + np.arange(3)]
    terms = [
        _contacts(problem, centres),
        _tethers(problem, state, centres),
        _level(problem, state, centres),
        _pole(problem, centres),
        _turn(problem, centres),
    ]
    return [term for term in terms if len(term.at_b)]


def pressed_skin(overlap: Floats, reach: Floats) -> tuple[Floats, Floats, Floats]:
    """Energy, force and stiffness of skins pressed by `overlap` (t,) mm >= 0, each over their stiffness.

    Linear until the overlap is a third of `reach` (t,) mm, then stiffer: air does not vanish.
    """
    beyond = np.maximum(overlap - STIFF_FROM * reach, 0.0)
    extra = STIFFENING / reach
    return (
        np.asarray(overlap**2 / 2 + extra * beyond**3 / 6),
        np.asarray(overlap + extra * beyond**2 / 2),
        np.asarray(1 + extra * beyond),
    )


def _contacts(problem: Problem, centres: Floats) -> _Term:
    apart = centres.take(problem.pairs[:, 1], axis=0) - centres.take(problem.pairs[:, 0], axis=0)
    squared = np.einsum("ij,ij->i", apart, apart)
    near = np.flatnonzero(squared < problem.pair_reach**2)
    distance = np.maximum(np.sqrt(squared[near]), 1e-9)
    reach, stiffness = problem.pair_reach[near], problem.pair_stiffness[near]
    work, push, curve = pressed_skin(reach - distance, reach)
    return _Term(
        at_a=problem.balloon_at[problem.pairs[near, 0]],
        at_b=problem.balloon_at[problem.pairs[near, 1]],
        direction=apart[near] / distance[:, None],
        distance=distance,
        energy=stiffness * work,
        slope=-stiffness * push,
        curve=stiffness * curve,
    )


def _tethers(problem: Problem, state: Floats, centres: Floats) -> _Term:
    apart = centres.copy()
    apart[:, 2] -= state[problem.knot_at[problem.row_of]]
    distance = np.maximum(np.sqrt((apart**2).sum(axis=1)), 1e-9)
    taut = np.flatnonzero(distance > problem.tether)
    stiffness = TETHER * np.pi * problem.radii[taut]
    stretch = distance[taut] - problem.tether[taut]
    # The knot moves only up and down: its unknown is its height, two before would-be x.
    return _Term(
        at_a=problem.knot_at[problem.row_of[taut]] - 2,
        at_b=problem.balloon_at[taut],
        direction=apart[taut] / distance[taut, None],
        distance=distance[taut],
        energy=stiffness * stretch**2 / 2,
        slope=stiffness * stretch,
        curve=stiffness,
        moves_a=(2,),
    )


def _pole(problem: Problem, centres: Floats) -> _Term:
    apart = centres * [1.0, 1.0, 0.0]
    distance = np.maximum(np.hypot(apart[:, 0], apart[:, 1]), 1e-9)
    overlap = problem.pole_radius + problem.radii - distance
    near = np.flatnonzero(overlap > 0)
    radii = problem.radii[near]
    stiffness = 2 * np.pi * radii
    work, push, curve = pressed_skin(overlap[near], radii)
    return _Term(
        at_a=problem.balloon_at[near],
        at_b=problem.balloon_at[near],
        direction=apart[near] / distance[near, None],
        distance=distance[near],
        energy=stiffness * work,
        slope=-stiffness * push,
        curve=stiffness * curve,
        moves_a=(),
        moves_b=(0, 1),
    )


def _level(problem: Problem, state: Floats, centres: Floats) -> _Term:
    off = centres[:, 2] - state[problem.knot_at[problem.row_of]]
    stiffness = problem.level * np.pi * problem.radii
    return _Term(
        at_a=problem.knot_at[problem.row_of] - 2,
        at_b=problem.balloon_at,
        direction=np.tile([0.0, 0.0, 1.0], (len(off), 1)),
        distance=np.full(len(off), np.inf),
        energy=stiffness * off**2 / 2,
        slope=stiffness * off,
        curve=stiffness,
        moves_a=(2,),
        moves_b=(2,),
    )


def _turn(problem: Problem, centres: Floats) -> _Term:
    off = (centres[problem.held] * problem.tangents).sum(axis=1)
    stiffness = HELD * np.pi * problem.radii[problem.held]
    return _Term(
        at_a=problem.balloon_at[problem.held],
        at_b=problem.balloon_at[problem.held],
        direction=problem.tangents,
        distance=np.full(len(off), np.inf),
        energy=stiffness * off**2 / 2,
        slope=stiffness * off,
        curve=stiffness,
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
        force = sign * term.slope[:, None] * term.direction[:, axes]
        gradient += np.bincount((at[:, None] + axes).ravel(), force.ravel(), problem.size)
    block = _block(term.moves_a, term.moves_b)
    across = term.slope / term.distance
    # Of the symmetric 3 x 3 curvature each entry is worked out once.
    curvature = (term.curve - across)[:, None] * (term.direction[:, _ROW] * term.direction[:, _COLUMN])
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
    short = problem.gap - (state[high] - state[low])
    stiffness = np.where(short > 0, _stop_stiffness(problem), 0.0)
    push = problem.pull - stiffness * np.maximum(short, 0.0)
    np.add.at(gradient, high, push)
    np.add.at(gradient, low, -push)
    gradient[problem.ground] += problem.diameter * state[problem.ground]
    add_springs(problem, hessian, low, high, stiffness)
    hessian[problem.band * problem.size + problem.ground] += problem.diameter


def add_springs(problem: Problem, hessian: Floats, low: Ints, high: Ints, stiffness: Floats) -> None:
    """Add springs between the unknowns `low` < `high` to a flat upper band."""
    diagonal = problem.band * problem.size
    np.add.at(hessian, diagonal + low, stiffness)
    np.add.at(hessian, diagonal + high, stiffness)
    np.add.at(hessian, (problem.band + low - high) * problem.size + high, -stiffness)
