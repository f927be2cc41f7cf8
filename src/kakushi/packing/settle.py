"""Settle a stack: the minimum of the energy with rows held level."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never
from kakushi.packing.canonical import canonical_form
from kakushi.packing.frames import upright
from kakushi.packing.newton import first_steps, minimise, unstable_modes
from kakushi.packing.problem import Problem, build_problem
from kakushi.packing.release import UNSTABLE_BELOW, softest_modes
from kakushi.packing.search import best_start
from kakushi.packing.stack import Geometry, Packing, Report, StackRow, angle_of
from kakushi.packing.symmetric import are_alike, settled_alike, spread_out
from kakushi.packing.turns import likely_steps, open_runs, start_state, turns_up

# Of the diameter, off level: what nobody sees.
FLAT_WITHIN = 0.05
# Of D: a step down from a saddle, or the solver would take dozens of small ones.
FALL = 0.1
_EMPTY_REPORT = Report(True, 0, 0.0, 0.0, 0.0, True)


def resettle(rows: Sequence[StackRow], packing: Packing, near: Geometry) -> Geometry:
    """Settled geometry of `rows` that differ little from those of `near` (same counts), from where they lay.

    A few iterations; but where sizes differ much a row may stay in a hollow that `settle` would leave.
    """
    problem = build_problem(rows, packing, turns=near.turns)
    state, report = minimise(problem, _unknowns(problem, near))
    return geometry_of(problem, state, near.turns, report)


def settled_about(stacks: Sequence[Sequence[StackRow]], packing: Packing, near: Geometry) -> list[Geometry]:
    """About where the balloons of `stacks` (at least one) come to lie, each little different from `near`.

    To first order, by one Newton step (`newton.first_steps`); only centres, radii and knots are those of the stack,
    the rest is of `near`.
    """
    problems = [build_problem(rows, packing, turns=near.turns) for rows in stacks]
    one = problems[0]
    state = _unknowns(one, near)
    geometries = []
    for problem, step in zip(problems, first_steps(problems, state), strict=True):
        moved = state + step
        centres = moved[one.balloon_at[:, None] + np.arange(3)]
        low = np.array([0.0, 0.0, (centres[:, 2] - problem.radii).min()])
        geometries.append(
            replace(near, centres=centres - low, radii=problem.radii, frames=upright(moved[one.knot_at] - low[2]))
        )
    return geometries


def _unknowns(problem: Problem, near: Geometry) -> Floats:
    """The solver's unknowns, (n,), of balloons that lie as in `near`."""
    state: Floats = np.zeros(problem.size)
    state[problem.knot_at] = near.knots - near.knots[0]
    state[problem.balloon_at[:, None] + np.arange(3)] = near.centres - [0.0, 0.0, near.knots[0]]
    return state


def settle(
    rows: Sequence[StackRow],
    packing: Packing,
    foot_angle: float = 0.0,
    search: bool = True,
    cancelled: Cancelled = never,
) -> Geometry:
    """Settled geometry of `rows`, foot first; slot 1 of row 1 at `foot_angle` (radians).

    Where rows have several balances the lowest of several starts is taken; without `search` the likely one.

    The lowest balloon stands on z = 0. Does not raise when the solver fails to converge:
    see `Geometry.report`. Without rows the geometry is empty. Raises `errors.Cancelled` while it searches.
    """
    if not rows:
        return _empty()
    if search and open_runs(rows):
        return _searched(rows, packing, foot_angle, cancelled)
    turns = turns_up(rows, likely_steps(rows, packing))
    problem = build_problem(rows, packing, turns=turns)
    if are_alike(rows):
        state, report = _settled_as_one(problem, rows, packing, turns)
    else:
        state, report = minimise(problem, start_state(problem, rows, packing, turns))
    return geometry_of(problem, state, turns + foot_angle, report)


def _searched(rows: Sequence[StackRow], packing: Packing, foot_angle: float, cancelled: Cancelled) -> Geometry:
    """The lowest of several balances of a column that has many."""
    image = canonical_form(rows)
    # All symmetry images are settled as one of them: a mirrored column has exactly the mirrored geometry.
    settled = image.rows(rows) if image else rows
    start, turns = best_start(settled, packing, cancelled)
    problem = build_problem(settled, packing, turns=turns)
    state, report = minimise(problem, start)
    if image:
        turns = image.turns_back(turns)
        state, problem = image.state_back(problem, state), build_problem(rows, packing, turns=turns)
    return geometry_of(problem, state, turns + foot_angle, report)


def _settled_as_one(
    problem: Problem, rows: Sequence[StackRow], packing: Packing, turns: Floats
) -> tuple[Floats, Report]:
    """Rows that are alike all round; where that balance does not hold, the one beside it that does."""
    balance, how = settled_alike(rows, packing)
    state = spread_out(problem, balance, turns)
    if how.converged:
        # A step down each way out: left on the saddle, the solver would take dozens of small ones.
        state += FALL * problem.diameter * unstable_modes(problem, state).sum(axis=0)
    state, report = minimise(problem, state)
    return state, replace(report, iterations=report.iterations + how.iterations)


def _empty() -> Geometry:
    none = np.zeros(0)
    whole = np.zeros(0, dtype=np.int64)
    return Geometry(
        centres=np.zeros((0, 3)),
        radii=none,
        row_of=whole,
        slot_of=whole,
        frames=upright(none),
        turns=none,
        flat=np.zeros(0, dtype=bool),
        softest=none,
        report=_EMPTY_REPORT,
    )


def _turned_back(centres: Floats, foot: float) -> Floats:
    """The centres turned as a whole so that slot 1 of row 1 is at the angle `foot`.

    Nothing in the energy holds the whole column against turning, so the solver may turn it.
    """
    x, y = centres[0, 0], centres[0, 1]
    # A balloon on the centreline has no angle.
    if np.hypot(x, y) < 1e-9:
        return centres
    off = foot - float(angle_of(x, y))
    c, s = np.cos(off), np.sin(off)
    return np.asarray(centres @ np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]]))


def geometry_of(problem: Problem, state: Floats, turns: Floats, report: Report) -> Geometry:
    """The solver's unknowns as a geometry that stands on z = 0."""
    centres = _turned_back(state[problem.balloon_at[:, None] + np.arange(3)], turns[0])
    knots = state[problem.knot_at].copy()
    off = np.abs(centres[:, 2] - knots[problem.row_of]) / (2 * problem.radii)
    # A row is as flat as its worst balloon.
    worst = np.zeros(len(knots))
    np.maximum.at(worst, problem.row_of, off)
    low = float((centres[:, 2] - problem.radii).min())
    centres[:, 2] -= low
    firsts = centres[problem.slot_of == 0]
    near = angle_of(firsts[:, 0], firsts[:, 1])
    # Full turns are kept from the start: rows count them, angles cannot.
    turned = turns + np.angle(np.exp(1j * (near - turns)))
    softest = softest_modes(problem, state)
    flat = (worst <= FLAT_WITHIN) & (softest > UNSTABLE_BELOW)
    return Geometry(
        centres=centres,
        radii=problem.radii,
        row_of=problem.row_of,
        slot_of=problem.slot_of,
        frames=upright(knots - low),
        turns=turned,
        flat=flat,
        softest=softest,
        report=report,
    )
