"""A photograph against the plan: camera and light against closed forms; photographs from the practice camera."""

from __future__ import annotations

import dataclasses
import io
import json
import math
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from kakushi.check.check import check_photo
from kakushi.check.circles import RADII, circle_scores, slopes_of
from kakushi.check.faults import found_faults
from kakushi.check.image import between, image_of, linear_of
from kakushi.check.light import JudgedColours, SampledBalls, judged
from kakushi.check.locate import proposed_ends
from kakushi.check.measure import measured
from kakushi.check.mismatch import mismatch_of, with_rows
from kakushi.check.model_spheres import ModelSpheres, model_spheres_of
from kakushi.check.places import SIZES, PlaceEvidence
from kakushi.check.practice import ROW_KINDS, Practice, practise
from kakushi.check.request import CheckRequest
from kakushi.check.rows import sides_of, turned_by
from kakushi.check.upright import lean_by_edge, likely_lean
from kakushi.check.values import FaultKind, NotChecked, PartsOff, Refusal, Result
from kakushi.cli.main import main
from kakushi.formats.print.check_page import check_pdf
from kakushi.formats.read.photograph import kept_bytes, load_photo, photo_from_bytes
from kakushi.formats.store.job_file import load_job, load_job_file, save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, Cancelled, KakushiError
from kakushi.model.frame import Frame
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SpiralLayer
from kakushi.model.memo import never
from kakushi.model.piece import Piece
from kakushi.model.record import MOST_PHOTOS, Found, Photo, Record
from kakushi.plan.pipeline import plan
from kakushi.sight.expected import Balls, Expected, Window, expected
from kakushi.sight.pinhole import Ends, Pose, pose_of_ends
from kakushi.sight.spheres import NOTHING
from kakushi.sim.shot import Shot
from kakushi.words.check import fault_words, result_words
from kakushi.words.wording import Wording

SEED = 11

WORDING = Wording(Job())


@lru_cache(maxsize=4)
def column(rows: int = 7, count: int = 4) -> ModelSpheres:
    """A straight column in three colours, so that it looks different from every side."""
    group = RowsGroup(rows=tuple(uniform_row(k + 1, count, 11, 220) for k in range(rows)))
    layer = SpiralLayer(lanes=("harbour-blue", "sail-white", "signal-red", "lantern-yellow")[: max(count - 1, 3)])
    piece = Piece(key=1, name="Gate", groups=(group,), layers=(layer,), frame=Frame(pole_length_mm=1500))
    job = Job(pieces=(piece,))
    return model_spheres_of(plan(job, Studio()).pieces[0], job)


SHOT = Shot(
    azimuth=math.radians(8), distance_mm=3300, eye_mm=1300, roll=0.02, focal=2.0, aim=(20.0, 600.0), size=(480, 640)
)
FAULTS = ("colour", "missing", "size")
LEAN = math.radians(6)


@lru_cache(maxsize=2)
def taken(covered: float = 0.0) -> Practice:
    """One photograph with a fault of each kind and a lean; or one with somebody in front and no fault."""
    faults, lean = ((), 0.0) if covered else (FAULTS, LEAN)
    return practise(column(), replace_shot(covered=covered), SEED, faults, lean)


def replace_shot(covered: float = 0.0, size: tuple[int, int] = SHOT.size) -> Shot:
    return dataclasses.replace(SHOT, covered=covered, size=size)


def ends_of(practice: Practice, off: float = 4.0) -> Ends:
    """Foot and top, clicked a little off."""
    (fx, fy), (tx, ty) = practice.photograph.foot, practice.photograph.top
    return Ends((fx + off, fy - off), (tx - off, ty + off), 0.0, column().top_mm)


@lru_cache(maxsize=2)
def found_in(covered: float = 0.0) -> Result:
    practice = taken(covered)
    return check_photo(column(), linear_of(practice.photograph.pixels), CheckRequest(ends_of(practice)))


# --- the camera ------------------------------------------------------------------------------------------------------


@given(
    st.floats(-3, 3), st.floats(1500, 9000), st.floats(300, 2200), st.floats(0.5, 3.0), st.floats(-0.2, 0.2),
    st.floats(-0.15, 0.15),
)  # fmt: skip
def test_the_camera_that_sees_both_ends_is_found_in_closed_form(azimuth, distance, eye, focal, tilt, roll) -> None:
    f = focal * 1000
    turned = np.array([[math.cos(roll), 0, -math.sin(roll)], [0, 1, 0], [math.sin(roll), 0, math.cos(roll)]])
    tilted = np.array([[1, 0, 0], [0, math.cos(tilt), math.sin(tilt)], [0, -math.sin(tilt), math.cos(tilt)]])
    level = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
    made = Pose(azimuth, distance, eye, f, (300.0, 400.0), level @ tilted @ turned)
    points = np.array([[0.0, 0.0, 0.0], [0.0, 0.0, 1800.0], [200.0, -100.0, 700.0]])
    seen = made.pixels(made.local(points))
    ends = Ends(tuple(seen[0].tolist()), tuple(seen[1].tolist()), 0.0, 1800.0)
    pose = pose_of_ends(azimuth, distance, eye, ends, (300.0, 400.0))
    assert pose is not None
    assert pose.focal == pytest.approx(f, rel=1e-5)
    assert pose.pixels(pose.local(points)) == pytest.approx(seen, abs=1e-3)
    assert pose.scaled(0.5).pixels(pose.local(points)) == pytest.approx(seen / 2, abs=1e-3)


def level_camera(focal: float = 1000.0) -> Pose:
    return Pose(0.0, 5000.0, 1000.0, focal, (200.0, 200.0), np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]))


def test_a_ball_covers_its_disc_and_the_nearer_one_is_seen() -> None:
    pose = level_camera()
    centres = np.array([[0.0, 0.0, 1000.0], [100.0, -400.0, 1000.0]])
    balls = Balls(pose.local(centres), np.array([300.0, 100.0]))
    alone = expected(pose, balls, Window(0, 0, 400, 400), drawn=np.array([True, False]))
    # A ball on the optical axis is seen under asin(r / d).
    radius = 1000 * math.tan(math.asin(300 / 5000))
    assert (alone.identity == 0).sum() == pytest.approx(math.pi * radius**2, rel=0.01)
    assert pose.circles(balls.local, balls.radii)[0] == pytest.approx([200, 200, radius], rel=1e-3)
    both = expected(pose, balls, Window(0, 0, 400, 400))
    assert both.identity[200, int(200 + 1000 * 100 / 4600)] == 1
    assert both.identity[5, 5] == NOTHING
    assert alone.depth[200, 200] == pytest.approx(4700, rel=1e-3)
    assert both.rim[200, 180] < 0.5 < both.rim[200, int(200 - 0.9 * radius)]


def test_an_upright_edge_tells_the_lean() -> None:
    pose = level_camera()
    leaned = math.radians(5)
    high = (200 + 300 * math.tan(-leaned), 50.0)
    assert math.degrees(lean_by_edge(pose, (200.0, 350.0), high).angle) == pytest.approx(5, abs=0.1)
    assert lean_by_edge(pose, (120.0, 350.0), (120.0, 50.0)).angle == pytest.approx(0, abs=1e-6)


# --- the light -------------------------------------------------------------------------------------------------------


@given(st.floats(-0.8, 0.8), st.floats(-0.8, 0.8), st.floats(0.7, 1.4), st.integers(0, 500))
def test_a_wrong_balloon_is_found_in_any_light(red, blue, gamma, seed) -> None:
    """Samples made from the law itself, in a tinted light, with one wrong balloon that must not shift the rest."""
    model, chance = column(), np.random.default_rng(seed)
    really = model.colours.copy()
    rows = np.flatnonzero(model.rows >= 0)
    wrong = int(chance.choice(rows))
    others = [k for k in np.unique(model.colours) if k != model.colours[wrong]]
    really[wrong] = int(chance.choice(others))
    logs = np.log(np.maximum(model.albedo[really], 1e-3) ** gamma + 0.02) + chance.normal(0, 0.02, (len(really), 3))
    many = len(model)
    sample = SampledBalls(
        logs[:, 0] - logs[:, 1] + red, logs[:, 2] - logs[:, 1] + blue, logs.mean(axis=1), np.full(many, 0.05),
        np.full(many, 500), np.full(many, 0.8), np.zeros(many),
    )  # fmt: skip
    found = judged(sample, model, chance.uniform(-0.5, 0.5, (many, 2)))
    assert found.seen[wrong] == really[wrong]
    assert (found.seen == really).all()
    assert found.likely[wrong, model.colours[wrong]] < 0.05


@pytest.mark.parametrize("size", [0.67, 1.0, 1.33, 0.0])
def test_a_round_rim_closes_at_the_radius_that_is_there(size: float) -> None:
    high, wide, radius, (x, y) = 240, 200, 40.0, (104.0, 117.0)
    lines, columns = np.mgrid[:high, :wide] + 0.5
    disc = np.hypot(columns - x, lines - y) < size * radius
    picture = np.where(disc[..., None], (0.5, 0.1, 0.1), (0.2, 0.3, 0.5)).astype(np.float32)
    # A straight edge beside it closes nowhere.
    picture[:, 170:] = 0.8
    empty = np.full((high, wide), np.inf, dtype=np.float32)
    nothing = Expected(Window(0, 0, wide, high), np.full((high, wide), NOTHING, dtype=np.int32), empty, empty)
    planned = np.array([[100.0, 120.0, radius]])
    scores = circle_scores(slopes_of(image_of(picture, 1.0)), nothing, planned, np.array([3000.0]), np.array([0]))[0]
    if size:
        assert abs(RADII[int(scores.argmax())] - size) < 0.04
        assert scores.max() > 0.6
    else:
        assert scores.max() < 0.2


@given(st.floats(-0.2, 0.2))
def test_a_picture_that_is_oblique_by_more_than_a_hand_rolls_it_is_thought_to_lean(roll: float) -> None:
    pose = pose_of_ends(0.0, 3000, 1300, Ends((300, 700), (300, 100), 0, 1500), (300.0, 400.0))
    assert pose is not None
    c, s = math.cos(roll), math.sin(roll)
    rolled = dataclasses.replace(pose, turn=np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]]) @ pose.turn)
    lean = likely_lean(rolled)
    assert lean * rolled.roll <= 0
    assert abs(lean) <= abs(rolled.roll)
    if abs(rolled.roll) > math.radians(5):
        assert abs(lean) > 0.7 * abs(rolled.roll)
    if abs(rolled.roll) < math.radians(1.5):
        assert abs(lean) < 0.2 * math.radians(1.5)


def test_a_turned_row_is_told_by_its_places() -> None:
    model = column()
    seen = model.colours.copy()
    row = np.flatnonzero(model.rows == 3)
    row = row[np.argsort(model.slots[row])]
    seen[row] = np.roll(model.colours[row], 1)
    ok = np.ones(len(model), dtype=bool)
    likely = np.zeros((len(model), len(model.palette)))
    found = judged_as(likely, seen)
    assert turned_by(model, found, ok, 3) == 1
    assert turned_by(model, found, ok, 2) == 0


def judged_as(likely: np.ndarray, seen: np.ndarray) -> JudgedColours:
    none = np.zeros(len(seen))
    return JudgedColours(likely, seen, none.astype(bool), none, np.zeros((likely.shape[1], 3)), np.ones(2))


def test_a_gap_and_uneven_rows_are_told_in_the_plan_s_millimetres() -> None:
    """Rows from the fifth on stand 60 mm too high, and those two reach 50 mm too far right."""
    model, pose = column(), level_camera()
    planned = pose.local(model.centres)
    seen = planned.copy()
    seen[model.rows >= 4] -= np.array([0.0, 60.0, 0.0])
    seen[np.isin(model.rows, (1, 2))] += np.array([50.0, 0.0, 0.0])
    many = len(model)
    ok, none = np.ones(many, dtype=bool), np.full((many, len(SIZES)), np.nan)
    sides = sides_of(model, pose, Balls(seen, model.radii), planned, ok, np.full(many, 5.0))
    assert [round(each.rise) for each in sides] == [0, 0, 0, 0, 60, 60, 60]
    assert sides[1].right - sides[1].planned_right == pytest.approx(50, abs=0.5)
    assert sides[1].left - sides[1].planned_left == pytest.approx(-50, abs=0.5)
    placed = PlaceEvidence(none, *np.zeros((3, many))), np.full((many, 3), np.nan)
    likely = np.eye(len(model.palette))[model.colours]
    circles = pose.circles(seen, model.radii)
    faults = found_faults(model, judged_as(likely, model.colours), placed, ok, circles, sides, None)
    assert {(fault.kind, fault.row) for fault in faults} == {(FaultKind.GAP, 4), (FaultKind.SIDES, 1)}
    assert "gap of about 6 cm" in fault_words(faults[-1], WORDING)
    assert "right" in fault_words(faults[0], WORDING)


def test_rows_are_left_out_and_go_on() -> None:
    model = column()
    fewer, more = with_rows(model, 5), with_rows(model, 8)
    assert fewer is not None
    assert more is not None
    assert fewer.row_count == 5
    assert fewer.rows.max() == 4
    assert more.row_count == 8
    assert (more.rows == 7).sum() == 4
    rises = [float(more.centres[more.rows == k, 2].mean()) for k in range(8)]
    assert rises[7] - rises[5] == pytest.approx(rises[6] - rises[4], rel=0.02)
    assert with_rows(model, 1) is None


# --- whole photographs -----------------------------------------------------------------------------------------------


def test_photographs_follow_from_their_seed_and_say_what_is_in_them() -> None:
    small = replace_shot(size=(150, 200))
    one, again = (practise(column(), small, 3, ("colour",)) for _ in range(2))
    assert np.array_equal(one.photograph.pixels, again.photograph.pixels)
    assert [fault.kind for fault in one.made] == ["colour"]
    with pytest.raises(BadInput, match="So many faults"):
        practise(column(), small, 3, ("missing",) * 60)
    with pytest.raises(BadInput, match="no fault"):
        practise(column(), small, 3, ("sour",))


def test_rows_are_pushed_apart_aside_and_turned_for_practice() -> None:
    small = replace_shot(size=(150, 200))
    usual = practise(column(), small, 3).photograph
    for kind in ROW_KINDS:
        practice = practise(column(), small, 3, (kind,))
        assert [fault.kind for fault in practice.made] == [kind]
        row = practice.made[0].row
        moved = practice.photograph.balloons - usual.balloons
        up, aside = -moved[:, 1], np.abs(moved[:, 0])
        is_at, is_above = column().rows == row, column().rows >= row
        if kind == "gap":
            assert up[is_above].min() > 5 > np.abs(up[~is_above]).max()
        elif kind == "sides":
            assert aside[is_at].min() > 5 > aside[column().rows < row].max()
        else:
            assert np.abs(moved).max() < 0.01, "a turned row is seen by its colours"
            assert (practice.photograph.pixels != usual.pixels).any()


def test_each_kind_of_fault_is_found_and_nothing_else() -> None:
    practice, result = taken(), found_in()
    made = {(fault.row, fault.slot): fault.kind for fault in practice.made}
    well_seen = {(row, slot) for row, slot, share in practice.seen if share >= 0.55}
    told = {(fault.row, fault.slot): fault.kind.value for fault in result.faults if not fault.look}
    assert {place: kind for place, kind in told.items() if place in well_seen} == made
    assert math.degrees(result.azimuth) == pytest.approx(8, abs=3), "it leans: that turns what is seen"
    assert result.lean is not None
    assert result.lean == pytest.approx(LEAN, abs=math.radians(1.5))
    assert any(fault.kind is FaultKind.LEAN and "right" in fault_words(fault, WORDING) for fault in result.faults)
    assert result.confidence > 0.8
    balloons = {(balloon.row, balloon.slot): balloon for balloon in result.balloons}
    assert len(balloons) == 28
    for row, slot, share in practice.seen:
        if row >= 0 and share < 0.1:
            assert balloons[row, slot].why_not, "what is hidden is not passed"
    for fault in result.faults:
        if fault.slot >= 0:
            assert f"slot {fault.slot + 1}" in fault_words(fault, WORDING)
    assert "Taken" in " ".join(result_words(result, WORDING))
    assert len(check_pdf(photo_of(result), practice.photograph.pixels, "Gate", "Quay")) > 5000


def photo_of(result: Result) -> Photo:
    faults = tuple(
        Found(
            kind=f.kind.value,
            row=f.row,
            slot=f.slot,
            x=f.at[0],
            y=f.at[1],
            radius=f.at[2],
            words=fault_words(f, WORDING),
        )
        for f in result.faults
    )
    return Photo(name="a1", piece=1, title="<b>&", at=0, faults=faults, words=("x & y",))


def test_what_stands_in_front_is_said_and_not_judged() -> None:
    result = found_in(0.2)
    assert any(isinstance(note, NotChecked) for note in result.notes)
    assert not [fault for fault in result.faults if fault.slot >= 0 and not fault.look]
    assert any(balloon.why_not == "something in front" for balloon in result.balloons)
    small = practise(column(), replace_shot(size=(240, 320)), SEED).photograph
    ends = Ends(small.foot, small.top, 0.0, column().top_mm)
    everything = np.ones(small.pixels.shape[:2], dtype=bool)
    hidden = check_photo(column(), linear_of(small.pixels), CheckRequest(ends, hidden=everything))
    assert not any(fault.slot >= 0 for fault in hidden.faults)


def test_miscounted_rows_a_mirrored_spiral_and_no_piece_at_all_are_told() -> None:
    practice = taken()
    linear, ends = linear_of(practice.photograph.pixels), ends_of(practice)
    fewer = with_rows(column(), 5)
    assert fewer is not None
    short = check_photo(fewer, linear, CheckRequest(Ends(ends.foot, ends.top, 0.0, fewer.top_mm)))
    assert short.refused == Refusal("rows", 2)
    assert mismatch_of(column().mirrored(), linear, CheckRequest(ends), never) == Refusal("mirrored")
    nothing = np.random.default_rng(1).uniform(0.2, 0.4, (160, 120, 3)).astype(np.float32)
    assert check_photo(column(), nothing, CheckRequest(ends.scaled(0.25))).refused == Refusal("other piece")


def test_a_piece_is_checked_before_its_topper_is_on() -> None:
    """The plan has a lantern of foil on top; the photograph was taken before it was put there."""
    bare = column()
    lantern = np.array([[0.0, 0.0, bare.top_mm + 180 * k] for k in (0.5, 1.5)])
    model = dataclasses.replace(
        bare,
        centres=np.concatenate([bare.centres, lantern]),
        radii=np.append(bare.radii, [110.0, 110.0]),
        rows=np.append(bare.rows, [-1, -1]),
        slots=np.append(bare.slots, [-1, -1]),
        colours=np.append(bare.colours, [0, 0]),
        is_balloon=np.append(bare.is_balloon, [False, False]),
        whole=np.arange(len(bare) + 2),
    )
    ends = dataclasses.replace(ends_of(taken()), top_mm=model.top_mm)
    result = check_photo(model, linear_of(taken().photograph.pixels), CheckRequest(ends))
    assert not result.refused
    assert PartsOff(all=False) in result.notes
    made = {(fault.row, fault.slot) for fault in taken().made}
    told = {(fault.row, fault.slot) for fault in result.faults if fault.slot >= 0 and not fault.look}
    assert made <= told
    assert "The topper is not on yet" in " ".join(result_words(result, WORDING))


def test_foot_and_top_are_proposed_and_a_known_length_measures() -> None:
    upright = practise(column(), SHOT, 5).photograph
    ends, long = proposed_ends(linear_of(upright.pixels), column()), math.dist(upright.foot, upright.top)
    assert math.dist(ends.foot, upright.foot) < 0.08 * long
    assert math.dist(ends.top, upright.top) < 0.08 * long
    practice, result = taken(), found_in()
    foot, top = practice.photograph.foot, practice.photograph.top
    found, twice = (measured(result, (foot, top), known * column().top_mm) for known in (1, 2))
    assert found is not None
    assert twice is not None
    assert found.height_mm == pytest.approx(column().top_mm, rel=0.03)
    assert found.rise_off_mm < 15
    assert twice.share == pytest.approx(2 * found.share)
    assert measured(result, ((0.0, 0.0), (1.0, 1.0)), 100) is None


def test_a_check_can_be_stopped() -> None:
    calls = []

    def stopped() -> bool:
        calls.append(1)
        return len(calls) > 3

    with pytest.raises(Cancelled):
        check_photo(column(), linear_of(taken().photograph.pixels), CheckRequest(ends_of(taken())), cancelled=stopped)


# --- files -----------------------------------------------------------------------------------------------------------


def jpeg(size: tuple[int, int] = (120, 160), **more: object) -> bytes:
    buffer = io.BytesIO()
    Image.new("RGB", size, (200, 30, 30)).save(buffer, "JPEG", **more)
    return buffer.getvalue()


def test_photographs_are_turned_and_told_their_lens() -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    exif.get_ifd(0x8769)[0xA405] = 27
    photo = photo_from_bytes(jpeg((160, 120), exif=exif), "quay.jpg")
    assert photo.pixels.shape == (160, 120, 3)
    assert photo.focal == pytest.approx(0.75)
    kept = Image.open(io.BytesIO(kept_bytes(photo)))
    assert kept.size == (120, 160)
    assert not kept.getexif(), "neither place nor time goes into the job"


@pytest.mark.parametrize("kind", ["PNG", "WEBP"])
def test_other_pictures_are_photographs_too(kind: str, tmp_path: Path) -> None:
    path = tmp_path / f"quay.{kind.lower()}"
    Image.new("RGBA", (100, 90), (0, 0, 255, 0)).save(path, kind)
    assert load_photo(path).pixels.shape == (90, 100, 3)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty|not a JPEG"),
        (b"no picture at all", "not a JPEG"),
        (jpeg()[:900], "damaged"),
        (jpeg((40, 40)), "too small"),
        (b"\xff\xd8" + b"\xff\xe0" * 300_000, "damaged"),
    ],
)
def test_bad_photographs_get_one_sentence(data: bytes, words: str) -> None:
    with pytest.raises(KakushiError, match=words):
        photo_from_bytes(data, "quay.jpg")


def test_pictures_of_absurd_size_are_refused_before_they_are_read() -> None:
    buffer = io.BytesIO()
    Image.new("1", (60_000, 2000)).save(buffer, "PNG")
    with pytest.raises(BadInput, match="too large"):
        photo_from_bytes(buffer.getvalue(), "bomb.png")


def test_photographs_are_kept_in_the_job_and_lost_pictures_leave_what_was_found(tmp_path: Path) -> None:
    found = Found(kind="colour", row=2, slot=1, x=10, y=20, radius=5, words="Row 3, slot 2: wrong.", dismissed=True)
    photo = Photo(name="ab12", piece=3, title="left", at=5.0, foot=(1, 2), top=(3, 4), faults=(found,), picture=jpeg())
    path = tmp_path / "quay.kakushi"
    save_job(Job(), path, Record().with_photo(photo))
    assert load_job_file(path).record.photos == (photo,)
    assert load_job_file(path).record.photos[0].picture == photo.picture
    save_job(Job(), path, Record().with_photo(photo.model_copy(update={"picture": b""})))
    assert load_job_file(path).record.photos[0].faults == (found,)
    record = Record().with_photo(photo).with_photo(photo.model_copy(update={"title": "right"}))
    assert [each.title for each in record.photos] == ["right"]
    for number in range(MOST_PHOTOS + 5):
        record = record.with_photo(photo.model_copy(update={"name": f"n{number}"}))
    assert len(record.photos) == MOST_PHOTOS
    assert not Record().with_photo(photo).without_photo("ab12").photos


def test_the_commands_keep_their_contract(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    whole, job, out = load_job(demo_job_path()), str(tmp_path / "vase.kakushi"), tmp_path / "vase.png"
    save_job(whole.model_copy(update={"pieces": whole.pieces[2:3]}), Path(job))
    asked = ["photo", job, "--piece", "Glass-float vase", "-o", str(out), "--seed", "5", "--faults", "2"]
    assert main([*asked, "--fault", "sour"]) == 2
    assert main([*asked, "--covered", "0.9"]) == 2
    assert main([*asked, "--azimuth", "6"]) == 0
    assert main(asked) == 2, "nothing is replaced unasked"
    told = json.loads(out.with_suffix(".json").read_text())
    assert len(told["faults"]) >= 2
    turned = ["photo", job, "--piece", "Glass-float vase", "-o", str(tmp_path / "turned.png"), "--fault", "turned"]
    assert main(turned) == 0
    capsys.readouterr()
    found = json.loads((tmp_path / "turned.json").read_text())["faults"]
    assert [(each["kind"], each["slot"]) for each in found] == [("turned", 0)]
    ends = [f"{told[end][0]},{told[end][1]}" for end in ("foot", "top")]
    asked = ["check", job, "--piece", "Glass-float vase", "--photo", str(out), "--foot", ends[0], "--top", ends[1]]
    assert main([*asked, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["pose"].keys() >= {"azimuth_deg", "lean_deg", "px_per_m", "confidence"}
    assert found["pose"]["azimuth_deg"] == pytest.approx(6, abs=2)
    assert found["balloons"][0].keys() >= {"row", "slot", "planned", "seen", "confidence", "x_px", "y_px", "r_px"}
    for fault in found["faults"]:
        assert fault.keys() >= {"kind", "row", "slot", "x_px", "y_px", "words"}
    colours = {(f["row"], f["slot"]) for f in told["faults"] if f["kind"] == "colour"}
    assert colours <= {(f["row"], f["slot"]) for f in found["faults"]}


@pytest.mark.parametrize(
    "more",
    [["--foot", "1,2"], ["--foot", "a,b", "--top", "1,2"], ["--foot", "9999,1", "--top", "1,2"],
     ["--foot", "10,10", "--top", "11,11"], ["--rows", "0"], ["--azimuth", "nan"]],
)  # fmt: skip
def test_bad_wishes_of_a_check_are_one_line(more: list[str], tmp_path: Path, capsys) -> None:
    path = tmp_path / "quay.jpg"
    path.write_bytes(jpeg())
    assert main(["check", str(demo_job_path()), "--piece", "Lighthouse", "--photo", str(path), *more]) == 2
    assert capsys.readouterr().err.count("\n") == 1


def test_pictures_are_made_smaller_by_means_of_light() -> None:
    linear = np.zeros((90, 60, 3), dtype=np.float32)
    linear[::2] = 0.8
    small = image_of(linear, 1 / 2)
    assert small.shape == (45, 30)
    assert np.exp(small.light).mean() == pytest.approx(0.4, abs=0.02)
    assert image_of(linear, 0.4).shape == (36, 24)
    ramp = np.tile(np.arange(10, dtype=np.float32), (5, 1))
    assert between(ramp, np.array([3.5, 4.0]), np.array([2.5, 2.5])) == pytest.approx([3.0, 3.5])
