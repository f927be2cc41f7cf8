"""Rows with several balances: placed one by one, alike for near-equal columns, settled again from where they lay."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kakushi.model.groups import Twist
from kakushi.packing.energy import energies, energy, gradient_and_hessian
from kakushi.packing.newton import minimise, minimise_many, unstable_modes
from kakushi.packing.placing import placed_rows
from kakushi.packing.problem import build_problem, side_by_side
from kakushi.packing.settle import resettle, settle, settled_about
from kakushi.packing.stack import Packing, StackRow, default_slack, equal_row
from kakushi.packing.symmetric import settled_alike, spread_out
from kakushi.packing.turns import has_open_joints, likely_steps, start_state, turns_up

SNUG = Packing(1.3, 12.5)
D = 200.0
PLAIN = equal_row(4, D, 22.0)


def mixed(*diameters: float) -> StackRow:
    """A row of eleven-inch balloons sized to these diameters, mm."""
    return StackRow(diameters, tuple(default_slack(11, d) for d in diameters))


COLUMNS = {
    "large-small-large-small": [mixed(250, 170, 250, 170)] * 6,
    "large-large-small-small": [mixed(250, 250, 170, 170)] * 6,
    "one large, three small": [mixed(260, 170, 170, 170)] * 6,
    "one pair raised": [mixed(215, 200, 215, 200)] * 6,
    "three sizes": [mixed(250, 200, 170)] * 6,
    "five": [mixed(250, 170, 250, 170, 200)] * 5,
    "duplets": [equal_row(2, D, 46.0)] * 6,
    "large and small duplets": [mixed(250, 180)] * 6,
    "one row of three": [mixed(250, 170, 200)],
    "three rows": [mixed(250, 170, 250, 170)] * 3,
    "among plain rows": [PLAIN] * 3 + [mixed(250, 170, 250, 170)] * 2 + [PLAIN] * 3,
    "half the size": [mixed(250, 125, 250, 125)] * 5,
}


_LIKE_OTHERS = frozenset({"three rows", "one pair raised", "duplets", "one row of three", "among plain rows"})
"""Columns that settle as others of the list do, and are needed elsewhere."""


def begun(rows: list[StackRow], shares: list[float]):
    """Problem and a state for each share of a slot by which the rows are turned, (b, n)."""
    problem = build_problem(rows, SNUG)
    full = np.array([2 * np.pi / row.count for row in rows[1:]])
    return problem, np.stack([start_state(problem, rows, SNUG, turns_up(rows, share * full)) for share in shares])


def spread_of_heights(rows: list[StackRow], packing: Packing, tries: int) -> float:
    """Between a column and columns every balloon of which is off by a hair, mm."""
    rng = np.random.default_rng(1)
    heights = [settle(rows, packing).top]
    for _ in range(tries):
        nearly = [StackRow(tuple(d * (1 + 2e-5 * rng.normal()) for d in row.diameters), row.slacks) for row in rows]
        heights.append(settle(nearly, packing).top)
    return float(np.ptp(heights))


# --- near-equal columns, starts, scales ---------------------------------------------------------


@pytest.mark.parametrize("name", [name for name in COLUMNS if name not in _LIKE_OTHERS])
def test_columns_that_hardly_differ_settle_alike(name: str) -> None:
    assert spread_of_heights(COLUMNS[name], SNUG, 3) < 0.03 * D


@pytest.mark.parametrize(
    ("name", "packing"),
    [
        ("large-large-small-small", Packing(0.05)),
        ("three sizes", Packing(0.05)),
        ("large-small-large-small", Packing(1.7, 12.5)),
        ("large and small duplets", Packing(1.7, 12.5)),
    ],
)
def test_loose_and_tight_columns_settle_alike_too(name: str, packing: Packing) -> None:
    assert spread_of_heights(COLUMNS[name], packing, 2) < 0.02 * D


@pytest.mark.parametrize("name", ["large-small-large-small", "large-large-small-small", "one large, three small"])
@pytest.mark.parametrize("twist", [Twist.RIGHT, Twist.LEFT])
def test_a_chosen_twist_turns_every_joint_the_same_way(name: str, twist: Twist) -> None:
    rows = COLUMNS[name] * 2
    found = settle(rows, SNUG, twist=twist)
    turns = np.degrees(np.diff(found.turns))
    assert found.report.converged
    assert (np.sign(turns) == (1 if twist is Twist.RIGHT else -1)).all()
    assert np.ptp(turns[1:-1]) < 25, "each about as far as the next"


def test_two_crossed_duplets_are_a_quad() -> None:
    found = settle([equal_row(2, D, 16.0)] * 2, SNUG)
    assert found.report.in_order
    assert np.degrees(found.turn_of(1)) == pytest.approx(90, abs=3)
    assert found.knots[1] - found.knots[0] < 0.15 * D


@pytest.mark.parametrize("name", ["one large, three small", "three sizes", "among plain rows"])
def test_mixed_columns_scale_and_turn(name: str) -> None:
    rows = COLUMNS[name]
    found = settle(rows, SNUG)
    larger = [StackRow(tuple(1.5 * d for d in row.diameters), tuple(1.5 * s for s in row.slacks)) for row in rows]
    assert settle(larger, Packing(1.3, 1.5 * 12.5)).top == pytest.approx(1.5 * found.top, rel=1e-4)
    turned = settle(rows, SNUG, 1.0)
    assert turned.top == pytest.approx(found.top, abs=1e-6)
    assert turned.turns - 1.0 == pytest.approx(found.turns, abs=1e-6)


def test_an_edit_far_from_mixed_rows_leaves_them_as_they_lay() -> None:
    rows = [PLAIN] * 8 + [mixed(250, 170, 250, 170)] * 2 + [PLAIN] * 3
    before = settle(rows, SNUG)
    after = settle([equal_row(4, 190.0, 46.0), *rows[1:]], SNUG)
    assert np.diff(after.knots)[4:] == pytest.approx(np.diff(before.knots)[4:], abs=0.5)
    assert np.diff(after.turns)[4:] == pytest.approx(np.diff(before.turns)[4:], abs=0.02)


@pytest.mark.parametrize("off", [1.0, 5.0, 20.0])
def test_settling_from_where_rows_lay_finds_what_the_search_finds(off: float) -> None:
    rows = [mixed(250 - 3 * i, 170 - 2 * i, 250 - 3 * i, 170 - 2 * i) for i in range(8)]
    lay = settle(rows, SNUG)
    edited = [*rows[:4], mixed(238 - off, 162 - off, 238 - off, 162 - off), *rows[5:]]
    assert resettle(edited, SNUG, lay).top == pytest.approx(settle(edited, SNUG).top, abs=0.02 * D)


@pytest.mark.parametrize("count", [4, 5])
def test_what_a_change_of_size_does_is_foreseen(count: int) -> None:
    sizes = np.array([260.0, 240, 240, 200, 170, 150, 150, 170])
    rows = [equal_row(count, d, default_slack(11, d)) for d in sizes]
    lay = settle(rows, SNUG)
    changed = [
        [*rows[:k], equal_row(count, d + off, default_slack(11, d + off)), *rows[k + 1 :]]
        for k, d in enumerate(sizes)
        for off in (-6.35, 6.35)
    ]
    found, exact = list(settled_about(changed, SNUG, lay)), [resettle(stack, SNUG, lay) for stack in changed]
    for about, settled in zip(found, exact, strict=True):
        assert about.radii == pytest.approx(settled.radii)
        assert about.bottom == pytest.approx(0, abs=1e-9)
    moved = np.array([settled.top - lay.top for settled in exact])
    off = np.array([about.top for about in found]) - lay.top - moved
    assert np.abs(off).mean() < 0.25 * np.abs(moved).mean()
    assert np.corrcoef(moved, moved + off)[0, 1] > 0.95


# --- where the search begins --------------------------------------------------------------------


def test_only_rows_with_several_balances_take_time() -> None:
    assert not has_open_joints([PLAIN] * 9)
    assert not has_open_joints([PLAIN, equal_row(4, 150.0, 16.0), PLAIN])
    odd = mixed(250, 170, 250, 170)
    assert has_open_joints([PLAIN] * 6 + [odd] + [PLAIN] * 6)
    assert not has_open_joints([odd, StackRow(odd.diameters, odd.slacks, turn=0.4)])


def test_pinned_turns_are_begun_and_kept_where_they_are_pinned() -> None:
    odd = mixed(250, 170, 250, 170)
    rows = [odd, odd, StackRow(odd.diameters, odd.slacks, turn=1.1), odd]
    assert likely_steps(rows, SNUG)[1] == pytest.approx(1.1)
    assert placed_rows(rows, SNUG).steps[1] == pytest.approx(1.1, abs=0.05)
    found = settle(rows, SNUG)
    assert found.turns[2] - found.turns[1] == pytest.approx(1.1, abs=0.1)


# --- many stacks at once ------------------------------------------------------------------------


@settings(max_examples=15)
@given(st.lists(st.floats(0.05, 0.95), min_size=1, max_size=4), st.sampled_from([0.05, 0.3, 0.8]))
def test_stacks_side_by_side_do_not_touch(shares: list[float], tau: float) -> None:
    rows = [mixed(250, 170, 250, 170), PLAIN, mixed(210, 190, 200)]
    problem, states = begun(rows, shares)
    problem = build_problem(rows, Packing(tau, 12.5))
    many = side_by_side([problem] * len(states))
    each = energies(many, states.ravel(), problem.size)
    assert each == pytest.approx([energy(problem, state) for state in states], rel=1e-12)
    assert energy(many, states.ravel()) == pytest.approx(each.sum(), rel=1e-12)
    gradient, hessian = gradient_and_hessian(many, states.ravel())
    for k, state in enumerate(states):
        own_gradient, own_hessian = gradient_and_hessian(problem, state)
        here = slice(k * problem.size, (k + 1) * problem.size)
        assert gradient[here] == pytest.approx(own_gradient, abs=1e-9 * D**2)
        assert hessian[:, here] == pytest.approx(own_hessian, abs=1e-6 * D)


def test_many_settle_as_each_alone() -> None:
    rows = COLUMNS["large-small-large-small"]
    problem, states = begun(rows, [0.1, 0.35, 0.6, 0.85])
    found, reached = minimise_many([problem] * 4, states, 1e-6, 200)
    for state, lowest, value in zip(states, found, reached, strict=True):
        alone, report = minimise(problem, state, 1e-6)
        assert value == pytest.approx(report.energy, rel=1e-6)
        assert lowest == pytest.approx(alone, abs=0.01 * D)
        assert np.abs(gradient_and_hessian(problem, lowest)[0]).max() < 1e-5 * D**2


def test_too_few_iterations_leave_stacks_where_they_came_to() -> None:
    problem, states = begun(COLUMNS["five"], [0.2, 0.7])
    _, none = minimise_many([problem] * 2, states, 1e-9, 0)
    assert none == pytest.approx([energy(problem, state) for state in states])
    _, some = minimise_many([problem] * 2, states, 1e-9, 12)
    assert (some < none).all()


# --- balances that do not hold ------------------------------------------------------------------


def dense(problem, band: np.ndarray) -> np.ndarray:
    matrix = np.zeros((problem.size, problem.size))
    for off in range(problem.band + 1):
        at = np.arange(problem.size - off)
        matrix[at, at + off] = matrix[at + off, at] = band[problem.band - off, off:]
    return matrix


def test_ways_out_of_a_balance_that_does_not_hold_are_found() -> None:
    # On long necks small rows between large ones would rather give way to one side.
    large, small = equal_row(4, 250.0, 38.0), equal_row(4, 120.0, 42.0)
    rows = [large, small, large, small, large]
    problem = build_problem(rows, Packing(1.0))
    turns = turns_up(rows, np.full(4, np.pi / 4))
    balance, how = settled_alike(rows, Packing(1.0))
    assert how.converged
    saddle = spread_out(problem, balance, turns)
    _, band = gradient_and_hessian(problem, saddle)
    stiffness = np.linalg.eigvalsh(dense(problem, band))
    modes = unstable_modes(problem, saddle)
    assert len(modes) == (stiffness < -1e-6 * problem.diameter).sum() > 0
    for mode in modes:
        assert np.abs(mode).max() == pytest.approx(1.0)
        assert mode @ dense(problem, band) @ mode < 0
        assert energy(problem, saddle + 0.02 * D * mode) < energy(problem, saddle)
    settled, _ = minimise(problem, saddle + 0.1 * D * modes.sum(axis=0))
    assert not len(unstable_modes(problem, settled))


@pytest.mark.parametrize("count", [3, 4, 5])
def test_a_minimum_has_no_way_out(count: int) -> None:
    rows = [equal_row(count, D, 0.25 * D)] * 5
    problem = build_problem(rows, SNUG)
    balance, _ = settled_alike(rows, SNUG)
    state = spread_out(problem, balance, turns_up(rows, np.full(4, np.pi / count)))
    assert unstable_modes(problem, state).shape == (0, problem.size)
