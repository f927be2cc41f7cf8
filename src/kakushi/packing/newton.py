"""Newton's method on the banded Hessian of a stack's energy.

Steps are damped and capped in *relative* motion (balloon against its knot, knot against knot), so that
a long column moves as freely as a short one and a handful of iterations do for any length.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from kakushi.model import errors
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never
from kakushi.packing.energy import add_springs, energies, energy, gradient_and_hessian, overlaps
from kakushi.packing.problem import Problem, side_by_side
from kakushi.packing.settings import NEWTON
from kakushi.packing.stack import Report


class Landscape(Protocol):
    """An energy with a banded Hessian, over unknowns (n,)."""

    @property
    def diameter(self) -> float:
        """Mean diameter, mm: the scale of lengths."""

    def energy(self, state: Floats) -> float:
        """Energy in units of p * mm^3."""

    def gradient_and_hessian(self, state: Floats) -> tuple[Floats, Floats]:
        """Gradient (n,) and upper banded Hessian (band + 1, n)."""

    def springs(self) -> Floats:
        """Band (band + 1, n) of unit springs between unknowns that move relative to each other: damping acts there."""

    def capped(self, step: Floats, most: float) -> Floats:
        """A step in which nothing moves more than `most` mm relative to what it hangs on."""


@dataclass(frozen=True, slots=True)
class Descent:
    """How a descent went: `residual` is the largest unbalanced force over p * D^2."""

    converged: bool
    iterations: int
    residual: float
    energy: float


def descend(
    landscape: Landscape, state: Floats, tolerance: float = NEWTON.tolerance, most: int = NEWTON.max_iterations
) -> tuple[Floats, Descent]:
    """The nearest minimum of the energy downhill from `state`, (n,), and how the way there went.

    Stops when the largest unbalanced force is below `tolerance` times p D^2, or after `most` iterations.
    """
    scale = landscape.diameter**2
    springs = landscape.springs()
    # About a contact’s stiffness over a hundred: a first step that is almost Newton’s own.
    damping = 1e-2 * landscape.diameter
    cap = NEWTON.step_cap * landscape.diameter
    now = landscape.energy(state)
    gradient, hessian = landscape.gradient_and_hessian(state)
    residual = float(np.abs(gradient).max()) / scale
    iterations, failed = 0, False
    while residual > tolerance and iterations < most:
        iterations += 1
        step = _damped_step(gradient, hessian, springs, damping)
        if step is not None:
            trial = state + landscape.capped(step, cap)
            reached = landscape.energy(trial)
        # A rise within rounding of the energy is none: near the minimum there is nothing else.
        if step is None or reached > now + 1e-12 * abs(now):
            damping = max(damping * 8, 1e-9 * landscape.diameter)
            failed = True
            # Steps are then below a billionth of a diameter: no way down is left.
            if damping > 1e9 * landscape.diameter:
                break
            continue
        # After a failed step the next ones would fail as well if damping fell fast.
        damping /= NEWTON.slower if failed else NEWTON.faster
        failed = False
        state, now = trial, reached
        gradient, hessian = landscape.gradient_and_hessian(state)
        residual = float(np.abs(gradient).max()) / scale
    return state, Descent(residual <= tolerance, iterations, residual, now)


@dataclass(frozen=True, slots=True)
class _Whole:
    """A stack with every balloon free, as a landscape."""

    problem: Problem

    @property
    def diameter(self) -> float:
        return self.problem.diameter

    def energy(self, state: Floats) -> float:
        return energy(self.problem, state)

    def gradient_and_hessian(self, state: Floats) -> tuple[Floats, Floats]:
        return gradient_and_hessian(self.problem, state)

    def springs(self) -> Floats:
        return _relative_springs(self.problem)

    def capped(self, step: Floats, most: float) -> Floats:
        return _capped(self.problem, step, most)


def minimise(
    problem: Problem, state: Floats, tolerance: float = NEWTON.tolerance, most: int = NEWTON.max_iterations
) -> tuple[Floats, Report]:
    """Find the balance of a stack with every balloon free, from `state` (n,) mm, and report on it."""
    state, how = descend(_Whole(problem), state, tolerance, most)
    overlap_ratio = overlaps(problem, state) / problem.pair_reach
    # Knots that passed each other are a state no column can have.
    in_order = bool(((np.diff(state[problem.knot_at]) > problem.gap) | problem.may_cross).all())
    worst = float(max(overlap_ratio.max(initial=0.0), 0.0))
    return state, Report(how.converged, how.iterations, how.residual, how.energy, worst, in_order)


def minimise_many(
    problems: Sequence[Problem], states: Floats, tolerance: float, most: int, cancelled: Cancelled = never
) -> tuple[Floats, Floats]:
    """`minimise` for many stacks of one layout at once: the balances (b, n) near `states` (b, n), energies (b,).

    Loosely: those that take more than `most` iterations stay where they came to. Raises `errors.Cancelled`.
    """
    from scipy.linalg.lapack import dpbsv  # noqa: PLC0415 - see `_solved`

    one = problems[0]
    scale, cap, springs = one.diameter**2, NEWTON.step_cap * one.diameter, _relative_springs(one)
    states, damping = states.copy(), np.full(len(states), 1e-2 * one.diameter)
    failed = np.zeros(len(states), dtype=bool)
    going, batch = np.arange(len(states)), side_by_side(problems)
    reached = energies(batch, states.ravel(), one.size)
    for _ in range(most):
        if cancelled():
            raise errors.Cancelled
        gradient, hessian = gradient_and_hessian(batch, states[going].ravel())
        gradient, hessian = gradient.reshape(-1, one.size), hessian.reshape(one.band + 1, -1, one.size)
        unbalanced = np.abs(gradient).max(axis=1) > tolerance * scale
        if not unbalanced.any():
            break
        # What is balanced leaves: the work shrinks with those that still go.
        if not unbalanced.all():
            going, gradient, hessian = going[unbalanced], gradient[unbalanced], hessian[:, unbalanced]
            batch = side_by_side([problems[k] for k in going])
        steps, better = np.zeros((len(going), one.size)), np.zeros(len(going), dtype=bool)
        for k, which in enumerate(going):
            _, step, info = dpbsv(hessian[:, k] + damping[which] * springs, -gradient[k])
            if info == 0:
                steps[k], better[k] = step, True
        trial = states[going] + _capped(one, steps, cap)
        now = energies(batch, trial.ravel(), one.size)
        better &= now <= reached[going] + 1e-12 * np.abs(reached[going])
        damping[going] = np.where(
            better, damping[going] / np.where(failed[going], NEWTON.slower, NEWTON.faster), damping[going] * 8
        )
        failed[going] = ~better
        states[going[better]], reached[going[better]] = trial[better], now[better]
    return states, reached


def first_steps(problems: Sequence[Problem], state: Floats) -> Floats:
    """The first Newton step of every one of many stacks of one layout that are nearly balanced at `state` (n,), (b, n).

    All with the mean of their Hessians, which hardly differ. No step where that is far from positive definite.
    """
    one, batch = problems[0], side_by_side(problems)
    gradients, hessian = gradient_and_hessian(batch, np.tile(state, len(problems)))
    # One factorisation serves all right-hand sides.
    mean = hessian.reshape(one.band + 1, -1, one.size).mean(axis=1)
    springs = _relative_springs(one)
    damping = NEWTON.slight * one.diameter
    for _ in range(NEWTON.max_stiffened):
        steps = _solved(mean + damping * springs, -gradients.reshape(-1, one.size).T)
        if steps is not None:
            return _capped(one, steps.T, NEWTON.step_cap * one.diameter)
        damping *= NEWTON.stiffer
    return np.zeros((len(problems), one.size))


def unstable_modes(problem: Problem, state: Floats) -> Floats:
    """Motions in which a balance does not hold, (k, n), largest entry 1; none where it is a minimum.

    Found by inverse iteration on a few vectors (seeded); the free turning of the whole is not among them.
    """
    from scipy.linalg import LinAlgError, cho_solve_banded, cholesky_banded  # noqa: PLC0415 - see `_solved`

    _, hessian = gradient_and_hessian(problem, state)
    slight = NEWTON.slight * problem.diameter
    if _damped_step(np.zeros(problem.size), hessian, _relative_springs(problem), slight) is not None:
        return np.zeros((0, problem.size))
    vectors = np.random.default_rng(NEWTON.modes_seed).normal(size=(problem.size, NEWTON.modes))
    shift, factor = NEWTON.first_shift * problem.diameter, None
    # Positive definite is what Cholesky needs, and shifting keeps the vectors.
    while factor is None:
        shifted = hessian.copy()
        shifted[-1] += shift
        try:
            factor = cholesky_banded(shifted, check_finite=False)
        except LinAlgError:
            shift *= NEWTON.shift_grows
    for _ in range(NEWTON.mode_iterations):
        vectors = np.linalg.qr(cho_solve_banded((factor, False), vectors, check_finite=False))[0]
    stiffness, mixed = np.linalg.eigh(vectors.T @ _times(hessian, vectors))
    modes = (vectors @ mixed[:, stiffness < -slight]).T
    return np.asarray(modes / np.abs(modes).max(axis=1, keepdims=True, initial=1e-12))


def _times(band: Floats, vectors: Floats) -> Floats:
    """A symmetric matrix in upper band form times `vectors` (n, k)."""
    last = len(band) - 1
    product = band[last][:, None] * vectors
    for offset in range(1, last + 1):
        values = band[last - offset, offset:][:, None]
        product[:-offset] += values * vectors[offset:]
        product[offset:] += values * vectors[:-offset]
    return np.asarray(product)


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
    return _solved(hessian + damping * relative, -gradient)


def _solved(band: Floats, right: Floats) -> Floats | None:
    """The solution of a symmetric banded system, or None where the matrix is not positive definite."""
    # Imported at the first settling: it costs a third of a second, and a window shows before that.
    from scipy.linalg import LinAlgError, solveh_banded  # noqa: PLC0415 - see above

    try:
        return np.asarray(solveh_banded(band, right, check_finite=False))
    except LinAlgError:
        return None


def _capped(problem: Problem, step: Floats, most: float) -> Floats:
    """Cap what each balloon moves against its knot, and each knot against the one below; steps (..., n), mm."""
    knots = step[..., problem.knot_at]
    rises = np.clip(np.diff(knots, prepend=0.0), -most, most)
    moved = np.cumsum(rises, axis=-1)
    limited = np.zeros_like(step)
    limited[..., problem.knot_at] = moved
    at = problem.balloon_at
    own = np.stack([step[..., at], step[..., at + 1], step[..., at + 2] - knots[..., problem.row_of]])
    own *= np.minimum(1.0, most / np.maximum(np.sqrt((own**2).sum(axis=0)), 1e-12))
    limited[..., at], limited[..., at + 1] = own[0], own[1]
    limited[..., at + 2] = own[2] + moved[..., problem.row_of]
    return limited
