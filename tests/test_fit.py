"""The fit: judged on the settled column, against exhaustive and greedy choice, and under every control."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from kakushi.model.catalogue import DEFAULT_NOMINALS, Sizer, Studio
from kakushi.model.errors import Cancelled, FitImpossible
from kakushi.model.groups import Row, Slot, uniform_row
from kakushi.model.outline import Handle, PresetOutline
from kakushi.model.units import UnitSystem, inches
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing, default_slack, equal_row, stack_row
from kakushi.shape.choices import RowKinds, choices_for
from kakushi.shape.fit import alternatives, fit
from kakushi.shape.fit_result import FitResult
from kakushi.shape.judge import FitRequest, PinnedRow, judge
from kakushi.shape.match import match_of
from kakushi.shape.presets import default_outline
from kakushi.shape.profile import Profile, monotone_curve, profile_of
from kakushi.shape.report import half_widths
from kakushi.shape.rises import corrected_rises
from kakushi.shape.row_programme import best_stack, change_penalties, stack_cost, useful_kinds
from kakushi.shape.sizes import best_sets, set_costs
from kakushi.shape.tuning import predicted_span, tuned
from kakushi.words.fit import note_words, reason_words

SNUG = Packing(1.3, 12.5)
SIZER = Studio().sizer
ELEVEN = DEFAULT_NOMINALS[2]


def said(result: FitResult) -> list[str]:
    return [note_words(note, UnitSystem.METRIC) for note in result.notes]


def ask(profile: Profile, **changes: object) -> FitRequest:
    return FitRequest(profile, DEFAULT_NOMINALS, SIZER, SNUG, **changes)  # type: ignore[arg-type]  # told by name


def straight(width: float, height: float) -> Profile:
    return profile_of(PresetOutline(preset="straight", handles=(Handle(name="width", value=width),)), height)


def vase(height: float = 1800.0) -> Profile:
    return profile_of(default_outline("vase", height), height)


def pear(height: float) -> Profile:
    z, half = np.array([0, 0.1, 0.35, 0.65, 0.9, 1.0]), np.array([150.0, 260, 300, 190, 150, 110]) * height / 2000
    at = np.linspace(0, 1, 200)
    return Profile(at * height, curve := monotone_curve(z, half, at), curve)


def mushroom(height: float) -> Profile:
    z = np.array([0, 0.6, 0.62, 0.75, 0.9, 1.0]) * height
    half = np.array([100.0, 85.0, 280.0, 310.0, 230.0, 90.0]) * height / 1600
    return Profile(z, half, half)


@pytest.mark.parametrize(
    ("name", "height"), [("cone", 1600.0), ("vase", 2100.0), ("hourglass", 2500.0), ("bottle", 1900.0)]
)
def test_fit_reaches_height_and_outline(name: str, height: float) -> None:
    result = fit(ask(profile_of(default_outline(name, height), height)))
    assert result.geometry.top == pytest.approx(height, abs=8)
    assert result.match.mean > 0.9
    assert result.geometry.report.converged
    assert not result.notes
    again = settle([stack_row(row, SNUG) for row in result.rows], SNUG)
    assert again.top == pytest.approx(result.geometry.top, abs=0.01)


@pytest.mark.parametrize("height", [1700.0, 2200.0])
def test_stepped_outlines_keep_height_and_match(height: float) -> None:
    result = fit(ask(mushroom(height)))
    assert result.match.mean > 0.81
    assert result.geometry.top == pytest.approx(height, abs=10)
    assert (np.diff(result.geometry.knots) > 0).all()


def goblet(height: float) -> Profile:
    z = np.array([0, 0.06, 0.1, 0.53, 0.62, 1.0]) * height
    return Profile(z, half := np.array([250.0, 250.0, 80.0, 75.0, 280.0, 310.0]) * height / 1700, half)


@pytest.mark.parametrize(("outline", "height"), [(goblet, 2300.0), (mushroom, 2400.0)])
def test_rows_that_would_be_swallowed_are_not_tried_again(outline, height: float) -> None:
    result = fit(ask(outline(height)))
    assert result.match.mean > 0.86
    assert result.geometry.top == pytest.approx(height, abs=10)
    d = np.array([row.diameter_mm for row in result.rows])
    assert (np.diff(result.geometry.knots) > 0.3 * np.minimum(d[1:], d[:-1])).all()


def test_a_swallowed_pair_and_those_near_it_are_refused() -> None:
    choices = choices_for(4, (DEFAULT_NOMINALS[0], DEFAULT_NOMINALS[6]), Sizer(step_mm=20.0), SNUG)
    assert choices is not None
    d = choices.diameters
    small, large = int(np.argmin(d)), int(np.argmax(d))
    seen = judge(ask(straight(400, 1500)), choices, (small, large, small, large))
    rises = np.diff(seen.geometry.knots)
    lost = rises <= 0.3 * d[small]
    assert lost.any(), "a small row between large ones is swallowed"
    assert not seen.is_sound
    table = corrected_rises(choices, [seen])
    refused = {(seen.kinds[k], seen.kinds[k + 1]) for k in np.flatnonzero(lost)}
    assert all(table[pair] == 0 for pair in refused)
    near = np.abs(np.log(d / d[small])) < 0.04
    assert all((table[near, high] == 0).all() for low, high in refused if low == small)
    same = np.arange(len(d))
    assert (table[same, same] > 0).all(), "rows of one size are not refused"


@pytest.mark.parametrize("outline", [straight(450, 1700), vase(1900), pear(1600)], ids=["straight", "vase", "pear"])
def test_the_programme_s_stack_costs_what_it_says_and_less_than_those_beside_it(outline: Profile) -> None:
    choices, _, _ = begun(outline)
    stack = best_stack(choices, outline)
    assert stack is not None
    assert stack_cost(choices, outline, stack.kinds) == pytest.approx(stack.cost, rel=1e-4)
    rng = np.random.default_rng(6)
    for _ in range(20):
        row, kind = rng.integers(len(stack.kinds)), int(rng.integers(len(choices.diameters)))
        beside = (*stack.kinds[:row], kind, *stack.kinds[row + 1 :])
        assert stack_cost(choices, outline, beside) >= stack.cost * (1 - 1e-4)


@pytest.mark.parametrize("most", [2, 3, 5])
def test_exchanges_only_make_a_set_better(most: int) -> None:
    profile = vase()
    every = choices_for(4, DEFAULT_NOMINALS[:4], SIZER, SNUG)
    assert every is not None
    choices = every.subset(useful_kinds(every, profile))
    stack = best_stack(choices, profile)
    assert stack is not None
    chosen = best_sets(most=most, choices=choices, stack=stack, profile=profile)[0]
    assert len(chosen) <= most
    used = np.unique(stack.kinds)
    rng = np.random.default_rng(2)
    some = np.stack([rng.choice(used, min(most, len(used)), replace=False) for _ in range(20)])
    assert set_costs(choices, chosen[None, :], profile)[0] <= set_costs(choices, some, profile).min() + 1e-9


def test_fit_keeps_to_what_may_be_used() -> None:
    nominals = tuple(n for n in DEFAULT_NOMINALS if n.nominal_in in (9, 11))
    result = fit(FitRequest(vase(), nominals, SIZER, SNUG, (5,), 3))
    assert {row.count for row in result.rows} == {5}
    assert {slot.nominal_in for row in result.rows for slot in row.slots} <= {9, 11}
    assert result.size_count <= 3
    for row in result.rows:
        steps = row.diameter_mm / SIZER.step_mm
        assert steps == pytest.approx(round(steps), abs=1e-6)


def test_a_sizer_with_holes_gives_only_those_diameters() -> None:
    holes = (150.0, 171.0, 190.0, 214.0, 232.0, 251.0)
    result = fit(FitRequest(vase(), DEFAULT_NOMINALS, Sizer(holes_mm=holes), SNUG))
    assert {row.diameter_mm for row in result.rows} <= set(holes)


@pytest.mark.parametrize(("most", "cost", "outline", "height"), [
    (6, 0.03, "hourglass", 1900.0), (4, 0.02, "bottle", 2300.0), (6, 0.03, "pear", 1700.0),
])  # fmt: skip
def test_few_sizes_cost_little(most: int, cost: float, outline: str, height: float) -> None:
    profile = pear(height) if outline == "pear" else profile_of(default_outline(outline, height), height)
    free, capped = fit(ask(profile)), fit(ask(profile, max_sizes=most))
    assert capped.size_count <= most
    assert capped.match.mean >= free.match.mean - cost
    assert capped.geometry.top == pytest.approx(height, abs=10)


def begun(profile: Profile):
    """Choices, charges and the programme's first stack for a profile, judged."""
    every = choices_for(4, DEFAULT_NOMINALS, SIZER, SNUG)
    assert every is not None
    choices = every.subset(useful_kinds(every, profile))
    stack = best_stack(choices, profile)
    assert stack is not None
    return choices, change_penalties(choices), judge(ask(profile), choices, stack.kinds)


@pytest.mark.parametrize("whole_sizes", [False, True])
@pytest.mark.parametrize("height", [1500.0, 1900.0])
def test_tuning_makes_a_stack_worth_more(whole_sizes: bool, height: float) -> None:
    choices, penalties, first = begun(mushroom(height))

    def worth(judged) -> float:
        return judged.score - sum(penalties[pair] for pair in itertools.pairwise(judged.kinds))

    (better,) = tuned(ask(mushroom(height)), choices, penalties, first, whole_sizes=whole_sizes)
    assert worth(better) > worth(first)
    assert len(better.kinds) == len(first.kinds)
    if whole_sizes:
        assert better.size_count <= first.size_count
        assert len(set(zip(first.kinds, better.kinds, strict=True))) == len(set(first.kinds)), "sizes move as one"


def test_tuning_leaves_pinned_rows_alone() -> None:
    row = uniform_row(1, 4, 11, 200.0)
    pinned = (PinnedRow(700.0, row),)
    request = ask(vase(), pinned=pinned)
    choices = choices_for(4, DEFAULT_NOMINALS, SIZER, SNUG, ((11, 200.0),))
    assert choices is not None
    last = len(choices.diameters) - 1
    plain = int(np.argmin(np.abs(choices.diameters[:last] - 200)))
    first = judge(request, choices, (plain,) * 4 + (last,) + (plain,) * 5)
    (better,) = tuned(request, choices, change_penalties(choices), first)
    assert better.kinds[4] == last
    assert better.score > first.score


def test_one_size_that_there_is_enough_of() -> None:
    profile = straight(480, 1800)
    (most,) = {slot.nominal_in for row in fit(ask(profile, max_sizes=1)).rows for slot in row.slots}
    short = fit(ask(profile, max_sizes=1, stock=((most, 20),)))
    used = [slot.nominal_in for row in short.rows for slot in row.slots]
    assert used.count(most) <= 20
    assert short.size_count == 1


def test_alternatives_trade_match_for_fewer_sizes_and_keep_pinned_rows() -> None:
    pin = PinnedRow(900.0, uniform_row(7, 4, 11, 243.0))
    found = alternatives(ask(vase(), pinned=(pin,)))
    sizes = [result.size_count for result in found]
    assert sizes == sorted(set(sizes), reverse=True)
    # The pinned size is one more than the few that the others take.
    assert sizes[-1] <= 4 < sizes[0]
    scores = [result.score for result in found]
    assert scores == sorted(scores, reverse=True)
    for result in found:
        assert any(row.slots == pin.row.slots for row in result.rows)
        again = settle([stack_row(row, SNUG) for row in result.rows], SNUG)
        assert again.top == pytest.approx(result.geometry.top, abs=0.01)


def test_costs_of_many_sets_are_those_of_the_programme() -> None:
    choices = few_choices((180.0, 196.0, 220.0, 240.0))
    profile = straight(460, 900)
    sets = np.array(list(itertools.combinations(range(4), 2)))
    costs = set_costs(choices, sets, profile)
    for which, cost in zip(sets, costs, strict=True):
        found = best_stack(choices.subset(which), profile)
        assert found is not None
        assert cost == pytest.approx(found.cost, rel=1e-6)


# --- small cases against every possible stack ------------------------------------------------


def few_choices(diameters: tuple[float, ...]) -> RowKinds:
    choices = choices_for(4, (ELEVEN,), Sizer(holes_mm=diameters), SNUG)
    assert choices is not None
    return choices


def greedy(choices: RowKinds, profile: Profile) -> tuple[int, ...]:
    """Match the width, go up."""
    kinds: list[int] = []
    z = 0.0
    while True:
        last = kinds[-1] if kinds else None
        heights = [
            choices.diameters[k] / 2 if last is None else z + choices.rise[last, k]
            for k in range(len(choices.diameters))
        ]
        wanted = profile.mean_half_width(np.minimum(heights, profile.height))
        best = int(np.argmin(np.abs(choices.half_width - wanted)))
        if kinds and heights[best] + choices.diameters[best] / 2 > profile.height + 30:
            return tuple(kinds)
        kinds.append(best)
        z = float(heights[best])


@pytest.mark.parametrize("seed", [3, 6, 29])
def test_small_fits_equal_an_exhaustive_search_and_beat_greedy_choice(seed: int) -> None:
    rng = np.random.default_rng(seed)
    height = float(rng.uniform(550, 750))
    diameters = tuple(sorted(float(d) for d in rng.choice(np.arange(152, 262, 6), 3, replace=False)))
    half = np.interp(z := np.linspace(0, height, 30), np.linspace(0, height, 4), rng.uniform(150, 290, 4))
    request = FitRequest(Profile(z, half, half), (ELEVEN,), Sizer(holes_mm=diameters), SNUG)
    choices = few_choices(diameters)
    stacks = [k for length in range(1, 7) for k in itertools.product(range(3), repeat=length)]
    near = [k for k in stacks if abs(predicted_span(choices, k) - height) < 0.15 * height]
    scores = [judge(request, choices, kinds).score for kinds in near]
    result = fit(request)
    assert len(scores) > 20
    assert result.score >= max(scores) * 0.995
    assert result.score >= judge(request, choices, greedy(choices, request.profile)).score - 1e-9


# --- controls -----------------------------------------------------------------------------------


def test_pinned_rows_are_kept_exactly() -> None:
    slots = tuple(Slot(nominal_in=11, diameter_mm=d) for d in (220.0, 180.0, 220.0, 180.0))
    pinned = (
        PinnedRow(400.0, Row(key=9, slots=slots, pinned=True)),
        PinnedRow(1200.0, uniform_row(12, 4, 11, 237.0)),
    )
    result = fit(ask(vase(), pinned=pinned))
    kept = [i for i, row in enumerate(result.rows) if row.slots in (slots, pinned[1].row.slots)]
    assert len(kept) == 2
    assert result.rows[kept[0]].slots == slots
    for index, pin in zip(kept, pinned, strict=True):
        assert result.geometry.knots[index] == pytest.approx(pin.height, abs=120)
    assert result.geometry.top == pytest.approx(1800, abs=20)


@pytest.mark.parametrize("rows", [9, 12])
def test_a_fixed_number_of_rows_is_kept(rows: int) -> None:
    result = fit(ask(straight(460, 1900), row_count=rows))
    assert len(result.rows) == rows
    # The nearest possible height, and said so where it is off.
    assert (abs(result.geometry.top - 1900) > 8) == any("the target" in note for note in said(result))


def test_stock_is_respected_or_its_lack_said() -> None:
    free = fit(ask(vase()))
    used = [slot.nominal_in for row in free.rows for slot in row.slots]
    most = max(set(used), key=used.count)
    short = fit(ask(vase(), stock=((most, used.count(most) // 2),)))
    taken = sum(1 for row in short.rows for slot in row.slots if slot.nominal_in == most)
    assert taken <= used.count(most) // 2 or any("there are" in note for note in said(short))
    assert taken < used.count(most)


def test_a_ratio_limit_evens_neighbours() -> None:
    def worst(result) -> float:
        d = np.array([row.diameter_mm for row in result.rows])
        return float(np.maximum(d[1:] / d[:-1], d[:-1] / d[1:]).max())

    free, limited = fit(ask(mushroom(1700.0))), fit(ask(mushroom(1700.0), ratio_limit=1.3))
    assert worst(free) > 1.5
    assert worst(limited) < worst(free)


def test_impossible_wishes_get_the_nearest_and_the_reason() -> None:
    thin = fit(ask(straight(80, 1500)))
    assert any("8 cm wide" in note and "smallest cluster of 4" in note for note in said(thin))
    smallest = min(n.smallest_mm for n in DEFAULT_NOMINALS)
    assert all(row.diameter_mm <= smallest + SIZER.step_mm for row in thin.rows)
    assert thin.misses
    assert all(miss.off > 0 for miss in thin.misses)
    tiny = FitRequest(straight(1500, 260), DEFAULT_NOMINALS[-1:], SIZER, SNUG)
    with pytest.raises(FitImpossible, match="under 26 cm"):
        fit(tiny)


def test_misses_name_the_stretch_and_the_limit() -> None:
    nominals = DEFAULT_NOMINALS[:2]
    result = fit(FitRequest(vase(2300.0), nominals, SIZER, SNUG))
    worst = result.misses[0]
    assert "largest cluster of 4" in reason_words(worst.reason, UnitSystem.METRIC)
    assert worst.off < -0.08
    assert worst.reached < worst.wanted
    middle = np.array([(worst.low + worst.high) / 2])
    assert 2 * half_widths(result.geometry, middle)[0] < worst.wanted


def test_fit_can_be_stopped() -> None:
    with pytest.raises(Cancelled):
        fit(ask(straight(450, 2000)), cancelled=lambda: True)


def test_useful_kinds_keep_the_fullest_balloons_of_a_diameter() -> None:
    choices = choices_for(4, DEFAULT_NOMINALS, SIZER, SNUG)
    assert choices is not None
    kept = useful_kinds(choices, straight(500, 2000))
    at = [k for k in kept if choices.diameters[k] == pytest.approx(inches(9))]
    assert 1 <= len(at) <= 2
    assert min(choices.fill[at]) >= 9 / 12 - 1e-9


def test_a_measured_slack_widens_the_rows() -> None:
    usual = settle([equal_row(4, 216.0, default_slack(11, 216.0))] * 6, SNUG)
    wider = settle([equal_row(4, 216.0, default_slack(11, 216.0, 1.2))] * 6, SNUG)
    assert np.abs(wider.centres[:, :2]).max() > np.abs(usual.centres[:, :2]).max()


# --- straight outlines --------------------------------------------------------------------------


@pytest.mark.parametrize(("width", "height"), [(320, 1500), (380, 2100), (430, 2400), (560, 1900)])
def test_a_straight_outline_gets_rows_of_one_size(width: float, height: float) -> None:
    result = fit(ask(straight(width, height)))
    assert result.size_count == 1
    assert len({row.count for row in result.rows}) == 1
    off = result.geometry.top - height
    assert abs(off) < 25
    assert result.match.mean > 0.91
    assert bool(result.notes) == (abs(off) > 8)
    if result.notes:
        assert ("above" if off > 0 else "below") in said(result)[0]
        assert "To close it" in said(result)[0]


def test_the_worst_side_is_found_between_the_sides_compared() -> None:
    result = fit(ask(vase()))
    profile = vase()
    many = match_of(result.geometry, profile, sides=720, worst_searched=False)
    assert result.match.worst == pytest.approx(many.worst, abs=0.0005)
    for sides in (12, 18, 36):
        assert match_of(result.geometry, profile, sides=sides).mean == pytest.approx(many.mean, abs=0.002)
    assert result.match.mean == pytest.approx(many.mean, abs=0.001)
