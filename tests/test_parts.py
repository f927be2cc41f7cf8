"""Parts are where they are said to be: with their row, on another part, on the column; collars hide what they say."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from added_up import needed, things, warnings
from kakushi.building.steps import steps_of
from kakushi.dress.bodies import chain, lump, sheet, turned
from kakushi.dress.kind import Surroundings
from kakushi.dress.placing import place_fillers
from kakushi.dress.shows import HIDEABLE, Mechanic
from kakushi.dress.table import KINDS, materials_of, wishes_of
from kakushi.model.catalogue import DEFAULT_PALETTE, BalloonColour, Sizer, Studio
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import BallGroup, RowsGroup, Slot, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SolidLayer
from kakushi.model.parts import (
    Accent,
    Board,
    Bow,
    Collar,
    FillerLook,
    Fillers,
    FillerTie,
    Flowers,
    FoilShape,
    HungLoad,
    LookFrom,
    PartBalloons,
    Plants,
    Ribbons,
    SideShares,
    Starburst,
    Sticks,
    Topper,
    Toy,
)
from kakushi.model.piece import Piece, SeenSides
from kakushi.model.units import UnitSystem, inches
from kakushi.model.values import replace
from kakushi.plan.dressing import seated_fillers
from kakushi.plan.facts import PartBelowFloor, PartFloats, PartSunk, PartUnheld
from kakushi.plan.parts import bodies_of
from kakushi.plan.pipeline import plan
from kakushi.plan.resting import on_skin
from kakushi.plan.showing import placed_fillers, placed_ring, showing_of
from kakushi.plan.stability import build_loads, foot_of
from kakushi.session import part_edits
from kakushi.session.part_edits import filler_sizes, set_ring, shared_out
from kakushi.session.row_edits import delete_row, insert_row
from kakushi.session.session import Session
from kakushi.words.dress import showing_words
from kakushi.words.parts import wish_words
from kakushi.words.steps import step_words
from kakushi.words.wording import Wording
from test_dress import SMALL, column_of, piece_of, planned

AROUND = Surroundings(2000, "signal-red")
BOARD = Board(key=1, name="sign", row=3, up_mm=20, offset_mm=200, wide_mm=300, tall_mm=200, deep_mm=5, colour="rope")


@pytest.fixture(scope="module")
def loose():
    return planned(piece_of())


def drawn_of(found, key: int) -> tuple[np.ndarray, np.ndarray]:
    """Centres and radii of what is drawn of a part."""
    owner = np.repeat([part.key for part, _ in found.drawn_parts], [many for _, many in found.drawn_parts])
    first = len(found.drawn.radii) - len(owner)
    mine = first + np.flatnonzero(owner == key)
    return found.drawn.centres[mine], found.drawn.shape_radii[mine]


@pytest.mark.parametrize("kind", KINDS)
def test_a_new_part_of_every_kind_is_drawn_where_it_is_and_weighed_there(kind, loose) -> None:
    part = KINDS[kind].made(1, AROUND)
    found = planned(replace(loose.piece, parts=(part,)))
    if KINDS[kind].body(part) is not None and len(KINDS[kind].body(part)):
        centres, radii = drawn_of(found, 1)
        middle = np.array(found.place_of(found.parts[0]))
        low, high = (centres - radii[:, None]).min(axis=0), (centres + radii[:, None]).max(axis=0)
        assert (low - 1 <= middle).all(), "it lies about its middle"
        assert (middle <= high + 1).all(), "it lies about its middle"
        (load,) = build_loads(found, {})[1].values()
        assert np.array([load.x, load.y, load.z]) == pytest.approx(middle, abs=0.35 * float((high - low).max()))
    assert found.height_mm == loose.height_mm, "what is put on is not the column"
    assert foot_of(found).on.reach == pytest.approx(foot_of(loose).on.reach), "and bears nothing"
    assert all(used.count > 0 for used in materials_of(part))


def test_a_part_moves_with_its_row_and_says_when_it_is_gone(loose) -> None:
    job = Job(pieces=(replace(loose.piece, parts=(BOARD,)),))
    found = planned(job.pieces[0])
    knots = found.geometry.knots
    assert found.parts[0].height_mm == pytest.approx(knots[2] + 20)
    assert drawn_of(found, 1)[0][:, 2].mean() == pytest.approx(knots[2] + 20, abs=2)
    taller = planned(insert_row(1, loose.piece.rows[0], None).change(job).pieces[0])
    assert taller.parts[0].height_mm == pytest.approx(taller.geometry.knots[3] + 20), "a row below lifts it"
    gone = planned(delete_row(1, 3).change(job).pieces[0])
    assert any("sign” has lost its row" in words for words in warnings(gone))
    assert gone.parts[0].height_mm == BOARD.height_mm


def test_a_part_can_be_fixed_to_another_one(loose) -> None:
    ball = Topper(key=1, tall_mm=300, wide_mm=300, balloons=(PartBalloons(nominal_in=16, colour="rope", count=1),))
    eye = HungLoad(key=2, on=1, up_mm=40, offset_mm=150, azimuth_deg=90, wide_mm=30, tall_mm=30, colour="rope")
    found = planned(replace(loose.piece, parts=(ball, eye)))
    (middle,), _ = drawn_of(found, 1)
    assert drawn_of(found, 2)[0].mean(axis=0) == pytest.approx(middle + np.array([150, 0, 40]), abs=1e-6)
    lost = planned(replace(loose.piece, parts=(eye,)))
    assert any("lost the part it was fixed to" in words for words in warnings(lost))
    round_trip = planned(replace(loose.piece, parts=(replace(ball, on=2), eye)))
    assert np.isfinite(round_trip.drawn.centres).all(), "two parts on each other end nowhere else"


def test_accents_rest_on_the_column_and_toys_hang_between_their_two_places(loose) -> None:
    balloon = PartBalloons(nominal_in=5, diameter_mm=90, colour="rope", count=2)
    found = planned(replace(loose.piece, parts=(Accent(key=1, row=3, azimuth_deg=30, balloons=(balloon,)),)))
    centres, radii = drawn_of(found, 1)
    away = np.linalg.norm(centres[:, None] - loose.drawn.centres[None], axis=2)
    gaps = (away - radii[:, None] - loose.drawn.shape_radii[None]).min(axis=1)
    assert (np.abs(gaps) < 0.06 * 90).all(), "they touch the column and hardly press it"
    toy = Toy(key=1, azimuth_deg=-30, to_deg=60, to_up_mm=100, offset_mm=300, height_mm=800, wide_mm=100, tall_mm=200,
              deep_mm=100, colour="rope")  # fmt: skip
    centres, _ = drawn_of(planned(replace(loose.piece, parts=(toy,))), 1)
    for degrees, height in ((-30, 800), (30, 900)):
        place = [300 * math.sin(math.radians(degrees)), -300 * math.cos(math.radians(degrees)), height]
        assert np.linalg.norm(centres - place, axis=1).min() < 1, "its cord reaches both places"


# --- collars, strips and the base ------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def ringed(loose):
    """The loose column with its collar placed, and where."""
    collar = Collar(key=1, balloons=(PartBalloons(nominal_in=5, diameter_mm=100, colour="rope", count=3),))
    bare = planned(replace(loose.piece, parts=(collar,)))
    placed = placed_ring(bare, 1)
    height = float(loose.geometry.knots[placed.row - 1]) + placed.up_mm
    job = set_ring(1, collar, placed.row, placed.up_mm, height, placed.count).change(Job(pieces=(bare.piece,)))
    return placed, planned(job.pieces[0])


def test_a_collar_is_closed_and_hides_what_was_said(loose, ringed) -> None:
    placed, found = ringed
    centres, radii = drawn_of(found, 1)
    assert len(centres) == placed.count
    out = np.hypot(centres[:, 0], centres[:, 1]).mean()
    assert 2 * out * math.sin(math.pi / placed.count) == pytest.approx(2 * radii[0], rel=0.12), "neighbours touch"
    before, after = showing_of(loose), showing_of(found)
    assert 1 - after.total_cm2 / before.total_cm2 == pytest.approx(placed.hidden, abs=0.02)
    middles = [replace(found.piece.parts[0], row=key, up_mm=placed.up_mm) for key in (2, 4, 6)]
    others = [showing_of(planned(replace(found.piece, parts=(part,)))).total_cm2 for part in middles]
    assert after.total_cm2 <= min(others) * 1.1, "hardly a better place"


def test_strips_and_the_base_are_told_beside_what_balloons_hide(loose) -> None:
    base = Base(kind="plate", height_mm=60, radius_mm=260, mass_g=4000)
    frame = replace(loose.piece.frame, base=base)
    found = planned(replace(loose.piece, frame=frame))
    showing = showing_of(found)
    # Nothing hides the edge of a plate wider than the column: what of its skin faces the eye, as it looks from there.
    turn, z = (each.ravel() for each in np.meshgrid(np.linspace(-math.pi, math.pi, 721)[:-1], np.arange(0.5, 60)))
    normal = np.stack([np.sin(turn), -np.cos(turn), 0 * turn], axis=1)
    front = showing_of(planned(replace(found.piece, dressing=replace(found.piece.dressing, eyes=(LookFrom(),)))))
    way = front.eyes[0].place - normal * 260 - np.stack([0 * z, 0 * z, z], axis=1)
    faces = np.maximum((normal * way).sum(axis=1) / -way[:, 1], 0.0)
    assert front.all_cm2[Mechanic.BASE] == pytest.approx(faces.sum() * 260 * math.tau / 720 / 100, rel=0.02)
    assert showing.seen_cm2[Mechanic.BASE] == pytest.approx(showing.all_cm2[Mechanic.BASE], rel=0.02)
    assert "base" in " ".join(showing_words(showing, UnitSystem.METRIC))
    assert showing.total_cm2 == pytest.approx(sum(showing.seen_cm2[each] for each in HIDEABLE))
    seats = placed_fillers(loose, 1) if loose.piece.parts else place_fillers(SMALL, column_of(loose), showing_of(loose))
    astride, dots = (
        showing_of(planned(replace(loose.piece, parts=(replace(SMALL, seats=seats.seats, tie=tie),))))
        for tie in (FillerTie.ASTRIDE, FillerTie.DOT)
    )
    assert astride.all_cm2[Mechanic.STRIPS] > 0 == dots.all_cm2[Mechanic.STRIPS]
    assert astride.total_cm2 == pytest.approx(dots.total_cm2), "strips hide nothing"
    assert astride.seen_cm2[Mechanic.STRIPS] < astride.all_cm2[Mechanic.STRIPS], "clusters hide their own strips"


# --- assorted sets ---------------------------------------------------------------------------------------------


@given(step=st.floats(1, 40), many=st.integers(1, 9), low=st.floats(0, 300), wide=st.floats(0, 200))
@settings(max_examples=60)
def test_few_sizes_are_sizes_of_the_sizer_spread_over_their_limits(step, many, low, wide) -> None:
    size, sizer = Studio().nominal(11), Sizer(step_mm=step)
    found, every = sizer.few(size, many, low, low + wide), sizer.diameters(size)
    within = [each for each in every if low - 1e-6 <= each <= low + wide + 1e-6]
    assert set(found) <= set(every)
    assert list(found) == sorted(set(found))
    assert len(found) == min(many, max(len(within), 1)) or not every
    if len(within) > 1 and many > 1:
        assert (found[0], found[-1]) == pytest.approx((within[0], within[-1]))


def test_the_darker_colours_go_below_and_every_cluster_keeps_its_number(loose) -> None:
    colours = ("sail-white", "deep-teal", "sea-glass")
    part = Fillers(key=1, wanted=9, dark_below=True, balloons=shared_out(5.0, None, colours, 4))
    found = planned(replace(loose.piece, parts=(part,)))
    sketched = []
    placed = placed_fillers(found, 1, palette=DEFAULT_PALETTE, sketch=sketched.append)
    heights = {row.key: index for index, row in enumerate(loose.piece.rows)}
    order = sorted(placed.seats, key=lambda seat: heights[seat.row] + seat.up / 2)
    assert set(order[0].colours) == {"deep-teal"}
    assert set(order[-1].colours) == {"sail-white"}
    assert {len(seat.colours) for seat in placed.seats} == {4}
    sizes = filler_sizes(Studio(), 5.0, None, 3)
    assert len(sizes) == 3
    assert set(sizes) <= set(Studio().sizer.diameters(Studio().nominal(5)))


# --- materials and bodies --------------------------------------------------------------------------------------


def test_ribbon_boards_and_stems_are_on_the_lists(loose) -> None:
    parts = (
        Ribbons(key=1, tails=4, tall_mm=500), Bow(key=2, wide_mm=200, tall_mm=100, tails=3, tail_mm=400), BOARD,
        Plants(key=4, name="grass", stems=30),
    )  # fmt: skip
    found = planned(replace(loose.piece, parts=parts))
    listed = things(found_plan(found))
    assert listed["board: sign"] == 1
    assert listed["grass"] == 30
    wound = things(found_plan(loose)).get("ribbon", 0)
    # Four tails of half a metre; three of 0.4 m and two loops there and back; a knot of 0.3 m each.
    assert listed["ribbon"] - wound == pytest.approx(4 * 0.5 + 0.3 + 3 * 0.4 + 0.6 + 0.3)


def found_plan(found):
    return plan(Job(pieces=(found.piece,)), Studio())


@given(
    wide=st.floats(1, 3000), deep=st.floats(1, 3000), tall=st.floats(1, 3000), azimuth=st.floats(-4, 4),
)  # fmt: skip
@settings(max_examples=50)
def test_bodies_keep_within_their_measures(wide, deep, tall, azimuth) -> None:
    for body in (lump(wide, deep, tall, "a"), sheet(wide, tall, 5.0, "a")):
        assert 0 < len(body) < 1000
        x, _, z = (np.abs(body.centres) + body.radii[:, None]).max(axis=0)
        assert x <= max(wide / 2, body.radii.max()) + 1e-6
        assert z <= max(tall / 2, body.radii.max()) + 1e-6
    line = chain([(0, 0, 0), (wide, 0, tall)], 5, "a", 1)
    assert np.linalg.norm(line.centres[-1] - [wide, 0, tall]) == pytest.approx(0, abs=1e-6)
    moved = turned(line, azimuth, (1, 2, 3))
    assert np.linalg.norm(moved.centres - [1, 2, 3], axis=1) == pytest.approx(np.linalg.norm(line.centres, axis=1))


def test_a_foil_fixed_to_a_ball_of_balloons_faces_outwards(loose) -> None:
    ball = Topper(key=1, tall_mm=300, balloons=(PartBalloons(nominal_in=16, colour="rope", count=1),))
    foil = FoilShape(key=2, shape="round", tall_mm=100, wide_mm=100, deep_mm=30, stands=False, on=1, offset_mm=150,
                     azimuth_deg=90, colour="rope")  # fmt: skip
    centres, _ = drawn_of(planned(replace(loose.piece, parts=(ball, foil))), 2)
    assert np.ptp(centres[:, 0]) < 1 < np.ptp(centres[:, 1]), "its face is turned to the right"


@settings(max_examples=12)
@given(st.floats(0, 6000), st.sampled_from([Accent, Collar]), st.integers(1, 6))
def test_nothing_flies_whatever_height_it_is_put_at(height: float, kind: type, many: int) -> None:
    """A part that lies on the column stays beside it, or at the pole with a word that no balloon holds it."""
    balloons = (PartBalloons(nominal_in=5, diameter_mm=100, count=many, colour="sail-white"),)
    rows = RowsGroup(rows=tuple(uniform_row(k + 1, 4, 11, 220) for k in range(5)))
    part = kind(key=1, name="shell", balloons=balloons, height_mm=height)
    piece = Piece(key=1, name="Gate", groups=(rows,), parts=(part,))
    found = plan(Job(pieces=(piece,)), Studio()).pieces[0]
    ((_, body),) = bodies_of(found.piece, found.assembly)
    assert np.hypot(body.centres[:, 0], body.centres[:, 1]).max() < 235 + 200
    assert np.abs(body.centres[:, 2] - height).max() < 400
    is_far = height > found.height_mm + 200
    assert is_far <= (PartUnheld("shell") in found.warnings)


# --- on the skin -------------------------------------------------------------------------------


def skin_of(body) -> np.ndarray:
    """Points of a body's surface that none of its own balls covers; of a film those of both its faces."""
    if body.film is not None:
        film = body.film
        lines, columns = np.nonzero(film.inside > 0)
        every = len(lines) // 2000 + 1
        lines, columns = lines[::every], columns[::every]
        flat = np.stack([
            (columns + 0.5 - film.inside.shape[1] / 2) * film.step[1], film.half[lines, columns],
            (film.inside.shape[0] / 2 - lines - 0.5) * film.step[0],
        ], axis=1)  # fmt: skip
        both = np.concatenate([flat, flat * [1, -1, 1]])
        c, s = np.cos(film.azimuth), np.sin(film.azimuth)
        return both @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]]) + np.array(film.spot)
    turn = np.arange(40) * 2.4
    up = 1 - (2 * np.arange(40) + 1) / 40
    ways = np.stack([np.sqrt(1 - up**2) * np.cos(turn), np.sqrt(1 - up**2) * np.sin(turn), up], axis=1)
    points = body.centres[:, None] + body.radii[:, None, None] * ways
    away = np.linalg.norm(points[:, :, None] - body.centres[None, None], axis=3)
    return points[~(away < body.radii[None, None] * (1 - 1e-6)).any(axis=2)]


@pytest.mark.parametrize(("nominal", "diameter", "rows"), [(5, 62, 12), (36, 400, 5)])
def test_new_parts_of_every_kind_lie_on_the_skin(nominal, diameter, rows) -> None:
    group = RowsGroup(rows=tuple(uniform_row(k, 4, nominal, diameter) for k in range(1, rows + 1)))
    bare = Piece(key=1, name="Gate", groups=(group,))
    for kind in set(KINDS) - {"topper", "fillers"}:
        session = Session(Job(pieces=(bare,)))
        session.apply(part_edits.add_part(1, kind))
        found = plan(session.job, Studio()).pieces[0]
        centres, radii = found.assembly.spheres
        for _, body in found.bodies:
            points = skin_of(body)
            gaps = (np.linalg.norm(points[:, None] - centres[None], axis=2) - radii[None]).min(axis=1)
            assert (gaps < 0).mean() < 0.05, f"{kind} is sunk"
            assert points[:, 2].min() > -1, f"{kind} reaches below the floor"
            if kind not in ("flowers or grass", "flowers of balloons"):
                # Between two points of a ball's surface the ball reaches further.
                away = np.linalg.norm(body.centres[:, None] - centres[None], axis=2) - body.radii[:, None] - radii[None]
                # A board is known at nine by nine points: they lie a little off where it touches between them.
                least = away.min() if body.film is None else gaps.min() - 3 * (len(points) < 200)
                assert min(gaps.min(), least) < 3, f"{kind} floats"
        told = [note for note in found.warnings if isinstance(note, PartSunk | PartFloats | PartBelowFloor)]
        assert not told, kind


def test_parts_that_are_sunk_float_or_reach_too_low_are_told_and_mended() -> None:
    rows = tuple(uniform_row(k, 4, 11, 230) for k in range(1, 8))
    piece = Piece(key=1, name="Gate", groups=(RowsGroup(rows=rows),))
    bow = Bow(key=1, name="bow", wide_mm=250, tall_mm=120, deep_mm=60, height_mm=700, colour="rope")
    for changes, kind in (
        ({"offset_mm": 150.0}, PartSunk), ({"offset_mm": 400.0}, PartFloats),
        ({"offset_mm": 250.0, "height_mm": 30.0}, PartBelowFloor),
    ):  # fmt: skip
        session = Session(Job(pieces=(replace(piece, parts=(replace(bow, **changes),)),)))
        found = plan(session.job, Studio()).pieces[0]
        assert any(isinstance(note, kind) for note in found.warnings), kind
        session.apply(part_edits.lay_on_skin(1, found.piece.parts[0], Studio()))
        assert not any(isinstance(note, PartSunk | PartFloats | PartBelowFloor)
                       for note in plan(session.job, Studio()).pieces[0].warnings)  # fmt: skip


@pytest.mark.parametrize("thing", [
    Toy(key=9, name="seal", height_mm=700, mass_g=200, wide_mm=200, tall_mm=300, deep_mm=150, colour="rope"),
    Board(key=9, name="sign", height_mm=600, azimuth_deg=30, wide_mm=400, tall_mm=250, deep_mm=5, colour="rope"),
])  # fmt: skip
def test_clusters_leave_the_main_thing_in_sight(thing) -> None:
    fillers = replace(SMALL, key=5, wanted=10, balloons=(
        PartBalloons(nominal_in=11, diameter_mm=220, colour="rope", count=4),))  # fmt: skip
    found = planned(replace(piece_of(4, 7), seen_sides="front only"))
    laid = on_skin(thing, found.piece, found.assembly)
    covered, hidden = {}, {}
    for mark in (False, None):
        piece = replace(found.piece, parts=(replace(laid, in_sight=mark), fillers))
        placed = placed_fillers(planned(piece), 5)
        dressed = planned(replace(piece, parts=(replace(laid, in_sight=True), replace(fillers, seats=placed.seats))))
        bare = planned(replace(piece, parts=(replace(laid, in_sight=True),)))
        (now,), (then,) = showing_of(dressed).things, showing_of(bare).things
        looks = zip(then.shares, now.shares, strict=True)
        covered[mark] = max(before - after for before, after in looks if before is not None)
        hidden[mark] = placed.hidden[-1]
    assert covered[None] <= 0.02
    if thing.kind == "board":
        assert covered[False] > 0.1, "without it they would be in the way"
    assert hidden[None] >= 0.85 * hidden[False]
    said = list(showing_words(showing_of(dressed), UnitSystem.METRIC))
    assert any(sentence.startswith(f"“{thing.name}” is") and "in sight" in sentence for sentence in said)


@given(
    count=st.sampled_from([4, 5, 6]), rows=st.integers(5, 10), wanted=st.integers(5, 16), of=st.sampled_from([1, 2, 4]),
    sides=st.sampled_from(list(SeenSides)), shares=st.sampled_from([SideShares(), SideShares(front=3, back=1, left=2)]),
)  # fmt: skip
@settings(max_examples=4, deadline=None)
def test_scattered_clusters_lie_evenly_and_never_press(count, rows, wanted, of, sides, shares) -> None:
    balloons = (PartBalloons(nominal_in=5, diameter_mm=80, colour="rope", count=of),)
    part = Fillers(key=5, wanted=wanted, look=FillerLook.SCATTERED, balloons=balloons, shares=shares)
    found = planned(replace(piece_of(count, rows), seen_sides=sides, parts=(part,)))
    placed = placed_fillers(found, 5)
    dressed = planned(replace(found.piece, parts=(replace(part, seats=placed.seats),)))
    middles = np.array([each.centres.mean(axis=0) for each in seated_fillers(dressed.piece, dressed.assembly)])
    away = np.linalg.norm(middles[:, None] - middles[None], axis=2) + np.diag(np.full(len(middles), np.inf))
    nearest = away.min(axis=1)
    if shares == SideShares():
        assert nearest.std() / nearest.mean() <= 0.35
    else:
        quarters = np.round(np.arctan2(middles[:, 0], -middles[:, 1]) / (math.pi / 2)).astype(int) % 4
        assert np.abs(np.bincount(quarters, minlength=4) - len(middles) * np.array([3, 0, 1, 2]) / 6).max() <= 1
    assert not warnings(dressed), "its own placing is not warned about"


def test_clusters_find_their_place_on_a_ball_and_are_tied_to_its_necks() -> None:
    slots = (Slot(nominal_in=9, diameter_mm=180, colour="rope"),) * 10
    balloons = (PartBalloons(nominal_in=5, diameter_mm=100, colour="rope", count=2),)
    part = Fillers(key=5, wanted=5, tie=FillerTie.NECK, balloons=balloons)
    found = planned(Piece(key=1, name="Kelp", groups=(BallGroup(slots=slots),), parts=(part,)))
    placed = placed_fillers(found, 5)
    assert [seat.ball for seat in placed.seats] == [0] * 5
    dressed = planned(replace(found.piece, parts=(replace(part, seats=placed.seats),)))
    assert not warnings(dressed)
    told = [step_words(step, Wording(Job())) for step in steps_of(found_plan(dressed)) if step.kind == "cluster"]
    assert len(told) == 5
    assert all("on the ball" in words and "crossing of the ball's necks" in words for words in told)
    gone = planned(replace(piece_of(4, 3), parts=(replace(part, seats=placed.seats),)))
    assert any("lost" in words for words in warnings(gone))


def test_sticks_are_cut_drawn_and_listed() -> None:
    part = Sticks(key=1, name="straws", sticks=7, tall_mm=300, height_mm=600, azimuth_deg=20, colour="rope")
    found = planned(replace(piece_of(4, 5), parts=(part,)))
    centres, radii = drawn_of(found, 1)
    foot, tips = centres[centres[:, 2].argmin()], centres[centres[:, 2] > 600 + 60]
    assert np.linalg.norm(tips - foot, axis=1).max() == pytest.approx(300, abs=2)
    assert radii == pytest.approx(3.0)
    assert things(found_plan(found))["straws, 30 cm"] == 7
    told = [step_words(step, Wording(Job())) for step in steps_of(found_plan(found)) if step.kind == "accent"]
    assert told[0].startswith("Cut 7 pieces to 30 cm.")


def test_a_starburst_may_be_tied_from_pairs_of_small_foils() -> None:
    star = Starburst(key=1, name="burst", tall_mm=400, wide_mm=400, cones=11, tied=True, colour="rope")
    found = planned(replace(piece_of(4, 3), parts=(star,)))
    listed = things(found_plan(found))
    assert listed["small foils, 20 cm"] == 11
    assert "glue dots" not in listed, "a strip round the middle holds them"
    assert listed["modelling balloons 260"] >= 1
    told = [step_words(step, Wording(Job())) for step in steps_of(found_plan(found)) if step.kind == "topper"]
    assert told[0].startswith("Tie 11 small foils in 6 pairs")


def test_flowers_and_stuffed_balloons_are_consumed_made_and_drawn() -> None:
    lamp = BalloonColour(key="lamp", name="lamp", code="L", hex="#f0a030", outer="sail-white", inner="signal-red",
                         inner_nominal_in=5, inner_share=0.4)  # fmt: skip
    petals = (PartBalloons(nominal_in=5, diameter_mm=80, colour="rope", count=6),)
    flowers = Flowers(key=1, name="asters", flowers=3, tall_mm=300, wide_mm=900, balloons=petals, middle_colour="lamp")
    piece = replace(piece_of(4, 3), parts=(flowers,), layers=(SolidLayer(colour="lamp"),))
    found = plan(Job(pieces=(piece,), palette=(*DEFAULT_PALETTE, lamp)), Studio())
    assert len(drawn_of(found.pieces[0], 1)[0]) >= 3 * 7
    used = {(line.nominal_in, line.colour): line.needed for line in needed(found)}
    nominal = piece.rows[0].slots[0].nominal_in
    # Twelve in the rows and a cap; inside those of the rows and the middles of the flowers, a red one each.
    assert used == {(nominal, "sail-white"): 13, (5, "signal-red"): 15, (5, "sail-white"): 3, (5, "rope"): 18}
    told = " ".join(step_words(step, Wording(found.job)) for step in steps_of(found))
    assert "Tie 3 flowers: 6 petals round a middle each" in told
    inner = 0.4 * piece.rows[0].slots[0].diameter_mm
    assert f"5″ signal red to {Wording(found.job).diameter(inner)}" in told
    assert told.index("blow it to its size first") < told.index("Row 1")


# --- toppers -----------------------------------------------------------------------------------


@given(
    nominal=st.sampled_from([5, 11, 16, 36]), count=st.integers(1, 8), tall=st.floats(50, 1500),
    pole=st.sampled_from([None, 1300.0, 1700.0]), second=st.booleans(),
)  # fmt: skip
@settings(max_examples=40, deadline=None)
def test_toppers_overlap_nothing_and_are_no_larger_than_their_balloons(nominal, count, tall, pole, second) -> None:
    rows = tuple(uniform_row(k, 4, 11, 230) for k in range(1, 9))
    balloons = (PartBalloons(nominal_in=nominal, colour="rope", count=count),)
    topper = Topper(key=1, name="lamp", tall_mm=tall, wide_mm=tall, balloons=balloons)
    piece = Piece(key=1, name="Gate", groups=(RowsGroup(rows=rows),), parts=(topper,), frame=Frame(pole_length_mm=pole))
    if second:
        small = replace(topper, key=2, tall_mm=90, balloons=(replace(balloons[0], nominal_in=5, count=1),))
        piece = replace(piece, parts=(topper, small))
    found = planned(piece)
    centres, radii = drawn_of(found, 1)
    assert len(radii) == count
    assert 2 * radii.max() <= inches(nominal) + 1e-6
    column, skins = found.assembly.spheres
    gaps = np.linalg.norm(centres[:, None] - column[None], axis=2) - radii[:, None] - skins[None]
    assert gaps.min() > -1e-3
    if second:
        (top_of_all,), (radius,) = drawn_of(found, 2)
        assert (np.linalg.norm(centres - top_of_all, axis=1) - radii - radius).min() > -1e-3
        assert found.overall_height_mm >= top_of_all[2] + radius - 0.01
        return
    out = np.hypot(centres[:, 0], centres[:, 1])
    over = out < radii
    lows = centres[over, 2] - np.sqrt(radii[over] ** 2 - out[over] ** 2)
    goes_on = pole is not None and pole > float((centres[:, 2] + radii).max())
    assert pole is None or goes_on or not len(lows) or lows.min() >= pole - 1e-6
    top = float((centres[:, 2] + radii).max())
    assert found.overall_height_mm == pytest.approx(max(top, found.assembly.top), abs=0.01)
    if count == 1 and tall > inches(nominal):
        assert any("at most" in sentence for sentence in words_of_wishes(found))


def words_of_wishes(found) -> list[str]:
    return [wish_words(wish, UnitSystem.METRIC) for wish in wishes_of(found.piece.parts)]
