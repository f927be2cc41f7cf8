"""Strands: rows bent along paths, by closed forms and symmetries; what is told, stepped, counted and drawn of them."""

from __future__ import annotations

import json
import math
import struct
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from added_up import needed, things, warnings
from kakushi.building.aimed import aimed_again
from kakushi.building.remedies import Enough
from kakushi.building.rescue import short_of
from kakushi.building.steps import steps_of
from kakushi.check.check import check_photo
from kakushi.check.image import linear_of
from kakushi.check.model_spheres import model_spheres_of
from kakushi.check.pose import PosePrior
from kakushi.check.practice import practise, usual_shot
from kakushi.check.request import CheckRequest
from kakushi.cli.main import main
from kakushi.formats.export.plan_json import plan_json
from kakushi.formats.export.scene_glb import job_glb
from kakushi.formats.export.steps_json import steps_json
from kakushi.formats.read.path_svg import load_path_svg
from kakushi.formats.store.job_file import job_bytes, job_from_bytes, load_job
from kakushi.model.catalogue import Studio
from kakushi.model.errors import KakushiError
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import Direction, FrameJoint, LinkChain, LinkFrameGroup, RowsGroup, Slot, uniform_row
from kakushi.model.job import Job
from kakushi.model.joints import JointKind
from kakushi.model.layers import SpiralLayer
from kakushi.model.parts import Fillers, Fixing, FoilShape, HungLoad, PartBalloons, Topper
from kakushi.model.paths import PATH_PRESETS, DrawnPath, PathPoint, PresetPath, Strand, StrandStands
from kakushi.model.piece import Piece, SeenSides
from kakushi.model.ties import Tie
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.packing.curve import Curve, crossings_of, curve_of
from kakushi.packing.link_frames import Grid, Trim, grid, grid_of, settle_frame, windows_of
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing, StackRow, stack_row
from kakushi.packing.strands import laid_along
from kakushi.packing.uniform import uniform_stacks
from kakushi.plan.facts import FrameLeans, SpiralOpen, StrandMisses, StrandOpen, StrandPresses, StrandTight
from kakushi.plan.geometry import packing_of
from kakushi.plan.mounts import mount_loads
from kakushi.plan.pipeline import plan
from kakushi.plan.showing import placed_fillers, showing_of
from kakushi.plan.stability import foot_of, stance_of
from kakushi.plan.strands import closes, marks_of, strands_of
from kakushi.session import drawn_points, group_edits, part_edits, strand_edits
from kakushi.sight.pinhole import Ends
from kakushi.words.check import result_words
from kakushi.words.plan import note_words
from kakushi.words.rescue import way_words
from kakushi.words.stand import stand_words
from kakushi.words.steps import step_words
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.spares import PRIORS

LINE = Frame(kind="line", base=Base(kind="none"))


def strand_piece(rows: int, path: PresetPath | DrawnPath, diameter: float = 200.0, **fields) -> Piece:
    made = tuple(uniform_row(k, 4, 11, diameter) for k in range(1, rows + 1))
    group = RowsGroup(rows=made, strand=Strand(path=path))
    return Piece(
        **{"key": 1, "name": "Rope", "groups": (group,), "frame": LINE, "joint": JointKind.LINE_EIGHT} | fields
    )


def planned(piece: Piece):
    return plan(Job(pieces=(piece,)), Studio()).pieces[0]


def strand_of(found):
    ((_, group, laid),) = strands_of(found.piece, found.assembly)
    return group, laid


def drawn(points, **fields) -> DrawnPath:
    return DrawnPath(points=tuple(PathPoint(x_mm=x, z_mm=z) for x, z in points), **fields)


# --- geometry --------------------------------------------------------------------------------------


@pytest.mark.parametrize("rows", [16, 24, 40, 60, 90])
def test_a_ring_is_as_long_as_its_rows_and_opens_and_presses_as_circles_do(rows) -> None:
    """Touching rows, hardly packed: distances of tangent spheres on a circle are known."""
    diameter = 200.0
    packing = Packing(tau=1e-4)
    slack = (math.sqrt(0.5) - 0.5) * diameter
    row = StackRow((diameter,) * 4, (slack,) * 4)
    rise = float(uniform_stacks(4, np.array([diameter]), np.array([slack]), packing).rise[0])
    straight = settle([row] * rows, packing)
    laid = laid_along(straight, Strand(path=PresetPath(preset="ring")), rise, math.pi / 4)
    assert laid.curve.length == pytest.approx(rows * rise, rel=0.005)
    radius, ring = rows * rise / math.tau, diameter * math.sqrt(0.5)
    frames = laid.geometry.frames
    assert np.hypot(frames.origins[:, 0], frames.origins[:, 2] - radius) == pytest.approx(radius, rel=1e-3)
    # A balloon at angle a round the strand stands so far from the middle; the next row is turned by an eighth.
    turns = np.radians(np.arange(0, 360, 1.0))
    step = math.tau / rows

    def between(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        one, other = radius + ring * np.sin(a), radius + ring * np.sin(b)
        flat = one**2 + other**2 - 2 * one * other * math.cos(step)
        return np.sqrt(flat + (ring * np.cos(a) - ring * np.cos(b)) ** 2)

    every = between(turns, turns + math.pi / 4)
    middle = slice(4, -4)
    assert laid.bends.gap[middle].max() == pytest.approx(every.max() - diameter, abs=0.02 * diameter)
    assert laid.bends.crush[middle].max() == pytest.approx(diameter - every.min(), abs=0.02 * diameter)
    assert laid.bends.radius[middle] == pytest.approx(radius, rel=1e-3)


def test_a_straight_path_gives_the_straight_column() -> None:
    bent = planned(strand_piece(12, drawn([(0, 0), (0, 3000)], smooth=False)))
    group = bent.piece.groups[0]
    packing = packing_of(bent.piece, Studio())
    straight = settle([stack_row(row, packing, JointKind.LINE_EIGHT) for row in group.rows], packing)
    assert bent.geometry.centres == pytest.approx(straight.centres, abs=1e-6)
    assert bent.geometry.knots == pytest.approx(straight.knots, abs=1e-6)


@given(
    turn=st.floats(-math.pi, math.pi),
    heights=st.lists(st.floats(0, 800), min_size=4, max_size=7),
)
@settings(max_examples=15)
def test_a_turned_or_mirrored_path_bends_rows_alike(turn, heights) -> None:
    corners = np.array([(300.0 * place, height) for place, height in enumerate(heights)])
    packing = Packing()
    straight = settle([StackRow((200.0,) * 4, (20.0,) * 4)] * 8, packing)

    def laid(x: np.ndarray, z: np.ndarray):
        return laid_along(straight, Strand(path=drawn(zip(x.tolist(), z.tolist(), strict=True))))

    x, z = corners.T
    c, s = math.cos(turn), math.sin(turn)
    one, turned, mirrored = laid(x, z), laid(c * x - s * z, s * x + c * z), laid(-x, z)
    for other in (turned, mirrored):
        assert other.arc_mm == pytest.approx(one.arc_mm, rel=1e-6)
        assert other.bends.radius == pytest.approx(one.bends.radius, rel=1e-3)
    assert turned.bends.gap == pytest.approx(one.bends.gap, abs=0.05)
    apart = [np.linalg.norm(each.geometry.centres[:, None] - each.geometry.centres, axis=2) for each in (one, turned)]
    assert apart[1] == pytest.approx(apart[0], abs=0.05)


def test_ten_times_the_points_make_the_same_path() -> None:
    few = curve_of(drawn([(500 * math.sin(a), 600 - 500 * math.cos(a)) for a in np.linspace(0, 5, 60)]))
    many = curve_of(drawn([(500 * math.sin(a), 600 - 500 * math.cos(a)) for a in np.linspace(0, 5, 600)]))
    assert many.length == pytest.approx(few.length, rel=1e-4)
    along = np.linspace(0, few.length, 30)
    assert many.frames_at(along).origins == pytest.approx(few.frames_at(along).origins, abs=1.0)


@pytest.mark.parametrize("preset", PATH_PRESETS)
def test_presets_are_as_wide_and_tall_as_asked_and_even(preset) -> None:
    curve = curve_of(PresetPath(preset=preset, width_mm=1500, height_mm=2500))
    wide, _, tall = np.ptp(curve.points, axis=0)
    assert wide == pytest.approx(1500, rel=0.2 if preset == "spiral" else 0.005)
    assert tall == pytest.approx(2500, rel=0.15 if preset == "spiral" else 0.005)
    steps = np.linalg.norm(np.diff(curve.points, axis=0), axis=1)
    assert steps.max() <= np.diff(curve.along).max() + 1e-9
    assert curve.is_closed == (preset in ("ring", "heart"))
    assert len(crossings_of(curve)) == (preset == "loop")


def test_a_closed_curve_that_crosses_itself_is_found_out() -> None:
    turn = np.linspace(0, math.tau, 400)[:-1]
    curve = curve_of(drawn(zip((900 * np.sin(2 * turn)).tolist(), (1000 + 900 * np.sin(turn)).tolist(), strict=True),
                           closed=True))  # fmt: skip
    assert isinstance(curve, Curve)
    ((first, later),) = crossings_of(curve)
    assert later - first == pytest.approx(curve.length / 2, rel=0.01)


# --- what is told ----------------------------------------------------------------------------------


def test_a_loop_is_counted_alike_everywhere() -> None:
    path = PresetPath(preset="loop", width_mm=1600, height_mm=2600, tail_mm=500)
    piece = strand_piece(36, path, ties=(Tie(row=3, other=34, loose=True), Tie(row=20, mount="hook above")))
    job = Job(pieces=(piece,))
    planned_job = plan(job, Studio())
    found = planned_job.pieces[0]
    group, laid = strand_of(found)
    crossings = [mark for mark in marks_of(group, laid) if mark.kind == "crosses"]
    assert [mark.row + mark.from_end for mark in crossings] == [36, 36]
    told = plan_json(Dossier(planned_job), None, geometry=True)["pieces"][0]
    (strand,) = told["strands"]
    assert [mark["row"] for mark in strand["marks"] if mark["what"] == "crosses"] == [m.row + 1 for m in crossings]
    assert len(told["balloons"]) == 36 * 4 == sum(line.needed for line in needed(planned_job)) == len(found.drawn.radii)
    steps = steps_json(steps_of(planned_job), planned_job)["steps"]
    words = {step["step"]: step["words"] for step in steps}
    for mark in crossings:
        assert (
            f"Crosses itself at row {mark.row + 1} ({mark.from_end} from the other end)."
            in words[f"1.0.row.{mark.row + 1}"]
        )
    ties = [step for step in steps if ".tie." in step["step"]]
    assert [step["words"] for step in ties] == [
        "Tie row 3 to row 34 with a strip, loosely, so that it can still be bent.",
        "Tie row 20 to the hook above with a strip, tightly.",
    ]
    assert "1.0.strand.0" not in ties[0]["after"]
    assert "1.0.strand.0" in ties[1]["after"]
    assert things(planned_job)["modelling balloons 260"] == 2
    line = sum(use["count"] for step in steps for use in step["uses"] if use["item"] == "line")
    assert things(planned_job)["line"] == pytest.approx(line)
    assert job_from_bytes(job_bytes(job), Path("rope.kakushi")) == job


def test_a_crossing_passes_before_and_can_be_exchanged() -> None:
    path = PresetPath(preset="loop", width_mm=1600, height_mm=2600, tail_mm=500)
    for front_first in (True, False):
        piece = strand_piece(36, path)
        group = replace(piece.groups[0], strand=Strand(path=path, front_first=front_first))
        found = planned(replace(piece, groups=(group,)))
        assert not any(isinstance(note, StrandPresses) for note in found.warnings)
        own, laid = strand_of(found)
        first, last = (mark.row for mark in marks_of(own, laid) if mark.kind == "crosses")
        y = laid.geometry.frames.origins[:, 1]
        assert (y[first] < y[last]) == front_first


def test_what_does_not_fit_its_path_is_said_with_what_cures_it() -> None:
    tight = planned(strand_piece(20, PresetPath(preset="ring", width_mm=900, height_mm=900), 330.0))
    (note,) = (note for note in tight.warnings if isinstance(note, StrandTight) and not note.is_past_limit)
    assert note.radius_mm < note.comfort_mm
    eased = planned(strand_piece(20, PresetPath(preset="ring", width_mm=900, height_mm=900), 330.0 * 0.5))
    assert not any(isinstance(each, StrandTight) and each.is_past_limit for each in eased.warnings)
    path = PresetPath(preset="arch", width_mm=1800, height_mm=2200)
    short = planned(strand_piece(20, path))
    (missing,) = (note for note in short.warnings if isinstance(note, StrandMisses))
    filled = planned(strand_piece(20 + missing.rows_to_add, path))
    assert not any(isinstance(each, StrandMisses) for each in filled.warnings)
    assert closes(*strand_of(filled))
    assert "before the end of its path: add" in note_words(missing, Wording(Job(pieces=(short.piece,))))


def test_rings_and_their_spirals_close_with_the_numbers_that_are_told() -> None:
    ring = PresetPath(preset="ring")
    lanes = SpiralLayer(lanes=("signal-red", "sail-white", "rope", "sail-white"))
    piece = strand_piece(29, ring, 220.0, joint=JointKind.STRIP, layers=(lanes,))
    found = planned(piece)
    (ends,) = (note for note in found.warnings if isinstance(note, StrandOpen))
    (spiral,) = (note for note in found.warnings if isinstance(note, SpiralOpen))
    assert (ends.fewer, ends.more) == (28, 30), "quads lock when every second row lies alike"
    assert (spiral.fewer, spiral.more) == (24, 32), "a lane goes round once in eight rows"
    closed = planned(strand_piece(32, ring, 220.0, joint=JointKind.STRIP, layers=(lanes,)))
    assert not [note for note in closed.warnings if isinstance(note, StrandOpen | SpiralOpen)]
    joints, longer = (
        things(plan(Job(pieces=(piece,)), Studio()))["modelling balloons 260"]
        for piece in (closed.piece, strand_piece(33, PresetPath(), 220.0, joint=JointKind.STRIP))
    )
    assert joints == longer, "a ring has as many joints as rows"


def test_an_arch_stands_on_two_bases_and_what_hangs_does_not_tip() -> None:
    path = PresetPath(preset="arch", width_mm=2000, height_mm=2200)
    base = Frame(kind="line", base=Base(kind="plate", radius_mm=200, height_mm=10, mass_g=5000))
    arch = planned(strand_piece(28, path, frame=base))
    foot = foot_of(arch)
    assert foot.mass_g == 10_000
    corners = np.array(foot.on.corners)
    assert np.ptp(corners, axis=0) == pytest.approx([2000 + 400, 400], rel=0.02)
    stance = stance_of(arch, Job(pieces=(arch.piece,)).settings, Studio(), None)
    assert stance.finished.balance.margin == pytest.approx(200, rel=0.05)
    hung = replace(arch.piece.groups[0], strand=Strand(path=path, stands=StrandStands.HUNG))
    hanging = plan(Job(pieces=(replace(arch.piece, groups=(hung,)),)), Studio())
    said = plan_json(Dossier(hanging))["pieces"][0]["stand"]
    assert said["words"][0].startswith("It hangs")
    bases = [
        line for name, line in things(plan(Job(pieces=(arch.piece,)), Studio())).items() if name.startswith("base")
    ]
    assert bases == [2]


def test_clusters_lie_on_strands_wherever_those_run() -> None:
    balloons = (PartBalloons(nominal_in=5, diameter_mm=90, colour="rope", count=4),)
    part = Fillers(key=5, wanted=6, balloons=balloons)
    piece = strand_piece(28, PresetPath(preset="arch", width_mm=1800, height_mm=2000), parts=(part,))
    found = planned(replace(piece, seen_sides=SeenSides.FRONT))
    placed = placed_fillers(found, 5)
    dressed = planned(replace(found.piece, parts=(replace(part, seats=placed.seats),)))
    centres = np.concatenate([body.centres for _, body in dressed.bodies])
    radii = np.concatenate([body.radii for _, body in dressed.bodies])
    own, skins = dressed.assembly.spheres
    gaps = (np.linalg.norm(centres[:, None] - own[None], axis=2) - radii[:, None] - skins[None]).min(axis=1)
    assert len(radii) == 24
    assert gaps.reshape(6, 4).min(axis=1).max() < 3, "every cluster touches the strand"
    assert gaps.min() > -0.1 * 90


@pytest.mark.parametrize("direction", [Direction.UP, Direction.DOWN])
def test_a_strand_is_aimed_along_its_path_from_either_end(direction) -> None:
    piece = strand_piece(20, PresetPath(preset="arch", width_mm=1500, height_mm=1600))
    piece = replace(piece, groups=(replace(piece.groups[0], direction=direction),))
    job_plan = plan(Job(pieces=(piece,)), Studio())
    arc = strand_of(job_plan.pieces[0])[1].arc_mm
    ways = aimed_again(job_plan, job_plan.pieces[0], 8, None)
    for way in ways:
        # What stands stays, at whichever end was laid first.
        kept = slice(0, 8) if direction is Direction.UP else slice(-8, None)
        assert way.piece.rows[kept] == piece.rows[kept]
        assert way.remedy.ends_mm == pytest.approx(strand_of(way.planned)[1].used_mm)
        assert f"of the path's {arc / 10:.1f} cm" in way_words(way, Wording(job_plan.job))
    assert min(abs(way.remedy.ends_mm - arc) for way in ways) < 15
    ring = plan(Job(pieces=(strand_piece(20, PresetPath(preset="ring")),)), Studio())
    with pytest.raises(KakushiError, match="as large as its rows"):
        aimed_again(ring, ring.pieces[0], 8, None)


def test_what_a_strand_hangs_on_bears_its_share() -> None:
    piece = strand_piece(20, PresetPath(preset="arch", width_mm=1500, height_mm=1600))
    group = replace(piece.groups[0], strand=replace(piece.groups[0].strand, stands=StrandStands.HUNG))
    rows = piece.rows
    ties = (Tie(row=rows[4].key, mount="hook above"), Tie(row=rows[12].key, mount="hook above"))
    found = plan(Job(pieces=(replace(piece, groups=(group,), ties=ties),)), Studio())
    one, other = (found.pieces[0].geometry.frames.origins[k, 0] for k in (4, 12))
    loads = mount_loads(found.pieces[0], 900.0, float(one + (other - one) / 3))
    assert [load.bears_g for load in loads] == pytest.approx([600, 300])
    stance = stance_of(found.pieces[0], found.job.settings, Studio(), None)
    words = stand_words(found.pieces[0], stance, UnitSystem.METRIC)
    assert sum("the hook above bears" in text for text in words) == 2


def test_a_crossing_row_is_shared() -> None:
    """The strand goes through one row twice: laid once, counted once, and the path is longer by its room."""
    piece = strand_piece(31, PresetPath(preset="loop", width_mm=1500, height_mm=2300, tail_mm=400))
    shares = replace(piece.groups[0], strand=replace(piece.groups[0].strand, shares_row=True))
    whole = plan(Job(pieces=(replace(piece, groups=(shares,)),)), Studio())
    found, passed = whole.pieces[0], planned(piece)
    group, laid = strand_of(found)
    ((row, before),) = laid.shared
    assert len(found.geometry.radii) == len(passed.geometry.radii) == 4 * 31
    rise = float(np.median(laid.geometry.frames.rises))
    assert laid.used_mm == pytest.approx(strand_of(passed)[1].used_mm + rise, rel=1e-3)
    assert laid.geometry.frames.rises[before - 1] == pytest.approx(2 * rise, rel=1e-3)
    # It lies half-way between what passes in front and behind, on the crossing.
    crossing = laid.curve.frames_at(np.array(crossings_of(laid.curve)[0])).origins[:, [0, 2]]
    assert laid.geometry.frames.origins[row, 1] == 0
    assert np.linalg.norm(laid.geometry.frames.origins[row, [0, 2]] - crossing[0]) < rise
    (mark,) = (mark for mark in marks_of(group, laid) if mark.through is not None)
    assert (mark.through, mark.row, mark.from_end) == (row, before - 1, 31 - before + 1)
    told = plan_json(Dossier(whole), None)["pieces"][0]["strands"][0]["marks"]
    assert {"what": "goes through a row again", "row": before, "from_end": 32 - before, "through": row + 1} in told
    line = f"after row {before} ({32 - before} from the other end) it goes through row {row + 1}"
    assert any(line in step_words(step, Wording(whole.job)).lower() for step in steps_of(whole))


def test_a_frame_short_of_balloons_is_told_what_else_would_do() -> None:
    made = grid(Grid(2, 1, 1, 1, 400.0, 110.0, False), Trim(QUAD))
    joints = (*made.joints[:3], *(replace(joint, slots=(Slot(nominal_in=5, diameter_mm=90, colour="sail-white"),) * 4)
              for joint in made.joints[3:]))  # fmt: skip
    whole = plan(Job(pieces=(frame_piece(replace(made, joints=joints)),)), Studio())
    piece = whole.pieces[0]
    assert isinstance(short_of(whole, piece, 0, {(5, "rope"): 12})[0].remedy, Enough)
    fetch, other = short_of(whole, piece, 1, {(5, "rope"): 6})
    assert (fetch.remedy.many, other.remedy.rows, other.remedy.colours) == (2, (2,), ("sail-white",))
    assert "at joint 3" in way_words(other, Wording(whole.job))
    with pytest.raises(KakushiError, match="6 joints"):
        short_of(whole, piece, 7, {(5, "rope"): 6})


# --- by hand and from files --------------------------------------------------------------------------


def test_points_are_moved_added_and_taken_away() -> None:
    piece = strand_piece(20, PresetPath(preset="arch", width_mm=1000, height_mm=1500))
    before = drawn_points.points_of(piece.groups[0])

    def after(job: Job, edit) -> tuple[Job, list[drawn_points.Spot]]:
        job = edit.change(job)
        return job, drawn_points.points_of(job.pieces[0].groups[0])

    job, moved = after(Job(pieces=(piece,)), drawn_points.move_point(1, 0, 2, (-900.0, 800.0), mirrored=True))
    assert (moved[2][0], moved[-3][0]) == (-900.0, 900.0)
    job, more = after(job, drawn_points.add_point(1, 0, (0.0, 1600.0)))
    assert len(more) == len(before) + 1
    assert (0.0, 1600.0) in more
    while len(more) > 2:
        job, more = after(job, drawn_points.remove_point(1, 0, 1))
    with pytest.raises(KakushiError, match="keeps two"):
        after(job, drawn_points.remove_point(1, 0, 0))
    column = replace(piece, groups=(RowsGroup(rows=piece.rows),), frame=Frame(), joint=JointKind.WRAPPED)
    bent = strand_edits.set_path(1, 0, PresetPath(preset="ring")).change(Job(pieces=(column,))).pieces[0]
    assert (bent.frame.kind, bent.joint) == ("line", JointKind.LINE_EIGHT)
    assert bent.groups[0].strand is not None


@pytest.mark.parametrize(("svg", "closed", "length"), [
    ('<path d="M0 300 L0 0 L200 0 L200 300" fill="none"/>', False, 800.0),
    ('<polyline points="0,0 100,0 100,100"/>', False, 200.0),
    ('<path d="M100 0 A100 100 0 1 1 99.9 0 Z"/>', True, math.tau * 100),
])  # fmt: skip
def test_paths_come_from_drawings(tmp_path: Path, svg: str, closed: bool, length: float) -> None:
    file = tmp_path / "rope.svg"
    file.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400" width="400" height="400">{svg}</svg>'
    )
    path = load_path_svg(file)
    assert path.closed == closed
    assert curve_of(path).length == pytest.approx(length * 25.4 / 96, rel=0.01)
    wide = load_path_svg(file, width_mm=1500)
    assert np.ptp([point.x_mm for point in wide.points]) == pytest.approx(1500)


@pytest.mark.parametrize("svg", [
    "<svg", "<svg xmlns='http://www.w3.org/2000/svg'/>", "no drawing at all",
    "<svg xmlns='http://www.w3.org/2000/svg'><path d='M0 0'/></svg>",
    "<svg xmlns='http://www.w3.org/2000/svg'><path d='M0 0 L1e9 1e9'/></svg>",
    "<svg xmlns='http://www.w3.org/2000/svg'><path d='M0 0 L1 0'/></svg>",
    "<!DOCTYPE svg [<!ENTITY a SYSTEM 'file:///etc/passwd'>]><svg xmlns='http://www.w3.org/2000/svg'>&a;</svg>",
])  # fmt: skip
def test_drawings_without_a_path_are_refused_in_a_sentence(tmp_path: Path, svg: str) -> None:
    file = tmp_path / "odd.svg"
    file.write_text(svg)
    with pytest.raises(KakushiError) as refused:
        load_path_svg(file)
    assert len(str(refused.value)) < 200
    assert str(refused.value).endswith(".")


@given(
    points=st.lists(st.tuples(st.floats(-3000, 3000), st.floats(0, 3000)), min_size=2, max_size=30),
    smooth=st.booleans(), closed=st.booleans(), rows=st.integers(0, 12),
)  # fmt: skip
@settings(max_examples=25)
def test_odd_paths_are_planned_or_refused(points, smooth, closed, rows) -> None:
    """Cusps, points on one another, paths that lie in themselves: places are finite, and every balloon has one."""
    try:
        path = drawn(points, smooth=smooth, closed=closed)
    except ValidationError:
        return
    found = planned(strand_piece(rows, path))
    assert len(found.geometry.radii) == 4 * rows
    assert np.isfinite(found.geometry.centres).all()
    assert all(note_words(note, Wording(Job(pieces=(found.piece,)))) for note in (*found.warnings, *found.advice))


def test_the_command_fits_rows_to_a_path(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    job = tmp_path / "ring.kakushi"
    asked = ["fit", "ring", "--path", "--width", "1.8m", "--thick", "30cm"]
    assert main([*asked, "--json", "-o", str(job)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["closes"]
    assert told["arc_mm"] == pytest.approx(math.pi * 1800, rel=1e-3)
    assert {"x_mm", "z_mm", "tangent_deg", "gap_mm", "crush_mm"} <= set(told["rows"][0])
    knots = np.array([(row["x_mm"], row["z_mm"]) for row in told["rows"]])
    assert np.linalg.norm(knots - knots.mean(axis=0), axis=1) == pytest.approx(900, rel=0.03)
    assert load_job(job).pieces[0].rows
    assert main(["fit", "knot", "--path"]) == 2
    assert "no path called" in capsys.readouterr().err
    assert main(["fit", "pointed-arch", "--path", "--width", "4m", "--height", "1m"]) == 2
    assert "at least half as tall" in capsys.readouterr().err


# --- in three dimensions -------------------------------------------------------------------------------


def test_a_glb_has_a_node_for_every_balloon_and_obeys_the_rules_of_accessors() -> None:
    path = PresetPath(preset="arch", width_mm=1500, height_mm=1800)
    piece = strand_piece(24, path, layers=(SpiralLayer(lanes=("signal-red", "sail-white")),))
    job_plan = plan(Job(pieces=(piece, replace(piece, key=2, name="Rope two"))), Studio())
    data = job_glb(job_plan)
    magic, version, length, json_length, kind = struct.unpack("<4sIII4s", data[:20])
    assert (magic, version, length, kind) == (b"glTF", 2, len(data), b"JSON")
    told = json.loads(data[20 : 20 + json_length])
    chunk = data[28 + json_length :]
    assert len(chunk) >= told["buffers"][0]["byteLength"]
    sizes = {5121: 1, 5123: 2, 5125: 4, 5126: 4}
    widths = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
    for view in told["bufferViews"]:
        assert view.get("byteOffset", 0) + view["byteLength"] <= told["buffers"][view["buffer"]]["byteLength"]
    arrays = []
    for accessor in told["accessors"]:
        view = told["bufferViews"][accessor["bufferView"]]
        size = sizes[accessor["componentType"]] * widths[accessor["type"]] * accessor["count"]
        begin = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        assert accessor.get("byteOffset", 0) + size <= view["byteLength"]
        assert begin % sizes[accessor["componentType"]] == 0
        dtype = {5121: "u1", 5123: "<u2", 5125: "<u4", 5126: "<f4"}[accessor["componentType"]]
        values = np.frombuffer(chunk[begin : begin + size], dtype).reshape(accessor["count"], -1)
        arrays.append(values)
        if "min" in accessor:
            assert values.min(axis=0) == pytest.approx(accessor["min"])
            assert values.max(axis=0) == pytest.approx(accessor["max"])
    for mesh in told["meshes"]:
        for part in mesh["primitives"]:
            assert "min" in told["accessors"][part["attributes"]["POSITION"]]
            assert arrays[part["indices"]].max() < told["accessors"][part["attributes"]["POSITION"]]["count"]
            assert 0 <= part["material"] < len(told["materials"])
    names = [node["name"] for node in told["nodes"]]
    assert len(set(names)) == len(names)
    wanted = {f"{name}, row {row} slot {slot}" for name in ("Rope", "Rope two") for row in range(1, 25)
              for slot in range(1, 5)}  # fmt: skip
    assert wanted <= set(names)
    node = next(node for node in told["nodes"] if node["name"] == "Rope, row 24 slot 1")
    matrix = np.array(node["matrix"]).reshape(4, 4).T
    balloon = job_plan.pieces[0].drawn
    index = int(np.flatnonzero((balloon.row_of == 23) & (balloon.slot_of == 0))[0])
    assert matrix[1, 3] == pytest.approx(balloon.centres[index, 2] / 1000, abs=1e-4), "metres, y up"
    assert np.linalg.norm(matrix[:3, 0]) == pytest.approx(balloon.shape_radii[index] / 1000, rel=1e-4)
    assert len(data) < 8e6 * len(wanted) / 1000


# --- open frames -----------------------------------------------------------------------------------------


def frame_piece(frame: LinkFrameGroup, **fields) -> Piece:
    return Piece(**{"key": 1, "name": "Net", "groups": (frame,), "frame": replace(LINE, kind="frameless")} | fields)


QUAD = (Slot(nominal_in=5, diameter_mm=100.0, colour="rope"),) * 4


@pytest.mark.parametrize(("columns", "rows"), [(1, 1), (2, 1), (3, 2), (1, 4)])
def test_braced_windows_stay_square_and_others_fold_in_so_many_ways(columns, rows) -> None:
    for braced in (True, False):
        of = Grid(columns, rows, 2, 1, 350.0, 130.0, braced)
        made = grid(of, Trim(QUAD))
        assert grid_of(made) == of
        frame = settle_frame(made)
        places = frame.joints[:, [0, 2]].reshape(rows + 1, columns + 1, 2)
        assert np.diff(places[..., 0], axis=1) == pytest.approx(700.0, abs=1)
        assert np.diff(places[..., 1], axis=0) == pytest.approx(350.0, abs=1)
        assert np.abs(frame.strain).max() < 1e-3
        # Bars and joints of a grid without diagonals (Bolker and Crapo 1979): a foot on the floor turns no column.
        assert len(frame.modes) == (0 if braced else rows)
        for mode in frame.modes:
            for chain in made.chains:
                way = frame.joints[chain.last] - frame.joints[chain.first]
                assert (mode[chain.last] - mode[chain.first]) @ way == pytest.approx(0, abs=1e-6)


@pytest.mark.parametrize(("sides", "tiers"), [(3, 1), (3, 3), (5, 2), (8, 1)])
def test_a_column_of_links_is_as_stiff_as_bars_and_joints_can_be_counted(sides, tiers) -> None:
    """Maxwell's count: 3nt + 2n - 3 free moves on the floor, 3nt + n chains; every ring beyond a triangle folds."""
    made = grid(Grid(sides, tiers, 1, 2, 300.0, 110.0, True, True), Trim(QUAD, QUAD, has_water=True))
    assert grid_of(made) == Grid(sides, tiers, 1, 2, 300.0, 110.0, True, True)
    frame = settle_frame(made)
    assert len(frame.modes) == sides - 3
    out = np.hypot(frame.joints[:, 0] - frame.joints[:, 0].mean(), frame.joints[:, 1] - frame.joints[:, 1].mean())
    assert out == pytest.approx(300 / (2 * math.sin(math.pi / sides)), rel=1e-3)
    assert np.ptp(frame.joints[:, 2]) == pytest.approx(600 * tiers, abs=1)
    # The feet hold it: none of them gives most.
    assert frame.joints[frame.weakest, 2] > 0 or sides > 3
    job = Job(pieces=(frame_piece(made),))
    found = plan(job, Studio())
    water = sum(joint.water_g for joint in made.joints)
    assert water == pytest.approx(sides * math.pi / 6 * 1000, rel=1e-6)
    assert stance_of(found.pieces[0], job.settings, Studio(), None).finished.balance.mass_g > water
    assert sum(line.needed for line in needed(found)) == (8 * (tiers + 1) + 1) * sides
    links = sum(count for item, count in things(found).items() if item.startswith("link balloons"))
    assert links == sum(chain.links for chain in made.chains)


def test_unequal_links_make_the_trapezium_that_lengths_demand() -> None:
    """A foot of 800, a top of 500, sides of 400 and one diagonal: by the cosine rule."""
    height = math.sqrt(400**2 - 150**2)
    diagonal = math.hypot(650, height)
    joints = tuple(FrameJoint(x_mm=x, z_mm=z) for x, z in ((-400, 0), (400, 0), (-420, 300), (300, 450)))
    sides = ((0, 1, 800.0), (0, 2, 400.0), (1, 3, 400.0), (2, 3, 500.0), (0, 3, diagonal))
    chains = tuple(LinkChain(first=a, last=b, length_mm=long) for a, b, long in sides)
    frame = settle_frame(LinkFrameGroup(joints=joints, chains=chains))
    assert frame.joints[2:, [0, 2]] == pytest.approx(np.array([(-250, height), (250, height)]), abs=1)
    # Sides that do not fit pull at each other.
    odd = settle_frame(LinkFrameGroup(joints=joints, chains=(*chains, LinkChain(first=1, last=2, length_mm=900.0))))
    assert np.abs(odd.strain).max() > 0.02


def test_joints_of_a_frame_are_moved_added_tied_and_taken_out() -> None:
    made = grid(Grid(2, 1, 1, 1, 400.0, 110.0, False), Trim(QUAD))
    job = Job(pieces=(frame_piece(made),))

    def frame() -> LinkFrameGroup:
        return job.pieces[0].groups[0]

    # The upper corners, out and up: every chain that ends there is as long as it has to be.
    job = drawn_points.move_point(1, 0, 5, (600.0, 500.0), mirrored=True).change(job)
    assert [joint.x_mm for joint in frame().joints[3:]] == [-600.0, 0.0, 600.0]
    settled = settle_frame(frame())
    assert np.abs(settled.strain).max() < 1e-3
    assert settled.joints[5, [0, 2]] == pytest.approx([600, 500], abs=1)
    job = drawn_points.add_point(1, 0, (0.0, 900.0), 4).change(job)
    assert {(c.first, c.last): (c.links, c.length_mm) for c in frame().chains}[4, 6] == (1, 500.0)
    job = drawn_points.join_points(1, 0, 6, 3).change(job)
    assert len(frame().chains) == len(made.chains) + 2
    job = drawn_points.join_points(1, 0, 3, 6).change(job)
    job = drawn_points.remove_point(1, 0, 1).change(job)
    assert (len(frame().joints), len(frame().chains)) == (6, len(made.chains) + 1 - 3)
    assert all(chain.first < 6 and chain.last < 6 for chain in frame().chains)
    last = replace(job.pieces[0], groups=(LinkFrameGroup(joints=made.joints[:2], chains=made.chains[:1]),))
    with pytest.raises(KakushiError, match="keeps two"):
        drawn_points.remove_point(1, 0, 0).change(Job(pieces=(last,)))


def test_a_frame_is_counted_tied_weighed_and_drawn_alike() -> None:
    made = grid(Grid(2, 1, 2, 1, 350.0, 130.0, False), Trim(QUAD, colour="sail-white", up_colour="sail-white"))
    job = Job(pieces=(frame_piece(made, parts=(Topper(key=1, tall_mm=150, balloons=(
        PartBalloons(nominal_in=5, colour="rope", count=1),)),)),))  # fmt: skip
    planned_job = plan(job, Studio())
    found = planned_job.pieces[0]
    links = sum(chain.links for chain in made.chains)
    assert links == 2 * 4 + 3
    told = plan_json(Dossier(planned_job), None, geometry=True)["pieces"][0]
    assert len(told["frames"][0]["links"]) == links
    assert told["balloon_count"] == links + 4 * 6 + 1 == len(found.drawn.radii)
    assert found.drawn_colours()[24 : 24 + links] == ["sail-white"] * links
    assert things(planned_job)["link balloons 12″, sail white"] == links
    assert sum(line.needed for line in needed(planned_job)) == 25
    (note,) = (note for note in found.warnings if isinstance(note, FrameLeans))
    assert "1 way" in note_words(note, Wording(job))
    words = [step_words(step, Wording(job)) for step in steps_of(planned_job) if step.kind == "link"]
    assert words[0].startswith("Tie 4 chains of 2 links, tip to tip: 8 × 12″ sail white, 35")
    assert sum(text.startswith("Joint") for text in words) == 6
    seen: set[str] = set()
    for step in steps_of(planned_job):
        assert set(step.after) <= seen
        seen.add(step.key)
    assert job_from_bytes(job_bytes(job), Path("net.kakushi")) == job
    with pytest.raises(ValidationError, match="joint at both ends"):
        LinkFrameGroup(joints=made.joints, chains=(LinkChain(first=0, last=99),))
    wider = group_edits.change_frame(1, 0, columns=3, colour="rope").change(job).pieces[0].groups[0]
    assert grid_of(wider).columns == 3
    assert [chain.colour for chain in wider.chains] == ["rope"] * 6 + ["sail-white"] * 4


def test_a_thing_hangs_in_a_window_wherever_that_is_moved() -> None:
    frame = grid(Grid(2, 1, 1, 1, 400.0, 110.0, False), Trim(QUAD))
    assert windows_of(frame) == ((0, 1, 4, 3), (1, 2, 5, 4))
    braced = grid(Grid(2, 1, 1, 1, 400.0, 110.0, True), Trim(QUAD))
    assert [len(window) for window in windows_of(braced)] == [3] * 4
    ring = grid(Grid(4, 2, 1, 1, 400.0, 110.0, False, True), Trim(QUAD))
    assert len(windows_of(ring)) == 8
    fish = FoilShape(
        key=1, name="fish", shape="fish", stands=False, tied_to=(1, 2, 5, 4), tall_mm=150, wide_mm=200, deep_mm=50,
        colour="rope", fixing=Fixing.CROSSED,
    )  # fmt: skip
    piece = Piece(key=1, name="Net", groups=(frame,), frame=LINE, parts=(fish,))
    found = planned(piece)
    assert found.place_of(found.parts[0]) == pytest.approx((200, 0, found.assembly.frames[0][1].joints[:, 2].mean()))
    job = Job(pieces=(piece,))
    dossier = Dossier(plan(job, Studio()))
    (step,) = (each for each in dossier.steps if each.key.endswith("part.1.0"))
    assert "between joints 2, 3, 5 and 6, by 4 fixings" in step_words(step, Wording(job, UnitSystem.METRIC))
    assert {use.item: use.count for use in step.uses}["modelling balloons 260"] == 4
    ((thing,),) = [showing_of(found).things]
    assert max(share for share in thing.shares if share is not None) > 0.8
    moved = drawn_points.move_point(1, 0, 2, (500.0, 0.0)).change(job).pieces[0]
    assert planned(moved).place_of(planned(moved).parts[0]).x > 215
    fewer = drawn_points.remove_point(1, 0, 0).change(job).pieces[0]
    assert fewer.parts[0].tied_to == (0, 1, 4, 3)
    gone = replace(piece, parts=(replace(fish, tied_to=(1, 2, 5, 40)),))
    assert any("has lost a joint" in words for words in warnings(planned(gone)))


def test_links_have_spares_as_other_balloons_have() -> None:
    frame = grid(Grid(4, 3, 1, 1, 400.0, 110.0, True), Trim(QUAD))
    job = Job(pieces=(Piece(key=1, name="Net", groups=(frame,), frame=LINE),))
    dossier = Dossier(plan(job, Studio()))
    (line,) = (line for line in dossier.materials if line.item.startswith("link balloons"))
    assert line.needed == len(frame.chains)
    assert line.spares > 0
    # Links and balloons together are enough as often as the job asks.
    lives, chance = 4000, np.random.default_rng(5)
    enough = np.ones(lives, bool)
    a, b = PRIORS[job.brief.place]
    kinds = {each.nominal_in for each in dossier.supplies.whole}
    rates = {kind: chance.beta(a, b, lives) for kind in (*kinds, "link")}
    for kind, count, spares in (
        ("link", int(line.needed), int(line.spares)),
        *((each.nominal_in, each.needed, each.spares) for each in dossier.supplies.whole),
    ):
        enough &= chance.negative_binomial(count, 1 - rates[kind]) <= spares
    assert enough.mean() == pytest.approx(dossier.supplies.confidence, abs=0.012)
    assert dossier.supplies.confidence >= job.settings.confidence


@pytest.mark.parametrize("row", [3, 20])
def test_a_collar_closes_round_a_row_of_a_strand(row) -> None:
    piece = strand_piece(40, PresetPath(preset="arch", width_mm=2200, height_mm=2000))
    made = part_edits.add_collar(1, row).change(Job(pieces=(piece,))).pieces[0]
    found = planned(made)
    ((_, body),) = found.bodies
    local = found.geometry.frames.local(body.centres, np.full(len(body), row - 1))
    assert (local.out > 100).all()
    assert np.ptp(local.out) < 1.5 * body.radii.mean(), "none lies on another one"
    assert 2 * local.out.mean() * math.sin(math.pi / len(body)) == pytest.approx(2 * body.radii.mean(), rel=0.15)
    hung = HungLoad(key=9, row=row, up_mm=-300, tall_mm=200, wide_mm=100, colour="rope")
    x, y, z = planned(replace(piece, parts=(hung,))).place_of(hung)
    assert (x, y, z + 300) == pytest.approx(found.geometry.frames.origins[row - 1])


def test_a_photograph_of_a_frame_shows_what_is_missing_and_of_another_colour() -> None:
    frame = grid(Grid(2, 1, 1, 1, 420.0, 110.0, True), Trim(QUAD, colour="sea-glass", up_colour="sea-glass"))
    job = Job(pieces=(Piece(key=1, name="Net", groups=(frame,), frame=LINE),))
    model = model_spheres_of(plan(job, Studio()).pieces[0], job)
    shot = usual_shot(model, 0.1, np.random.default_rng(1), (600, 400))
    practice = practise(model, shot, 3, ("missing", "colour"))
    ends = Ends(practice.photograph.foot, practice.photograph.top, 0.0, model.top_mm)
    request = CheckRequest(ends, PosePrior(0.1, None), ends_told=True)
    result = check_photo(model, linear_of(practice.photograph.pixels), request)
    assert result.refused is None
    found = {(fault.row, fault.slot) for fault in result.faults if fault.slot >= 0}
    assert {(made.row, made.slot) for made in practice.made} <= found
    assert len(found) <= 3, "hardly a right one accused"
    said = result_words(result, Wording(job, UnitSystem.METRIC))
    assert any(words.startswith(("Link ", "Joint ")) for words in said)
    assert any("Sizes of balloons in a frame are not judged" in words for words in said)
