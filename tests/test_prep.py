"""Spares against simulation, bags against exhaustive search, calibration against simulated inflators, the sheet."""

from __future__ import annotations

import itertools
import math
import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from added_up import balloons, needed
from kakushi.building.materials import by_rules
from kakushi.building.step import StepKind, Work
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import DEFAULT_NOMINALS, Studio
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import BarePoleGroup, RowsGroup, uniform_row
from kakushi.model.job import Job, Pricing
from kakushi.model.joints import JointKind
from kakushi.model.outline import Handle, PresetOutline
from kakushi.model.parts import Topper, Weight
from kakushi.model.piece import Copy, Piece
from kakushi.model.roles import BalloonRole
from kakushi.model.shares import largest_remainder
from kakushi.model.units import UnitSystem
from kakushi.model.used import Used
from kakushi.model.values import replace
from kakushi.model.wishes import Wishes
from kakushi.model.workshop import (
    Bag,
    Inflator,
    ItemRule,
    PopRecord,
    Rates,
    StockItem,
    TrialPoint,
    Trials,
)
from kakushi.plan.pipeline import plan
from kakushi.sim.inflators import (
    PRACTICE_TIMER,
    Character,
    DeviceFailed,
    EventKind,
    NozzleEvent,
    SimulatedPump,
    SimulatedTwinTimer,
    run_once,
)
from kakushi.words.sheet import advice_words, bags_words, rounded_words, shortage_words, used_for_words
from kakushi.words.steps import no_cuts_words
from kakushi.words.wording import Wording
from kakushi.workshop.bags import purchase
from kakushi.workshop.buying import material_lines
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.fill import Climate, FillAdvice, fill_advice, growth, largest_fill
from kakushi.workshop.inflation import calibrate, next_trial, scatter_of
from kakushi.workshop.round_settings import MOST_MATCH_LOST, round_settings
from kakushi.workshop.sheet import minutes_left
from kakushi.workshop.spares import Need, PopRate, pop_rate, spares_for

# --- spares --------------------------------------------------------------------------------------

RARE, OFTEN = PopRate(1, 49), PopRate(3, 40)


@pytest.mark.parametrize("confidence", [0.8, 0.95, 0.99])
def test_chance_of_running_out_is_the_stated_one(confidence):
    needs = tuple(
        Need(n, r, size)
        for n, r, size in [(80, RARE, 11), (16, RARE, 11), (4, RARE, 5), (120, OFTEN, 9), (9, OFTEN, 9)]
    )
    found = spares_for(needs, confidence)
    chance = np.random.default_rng(5)
    runs = 40_000
    enough = np.ones(runs, dtype=bool)
    # Every nominal size has a chance to pop of its own; its colours share it.
    for size, rate in ((11, RARE), (5, RARE), (9, OFTEN)):
        p = chance.beta(rate.a, rate.b, runs)
        for need, spares in zip(needs, found.counts, strict=True):
            if need.kind == size:
                enough &= chance.negative_binomial(need.count, 1 - p) <= spares
    assert found.confidence >= confidence
    assert enough.mean() == pytest.approx(found.confidence, abs=0.01)


@given(st.lists(st.integers(1, 300), min_size=1, max_size=6), st.floats(0.6, 0.99))
@settings(max_examples=15)
def test_no_spare_can_be_left_out(counts, confidence):
    needs = tuple(Need(n, RARE) for n in counts)
    found = spares_for(needs, confidence)
    assert found.confidence >= confidence
    assert spares_for(tuple(Need(n + 30, RARE) for n in counts), confidence).counts >= tuple(0 for _ in counts)
    surer = spares_for(needs, 0.995)
    assert sum(surer.counts) >= sum(found.counts)


def test_the_log_changes_the_rate_of_its_own_size_and_handling():
    log = [PopRecord(nominal_in=11, handling="indoors", used=1000, popped=100)]
    assert pop_rate(11, "indoors", log).mean == pytest.approx(101 / 1050)
    assert pop_rate(9, "indoors", log) == pop_rate(9, "indoors", [])
    assert pop_rate(11, "outdoors", log) == pop_rate(11, "outdoors", [])
    with pytest.raises(ValueError, match="more balloons popped"):
        PopRecord(nominal_in=11, handling="indoors", used=3, popped=4)


@given(st.integers(0, 50), st.lists(st.integers(0, 40), min_size=1, max_size=6))
def test_shares_of_spares_add_up_and_follow_needs(spares, needed):
    shares = largest_remainder(spares, needed)
    assert sum(shares) == (spares if sum(needed) else 0)
    assert all(abs(s - spares * n / max(sum(needed), 1)) < 1 for s, n in zip(shares, needed, strict=True))


# --- bags -----------------------------------------------------------------------------------------


@given(
    st.integers(1, 60),
    st.lists(st.tuples(st.integers(1, 25), st.sampled_from([0.0, 1.5, 4.0, 6.25, 9.0])), min_size=1, max_size=3),
)
def test_bags_equal_exhaustive_search(short, bags):
    ways = []
    for counts in itertools.product(*(range(short // size + 2) for size, _ in bags)):
        bought = sum(n * size for n, (size, _) in zip(counts, bags, strict=True))
        if bought >= short:
            ways.append((round(sum(n * price for n, (_, price) in zip(counts, bags, strict=True)), 6), bought))
    cheapest = purchase(short, tuple(bags))
    tightest = purchase(short, tuple(bags), "fewest left over")
    assert cheapest is not None
    assert tightest is not None
    assert cheapest.cost == pytest.approx(min(ways)[0])
    assert tightest.left == min(bought for _, bought in ways) - short
    assert cheapest.bought >= short


def test_nothing_short_buys_nothing_and_nothing_sold_says_so():
    assert bags_words(purchase(0, ((50, 8.0),))) == ""
    assert purchase(5, ()) is None


# --- calibration -------------------------------------------------------------------------------------


def trials(character: Character, low: float, high: float, step: float, seed: int, many: int = 5) -> list[TrialPoint]:
    """Trial points of a simulated device, spread over its range."""
    device = SimulatedTwinTimer(character, lambda: 0.0, seed)
    inverse = [d ** (1 / character.exponent) / character.flow + character.offset for d in (low, high)]
    at = [round(s / step) * step for s in np.linspace(*inverse, many)]
    return [TrialPoint(setting=s, diameter_mm=device.diameter(s)) for s in at]


@pytest.mark.parametrize("outlier", [None, 1, 2, 4])
@pytest.mark.parametrize(("nominal", "seed"), [(5, 1), (9, 2), (11, 3), (16, 4)])
def test_five_trials_find_a_simulated_inflator_again(nominal, seed, outlier):
    low, high = nominal * 25.4 * 0.5, nominal * 25.4 * 0.95
    chance = random.Random(seed)
    exponent = chance.uniform(0.325, 0.342)
    character = Character(0.06, high ** (1 / exponent) / 1.6, 1.5, exponent=exponent)
    points = trials(character, low, high, 0.01, seed)
    if outlier is not None:
        spoiled = points[outlier]
        points[outlier] = replace(spoiled, diameter_mm=spoiled.diameter_mm * 1.35)
    found = calibrate(tuple(points))
    true = replaced_scatter(character)
    for wanted in np.linspace(low, high, 9):
        setting, _ = found.rounded(float(wanted), 0.01)
        allowed = 2 * character.scatter + found.step_mm(float(wanted), 0.01) + 2
        assert abs(true.diameter(setting) - wanted) <= allowed
    assert found.outliers == (() if outlier is None else (outlier,))


def replaced_scatter(character: Character) -> SimulatedTwinTimer:
    """The same device without scatter: what it gives on average."""
    steady = Character(character.offset, character.flow, 0.0, exponent=character.exponent)
    return SimulatedTwinTimer(steady, lambda: 0.0)


def test_more_trials_narrow_the_curve_and_the_proposed_one_narrows_it_most():
    points = trials(PRACTICE_TIMER, 130, 265, 0.01, 3, many=3)
    found = calibrate(tuple(points))
    over = np.linspace(0.35, 2.0, 30)
    proposed = next_trial(found, 130, 265, 0.01)

    def doubt(setting: float) -> float:
        more = TrialPoint(setting=setting, diameter_mm=float(found.diameter(setting)))
        return float(np.mean(calibrate((*points, more)).spread(over) ** 2))

    assert doubt(proposed) <= min(doubt(s) for s in (0.3, 0.7, 1.1, 1.5)) * 1.1
    assert doubt(proposed) < float(np.mean(found.spread(over) ** 2))
    assert float(found.diameter(found.setting(200.0))) == pytest.approx(200.0)


def test_one_trial_is_a_calibration_near_it_and_repeats_tell_the_scatter():
    with pytest.raises(BadInput, match="Measure one balloon first"):
        calibrate(())
    one = calibrate((TrialPoint(setting=5, diameter_mm=225),))
    assert one.setting(225) == pytest.approx(5.0, abs=0.01)
    assert one.diameter(5 * 0.9**3) == pytest.approx(225 * 0.9, rel=0.01), "volume goes with strokes"
    near, far = one.deviation(5.0), one.deviation(1.5)
    assert 2 < near < 6 < far
    same = [TrialPoint(setting=1, diameter_mm=d) for d in (198, 202)]
    assert float(calibrate(tuple(same)).diameter(1)) == pytest.approx(200, abs=0.5)
    assert scatter_of(same) == pytest.approx(8**0.5)
    assert scatter_of([TrialPoint(setting=1, diameter_mm=200)]) is None


class Clock:
    """Seconds that pass only when somebody waits."""

    def __init__(self) -> None:
        self.now = 0.0

    def __call__(self) -> float:
        return self.now

    def wait(self, seconds: float) -> None:
        self.now += seconds


def test_simulated_devices_fill_both_nozzles_and_stop():
    clock = Clock()
    found = run_once(SimulatedTwinTimer(PRACTICE_TIMER, clock), 1.0, 10, clock, clock.wait)
    assert len(found) == 2
    assert found == pytest.approx([204.6, 204.6], abs=8)
    assert len(run_once(SimulatedPump(Character(0.3, 1.5e6, 2.5), clock), 6, 30, clock, clock.wait)) == 1


class Lying(SimulatedTwinTimer):
    """A device that reports what it is told to."""

    says: NozzleEvent | None = None
    stopped = False

    def poll(self):
        return [self.says] if self.says else []

    def stop(self):
        self.stopped = True


@pytest.mark.parametrize(
    ("says", "words"),
    [
        (None, "did not finish"),
        (NozzleEvent(EventKind.DROPPED, 0, 0.0), "lost its connection"),
        (NozzleEvent(EventKind.FINISHED, 7, 0.0, 200.0), "cannot be"),
        (NozzleEvent(EventKind.FINISHED, 0, 0.0, float("nan")), "cannot be"),
        (NozzleEvent(EventKind.FINISHED, 0, 0.0, -3.0), "cannot be"),
        (NozzleEvent(EventKind.STOPPED, 0, 0.0), "was stopped"),
    ],
)
def test_devices_that_hang_drop_out_or_lie_are_stopped_and_told(says, words):
    clock = Clock()
    device = Lying(PRACTICE_TIMER, clock)
    device.says = says
    with pytest.raises(DeviceFailed, match=words):
        run_once(device, 1.0, 5, clock, clock.wait)
    assert device.stopped
    with pytest.raises(DeviceFailed, match="more than nothing"):
        run_once(device, float("nan"), 5, clock, clock.wait)


# --- fill ---------------------------------------------------------------------------------------------


def said(advice: FillAdvice | None) -> str:
    assert advice is not None
    return advice_words(advice, UnitSystem.METRIC)


def test_heat_lowers_the_fill_by_the_gas_law():
    size = DEFAULT_NOMINALS[2]
    assert growth(Climate(49.315), False) == pytest.approx(1.1 ** (1 / 3), rel=1e-4)
    hot = Climate(32, sunny=True)
    assert largest_fill(size, hot, dark=True) < largest_fill(size, hot, dark=False) < size.fill_high
    assert "too full for 32 °C and sun" in said(fill_advice(0.94, size, hot, True))
    assert fill_advice(0.95, size, Climate(), True) is None, "everyday practice"
    assert "stiff" in said(fill_advice(0.97, DEFAULT_NOMINALS[0], Climate(), True)), "the smallest take more"
    assert "pop" in said(fill_advice(0.99, size, Climate(), False))
    assert fill_advice(0.55, size, Climate(), False) is None, "softness is told where the shape shows it"
    assert "pear" in said(fill_advice(0.40, size, Climate(), False))


# --- the whole preparation of the demo ---------------------------------------------------------------


@pytest.fixture(scope="module")
def lantern_quay():
    return load_job(demo_job_path())


@pytest.fixture(scope="module")
def demo_plan(lantern_quay):
    points = tuple(trials(PRACTICE_TIMER, 130, 265, 0.01, 3))
    timer = Inflator(name="timer", method="timed", step=0.01, trials=(Trials(nominal_in=11, points=points),))
    return plan(lantern_quay, Studio(inflators=(timer,)))


def test_sheet_holds_every_balloon_that_is_inflated_once(demo_plan):
    found = Dossier(demo_plan)
    inflated = sum(line.count * len(line.balloons) for line in found.sheet)
    caps = sum(1 for step in found.steps if step.kind is StepKind.CAP)
    assert inflated + caps == sum(line.needed for line in found.supplies.whole)
    sizes = [line.largest_mm for line in found.sheet]
    assert sizes == sorted(sizes, reverse=True)
    by_row = Dossier(demo_plan, wishes=Wishes(order="row order")).sheet
    assert sorted(line.key for line in by_row) == sorted(line.key for line in found.sheet)
    firsts = [line.rows[0] for line in by_row if line.rows]
    assert firsts == sorted(firsts)


def test_the_sheet_names_the_pieces_that_each_line_is_for(demo_plan):
    found = Dossier(demo_plan)
    names = {piece.piece.key: piece.piece.name for piece in demo_plan.pieces}
    for line in found.sheet:
        users = {
            names[step.piece]
            for step in found.steps
            if any((role, kind) == (line.part, line.balloons) for role, kind, _ in step.tied)
        }
        assert users
        told = used_for_words(line, demo_plan)
        assert {name for name in names.values() if name in told} == users


def test_settings_on_the_sheet_come_from_the_calibration(demo_plan):
    timer = demo_plan.studio.inflators[0]
    found = calibrate(timer.points(11))
    for line in Dossier(demo_plan).sheet:
        for balloon, setting in zip(line.balloons, line.settings, strict=True):
            if balloon.nominal_in != 11 or not balloon.diameter_mm:
                assert setting.setting is None
                continue
            assert setting.setting == pytest.approx(round(found.setting(balloon.diameter_mm) / 0.01) * 0.01)
            assert abs(setting.reached_mm - balloon.diameter_mm) <= setting.step_mm


def test_time_left_shrinks_with_every_tick(demo_plan):
    sheet = Dossier(demo_plan).sheet
    line = next(line for line in sheet if len(line.balloons) == 2)
    before, after = minutes_left(sheet, {}, Rates()), minutes_left(sheet, {line.key: 1}, Rates())
    assert before - after == pytest.approx((2 * Rates().inflate_s + Rates().tie_s) / 60)
    assert minutes_left(sheet, {ln.key: ln.count for ln in sheet}, Rates()) == 0


def test_price_is_the_sum_of_its_parts(lantern_quay):
    job = replace(lantern_quay, pricing=Pricing(hourly=30, delivery=40, margin_percent=20, tax_percent=10))
    found = Dossier(plan(job, Studio()))
    cost = found.cost
    assert cost.labour == pytest.approx(sum(step.minutes for step in found.steps) / 60 * 30, abs=0.05)
    bought = {line: line.purchase.bought if line.purchase else 0 for line in found.buying}
    unit = {line: line.cost / bought[line] if bought[line] else line.unit_cost for line in found.buying}
    assert cost.balloons == pytest.approx(sum(line.total * unit[line] for line in found.buying), abs=0.006)
    assert cost.price == pytest.approx((cost.balloons + cost.materials + cost.labour + 40) * 1.2 * 1.1, abs=0.02)


def test_stock_is_taken_first_and_what_is_short_gets_ideas(lantern_quay):
    # Those before the coral use one colour less than there are.
    lantern_quay = replace(lantern_quay, pieces=lantern_quay.pieces[:6])
    first = plan(lantern_quay, Studio())
    twelves = {li.colour for li in needed(first) if li.nominal_in == 12}
    used = [
        (slot.diameter_mm, colour)
        for piece in first.pieces
        for row, line in zip(piece.piece.rows, piece.colouring, strict=True)
        for slot, colour in zip(row.slots, line, strict=True)
        if slot.nominal_in == 11
    ]
    small = {colour for diameter, colour in used if diameter < Studio().nominal(12).smallest_mm}
    line = next(li for li in needed(first) if li.nominal_in == 11 and li.colour not in twelves | small)
    other = next(c.key for c in lantern_quay.palette if c.key not in {li.colour for li in needed(first)})
    stock = (
        StockItem(nominal_in=11, colour=line.colour, balloons=line.total - 3),
        StockItem(nominal_in=12, colour=line.colour, balloons=90),
        StockItem(nominal_in=11, colour=other, balloons=50),
    )
    studio = Studio(stock=stock, bags=(Bag(nominal_in=11, balloons=10, price=3),))
    found = Dossier(plan(lantern_quay, studio))
    bought = next(b for b in found.buying if (b.nominal_in, b.colour) == line.kind)
    assert (bought.short, bought.purchase.bought, bought.left) == (3, 10, 7)
    shortage = next(s for s in found.shortages if s.line is bought)
    assert {(each.nominal_in, each.colour) for each in shortage.substitutes} >= {(12, line.colour), (11, other)}
    assert "12″" in shortage_words(shortage, Wording(lantern_quay))


def test_rules_and_packs():
    rules = (ItemRule(item="tape", unit="m", per="row", amount=0.4, pack=5, price=2),)
    used = by_rules({"row": 14.0}, rules)
    assert used == (Used(item="tape", unit="m", count=0.4 * 14),)
    line = material_lines(used, rules, {})[0]
    assert (line.packs, line.packs * line.pack, line.cost) == (2, 10, 4)
    assert line.used_cost == pytest.approx(2.24)


# --- materials and frames of whole jobs ----------------------------------------------------------------


def post(**changes) -> Piece:
    rows = tuple(uniform_row(k, 4, 11, 240) for k in range(1, 7))
    return replace(Piece(key=1, name="Post", groups=(RowsGroup(rows=rows),), copies=(Copy(), Copy())), **changes)


def amounts(*pieces: Piece, studio: Studio = Studio()) -> dict[str, float]:  # noqa: B008 - a frozen value
    found = Dossier(plan(Job(pieces=pieces), studio))
    return {line.item: line.needed for line in found.materials}


def test_every_joint_kind_uses_its_own_material_for_every_joint_and_copy():
    assert "modelling balloons 260" not in amounts(post())
    assert amounts(post(joint=JointKind.STRIP))["modelling balloons 260"] == 2 * 5
    found = plan(Job(pieces=(post(joint=JointKind.LINE_EIGHT),)), Studio()).pieces[0]
    knots = found.geometry.knots
    # Every row's knot takes 15 cm, the first a tail of 50 cm; ribbon goes twice round the first row's balloons.
    line = 2 * (4 * (knots[-1] - knots[0]) + 6 * 150 + 500) / 1000
    ribbon = 2 * ((5 + 2) * 4 * np.pi * 240 / 2 + 6 * 150 + 500) / 1000
    assert amounts(post(joint=JointKind.LINE_EIGHT))["line"] == pytest.approx(line)
    assert amounts(post(joint=JointKind.RIBBON))["ribbon"] == pytest.approx(ribbon)


def test_a_column_on_a_line_takes_its_height_and_two_tails():
    frame = Frame(kind="line", base=Base(kind="weight", mass_g=900))
    found = plan(Job(pieces=(post(frame=frame),)), Studio()).pieces[0]
    assert amounts(post(frame=frame))["line"] == pytest.approx(2 * (found.height_mm + 1000) / 1000)


def test_bare_pole_raises_the_rows_and_takes_wrapping():
    bare = BarePoleGroup(height_mm=450, wrap="coil")
    raised = post(groups=(bare, *post().groups))
    low, high = (plan(Job(pieces=(p,)), Studio()).pieces[0] for p in (post(), raised))
    assert high.height_mm == pytest.approx(low.height_mm + 450)
    assert high.foot_mm == pytest.approx(450)
    assert amounts(raised)["modelling balloons 260"] == 2 * 2
    # Nobody has wished for the outline that a piece begins with: rows beside it are not measured by it.
    assert low.match is None
    wide = PresetOutline(preset="straight", handles=(Handle(name="width", value=520.0),))
    assert plan(Job(pieces=(post(outline=wide),)), Studio()).pieces[0].match is not None


def test_poles_are_cut_over_all_copies_painted_once_and_sections_counted():
    cut = Frame(pole_name="plastic pipe 25 mm", pole_length_mm=900, painted=True)
    screwed = Frame(pole_name="lamp-stand tube in sections", pole_length_mm=1500)
    found = Dossier(plan(Job(pieces=(post(frame=cut), post(key=2, frame=screwed))), Studio()))
    needed = {line.item: line.needed for line in found.materials}
    assert needed["plastic pipe 25 mm, 2 m"] == 1
    assert needed["lamp-stand tube in sections, 0.4 m"] == 2 * 4
    assert needed["tape"] == pytest.approx(2 * 3 * 0.3)
    assert needed["spray paint"] == 2
    assert [step.fact.what for step in found.steps if step.kind is StepKind.WAIT] == ["paint"]
    too_long = post(frame=Frame(pole_name="plastic pipe 25 mm", pole_length_mm=4000))
    (pole,) = Dossier(plan(Job(pieces=(too_long,)), Studio())).poles
    assert no_cuts_words(pole, Wording(Job())) == (
        "The longest stock is 300 cm: join sections, or choose a longer stock."
    )


def test_caps_parts_and_what_they_use_are_counted_for_every_copy():
    star = Topper(key=1, strips=0.5, items=(Used(item="foil star", count=2),))
    sand = Weight(key=2, mass_g=1500)
    piece = post(frame=Frame(pole_length_mm=1200), parts=(star, sand))
    used = amounts(piece)
    assert (used["foil star"], used["modelling balloons 260"], used["weights"]) == (4, 1, 3)
    found = plan(Job(pieces=(piece,)), Studio())
    assert sum(line.needed for line in needed(found)) == 2 * (24 + 1)
    assert next(u.count for u in balloons(found) if u.role is BalloonRole.CAP) == 1


def test_zero_rates_and_prices_give_zero_and_nothing_divides_by_it():
    free = Studio(rates=Rates(inflate_s=0, tie_s=0, row_s=0, part_s=0, set_up_s=0), bags=())
    job = Job(pieces=(post(),), pricing=Pricing(hourly=0, margin_percent=0))
    found = Dossier(plan(job, free))
    assert not {Work.INFLATE, Work.BUILD} & {kind for kind, minutes in found.work.items() if minutes > 3}
    assert found.cost.price == pytest.approx(found.cost.materials)
    assert (11, "harbour-blue") in found.cost.unpriced


# --- kept in the studio ------------------------------------------------------------------------------------


# --- round settings ---------------------------------------------------------------------------------------------


def test_settings_are_rounded_together_and_equal_an_exhaustive_search() -> None:
    """Of all round settings near, the fewest different ones; of those the height that is least off, as measured."""
    trials = tuple(
        Trials(nominal_in=size, points=tuple(
            TrialPoint(setting=s, diameter_mm=c * s ** (1 / 3)) for s in (1.0, 2.0, 3.0, 4.0, 6.0)))
        for size, c in ((9.0, 120.0), (11.0, 130.0))
    )  # fmt: skip
    pump = Inflator(name="pump", step=0.5, trials=trials)
    sizes = ((11, 233.0), (11, 236.0), (11, 231.5), (9, 190.5), (9, 188.0))
    rows = tuple(uniform_row(k, 4, *sizes[(k - 1) % len(sizes)]) for k in range(1, 16))
    job = Job(pieces=(Piece(key=1, name="Gate", groups=(RowsGroup(rows=rows),), target_height_mm=2300),))
    before = plan(job, Studio()).pieces[0]
    found = round_settings(job, before, Studio(), pump, 1.0, 60.0)
    assert abs(found.planned.height_mm - before.height_mm) <= 60.0
    assert before.match.mean - found.planned.match.mean <= MOST_MATCH_LOST
    assert all(each.setting == round(each.setting) for each in found.rounded)
    assert found.settings < found.before
    # Every choice of the two whole strokes on either side of each size, measured.
    curves = {size: calibrate(pump.points(size)) for size in (9.0, 11.0)}
    near = [
        [(size, float(math.floor(curves[size[0]].setting(size[1])) + up)) for up in (0, 1)]
        for size in sorted({(float(n), d) for n, d in sizes})
    ]
    each_mm = 3 * before.height_mm / sum(row.diameter_mm for row in rows)

    def higher(chosen) -> float:
        return each_mm * sum(float(curves[size[0]].diameter(setting)) - size[1] for size, setting in chosen)

    kept = [chosen for chosen in itertools.product(*near) if abs(higher(chosen)) <= 60.0]
    assert found.settings <= min(len({(size[0], setting) for size, setting in chosen}) for chosen in kept)
    assert "instead of" in rounded_words(found, before.height_mm, UnitSystem.METRIC)
    with pytest.raises(KakushiError, match="Measure a 9"):
        round_settings(job, before, Studio(), replace(pump, trials=trials[1:]), 1.0, 60.0)
    with pytest.raises(KakushiError, match="larger difference"):
        round_settings(job, before, Studio(), pump, 1.0, 0.0)
