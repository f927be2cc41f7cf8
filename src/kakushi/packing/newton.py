"""Newton's method on the banded Hessian of a stack's energy.

Steps are damped and capped in *relative* motion (balloon against its knot, knot against knot), so that
a long column moves as freely as a short one and a handful of iterations do for any length.
"""

from __future__ import annotations

import numpy as np

from kakushi.packing.energy import Problem, add_springs, energy, gradient_and_hessian, overlaps
from kakushi.packing.stack import Floats, Report

TOLERANCE = 1e-9
MOST_ITERATIONS = 200
STEP_CAP = 0.2


def minimise(
    problem: Problem, state: Floats, tolerance: float = TOLERANCE, most: int = MOST_ITERATIONS
) -> tuple[Floats, Report]:
    """The nearest minimum of the energy downhill from `state`, (n,), and how the way there went.

    Stops when the largest unbalanced force is below `tolerance` times p D^2, or after `most` iterations.
    """
    scale = problem.diameter**2
    relative = _relative_springs(problem)
    damping = 1e-2 * problem.diameter
    now = energy(problem, state)
    gradient, hessian = gradient_and_hessian(problem, state)
    residual = float(np.abs(gradient).max()) / scale
    iterations = 0
    while residual > tolerance and iterations < most:
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
    return state, Report(residual <= tolerance, iterations, residual, now, worst, in_order)


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
