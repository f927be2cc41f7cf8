"""A literal builder who knows only the steps, and how hands land clusters, builds what was planned and uses it up."""

from __future__ import annotations

import json
import math
from collections import Counter
from itertools import pairwise
from pathlib import Path
from random import Random

import networkx as nx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from added_up import needed, things
from kakushi.building.own_order import TooEarly, moved, name_of_step
from kakushi.building.step import Step, StepKind
from kakushi.building.steps import steps_of
from kakushi.cli.main import main
from kakushi.colour.relation import facing, labels, relation
from kakushi.colour.surface import surface_of
from kakushi.dress.kind import Surroundings
from kakushi.dress.table import KINDS
from kakushi.formats.export.steps_json import steps_json
from kakushi.formats.store.job_file import job_bytes, job_from_bytes, load_job, save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import DEFAULT_PALETTE, BalloonColour, Studio, TaughtLanding
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import (
    Anchor,
    BallGroup,
    BarePoleGroup,
    Direction,
    RoomGroup,
    Row,
    RowsGroup,
    Slot,
    uniform_row,
)
from kakushi.model.job import Job
from kakushi.model.joints import JointKind
from kakushi.model.layers import Band, BandsLayer, SpiralLayer
from kakushi.model.parts import Accent, Fillers, Fixing, PartBalloons, Seat, Topper, Toy
from kakushi.model.piece import Copy, LandingSchool, Piece
from kakushi.model.used import merged
from kakushi.model.values import replace
from kakushi.model.workshop import ItemRule
from kakushi.packing.settle import settle
from kakushi.packing.stack import SNUG, Packing, stack_row
from kakushi.plan.pipeline import plan
from kakushi.words.rows import relation_words
from kakushi.words.step_text import MOST_WORDS, step_text, steps_words
from kakushi.words.steps import step_words, too_early_words
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.supplies import supplies_of

COLOURS = [colour.key for colour in DEFAULT_PALETTE]
TWO = BalloonColour(key="lamp", name="lamp", code="L", hex="#ffcc00", outer="sail-white", inner="lantern-yellow")
RULES = (
    ItemRule(item="line", unit="m", per="row", amount=0.3), ItemRule(item="tape", unit="m", per="joint", amount=0.1),
    ItemRule(item="wipes", per="job", amount=2), ItemRule(item="talc", unit="g", per="balloon", amount=0.25),
    ItemRule(item="glue dots", per="accent", amount=2),
    ItemRule(item="modelling balloons 260", per="cluster", amount=0.5),
    ItemRule(item="hooks", per="hung load", amount=2), ItemRule(item="wire", unit="m", per="metre of height", amount=1),
    ItemRule(item="bag", per="copy", amount=1), ItemRule(item="strip", per="topper", amount=1),
)  # fmt: skip

WORDING = Wording(Job())


@st.composite
def rows_groups(draw, first_key: int, stands: bool = True):
    """A group of rows of any count, sizes and direction."""
    many = draw(st.integers(1, 5))
    count = draw(st.integers(3, 6))
    rows = []
    for k in range(many):
        mixed = draw(st.booleans())
        sizes = [draw(st.sampled_from([170.0, 190.0, 215.0])) for _ in range(count if mixed else 1)] * (
            1 if mixed else count
        )
        inner = draw(st.sampled_from([None, None, "rope"]))
        slots = tuple(Slot(nominal_in=11, diameter_mm=size, inner_colour=inner) for size in sizes)
        rows.append(Row(key=first_key + k, slots=slots, joint=draw(st.sampled_from([None, *JointKind]))))
    anchor = Anchor() if stands else Anchor(kind="hanging below", height_mm=3000)
    direction, on_table = draw(st.sampled_from([None, *Direction])), draw(st.booleans())
    return RowsGroup(anchor=anchor, rows=tuple(rows), direction=direction, on_table=on_table)


@st.composite
def jobs(draw):
    """A job of one piece with every kind of group, all schools and hands, parts of all kinds, several copies."""
    groups = [draw(rows_groups(1))]
    if draw(st.booleans()):
        slots = tuple(
            Slot(nominal_in=9, diameter_mm=170, colour=draw(st.sampled_from([None, "rope"]))) for _ in range(8)
        )
        groups.append(BallGroup(slots=slots, on_table=draw(st.booleans())))
    if draw(st.booleans()):
        groups.insert(0, BarePoleGroup(height_mm=150, wrap="coil", colour="rope"))
    if draw(st.booleans()):
        groups.append(RoomGroup(height_mm=100))
    if draw(st.booleans()):
        groups.append(draw(rows_groups(20, stands=False)))
    kinds = draw(st.lists(st.sampled_from(sorted(KINDS)), max_size=4))
    parts = tuple(KINDS[kind].made(key, Surroundings(1500, "signal-red")) for key, kind in enumerate(kinds, 1))
    parts = tuple(
        replace(part, seats=tuple(Seat(row=1, slot=k % 3, along=0.5) for k in range(2)))
        if isinstance(part, Fillers) and draw(st.booleans())
        else part
        for part in parts
    )
    copies = [Copy()] * draw(st.integers(1, 2))
    if draw(st.booleans()):
        copies.append(Copy(label="low", groups=(draw(rows_groups(1)),)))
    layers = draw(st.sampled_from([
        (), (SpiralLayer(lanes=("signal-red", "sail-white", "lamp")),),
        (BandsLayer(bands=(Band(colour="sail-white", rows=2), Band(colour="rope", rows=1))),),
    ]))  # fmt: skip
    frame = draw(st.sampled_from([
        Frame(), Frame(pole_length_mm=1500, pole_name="plastic pipe 25 mm", painted=True), Frame(kind="line"),
        Frame(pole_length_mm=900, pole_name="plastic pipe 20 mm", base=Base(kind="foam", mass_g=300)),
        Frame(kind="frameless", base=Base(kind="none")),
    ]))  # fmt: skip
    piece = Piece(
        key=1, name="Buoy", groups=tuple(groups), copies=tuple(copies), parts=parts, layers=layers, frame=frame,
        school=draw(st.sampled_from(LandingSchool)), half_turns=draw(st.integers(0, 3)), locked=draw(st.booleans()),
        tie_mixed=draw(st.booleans()), joint=draw(st.sampled_from(JointKind)),
    )  # fmt: skip
    return Job(pieces=(piece,), palette=(*DEFAULT_PALETTE, TWO))


@st.composite
def studios(draw):
    """A studio whose hands may have been taught, each count and school in its own way."""
    taught = []
    for school in LandingSchool:
        for count in draw(st.lists(st.integers(3, 6), max_size=2, unique=True)):
            order, locked = list(range(count)), draw(st.booleans())
            Random(draw(st.integers(0, 99))).shuffle(order)
            taught.append(TaughtLanding(school=school.value, count=count, locked=locked, order=tuple(order)))
    return Studio(landings=tuple(taught), rules=RULES)


def landed(step: dict, studio: Studio, locked: bool) -> list[dict]:
    """The balloons of a row anticlockwise from above as the hands leave them, by what the step says alone."""
    ties = step["ties"]
    many = sum(map(len, ties))
    if step["school"] == LandingSchool.DUPLETS_LAID_ON:
        cluster = [balloon for bunch in ties for balloon in bunch]
    else:
        cluster = [ties[k % len(ties)][k // len(ties)] for k in range(many)]
    taught = studio.landing(step["school"], many, locked)
    if taught is not None:
        return [cluster[number] for number in taught.order]
    for _ in range(step["half_turns"] or 0):
        cluster[0], cluster[-1] = cluster[-1], cluster[0]
    if step["lock"] is not None:
        a, b = (place - 1 for place in step["lock"])
        assert b == a + 1, "neighbours"
        cluster[a], cluster[b] = cluster[b], cluster[a]
    return cluster


def is_ring(found: list[dict], wanted: list[dict]) -> bool:
    """Whether two rings are the same but for where they begin."""
    return any(found[k:] + found[:k] == wanted for k in range(len(found)))


@given(job=jobs(), studio=studios())
@settings(max_examples=12, deadline=None)
def test_a_literal_builder_builds_the_plan_and_uses_up_the_lists(job, studio) -> None:
    found = plan(job, studio)
    steps = steps_json(steps_of(found), found)["steps"]
    piece_plan = found.pieces[0]
    # Order: everything comes after what it waits for, and nothing waits for itself.
    seen = set()
    for step in steps:
        assert set(step["after"]) <= seen, step["step"]
        seen.add(step["step"])
    assert len(seen) == len(steps)
    # Landing: every row of every copy comes out as it was planned.
    own = iter(piece_plan.own_copies)
    for number, copy in enumerate(job.pieces[0].copies, 1):
        design = next(own)[1] if copy.groups is not None else piece_plan
        rows = [step for step in steps if step["copy"] == number and step["kind"] == "row"]
        assert sorted(step["row"] for step in rows) == list(range(1, len(design.piece.rows) + 1))
        for step in rows:
            index = step["row"] - 1
            wanted = [
                {"colour": colour, "nominal_in": slot.nominal_in, "diameter_mm": round(slot.diameter_mm, 2)}
                for slot, colour in zip(design.piece.rows[index].slots, design.colouring[index], strict=True)
            ]
            told = [{key: place[key] for key in ("colour", "nominal_in", "diameter_mm")} for place in step["places"]]
            assert told == wanted
            # Slots count from the first one on, each where it really lies.
            angles = [place["azimuth_deg"] for place in step["places"]]
            assert all((b - a) % 360 < 180 for a, b in pairwise(angles)) or len(angles) == 2
            assert is_ring(landed(step, studio, job.pieces[0].locked), wanted), step
    # Consumption: what the steps use is what the lists say.
    balloons, things = Counter(), Counter()
    for step in steps:
        for use in step["uses"]:
            (balloons if use["item"] == "balloon" else things)[
                (use["nominal_in"], use["colour"]) if use["item"] == "balloon" else (use["item"], use["unit"])
            ] += use["count"]
    assert dict(balloons) == {(line.nominal_in, line.colour): line.needed for line in needed(found)}
    listed = {(line.item, line.unit): line.needed for line in Dossier(found).materials}
    assert {key: count for key, count in things.items() if count} == pytest.approx(
        {key: count for key, count in listed.items() if count}, abs=1e-4
    )


def test_rows_are_built_in_their_direction_each_on_one_that_is_there() -> None:
    rows = tuple(uniform_row(key, 4, 11, 215) for key in range(1, 8))
    for direction, order in (
        (Direction.UP, [1, 2, 3, 4, 5, 6, 7]), (Direction.DOWN, [7, 6, 5, 4, 3, 2, 1]),
        (Direction.BOTH, [1, 2, 3, 4, 7, 6, 5]),
    ):  # fmt: skip
        piece = Piece(key=1, name="Gate", groups=(RowsGroup(rows=rows, direction=direction),), joint=JointKind.RIBBON,
                      layers=(SpiralLayer(lanes=("signal-red", "sail-white")),))  # fmt: skip
        steps = [s for s in steps_of(plan(Job(pieces=(piece,)), Studio())) if s.kind is StepKind.ROW]
        assert [step.row.index + 1 for step in steps] == order
        words = " ".join(step_words(step, WORDING) for step in steps[1:])
        assert ("below" in words) == (direction is not Direction.DOWN)
        assert ("above" in words) == (direction is not Direction.UP)
    hung = RowsGroup(rows=rows[:3], anchor=Anchor(kind="hanging below", height_mm=2000))
    assert hung.built is Direction.DOWN, "what hangs is built from the top"


@pytest.mark.parametrize("other", [0, 2])
def test_what_is_said_of_a_row_is_true_of_every_balloon_it_names(other) -> None:
    geometry = settle(
        tuple(stack_row(uniform_row(k, 4, 11, 215), Packing(SNUG, 12.5), JointKind.WRAPPED) for k in (1, 2, 3)),
        Packing(SNUG, 12.5),
    )
    surface = surface_of(geometry, (4, 4, 4))
    colours = ["signal-red", *["sail-white"] * 3]
    words = relation_words(
        relation(surface, 1, other, labels(surface, 1, colours), labels(surface, other, colours)), WORDING
    )
    assert "The signal red goes" in words
    mine, its = (surface.angles[surface.firsts[row]] for row in (1, other))
    to_the_right = math.remainder(mine - its, 2 * math.pi) > 0
    assert ("right" in words) == to_the_right, "anticlockwise from above is to the right seen from outside"
    assert ("below" if other == 0 else "above") in words
    assert "faces the front mark" in relation_words(facing(surface, 0, labels(surface, 0, colours)), WORDING)


def test_runs_say_once_what_repeats_and_copies_alike_are_said_once() -> None:
    found = plan(load_job(demo_job_path()), Studio())
    steps = steps_of(found)
    lines = list(steps_words(steps, found, Wording(found.job)))
    assert lines.count("  as the copy before") == 9, "the gate columns; the kelp in each height, in three runs"
    assert any(line.startswith("  Rows 2 to 4 · 4 × 11″") for line in lines)
    # How it is done is said once a piece, and what is said each time is short whatever names are given.
    hows = [line for line in lines if line.startswith("      how: ")]
    assert len(set(hows)) < len(lines) / 4
    named = replace(
        found.job, pieces=tuple(replace(piece, name="N" * 110 + str(piece.key)) for piece in found.job.pieces)
    )
    longest = plan(named, Studio())
    assert max(len(step_text(step, Wording(named)).words) for step in steps_of(longest)) <= MOST_WORDS
    runs = Counter(step.run for step in steps if step.run is not None)
    assert max(runs.values()) >= 3
    graph = nx.DiGraph((before, step.key) for step in steps for before in step.after)
    assert nx.is_directed_acyclic_graph(graph)
    order = [step.kind for step in steps if step.piece == 2]
    assert order.index(StepKind.CAP) < order.index(StepKind.TOPPER) < order.index(StepKind.PACK)
    coral = [step for step in steps if step.piece == 7 and step.kind is StepKind.CLUSTER]
    assert len(coral) == 15
    rows = [int(step_words(step, WORDING).split(" at row ")[1].split(",")[0]) for step in coral]
    assert rows == sorted(rows), "side by side in turn, row by row"


def test_steps_are_printed_and_wrong_names_are_told(tmp_path, capsys) -> None:
    path = tmp_path / "job.kakushi"
    save_job(load_job(demo_job_path()), path)
    assert main(["steps", str(path), "--piece", "Kelp", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {step["piece"] for step in told["steps"]} == {"Kelp"}
    assert {step["kind"] for step in told["steps"]} >= {"base", "glue", "wait", "ball", "look", "pack"}
    assert main(["steps", str(path)]) == 0
    assert "Gate column left" in capsys.readouterr().out
    assert main(["steps", str(path), "--piece", "Gate"]) == 2


@pytest.mark.parametrize("direction", [Direction.DOWN, Direction.BOTH])
def test_a_row_that_begins_in_the_air_is_told_its_height(direction: Direction) -> None:
    rows = tuple(uniform_row(key, 4, 11, 215) for key in range(1, 8))
    found = plan(Job(pieces=(Piece(key=1, name="x", groups=(RowsGroup(rows=rows, direction=direction),)),)), Studio())
    knots = found.pieces[0].geometry.knots
    steps = [step for step in steps_of(found) if step.kind is StepKind.ROW]
    told = {step.row.index: step.fact.knot_mm for step in steps if step.fact.knot_mm is not None}
    assert told == {6: pytest.approx(knots[6])}, "the first of those laid from the top, and no other"
    (first,) = [step for step in steps if step.row.index == 6]
    assert "above the floor" in step_words(first, WORDING)


def test_one_person_who_works_from_top_to_bottom_waits_little_longer_than_one_who_does_what_is_possible() -> None:
    steps = steps_of(plan(load_job(demo_job_path()), Studio()))

    def minutes(order: list[Step], waits: bool) -> float:
        now, done, left = 0.0, dict[str, float](), list(order)
        while left:
            ready = [step for step in left if done.keys() >= set(step.after)]
            starts = {step.key: max([now, *(done[key] for key in step.after)]) for step in ready}
            # From top to bottom the next one is next; else the first of those that can begin soonest.
            step = left[0] if waits else min(ready, key=lambda step: starts[step.key])
            now = starts[step.key] + step.minutes
            done[step.key] = now + step.wait_minutes
            left.remove(step)
        return max(done.values())

    assert minutes(list(steps), waits=True) <= 1.1 * minutes(list(steps), waits=False)


def on_one_pole(**frame: object) -> Job:
    rows = tuple(uniform_row(k, 4, 11, 230.0) for k in range(1, 4))
    upper = tuple(uniform_row(k, 4, 9, 180.0) for k in range(4, 7))
    groups = (
        RowsGroup(rows=rows),
        BarePoleGroup(anchor=Anchor(kind="at height", height_mm=700.0), height_mm=300.0, wrap="coil"),
        RowsGroup(rows=upper, anchor=Anchor(kind="hanging below", height_mm=1500.0)),
    )
    parts = (
        Accent(key=1, name="bow", balloons=(PartBalloons(nominal_in=5, count=2, colour="rope"),)),
        Fillers(key=2, name="small", balloons=(PartBalloons(nominal_in=5, count=4, colour="rope"),), wanted=1),
        Fillers(key=3, name="large", balloons=(PartBalloons(nominal_in=9, count=4, colour="rope"),), wanted=1),
        Toy(key=4, name="crab"),
        Topper(key=5, name="lantern", balloons=(PartBalloons(nominal_in=16, count=1, colour="rope"),)),
    )
    piece = Piece(
        key=1, name="Pole", target_height_mm=1500.0, groups=groups, parts=parts,
        frame=Frame(pole_length_mm=1500.0, **frame),
    )  # fmt: skip
    return Job(pieces=(piece,))


def test_steps_come_in_the_order_of_hands() -> None:
    steps = steps_of(plan(on_one_pole(), Studio()))
    names = [step.key.removeprefix("1.0.") for step in steps]
    order = ["base", "inflate", "row.6", "row.5", "row.4", "cap", "row.1", "row.2", "row.3", "wrap.1"]
    order += ["part.5.0", "part.4.0", "part.3.0", "part.2.0", "part.1.0", "pack"]
    assert [name for name in names if name in order] == order
    words = {step.key.removeprefix("1.0."): step_words(step, WORDING) for step in steps}
    assert "Push it up at the middle" in words["row.5"]
    assert "Push it down at the middle" in words["row.2"]
    assert "9″ balloon" in words["cap"]
    wrap = next(step for step in steps if step.kind is StepKind.WRAP)
    assert set(wrap.after) == {"1.0.row.3", "1.0.row.4"}, "its strands begin inside what is beside it"
    assert not any(word in words["row.5"] for word in ("Check the hand",)), "one colour has no hand"


def test_a_cap_comes_before_the_last_row_or_the_ball_that_is_slid_over_the_end_and_opens_no_bag() -> None:
    job = on_one_pole()
    rows, ball = (
        job.pieces[0].groups[0],
        BallGroup(slots=tuple(Slot(nominal_in=9, diameter_mm=150.0) for _ in range(8))),
    )
    for groups, last in (((rows,), "row.3"), ((rows, ball), "ball.1")):
        found = plan(replace(job, pieces=(replace(job.pieces[0], groups=groups, parts=()),)), Studio())
        names = [step.key.removeprefix("1.0.") for step in steps_of(found)]
        assert names.index(last) == names.index("cap") + 1
        used = {(line.nominal_in, line.colour) for line in supplies_of(found).whole}
        assert {nominal for nominal, _ in used} <= {9.0, 11.0}
        assert len(used) == len(groups), "the cap is of a balloon that is there anyway"


def test_sections_are_screwed_together_and_never_cut() -> None:
    found = plan(on_one_pole(pole_name="lamp-stand tube in sections"), Studio())
    dossier = Dossier(found)
    assert not dossier.poles
    assert {line.item: line.needed for line in dossier.materials}["lamp-stand tube in sections, 0.4 m"] == 4
    base = next(step for step in dossier.steps if step.kind is StepKind.BASE)
    assert not base.after
    assert "Screw 4 sections of 40 cm together" in step_words(base, WORDING)
    assert "reach 10 cm farther than planned" in step_words(base, WORDING)


@settings(deadline=None)
@given(seed=st.integers(0, 10**6))
def test_whatever_order_is_wished_every_need_comes_first_and_nothing_is_lost(seed: int) -> None:
    job, rng = on_one_pole(), Random(seed)
    usual = steps_of(plan(job, Studio()))
    names = [name_of_step(step) for step in usual if step.piece]
    wish = [*rng.sample(names, rng.randrange(1, len(names) + 1)), "row.99", "part.77.0"]
    own = steps_of(plan(replace(job, pieces=(replace(job.pieces[0], step_order=tuple(wish)),)), Studio()))
    done = set[str]()
    for step in own:
        assert done.issuperset(step.after), step.key
        done.add(step.key)
    assert sorted(step.key for step in own) == sorted(step.key for step in usual)
    assert {*merged(use for step in own for use in step.uses)} == {*merged(use for step in usual for use in step.uses)}
    # A wish that breaks nothing is kept as it is.
    kept = tuple(name_of_step(step) for step in own if step.piece)
    again = steps_of(plan(replace(job, pieces=(replace(job.pieces[0], step_order=kept),)), Studio()))
    assert [step.key for step in again] == [step.key for step in own]


def test_an_own_order_is_moved_refused_with_the_reason_and_survives_edits() -> None:
    job = on_one_pole()
    steps = [step for step in steps_of(plan(job, Studio())) if step.piece]
    keys = [step.key for step in steps]
    order = moved(steps, "1.0.row.1", keys.index("1.0.cap"))
    assert not isinstance(order, TooEarly)
    assert [step.key for step in order].index("1.0.row.1") == keys.index("1.0.cap")
    refused = moved(steps, "1.0.row.2", 0)
    assert isinstance(refused, TooEarly)
    assert too_early_words(refused, WORDING) == "“Row 2” needs “Row 1” first."
    toy = next(step for step in steps if step.key == "1.0.part.4.0")
    assert len(toy.after) < 5, "it waits for the rows that hold it, not for all"
    wish = tuple(name_of_step(step) for step in order)
    piece = replace(job.pieces[0], step_order=wish)
    more = replace(piece.groups[0], rows=(*piece.groups[0].rows, uniform_row(9, 4, 11, 230.0)))
    edited = replace(job, pieces=(replace(piece, groups=(more, *piece.groups[1:])),))
    names = [name_of_step(step) for step in steps_of(plan(edited, Studio())) if step.piece]
    assert names.index("row.9") == names.index("row.3") + 1, "a new step comes where it usually does"
    assert [name for name in names if name != "row.9"] == [name for name in wish if name in names]
    assert job_from_bytes(job_bytes(edited), Path("own.kakushi")) == edited


_STRIP, _DOTS, _LINE = "modelling balloons 260", "glue dots", "line"


@pytest.mark.parametrize(
    ("parts", "frame", "joint", "counted"),
    [
        # Nine small clusters, in pairs on half a strip: nine quarters.
        ((Fillers(key=1, balloons=(PartBalloons(nominal_in=5, count=4, colour="rope"),), wanted=9),), {}, None,
         {_STRIP: 2.25, _DOTS: 0}),
        # Four large ones on half a strip each.
        ((Fillers(key=1, balloons=(PartBalloons(nominal_in=9, count=4, colour="rope"),), wanted=4),), {}, None,
         {_STRIP: 2.0, _DOTS: 0}),
        # Two accents held as the studio's rule says, two dots each.
        (tuple(Accent(key=k, name=f"{k}") for k in (1, 2)), {}, None, {_STRIP: 0, _DOTS: 4}),
        # One fixed with four dots: these, and not the rule's two as well.
        ((Accent(key=1, name="disc", fixing=Fixing.DOTS),), {}, None, {_STRIP: 0, _DOTS: 4}),
        # Three rows tied with strips have two joints.
        ((), {}, JointKind.STRIP, {_STRIP: 2.0, _DOTS: 0}),
        # A cap of the pole is one balloon that is there anyway.
        ((), {"capped": True}, None, {_STRIP: 0, _DOTS: 0}),
    ],
)  # fmt: skip
def test_totals_equal_a_count_by_hand(parts, frame, joint, counted: dict[str, float]) -> None:
    rows = tuple(uniform_row(k, 4, 11, 230.0) for k in (1, 2, 3))
    piece = Piece(
        key=1, name="By hand", groups=(RowsGroup(rows=rows),), parts=parts, joint=joint or JointKind.WRAPPED,
        frame=Frame(**{"capped": False, **frame}),
    )  # fmt: skip
    dossier = Dossier(plan(Job(pieces=(piece,)), Studio()))
    needed = {line.item: line.needed for line in dossier.materials}
    assert {item: needed.get(item, 0) for item in counted} == pytest.approx(counted)
    of_parts = sum(line.count * getattr(part, "wanted", 1) for part in parts for line in part.balloons)
    assert sum(line.needed for line in dossier.supplies.whole) == 12 + of_parts + frame.get("capped", False)


def test_what_is_dressed_on_the_table_is_dressed_before_it_is_slid_on() -> None:
    foot = RowsGroup(rows=tuple(uniform_row(k, 4, 11, 216) for k in (1, 2, 3)))
    slots = (Slot(nominal_in=5, diameter_mm=110),) * 8
    body = RowsGroup(rows=tuple(uniform_row(k, 4, 9, 180) for k in (11, 12)), on_table=True)
    balloons = (PartBalloons(nominal_in=5, colour="rope", count=4),)
    seats = (Seat(row=11, slot=0), Seat(row=2, slot=0))
    fillers = Fillers(key=1, wanted=2, balloons=balloons, seats=seats)
    piece = Piece(key=1, name="Quay", groups=(foot, body, BallGroup(slots=slots, on_table=True)), parts=(fillers,))
    steps = steps_of(plan(Job(pieces=(piece,)), Studio()))
    names = [name_of_step(step) for step in steps]
    at = {name: place for place, name in enumerate(names)}
    assert at["row.12"] < at["part.1.0"] < at["slide.1"], "the cluster of the body goes on before the body does"
    assert at["ball.2"] < at["slide.2"]
    assert at["slide.1"] < at["cap"] < at["slide.2"], "the cap keeps what lies below the last thing down"
    assert at["part.1.1"] > at["row.3"], "the other is tied in where it stands"
    words = [step_words(step, WORDING) for step in steps]
    assert any(said.startswith("Slide the 2 rows on the pole until the lowest balloon is") for said in words)
    assert any(said.startswith("Slide the ball on the pole") for said in words)
    assert not any("Thread the ball" in said for said in words)
    needs = {name_of_step(step): step.after for step in steps}
    assert not {key for key in needs["row.11"] if "base" in key}, "a table needs no pole"
    assert any(key.endswith("row.3") for key in needs["slide.1"]), "it stands on the foot"


def test_what_is_put_into_balloons_is_said_first_and_listed() -> None:
    palette = tuple(replace(c, insert="olive leaf") if c.key == "rope" else c for c in DEFAULT_PALETTE)
    rows = tuple(uniform_row(k, 4, 11, 216) for k in (1, 2, 3))
    layers = (SpiralLayer(lanes=("rope", "sail-white", "sail-white", "sail-white")),)
    piece = Piece(key=1, name="Quay", groups=(RowsGroup(rows=rows),), layers=layers, copies=(Copy(), Copy()))
    found = plan(Job(pieces=(piece,), palette=palette), Studio())
    inflating = [step for step in steps_of(found) if step.kind is StepKind.INFLATE]
    assert step_words(inflating[0], WORDING).startswith("Put an olive leaf into each of 3 balloons first. Inflate")
    assert things(found)["olive leaf"] == 6
