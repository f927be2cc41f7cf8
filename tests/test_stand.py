"""Balance and wind against hand-computed cases, silhouettes against areas, cut lists against exhaustive search."""

from __future__ import annotations

import datetime as dt
import itertools
import math
from functools import lru_cache

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import BarePoleGroup, RowsGroup, uniform_row
from kakushi.model.job import Brief, Job, Settings
from kakushi.model.joints import JointKind
from kakushi.model.parts import HungLoad, PartBalloons, Topper, Weight
from kakushi.model.piece import Firmness, Piece
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.model.workshop import FrameRules
from kakushi.packing.joints import JOINTS
from kakushi.plan.pipeline import plan
from kakushi.plan.stability import build_steps, expected_gust, stance_of
from kakushi.plan.values import PiecePlan
from kakushi.sight.buffers import Pole
from kakushi.sight.exposed import silhouettes
from kakushi.sim.forecast import Forecast, ForecastFailed, SimulatedForecast, forecast_for
from kakushi.stand.balance import (
    Exposure,
    Footing,
    Load,
    balance,
    ballast_for,
    base_mass_for,
    least_push,
    tipping_gust,
)
from kakushi.stand.cutting import cut_list
from kakushi.stand.frame import paint_cans, water_in_hole, wrapping_balloons
from kakushi.stand.stance import BuiltPart, Stance
from kakushi.words import stand as said
from kakushi.workshop.fill import climate_of


def test_gust_that_tips_a_cylinder_is_the_hand_computed_one():
    # A cylinder 0.5 m wide and 2 m tall, 8 kg in all, on a 0.3 m radius: moment 8·9.81·0.3 = 23.544 N m;
    # wind ½·1.2·1.2·1.0 m²·1 m = 0.72 v².
    found = balance([Load("base", 6000, 0, 0, 20), Load("rest", 2000, 0, 0, 1000)], 300)
    wind = Exposure(0.0, 0.5e6 * 2, 1000)
    assert tipping_gust(found, wind, 1.2) == pytest.approx(math.sqrt(23.544 / 0.72), rel=1e-6)


def test_offset_topper_shortens_the_arm_on_its_own_side_only():
    # 1 kg 0.5 m to the front of a 9 kg column: the centre is 0.05 m off, the arm 0.15 or 0.25 m.
    found = balance([Load("column", 9000, 0, 0, 500), Load("topper", 1000, 0, -500, 2000)], 200)
    assert (found.y, found.z) == (pytest.approx(-50), pytest.approx(650))
    blown_back, blown_front = (Exposure(a, 1e6, 1000) for a in (0.0, math.pi))
    assert tipping_gust(found, blown_front, 1.0) == pytest.approx(math.sqrt(10 * 9.81 * 0.15 / 0.6), rel=1e-6)
    assert tipping_gust(found, blown_back, 1.0) == pytest.approx(math.sqrt(10 * 9.81 * 0.25 / 0.6), rel=1e-6)


def test_what_a_push_tips_and_what_it_slides():
    # 8 kg on a radius of 0.2 m, pushed at 1 m: 8·9.81·0.2 = 15.7 N tip it; 0.4·8·9.81 = 31.4 N would slide it.
    tall = least_push(balance([Load("all", 8000, 0, 0, 500)], 200), 1000)
    assert (tall.newtons, tall.slides) == (pytest.approx(8 * 9.81 * 0.2), False)
    wide = least_push(balance([Load("all", 8000, 0, 0, 500)], 600), 1000)
    assert (wide.newtons, wide.slides) == (pytest.approx(0.4 * 8 * 9.81), True)
    # Seventy grams of push tip 0.36 kg on a radius of 0.14 m at 0.7 m, however far it may lean.
    light = balance([Load("all", 360, 0, 0, 200)], 140)
    assert least_push(light, 700).newtons == pytest.approx(0.07 * 9.81, rel=0.05)
    assert math.degrees(light.tilt) > 30


def test_a_square_of_four_balloons_tips_over_its_sides_not_its_corners():
    square = Footing(corners=((100.0, -100.0), (100.0, 100.0), (-100.0, 100.0), (-100.0, -100.0)))
    assert square.reach == pytest.approx(100)
    assert square.margin(40.0, 0.0) == pytest.approx(60)
    assert square.margin(0.0, 130.0) == pytest.approx(-30)
    assert square.arm(0.0, 0.0, 0.0) == pytest.approx(100)
    # Pushed towards a corner it still goes over a side, of which the push has only a share.
    assert square.arm(0.0, 0.0, math.pi / 4) == pytest.approx(100 * math.sqrt(2))
    assert Footing().arm(0.0, 0.0, 1.0) == 0


@given(st.floats(100, 20_000), st.floats(100, 1500), st.floats(1, 60), st.floats(100, 400))
def test_ballast_makes_it_stand_the_wanted_push(mass, height, push, radius):
    loads = [Load("all", mass, 0, 0, height)]
    ballast = ballast_for(balance(loads, radius), 0.0, 20.0, push, 1000.0)
    assert ballast is not None
    helped = balance([*loads, Load("ballast", ballast.mass_g, 0, 0, 20.0)], radius)
    assert least_push(helped, 1000.0).newtons >= push * (1 - 1e-9)
    if ballast.mass_g:
        assert least_push(helped, 1000.0).newtons == pytest.approx(push)


@pytest.mark.parametrize(("radius", "mass"), [(150, 14.31), (300, 5.155)])
def test_base_that_holds_a_gust_on_two_radii(radius, mass):
    # 5 m/s on 1 m² at 1 m, drag 1.8: 27 N and 27 N m; less 4 kg·g·r, over g·r. Not to slide it takes 27/(0.4·g) in all.
    rest = balance([Load("rest", 4000, 0, 0, 900)], radius)
    by_hand = 27 / (9.81 * radius / 1000) - 4
    assert by_hand == pytest.approx(mass, rel=0.01)
    assert by_hand > 27 / (0.4 * 9.81) - 4
    assert base_mass_for(rest, Exposure(0, 1e6, 1000), 5.0, radius, 1.8) / 1000 == pytest.approx(by_hand, rel=1e-6)


@given(
    st.floats(100, 30_000), st.floats(100, 2500), st.floats(0, 400), st.floats(0, 2 * math.pi), st.floats(1, 20),
    st.floats(80, 400),
)  # fmt: skip
def test_ballast_makes_it_stand_exactly_the_wanted_tilt(mass, height, offset, angle, degrees, radius):
    tilt = math.radians(degrees)
    load = Load("all", mass, offset * math.cos(angle), offset * math.sin(angle), height)
    found = balance([load], radius)
    ballast = ballast_for(found, tilt, 20.0)
    assert ballast is not None
    if not ballast.mass_g:
        assert found.tilt >= tilt - 1e-9
        return
    x, y = ballast.offset * math.cos(ballast.angle), ballast.offset * math.sin(ballast.angle)
    helped = balance([load, Load("ballast", ballast.mass_g, x, y, 20.0)], radius)
    # The edge on the side it leant to is what was asked for; heavy ballast may move it to the other side.
    towards = (helped.x * found.x + helped.y * found.y) / found.offset if found.offset else 0.0
    if found.offset > 0.02 * radius:
        assert (radius - towards) / helped.z == pytest.approx(math.tan(tilt), rel=1e-6)


def test_silhouette_areas_of_a_pole_and_balloons_counted_once():
    pole = Pole(12.5, 0.0, 2000.0)
    centres = np.array([[0.0, 0.0, 500.0], [0.0, 300.0, 500.0], [0.0, 0.0, 1500.0]])
    radii = np.array([120.0, 120.0, 120.0])
    found = silhouettes(
        centres=centres,
        radii=radii,
        step_of=np.array([1, 2, 3], dtype=np.int32),
        steps=4,
        pole=pole,
        azimuths=[0.0, math.pi / 2],
    )
    disc = math.pi * 120**2
    assert found.area[0, 0] == pytest.approx(25 * 2000, rel=1e-6)
    assert found.moment[0, 0] / found.area[0, 0] == pytest.approx(1000, rel=1e-6)
    # Ball 2 hides behind ball 1 from the front, and stands beside it from the side.
    behind = disc - 2 * (12.5 * math.sqrt(120**2 - 12.5**2) + 120**2 * math.asin(12.5 / 120))
    front = [25 * 2000, 25 * 2000 + behind, 25 * 2000 + behind, 25 * 2000 + 2 * behind]
    assert found.area[0] == pytest.approx(front, rel=0.01)
    assert found.area[1, 2] == pytest.approx(25 * 2000 + behind + disc, rel=0.01)


# --- whole pieces ------------------------------------------------------------------------------


def column(**changes) -> Piece:
    rows = tuple(uniform_row(k, 4, 11, 240) for k in range(1, 9))
    base = Base(kind="plate", height_mm=10, radius_mm=200, mass_g=6000)
    frame = Frame(pole_length_mm=1700, base=base)
    return replace(Piece(key=1, name="Post", groups=(RowsGroup(rows=rows),), frame=frame), **changes)


@lru_cache
def planned(piece: Piece):
    return plan(Job(pieces=(piece,)), Studio()).pieces[0]


def test_mass_and_height_of_the_centre_are_those_of_the_loads():
    found = planned(column())
    stance = stance_of(found, Settings(), Studio(), None)
    latex = 32 * Studio().mass_g(11)
    pole = 250 * 1.7
    whole = 6000 + pole + latex
    assert stance.finished.balance.mass_g == pytest.approx(whole)
    middle = (6000 * 5 + pole * 850 + latex * float(found.geometry.knots.mean())) / whole
    assert stance.finished.balance.z == pytest.approx(middle, rel=1e-3)
    assert len(stance.steps) == 9
    assert stance.finished.balance.offset == pytest.approx(0, abs=0.5)


def stand_words(found: PiecePlan, wanted: Settings, studio: Studio, gust: float | None) -> tuple[str, ...]:
    return said.stand_words(found, stance_of(found, wanted, studio, gust), UnitSystem.METRIC)


def test_a_hung_load_leans_forward_unless_its_counterweight_was_put_on_before_and_asks_for_two_fixings():
    hung = HungLoad(key=1, name="sign", height_mm=1200, offset_mm=350, mass_g=6000, tall_mm=400, wide_mm=500)
    weight = Weight(key=2, name="sand", azimuth_deg=180, offset_mm=200, mass_g=7000)
    light = stance_of(planned(column(parts=(hung, weight))), Settings(), Studio(), None)
    assert [step.stage.part for step in light.steps][-2:] == ["sand", "sign"]
    assert light.stands
    assert light.leaning is light.finished, "half-built it stands by itself, with somebody at it"
    both = planned(column(parts=(replace(hung, mass_g=12_000), replace(weight, mass_g=14_000))))
    assert stance_of(both, Settings(), Studio(), None).stands
    lantern = replace(hung, key=3, name="lantern", azimuth_deg=180, offset_mm=200, mass_g=14_000)
    found = planned(column(parts=(replace(hung, mass_g=12_000), lantern)))
    stance = stance_of(found, Settings(), Studio(), None)
    assert stance.leaning.stage == BuiltPart("part", part="sign")
    assert stance.leaning.balance.y < 0
    assert not stance.stands
    words = stand_words(found, Settings(), Studio(), None)
    assert "forward" in words[0]
    assert "at the back edge of the foot" in words[0]
    assert "with “sign” on" in words[0]
    assert any("two" in w and "sign" in w for w in words)
    alone = planned(column(parts=(replace(hung, mass_g=60_000.0),)))
    falling = stand_words(alone, Settings(), Studio(), 4.0)
    assert "falls forward by itself" in falling[0]
    assert "without any wind" in falling[1]
    safe = stance_of(planned(column(parts=(weight,))), Settings(), Studio(), None)
    assert safe.finished.balance.y > 0


def test_outdoors_says_what_would_hold_and_that_is_true():
    found = planned(column())
    stance = stance_of(found, Settings(), Studio(), 8.0)
    assert not stance.holds
    assert stance.base_mass is not None
    base = Base(kind="plate", height_mm=10, radius_mm=stance.base_radius, mass_g=stance.base_mass)
    heavier = planned(column(frame=Frame(pole_length_mm=1700, base=base)))
    assert stance_of(heavier, Settings(), Studio(), 8.0).finished.gust == pytest.approx(8.0, rel=0.02)
    assert "Not safe outdoors on this base" in stand_words(found, Settings(), Studio(), 8.0)[1]
    calm = stance_of(found, Settings(gust_factor=2.0), Studio(), 1.0)
    words = stand_words(found, Settings(gust_factor=2.0), Studio(), 1.0)[1]
    assert f"a mean wind of {calm.windy.gust / 2:.1f}" in words


def test_pieces_without_a_base_stand_on_their_balloons():
    frameless = Frame(kind="frameless", base=Base(kind="none"))
    found = planned(column(frame=frameless, joint=JointKind.NECK_TIED))
    stance = stance_of(found, Settings(), Studio(), None)
    ring = found.measures[0].ring
    assert stance.foot.radius == pytest.approx(ring * math.cos(math.pi / 4), rel=0.01)
    assert stance.leaning.balance.tilt > 0, "the step before anything is there does not count"
    weighted = Frame(kind="line", base=Base(kind="weight", height_mm=60, mass_g=2000, place="inside row 1"))
    inside = planned(column(frame=weighted))
    assert inside.geometry.bottom == pytest.approx(0), "a weight inside the row lifts nothing"
    tied = planned(column(frame=replace(weighted, base=replace(weighted.base, place="beside, on a ribbon"))))
    assert stance_of(tied, Settings(), Studio(), None).finished.balance.mass_g < 500, "the ribbon is slack"
    assert any("not from tipping over" in words for words in stand_words(tied, Settings(), Studio(), None))
    steadier = stance_of(inside, Settings(), Studio(), None)
    assert steadier.foot.on.corners
    clear = planned(column(frame=weighted, groups=(BarePoleGroup(height_mm=150), column().groups[0])))
    assert stance_of(clear, Settings(), Studio(), None).foot.radius == 150, "clear of the floor the weight carries it"
    assert steadier.pushed.push.newtons > 5 * stance.pushed.push.newtons
    assert planned(column(frame=replace(weighted, base=replace(weighted.base, place="under")))).geometry.bottom > 59


def test_a_flat_sign_meets_the_wind_with_its_face():
    sign = HungLoad(key=1, name="sign", height_mm=1200, offset_mm=250, mass_g=500, tall_mm=800, wide_mm=900, fixings=2)
    flat = planned(column(parts=(replace(sign, deep_mm=10.0),)))
    round_one = planned(column(parts=(sign,)))

    def areas(piece):
        return {e.azimuth: e.area for e in _exposures(piece)}

    face, side = (areas(flat)[a] for a in (0.0, math.pi / 2))
    plain = areas(planned(column()))
    assert face - plain[0.0] == pytest.approx(800 * 900, rel=0.01)
    assert side - plain[math.pi / 2] == pytest.approx(800 * 10, rel=0.01)
    assert areas(round_one)[math.pi / 2] - plain[math.pi / 2] == pytest.approx(800 * 900, rel=0.01)


def _exposures(piece):
    return build_steps(piece, {})[-1].exposures


def test_words_speak_of_leaning_and_pushes():
    light = planned(
        column(
            frame=Frame(pole_length_mm=1700, base=Base(kind="foam", height_mm=40, radius_mm=150, mass_g=300)),
            firmness=Firmness.BRUSH,
        )
    )
    words = stand_words(light, Settings(), Studio(), None)[0]
    assert "ay lean" in words
    assert "like a draught or a touch, tips it" in words
    assert "less than the 3 N wanted; add" in words
    firm = stand_words(planned(column()), Settings(), Studio(), None)[0]
    assert "wanted" not in firm
    wide = Base(kind="plate", height_mm=10, radius_mm=900, mass_g=60_000)
    steady = stand_words(planned(column(frame=Frame(pole_length_mm=1700, base=wide))), Settings(), Studio(), None)[0]
    assert steady.startswith("May lean over 30° before it tips")


def test_weather_counts_outdoors_only_and_nonsense_is_refused():
    sun = Forecast(9.0, 30.0, 0.9, "test")
    assert expected_gust(Brief(place="indoors"), sun) is None
    assert expected_gust(Brief(place="outdoors"), sun) == 9.0
    assert expected_gust(Brief(place="outdoors", gust_mps=4), sun) == 4
    assert climate_of(Brief(place="outdoors"), sun).sunny
    day = dt.date(2027, 6, 18)
    assert SimulatedForecast().forecast(day) == SimulatedForecast().forecast(day)

    class Liar:
        def forecast(self, day):
            return Forecast(float("nan"), 20, 0.5, "liar")

    with pytest.raises(ForecastFailed):
        forecast_for(Liar(), day)
    assert forecast_for(Liar(), None) is None


# --- frames and cutting --------------------------------------------------------------------------


def test_frames_small_sums():
    assert water_in_hole(100, 0, 500) == pytest.approx(4188.8, rel=1e-3)
    assert water_in_hole(100, 0, 50) == pytest.approx(4188.8 / 4, rel=1e-3), "no taller than the knots"
    assert water_in_hole(10, 12, 500) == 0
    rules = FrameRules(modelling_in=60, modelling_wide_mm=45)
    turn = math.hypot(math.pi * 70, 45)
    assert wrapping_balloons(900, 25, "coil", rules) == math.ceil(20 * turn / (1524 - 80))
    two = math.hypot(math.pi * 70, 90)
    assert wrapping_balloons(900, 25, "coil", rules, strands=2) == 2 * math.ceil(10 * two / (1524 - 80))
    assert wrapping_balloons(900, 25, "plait", rules) == 2 * math.ceil(5 * math.hypot(math.pi * 70, 180) / (1524 - 80))
    assert wrapping_balloons(900, 25, "coil", rules, inflated=False) > wrapping_balloons(900, 25, "coil", rules)
    assert wrapping_balloons(900, 25, "none", rules) == 0
    assert paint_cans([2000] * 4, 25, FrameRules(cover_m2=0.5, coats=2, spare_cans=1)) == 4
    assert JOINTS[JointKind.STRIP].needs(200, (240,) * 4).strips == 1
    assert JOINTS[JointKind.LINE_EIGHT].needs(200, (240,) * 4).line == 950
    assert JOINTS[JointKind.WRAPPED].needs(200, (240,) * 4).line == 0


def cheapest_by_trying(wanted: list[int], stock: list[int], kerf: int) -> int:
    """Least length bought: every way to put pieces into bars, one piece after the other."""
    best = [sum(max(stock) for _ in wanted)]

    def place(index: int, bars: list[int]) -> None:
        if index == len(wanted):
            needs = [min((s for s in stock if s >= used), default=None) for used in bars]
            if None not in needs:
                best[0] = min(best[0], sum(needs))
            return
        for i in range(len(bars)):
            if bars[i] + kerf + wanted[index] <= max(stock):
                place(index + 1, [*bars[:i], bars[i] + kerf + wanted[index], *bars[i + 1 :]])
        place(index + 1, [*bars, wanted[index]])

    place(0, [])
    return best[0]


@given(
    st.lists(st.sampled_from([300, 450, 700, 990, 1200, 1997]), min_size=1, max_size=6),
    st.sampled_from([[2000], [2000, 3000], [1200, 2000]]), st.integers(0, 12),
)  # fmt: skip
def test_cut_lists_equal_exhaustive_search(lengths, stock, kerf):
    lengths = [length for length in lengths if length <= max(stock)] or [300]
    wanted = {length: lengths.count(length) for length in set(lengths)}
    found = cut_list(wanted, stock, kerf)
    assert found.exact
    assert sorted(itertools.chain.from_iterable(bar.cuts for bar in found.bars)) == sorted(lengths)
    for bar in found.bars:
        assert sum(bar.cuts) + kerf * (len(bar.cuts) - 1) <= bar.stock + 1e-6
        assert bar.offcut == pytest.approx(max(bar.stock - sum(bar.cuts) - kerf * len(bar.cuts), 0))
    assert found.bought == cheapest_by_trying(lengths, stock, kerf)


def test_long_cut_lists_stay_valid_and_impossible_ones_are_told():
    wanted = {float(200 + 37 * i): 3 + i for i in range(14)}
    found = cut_list(wanted, [3000, 2000], 3)
    assert sorted(c for bar in found.bars for c in bar.cuts) == sorted(k for k, n in wanted.items() for _ in range(n))
    with pytest.raises(BadInput, match="longest stock is 200 cm"):
        cut_list({2400: 1}, [2000], 3)
    with pytest.raises(BadInput, match="no stock"):
        cut_list({240: 1}, [], 3)


def test_a_topper_without_rows_to_stand_on_still_has_a_stance() -> None:
    topper = Topper(key=1, tall_mm=200, balloons=(PartBalloons(nominal_in=5, colour="rope", count=1),))
    piece = Piece(key=1, name="bare", groups=(RowsGroup(rows=()),), parts=(topper,))
    (found,) = plan(Job(pieces=(piece,)), Studio()).pieces
    assert stance_of(found, Job().settings, Studio(), None).steps[-1].stage == BuiltPart("part", part="topper")


def test_how_firmly_it_must_stand_is_said_in_words_and_a_half_built_piece_only_stands_by_itself() -> None:
    rows = RowsGroup(rows=tuple(uniform_row(k, 4, 11, 230.0) for k in range(1, 9)))
    light = Frame(kind="line", base=Base(kind="weight", mass_g=900, radius_mm=120, place="under"))
    piece = Piece(key=1, name="Corner", groups=(rows,), frame=light)

    def stance(firmness: Firmness | None) -> Stance:
        return stance_of(planned(replace(piece, firmness=firmness)), Settings(), Studio(), None)

    usual, bump = stance(None), stance(Firmness.BUMP)
    assert usual.assumed == stance(Firmness.BY_ITSELF).assumed, "what hangs on a weight stands where nobody passes"
    assert usual.stands
    assert not usual.ballast or usual.ballast.mass_g == 0
    assert not bump.stands
    assert bump.ballast is not None
    assert bump.ballast.mass_g > 500
    assert bump.pushed is bump.finished
    assert stance(Firmness.BRUSH).assumed.push == Job().settings.push_n
