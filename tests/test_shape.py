"""Outlines, the match, and the fit judged on the settled column."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from kakushi.model.catalogue import DEFAULT_NOMINALS, Studio
from kakushi.model.errors import BadInput, Cancelled, FitImpossible
from kakushi.model.job import Handle, OutlinePoint, PointsOutline, PresetOutline
from kakushi.model.units import inches
from kakushi.packing.settle import settle
from kakushi.packing.stack import Geometry, Packing, default_slack, equal_row
from kakushi.shape.choices import choices_for
from kakushi.shape.fit import FitRequest, fit, stack_rows
from kakushi.shape.match import match_of
from kakushi.shape.profile import PRESETS, Profile, default_outline, profile_of
from kakushi.shape.programme import best_stack, useful_kinds

SNUG = Packing(0.3, 12.5)
STEP = Studio().sizer_step_mm


def ask(profile: Profile, **changes: object) -> FitRequest:
    return FitRequest(profile, DEFAULT_NOMINALS, STEP, SNUG, **changes)  # type: ignore[arg-type]  # counts or max_sizes, told by name


def straight(width: float, height: float) -> Profile:
    return profile_of(PresetOutline(preset="straight", handles=(Handle(name="width", value=width),)), height)


@pytest.mark.parametrize("name", [p.name for p in PRESETS])
def test_presets_reach_their_handles_and_height(name: str) -> None:
    outline = default_outline(name, 2000)
    profile = profile_of(outline, 2000.0)
    assert profile.height == 2000
    assert (profile.left > 0).all()
    widths = [h.value for h, spec in zip(outline.handles, _specs(name), strict=True) if spec.is_width]
    for width in widths:
        assert np.isclose(profile.left * 2, width, rtol=0.06).any()


def _specs(name: str):
    return next(p.handles for p in PRESETS if p.name == name)


def test_outline_points_stretch_and_refuse_nonsense() -> None:
    points = tuple(OutlinePoint(height_mm=h, left_mm=50, right_mm=80) for h in (10, 20, 30))
    profile = profile_of(PointsOutline(points=points), 500.0)
    assert profile.height == pytest.approx(500)
    assert profile.area == pytest.approx(130 * 500, rel=1e-4)
    flat = tuple(OutlinePoint(height_mm=5, left_mm=9, right_mm=9) for _ in range(2))
    with pytest.raises(BadInput, match="no height"):
        profile_of(PointsOutline(points=flat), 500.0)
    with pytest.raises(BadInput, match="no width"):
        profile_of(PointsOutline(points=tuple(OutlinePoint(height_mm=h, left_mm=0, right_mm=0) for h in (0, 9))), 500.0)
    with pytest.raises(BadInput, match="no outline called"):
        profile_of(PresetOutline(preset="obelisk"), 500.0)


def test_match_of_one_sphere_is_the_ratio_of_areas() -> None:
    r = 200.0
    one = settle([equal_row(2, 2 * r, 0.0)], Packing(0.0))
    sphere = Geometry(
        np.array([[0.0, 0.0, r]]), np.array([r]), one.row_of[:1], one.slot_of[:1], one.knots, one.turns, one.flat,
        one.softest, one.report,
    )  # fmt: skip
    found = match_of(sphere, straight(2 * r, 2 * r))
    assert found.mean == pytest.approx(np.pi / 4, abs=0.01)
    assert match_of(sphere, straight(4 * r, 2 * r)).mean == pytest.approx(np.pi / 8, abs=0.01)
    assert len(found.by_azimuth) == 12
    assert found.worst == pytest.approx(found.mean, abs=0.01)


def test_match_sees_both_sides_of_an_asymmetric_outline() -> None:
    column = settle([equal_row(4, 216.0, 50.0)] * 8, SNUG)
    z = np.array([0.0, column.top])
    even = Profile(z, np.array([250.0, 250.0]), np.array([250.0, 250.0]))
    skew = Profile(z, np.array([150.0, 150.0]), np.array([350.0, 350.0]))
    assert match_of(column, skew).mean < match_of(column, even).mean - 0.1


@pytest.mark.parametrize(
    ("name", "height"), [("cone", 1600.0), ("vase", 2100.0), ("hourglass", 2500.0), ("bottle", 1900.0)]
)
def test_fit_reaches_height_and_outline(name: str, height: float) -> None:
    result = fit(ask(profile_of(default_outline(name, height), height)))
    assert result.geometry.top == pytest.approx(height, abs=8)
    assert result.match.mean > 0.88
    assert result.geometry.report.converged
    again = settle(stack_rows_of(result.rows), SNUG)
    assert again.top == pytest.approx(result.geometry.top, abs=0.01)


def stack_rows_of(rows):
    return [equal_row(r.count, r.diameter_mm, default_slack(r.slots[0].nominal_in, r.diameter_mm)) for r in rows]


def test_fit_keeps_to_what_may_be_used() -> None:
    profile = profile_of(default_outline("vase", 1800), 1800.0)
    nominals = tuple(n for n in DEFAULT_NOMINALS if n.nominal_in in (9, 11))
    result = fit(FitRequest(profile, nominals, STEP, SNUG, (5,), 3))
    assert {row.count for row in result.rows} == {5}
    assert {slot.nominal_in for row in result.rows for slot in row.slots} <= {9, 11}
    assert len({row.slots[0] for row in result.rows}) <= 3
    for row in result.rows:
        steps = row.diameter_mm / STEP
        assert steps == pytest.approx(round(steps), abs=1e-6)


@pytest.mark.parametrize(("most", "cost"), [(6, 0.03), (4, 0.03)])
def test_few_sizes_cost_little(most: int, cost: float) -> None:
    profile = profile_of(default_outline("hourglass", 1900), 1900.0)
    free, capped = fit(ask(profile)), fit(ask(profile, max_sizes=most))
    assert len({row.slots[0] for row in capped.rows}) <= most
    assert capped.match.mean >= free.match.mean - cost
    assert capped.geometry.top == pytest.approx(1900, abs=10)


def test_programme_comes_near_the_best_of_an_exhaustive_search() -> None:
    choices = choices_for(4, (DEFAULT_NOMINALS[2],), STEP, SNUG)
    assert choices is not None
    few = choices.subset(np.array([2, 8, 16]))
    profile = straight(430, 600)
    found = best_stack(few, profile)
    assert found is not None
    settled = {}
    for length in range(2, 6):
        for kinds in itertools.product(range(3), repeat=length):
            ends = (few.diameters[kinds[0]] + few.diameters[kinds[-1]]) / 2
            if abs(few.rise[list(kinds[:-1]), list(kinds[1:])].sum() + ends - 600) < 70:
                settled[kinds] = match_of(settle(stack_rows(few, kinds), SNUG), profile).mean
    assert settled[found.kinds] >= 0.97 * max(settled.values())
    assert len(settled) > 5


def test_impossible_outlines_say_why() -> None:
    with pytest.raises(FitImpossible, match=r"only 8 cm wide.*smallest cluster of 4"):
        fit(ask(straight(80, 1500)))
    tiny = FitRequest(straight(1500, 260), DEFAULT_NOMINALS[-1:], STEP, SNUG)
    with pytest.raises(FitImpossible, match="under 26 cm"):
        fit(tiny)


def test_fit_can_be_stopped() -> None:
    with pytest.raises(Cancelled):
        fit(ask(straight(450, 2000)), cancelled=lambda: True)


def test_useful_kinds_keep_the_fullest_balloons_of_a_diameter() -> None:
    choices = choices_for(4, DEFAULT_NOMINALS, STEP, SNUG)
    assert choices is not None
    kept = useful_kinds(choices, straight(500, 2000))
    at = [k for k in kept if choices.diameters[k] == pytest.approx(inches(9))]
    assert 1 <= len(at) <= 2
    assert min(choices.fill[at]) >= 9 / 12 - 1e-9
