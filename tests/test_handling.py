"""What hands do to a column: test stacks, careless sizing, knocks, poles, balls, contacts."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from kakushi.model.errors import BadInput, Cancelled
from kakushi.model.units import inches
from kakushi.packing.assembly import resting_height
from kakushi.packing.ball import settle_ball
from kakushi.packing.calibration import TestStack, calibrate_packing, stack_size
from kakushi.packing.contacts import contacts, row_measures
from kakushi.packing.dome_remedies import dome_remedies
from kakushi.packing.pole import rows_on_pole
from kakushi.packing.release import domed_after_knock, last_row_comes_up
from kakushi.packing.settle import resettle, settle
from kakushi.packing.stack import Packing, StackRow, default_slack, equal_row
from kakushi.packing.tolerance import height_spread

SNUG = Packing(1.3, 12.5)
D = 216.0


def measured(rows: int, count: int, diameter: float, tau: float, slack: float, off: float = 0.0) -> TestStack:
    blank = TestStack(
        rows=rows, count=count, nominal_in=11, diameter=diameter, height=1.0, width=None, pole_radius=12.5
    )
    height, width = stack_size(blank, tau, slack)
    return dataclasses.replace(blank, height=height + off, width=width - off)


# --- calibration -----------------------------------------------------------------------------


@pytest.mark.parametrize(("tau", "slack"), [(0.7, 0.9), (1.3, 1.15), (1.7, 0.8)])
def test_calibration_predicts_a_long_column(tau: float, slack: float) -> None:
    stacks = [measured(10, 4, D, tau, slack, 2.0), measured(8, 5, 190.0, tau, slack, -2.0)]
    found = calibrate_packing(stacks)
    long = TestStack(rows=25, count=4, nominal_in=11, diameter=D, height=1.0, width=None, pole_radius=12.5)
    true, told = stack_size(long, tau, slack)[0], stack_size(long, found.tau, found.slack)[0]
    assert told == pytest.approx(true, rel=3 * found.height_percent / 100)
    assert told == pytest.approx(true, rel=0.01)
    assert found.slack == pytest.approx(slack, abs=4 * found.slack_sd)
    assert 0 < found.height_percent < 2
    assert max(map(abs, found.misses)) < 8


def test_more_measurements_pool_to_less_doubt() -> None:
    one = measured(6, 4, D, 1.3, 1.0)
    alone = calibrate_packing([dataclasses.replace(one, width=None)])
    many = calibrate_packing([one, measured(12, 4, 190.0, 1.3, 1.0), measured(9, 5, D, 1.3, 1.0)])
    assert many.height_percent < alone.height_percent
    assert many.slack_sd < alone.slack_sd


@pytest.mark.parametrize(
    ("changes", "said"),
    [({"height": 3000.0}, "cannot be right"), ({"height": 200.0}, "cannot be right"), ({"width": 60.0}, "width"),
     ({"rows": 1}, "2 to 60 rows"), ({"count": 9}, "2 to 8")],
)  # fmt: skip
def test_impossible_measurements_are_refused(changes: dict[str, float], said: str) -> None:
    with pytest.raises(BadInput, match=said):
        calibrate_packing([dataclasses.replace(measured(6, 4, D, 1.3, 1.0), **changes)])
    with pytest.raises(BadInput, match="at least one"):
        calibrate_packing([])


# --- size tolerance ---------------------------------------------------------------------------


def test_careless_sizing_spreads_the_height() -> None:
    rows = [equal_row(4, D, 20.0)] * 10
    exact = settle(rows, SNUG)
    sharp, rough = height_spread(rows, SNUG, exact, 1.0), height_spread(rows, SNUG, exact, 4.0)
    assert 0 < sharp.height_sd < rough.height_sd < 60
    assert rough.height_sd == pytest.approx(4 * sharp.height_sd, rel=0.4)
    assert height_spread(rows, SNUG, exact, 1.0).height_sd == sharp.height_sd, "seeded"
    assert height_spread(rows, SNUG, exact, 0.0).height_sd == 0
    vague = height_spread(rows, SNUG, exact, 1.0, height_percent=2.5)
    assert vague.packing_sd == pytest.approx(0.025 * exact.top)
    assert vague.height_sd == pytest.approx(np.hypot(sharp.sizing_sd, vague.packing_sd))
    with pytest.raises(Cancelled):
        height_spread(rows, SNUG, exact, 1.0, cancelled=lambda: True)


def test_the_spread_is_that_of_many_builds() -> None:
    rows = [equal_row(4, d, 18.0) for d in (216.0, 216.0, 203.0, 190.0, 190.0, 203.0)]
    exact = settle(rows, SNUG)
    told = height_spread(rows, SNUG, exact, 2.0)
    rng = np.random.default_rng(99)
    heights = []
    for _ in range(150):
        setting = {d: rng.normal(0, 1.0) for d in (190.0, 203.0, 216.0)}
        built = [
            dataclasses.replace(
                row,
                diameters=tuple(d + setting[d] + e for d, e in zip(row.diameters, rng.normal(0, 2.0, 4), strict=True)),
            )
            for row in rows
        ]
        heights.append(resettle(built, SNUG, exact).top)
    assert told.sizing_sd == pytest.approx(np.std(heights, ddof=1), rel=0.15)
    assert told.shift == pytest.approx(np.mean(heights) - exact.top, abs=1.5)


def test_gaps_open_in_rows_that_just_touch() -> None:
    # So long are the necks that neighbours in a row only just touch.
    touching = [equal_row(4, D, 0.207 * D)] * 5
    loose = Packing(0.08, 12.5)
    found = height_spread(touching, loose, settle(touching, loose), 9.0)
    assert found.gaps.max() > 0.3
    assert found.prone
    exact = height_spread(touching, loose, settle(touching, loose), 0.3)
    assert not exact.prone


def test_settling_again_from_the_last_state_agrees() -> None:
    rows = [equal_row(4, d, 44.0) for d in (216.0, 200.0, 190.0, 180.0, 170.0)]
    held = settle(rows, SNUG)
    edited = [*rows[:2], equal_row(4, 196.0, 45.0), *rows[3:]]
    assert resettle(edited, SNUG, held).top == pytest.approx(settle(edited, SNUG).top, abs=0.01)


# --- doming ----------------------------------------------------------------------------------------


def test_what_pops_and_what_is_said_of_it_agree() -> None:
    def told(count: int, rows: int) -> tuple[bool, bool, bool]:
        stack = [equal_row(count, 0.6 * inches(11), default_slack(11, 0.6 * inches(11)))] * rows
        held = settle(stack, SNUG)
        return (
            bool(held.flat.all()),
            bool(domed_after_knock(stack, SNUG, held).any()),
            last_row_comes_up(stack, SNUG, held),
        )

    assert told(4, 1) == told(4, 2) == told(4, 5) == (True, False, False)
    flat, pops, _ = told(6, 1)
    assert (flat, pops) == (False, True)
    assert told(6, 6) == (True, False, True)


def test_what_holds_a_domed_row_down() -> None:
    quads = [equal_row(4, D, 16.0)] * 3
    six = equal_row(6, D, 16.0)
    last = dome_remedies([*quads, six], 3, SNUG)
    assert not last.row_above or settle([*quads, six, six], SNUG).flat[3]
    if last.tau is not None:
        assert settle([*quads, six], dataclasses.replace(SNUG, tau=last.tau)).flat[3]


# --- poles --------------------------------------------------------------------------------------------


def test_a_pole_takes_a_range_of_rows() -> None:
    rows = [equal_row(4, D, 20.0)] * 10
    top_knot = settle(rows, SNUG).knots[-1]
    found = rows_on_pole(rows, SNUG, top_knot + 20, capped=True, scatter_mm=2.0)
    assert found.fewest <= 10 <= found.most
    assert found.most - found.fewest <= 3
    assert found.bare == pytest.approx(20, abs=2)
    wider = rows_on_pole(rows, SNUG, top_knot + 20, capped=True, scatter_mm=8.0)
    assert wider.most - wider.fewest >= found.most - found.fewest
    loose_end = rows_on_pole(rows, SNUG, top_knot + 20, capped=False, scatter_mm=2.0)
    assert loose_end.most <= found.most
    short = rows_on_pole(rows, SNUG, top_knot * 0.6, capped=True, scatter_mm=2.0)
    assert short.most < 10
    assert short.bare < 0


def test_a_smaller_row_covers_what_is_left_of_the_pole() -> None:
    rows = [equal_row(4, D, 20.0)] * 8
    found = rows_on_pole(rows, SNUG, settle(rows, SNUG).knots[-1] + 0.68 * D, capped=True, scatter_mm=1.0)
    assert found.last_diameter is not None
    small = equal_row(4, found.last_diameter, 0.22 * found.last_diameter)
    knot = settle([*rows, small], SNUG).knots[-1]
    end = settle(rows, SNUG).knots[-1] + 0.68 * D
    assert abs(knot - end) < found.last_diameter / 2


# --- contacts and balls ----------------------------------------------------------------------------------


def test_contacts_are_found_between_any_rows() -> None:
    rows = [equal_row(4, D, 20.0), equal_row(4, 90.0, 25.0), equal_row(4, D, 20.0)]
    settled = settle(rows, SNUG)
    found = contacts(settled)
    apart = np.linalg.norm(settled.centres[:, None] - settled.centres[None], axis=2)
    touching = np.triu(apart < settled.radii[:, None] + settled.radii[None] - 1e-6, 1)
    assert len(found.pairs) == touching.sum()
    assert {(int(a), int(b)) for a, b in found.pairs} == {(int(a), int(b)) for a, b in np.argwhere(touching)}
    spans = settled.row_of[found.pairs[:, 1]] - settled.row_of[found.pairs[:, 0]]
    assert 2 in spans, "the spacer lets its neighbours touch"


def test_row_measures_show_ring_squish_and_the_gap_to_the_pole() -> None:
    thick = Packing(1.3, 60.0)
    tight = row_measures(settle([equal_row(4, D, 10.0)] * 4, thick), 60.0)
    wide = row_measures(settle([equal_row(6, D, 90.0)] * 4, SNUG), 12.5)
    assert all(m.gap == 0 for m in tight)
    assert all(m.gap > 40 for m in wide)
    for measure in (*tight, *wide):
        assert 0 < measure.overlap_ratio < 0.3
        assert measure.width > 2 * measure.ring


@pytest.mark.parametrize("count", [8, 10, 12])
def test_balls_settle_all_ways_and_stand(count: int) -> None:
    ball = settle_ball([D] * count, [46.0] * count)
    assert ball.converged
    out = np.linalg.norm(ball.centres, axis=1)
    assert np.ptp(out) < 0.05 * D
    assert np.abs(ball.centres.mean(axis=0)).max() < 0.1 * D
    lowest = np.sort(ball.centres[:, 2])[:3]
    assert np.ptp(lowest) < 0.02 * D, "it stands on three"
    apart = np.linalg.norm(ball.centres[:, None] - ball.centres[None], axis=2) + 9e9 * np.eye(count)
    assert apart.min() > 0.7 * D


def test_a_ball_rests_where_no_move_lowers_its_energy() -> None:
    ball = settle_ball([200.0, 210.0, 220.0, 230.0, 190.0], [30.0] * 5)
    assert ball.converged
    rng = np.random.default_rng(2)
    here = ball_energy(ball.centres, ball.radii)
    for _ in range(20):
        assert ball_energy(ball.centres + rng.normal(0, 0.5, ball.centres.shape), ball.radii) > here


def ball_energy(centres: np.ndarray, radii: np.ndarray) -> float:
    """The law written anew for a ball on one knot: skins, necks of 30 mm, the weak pull."""
    out = np.linalg.norm(centres, axis=1)
    total = (np.pi * radii * (4 * np.maximum(out - radii - 30, 0) ** 2 + 0.02 * out**2) / 2).sum()
    for i in range(len(radii)):
        for j in range(i):
            reach = radii[i] + radii[j]
            overlap = max(reach - np.linalg.norm(centres[i] - centres[j]), 0.0)
            beyond = max(overlap - reach / 3, 0.0)
            total += 2 * np.pi * radii[i] * radii[j] / reach * (overlap**2 / 2 + 40 / reach * beyond**3 / 6)
    return float(total)


def test_a_topper_rests_in_the_hollow_or_on_the_tops() -> None:
    last = settle([equal_row(4, D, 20.0)], SNUG)
    big = resting_height(last.centres, last.shape_radii, 250.0)
    gap = np.linalg.norm(last.centres - [0, 0, big], axis=1) - last.shape_radii - 250.0
    assert gap == pytest.approx(0, abs=1e-6)
    assert resting_height(last.centres, last.shape_radii, 10.0) == pytest.approx(last.top - 10.0)


def test_a_strip_joint_packs_looser_than_a_wrapped_one() -> None:
    row = equal_row(4, D, 20.0)
    wrapped = settle([row] * 6, SNUG)
    strip = settle([row] + [StackRow(row.diameters, row.slacks, packing=0.7)] * 5, SNUG)
    assert strip.top > wrapped.top
