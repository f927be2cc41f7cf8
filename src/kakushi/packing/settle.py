"""Settle a stack: the minimum of the energy with rows held level."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from itertools import islice

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.groups import Twist
from kakushi.model.memo import Cancelled, never
from kakushi.packing.canonical import canonical_form
from kakushi.packing.frames import upright
from kakushi.packing.near import pairs_near_in_height
from kakushi.packing.newton import first_steps, minimise, unstable_modes
from kakushi.packing.placing import placed_rows
from kakushi.packing.problem import Problem, build_problem
from kakushi.packing.release import UNSTABLE_BELOW, softest_modes, unknowns
from kakushi.packing.stack import Geometry, Packing, Report, StackRow, angle_of
from kakushi.packing.swelling import NEAR, swollen_radii
from kakushi.packing.symmetric import are_alike, settled_alike, spread_out
from kakushi.packing.turns import has_open_joints, likely_steps, start_state, turns_up

# Of the diameter, off level: what nobody sees.
FLAT_WITHIN = 0.05
# Of D: a step down from a saddle, or the solver would take dozens of small ones.
FALL = 0.1
# Of the diameter: rounding of balloons that lie alike all round.
_ALIKE = 1e-6
_BLOCK_BALLOONS = 10_000
"""Most balloons settled side by side: about 30 MB, and enough for one factorisation to serve many stacks."""
_EMPTY_REPORT = Report(True, 0, 0.0, 0.0, 0.0, True)


def resettle(rows: Sequence[StackRow], packing: Packing, near: Geometry) -> Geometry:
    """Settled geometry of `rows` that differ little from those of `near` (same counts), from where they lay.

    A few iterations; but where sizes differ much a row may stay in a hollow that `settle` would leave.
    """
    problem = build_problem(rows, packing, turns=near.turns)
    state, report = minimise(problem, unknowns(problem, near))
    return geometry_of(problem, state, near.turns, report)


def settled_about(stacks: Iterable[Sequence[StackRow]], packing: Packing, near: Geometry) -> Iterator[Geometry]:
    """Approximate places of the balloons of `stacks`, each of which differs little from `near`.

    To first order, by one Newton step (`newton.first_steps`); only centres, radii and knots are those of the stack,
    the rest is of `near`, and so is the share by which balloons are swollen. Worked out in blocks.
    """
    swollen = near.shape_radii / near.radii
    rest, batch = iter(stacks), max(_BLOCK_BALLOONS // len(near.radii), 1)
    while block := list(islice(rest, batch)):
        problems = [build_problem(rows, packing, turns=near.turns) for rows in block]
        one = problems[0]
        state = unknowns(one, near)
        for problem, step in zip(problems, first_steps(problems, state), strict=True):
            moved = state + step
            centres = moved[one.balloon_at[:, None] + np.arange(3)]
            shape = problem.radii * swollen
            low = np.array([0.0, 0.0, (centres[:, 2] - shape).min()])
            frames = upright(moved[one.knot_at] - low[2])
            yield replace(near, centres=centres - low, radii=problem.radii, shape_radii=shape, frames=frames)


def settle(
    rows: Sequence[StackRow],
    packing: Packing,
    foot_angle: float = 0.0,
    *,
    twist: Twist = Twist.FREE,
    placed: bool = True,
    cancelled: Cancelled = never,
) -> Geometry:
    """Settled geometry of `rows`, foot first; slot 1 of row 1 at `foot_angle` (radians).

    Where rows have several balances they are `placed` one by one (`packing.placing`), the way of `twist`; without,
    settling begins from the likely turns, which is quicker.

    The lowest balloon stands on z = 0. Does not raise when the solver fails to converge:
    see `Geometry.report`. Without rows the geometry is empty. Raises `errors.Cancelled` while rows are placed.
    """
    if not rows:
        return _empty()
    if placed and has_open_joints(rows):
        return _settled_as_placed(rows, packing, foot_angle, twist, cancelled)
    turns = turns_up(rows, likely_steps(rows, packing))
    problem = build_problem(rows, packing, turns=turns)
    if are_alike(rows):
        state, report = _settled_as_one(problem, rows, packing, turns)
    else:
        state, report = minimise(problem, start_state(problem, rows, packing, turns))
    return geometry_of(problem, state, turns + foot_angle, report)


def _settled_as_placed(
    rows: Sequence[StackRow], packing: Packing, foot_angle: float, twist: Twist, cancelled: Cancelled
) -> Geometry:
    """The balance that rows placed one by one come to."""
    image = canonical_form(rows, twist)
    # All symmetry images are settled as one of them: a mirrored column has exactly the mirrored geometry.
    settled = image.rows(rows) if image else rows
    placed = placed_rows(settled, packing, twist, cancelled)
    turns = turns_up(settled, placed.steps)
    if twist is not Twist.FREE:
        settled = [
            settled[0],
            *(replace(row, turn=float(step)) for row, step in zip(settled[1:], placed.steps, strict=True)),
        ]
    problem = build_problem(settled, packing, turns=turns)
    state, report = minimise(problem, placed.state)
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
        shape_radii=none,
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
    turn = foot - float(angle_of(x, y))
    c, s = np.cos(turn), np.sin(turn)
    return np.asarray(centres @ np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]]))


def geometry_of(problem: Problem, state: Floats, turns: Floats, report: Report) -> Geometry:
    """The solver's unknowns as a geometry that stands on z = 0."""
    centres = _turned_back(state[problem.balloon_at[:, None] + np.arange(3)], turns[0])
    knots = state[problem.knot_at].copy()
    tilt = np.abs(centres[:, 2] - knots[problem.row_of]) / (2 * problem.radii)
    # A row is as flat as its worst balloon.
    worst = np.zeros(len(knots))
    np.maximum.at(worst, problem.row_of, tilt)
    shape = _swollen(problem, centres)
    low = float((centres[:, 2] - shape).min())
    centres[:, 2] -= low
    firsts = centres[problem.slot_of == 0]
    near = angle_of(firsts[:, 0], firsts[:, 1])
    # Full turns are kept from the start, joint by joint: rows count them, angles cannot.
    steps = np.diff(turns, prepend=0.0)
    turned = np.cumsum(steps + np.angle(np.exp(1j * (np.diff(near, prepend=0.0) - steps))))
    softest = softest_modes(problem, state)
    flat = (worst <= FLAT_WITHIN) & (softest > UNSTABLE_BELOW)
    return Geometry(
        centres=centres,
        radii=problem.radii,
        shape_radii=shape,
        row_of=problem.row_of,
        slot_of=problem.slot_of,
        frames=upright(knots - low),
        turns=turned,
        flat=flat,
        softest=softest,
        report=report,
    )


def _swollen(problem: Problem, centres: Floats) -> Floats:
    """Radii of the swollen balloons, (n,) mm; of rows that lie alike all round one balloon each is worked out."""
    out = np.hypot(centres[:, 0], centres[:, 1])
    seats = np.stack([out, centres[:, 2], problem.radii], axis=1)
    firsts = np.flatnonzero(problem.slot_of == 0)
    counts = np.bincount(problem.row_of)
    alike = bool((counts == counts[0]).all()) and np.abs(seats - seats[firsts][problem.row_of]).max() < (
        _ALIKE * problem.diameter
    )
    pairs = pairs_near_in_height(centres[:, 2], NEAR * 2 * float(problem.radii.max()))
    return swollen_radii(centres, problem.radii, pairs, problem.row_of if alike else None)
