"""Settle a stack: the minimum of the energy with rows held level.

Newton's method on the banded Hessian. Steps are damped and capped in *relative* motion
(balloon against its knot, knot against knot), so that a long column moves as freely as a
short one and a handful of iterations do for any length.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kakushi.packing.energy import Problem, add_springs, build_problem, energy, gradient_and_hessian, overlaps
from kakushi.packing.release import UNSTABLE_BELOW, softest_modes
from kakushi.packing.stack import (
    Floats,
    Geometry,
    Packing,
    Report,
    StackRow,
    angle_of,
    place,
    ring_radii,
    rises_for_turns,
)

TOLERANCE = 1e-9
MOST_ITERATIONS = 200
STEP_CAP = 0.2
FLAT_WITHIN = 0.05
_TURNS_TRIED = 24
_OFF_SYMMETRY = 0.01
_SAMPLE_ROWS = 5
_TURNS_SETTLED = 6
_EMPTY_REPORT = Report(True, 0, 0.0, 0.0, 0.0, True)


def settle(rows: Sequence[StackRow], packing: Packing, foot_angle: float = 0.0) -> Geometry:
    """Settled geometry of `rows`, foot first; slot 1 of row 1 at `foot_angle` (radians).

    The lowest balloon stands on z = 0. Does not raise when the solver fails to converge:
    see `Geometry.report`. Without rows the geometry is empty.
    """
    if not rows:
        return _empty()
    problem = build_problem(rows, packing)
    turns = _start_turns(rows, packing)
    state, report = _newton(problem, _start(problem, rows, packing, turns))
    return _geometry(problem, state, turns + foot_angle, report)


def _empty() -> Geometry:
    none = np.zeros(0)
    whole = np.zeros(0, dtype=np.int64)
    return Geometry(np.zeros((0, 3)), none, whole, whole, none, none, np.zeros(0, dtype=bool), none, _EMPTY_REPORT)


def _start_turns(rows: Sequence[StackRow], packing: Packing) -> Floats:
    """Angle of slot 1 per row from row 1's, each the first at or anticlockwise of slot 1 below."""
    turns = [rows[0].turn or 0.0]
    for low, high in pairwise(rows):
        turns.append(turns[-1] + (_nesting_turn(low, high, packing) if high.turn is None else high.turn))
    return np.array(turns)


@lru_cache(maxsize=2048)
def _nesting_turn(low: StackRow, high: StackRow, packing: Packing) -> float:
    """The turn in [0, 2 pi / n) at which `high` settles lowest in energy on `low`.

    Equal balloons nest half a slot round. Otherwise turns are ranked by the rise at which the two
    rows touch; where sizes differ within a row, the best few are settled as short sample stacks,
    since the touching rise alone misjudges how balloons make room for each other.
    """
    even = low.is_uniform and high.is_uniform and min(low.count, high.count) > 2
    if even and low.count == high.count:
        return float(np.pi / high.count)
    tried = np.arange(_TURNS_TRIED) * 2 * np.pi / high.count / _TURNS_TRIED
    rises = rises_for_turns(low, high, tried, packing.pole_radius) / high.mean_diameter
    # Rounded, so that equal turns tie exactly, whatever the scale.
    ranked = tried[np.argsort(np.round(rises, 9), kind="stable")]
    # Off the symmetric point, so that no start is a saddle.
    if even:
        return float(ranked[0]) + _OFF_SYMMETRY
    sample = (low, high) if low != high else (low,) * _SAMPLE_ROWS
    problem = build_problem(sample, packing)
    spread = sorted({*ranked[:_TURNS_SETTLED].tolist(), *tried[:: _TURNS_TRIED // _TURNS_SETTLED].tolist()})
    energies = [_sample_energy(problem, sample, packing, turn + _OFF_SYMMETRY) for turn in spread]
    return float(spread[int(np.argmin(np.round(energies, 6)))]) + _OFF_SYMMETRY


def _sample_energy(problem: Problem, sample: Sequence[StackRow], packing: Packing, turn: float) -> float:
    """Energy of a settled sample stack in which each row is turned by `turn`, over p D^3."""
    report = _newton(problem, _start(problem, sample, packing, np.arange(len(sample)) * turn))[1]
    return report.energy / problem.diameter**3


def _start(problem: Problem, rows: Sequence[StackRow], packing: Packing, turns: Floats) -> Floats:
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


def _newton(problem: Problem, state: Floats) -> tuple[Floats, Report]:
    scale = problem.diameter**2
    relative = _relative_springs(problem)
    damping = 1e-2 * problem.diameter
    now = energy(problem, state)
    gradient, hessian = gradient_and_hessian(problem, state)
    residual = float(np.abs(gradient).max()) / scale
    iterations = 0
    while residual > TOLERANCE and iterations < MOST_ITERATIONS:
        iterations += 1
        step = _damped_step(gradient, hessian, relative, damping)
        if step is not None:
            trial = state + _capped(problem, step)
            reached = energy(problem, trial)
        if step is None or reached > now + 1e-12 * abs(now):
            damping = max(damping * 8, 1e-9 * problem.diameter)
            if damping > 1e9 * problem.diameter:
                break
            continue
        damping /= 20
        state, now = trial, reached
        gradient, hessian = gradient_and_hessian(problem, state)
        residual = float(np.abs(gradient).max()) / scale
    squish = overlaps(problem, state) / problem.pair_reach
    in_order = bool((np.diff(state[problem.knot_at]) > problem.gap).all())
    worst = float(max(squish.max(initial=0.0), 0.0))
    return state, Report(residual <= TOLERANCE, iterations, residual, now, worst, in_order)


def _relative_springs(problem: Problem) -> Floats:
    """Band of unit springs balloon-knot and knot-knot: what damping acts on."""
    flat = np.zeros((problem.band + 1) * problem.size)
    knots = problem.knot_at[problem.row_of]
    ones = np.ones(len(knots))
    diagonal = problem.band * problem.size
    for axis in (0, 1):
        np.add.at(flat, diagonal + problem.balloon_at + axis, ones)
    add_springs(problem, flat, knots, problem.balloon_at + 2, ones)
    add_springs(problem, flat, problem.knot_at[:-1], problem.knot_at[1:], np.ones(len(problem.knot_at) - 1))
    return flat.reshape(problem.band + 1, problem.size)


def _damped_step(gradient: Floats, hessian: Floats, relative: Floats, damping: float) -> Floats | None:
    """The step -(H + damping * M)^-1 g, or None where that matrix is not positive definite."""
    # Imported at the first settling: it costs a third of a second, and a window shows before that.
    from scipy.linalg import LinAlgError, solveh_banded  # noqa: PLC0415

    try:
        return np.asarray(solveh_banded(hessian + damping * relative, -gradient, check_finite=False))
    except LinAlgError:
        return None


def _capped(problem: Problem, step: Floats) -> Floats:
    """Cap what each balloon moves against its knot, and each knot against the one below."""
    most = STEP_CAP * problem.diameter
    knots = step[problem.knot_at]
    rises = np.clip(np.diff(knots, prepend=0.0), -most, most)
    moved = np.cumsum(rises)
    capped = np.zeros_like(step)
    capped[problem.knot_at] = moved
    at = problem.balloon_at
    own = np.stack([step[at], step[at + 1], step[at + 2] - knots[problem.row_of]], axis=1)
    length = np.sqrt((own**2).sum(axis=1))
    own *= np.minimum(1.0, most / np.maximum(length, 1e-12))[:, None]
    capped[at], capped[at + 1] = own[:, 0], own[:, 1]
    capped[at + 2] = own[:, 2] + moved[problem.row_of]
    return capped


def _turned_back(centres: Floats, foot: float) -> Floats:
    """The centres turned as a whole so that slot 1 of row 1 is at the angle `foot`.

    Nothing in the energy holds the whole column against turning, so the solver may turn it.
    """
    x, y = centres[0, 0], centres[0, 1]
    if np.hypot(x, y) < 1e-9:
        return centres
    off = foot - float(angle_of(x, y))
    c, s = np.cos(off), np.sin(off)
    return np.asarray(centres @ np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]]))


def _geometry(problem: Problem, state: Floats, turns: Floats, report: Report) -> Geometry:
    centres = _turned_back(state[problem.balloon_at[:, None] + np.arange(3)], turns[0])
    knots = state[problem.knot_at].copy()
    off = np.abs(centres[:, 2] - knots[problem.row_of]) / (2 * problem.radii)
    worst = np.zeros(len(knots))
    np.maximum.at(worst, problem.row_of, off)
    low = float((centres[:, 2] - problem.radii).min())
    centres[:, 2] -= low
    firsts = centres[problem.slot_of == 0]
    near = angle_of(firsts[:, 0], firsts[:, 1])
    turned = turns + np.angle(np.exp(1j * (near - turns)))
    softest = softest_modes(problem, state)
    flat = (worst <= FLAT_WITHIN) & (softest > UNSTABLE_BELOW)
    return Geometry(centres, problem.radii, problem.row_of, problem.slot_of, knots - low, turned, flat, softest, report)
