"""A sentence about a row fixes the row: read by itself, only the planned turn (up to equal colours) fits it."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Sequence

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kakushi.building.step import LaidBalloon, LayingRow, Step
from kakushi.building.steps import steps_of, steps_of_copy
from kakushi.colour.relation import facing, labels, relation
from kakushi.colour.surface import Surface
from kakushi.formats.export.phone_html import phone_steps
from kakushi.formats.export.steps_json import steps_json
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path, shipped_recipes
from kakushi.formats.store.recipe_file import recipes_in
from kakushi.log.recipes import built_again
from kakushi.model.catalogue import Studio
from kakushi.model.frame import Frame
from kakushi.model.groups import Anchor, Direction, Row, RowsGroup, Slot
from kakushi.model.job import Job
from kakushi.model.joints import JointKind
from kakushi.model.layers import (
    Band,
    BandsLayer,
    ChecksLayer,
    DiamondsLayer,
    MixLayer,
    Share,
    SolidLayer,
    SpiralLayer,
    StripesLayer,
)
from kakushi.model.paths import PresetPath, Strand
from kakushi.model.piece import LandingSchool, Piece
from kakushi.model.units import UnitSystem, format_nominal
from kakushi.plan.pipeline import plan
from kakushi.plan.relations import laid_on
from kakushi.plan.values import PiecePlan, Plan
from kakushi.words.rows import relation_words
from kakushi.words.sizing import sized_words
from kakushi.words.step_text import new_how, text_at_hand, told_steps
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier
from row_reader import JOB, WORDING, ReadRow, TextReader, check, names_of

KEYS = [colour.key for colour in JOB.palette[:4]]


def surface_of_rows(rows: list[tuple[list[float], list[float]]]) -> Surface:
    """A surface of rows given by angles and sizes."""
    angles, sizes = (np.array([each for row in rows for each in row[part]]) for part in (0, 1))
    none = np.zeros((0, 2), dtype=int)
    counts = tuple(len(row[0]) for row in rows)
    turns = tuple(row[0][0] for row in rows)
    return Surface(counts, turns, angles, np.zeros(len(angles)), np.zeros(len(angles)), sizes, 1.0, none, none)


def named(keys: list[str], sizes: list[float]) -> list[str]:
    return names_of([JOB.colour(key).name for key in keys], keys, sizes)


ROWS = st.integers(1, 9).flatmap(
    lambda n: st.tuples(
        st.lists(st.sampled_from(KEYS[: 1 + n % 4]), min_size=n, max_size=n),
        st.lists(st.sampled_from([100.0, 100.0, 60.0]), min_size=n, max_size=n),
        st.sampled_from([0.0, 0.27, 0.5, 1.0, 1.37]),
    )
)


def angles_of(n: int, shift: float) -> list[float]:
    return [2 * math.pi * (slot + shift) / n for slot in range(n)]


@settings(max_examples=400)
@given(ROWS, ROWS, st.booleans())
def test_a_sentence_about_a_laid_row_fits_no_other_turn(upper, lower, is_below) -> None:
    if is_below and len(upper[0]) % 2 == 0:
        # Rows of one count in each other's gaps, as most columns are packed.
        lower = (lower[0] * len(upper[0]))[: len(upper[0])], (lower[1] * len(upper[0]))[: len(upper[0])], 0.0
        upper = upper[0], upper[1], 0.5
    rows = [(angles_of(len(row[0]), row[2]), row[1]) for row in (lower, upper)]
    surface = surface_of_rows(rows)
    fact = relation(surface, 1, 0, labels(surface, 1, upper[0]), labels(surface, 0, lower[0]))
    words = relation_words(fact, WORDING)
    check(words, named(upper[0], upper[1]), rows[1][0], [(named(lower[0], lower[1]), rows[0][0])])


@settings(max_examples=300)
@given(ROWS)
def test_a_sentence_about_the_front_fits_no_other_turn(row) -> None:
    angles = angles_of(len(row[0]), row[2])
    surface = surface_of_rows([(angles, row[1])])
    fact = facing(surface, 0, labels(surface, 0, row[0]))
    check(relation_words(fact, WORDING), named(row[0], row[1]), angles, [])


PATTERNS = (
    (SolidLayer(colour="rope"),),
    (SpiralLayer(lanes=("signal-red", "sail-white", "sail-white", "rope")),),
    (SpiralLayer(lanes=("signal-red", "sail-white")),),
    (SolidLayer(colour="rope"), StripesLayer(lanes=("signal-red", "sail-white", "sail-white"))),
    (BandsLayer(bands=(Band(colour="rope", rows=2), Band(colour="sail-white", rows=1))),),
    (ChecksLayer(colours=("signal-red", "sail-white")),),
    (SolidLayer(colour="rope"), DiamondsLayer(colours=("signal-red", "sail-white"), around=1, high=5)),
    (MixLayer(shares=(Share(colour="rope", parts=1), Share(colour="sail-white", parts=2))),),
)
SIZES = ((230,), (230,), (230,), (230, 125), (230, 230, 125, 125), (230, 180, 125), (230, 215, 200, 190))
GROUPS = (
    {}, {}, {"direction": Direction.DOWN, "anchor": Anchor(kind="hanging below", height_mm=2500)},
    {"direction": Direction.BOTH}, {"strand": Strand(path=PresetPath(preset="arch", width_mm=900, height_mm=900))},
)  # fmt: skip


def random_job(seed: int) -> Job:
    """A piece of one kind of group, of one to four sizes and any pattern, some of it painted by hand."""
    chance = np.random.default_rng(seed)
    sizes, pattern = SIZES[seed % len(SIZES)], PATTERNS[chance.integers(len(PATTERNS))]
    is_even = len(sizes) == 1
    counts = chance.integers(3, 8, size=6).tolist() if is_even and chance.random() < 0.3 else [4 + seed % 3] * 6
    paint = [None, None, None, None, "harbour-blue"] if chance.random() < 0.4 else [None]
    rows = []
    for key, count in enumerate(counts if is_even else [4 * (1 + (seed % 4 == 3))] * 5, 1):
        diameters = [sizes[k % len(sizes)] for k in range(count)]
        slots = (
            Slot(nominal_in=11 if d > 140 else 5, diameter_mm=d, colour=paint[chance.integers(len(paint))])
            for d in diameters
        )
        rows.append(Row(key=key, slots=tuple(slots)))
    fields = GROUPS[chance.integers(len(GROUPS))] if is_even else GROUPS[0]
    joint = JointKind.LINE_EIGHT if "strand" in fields else list(JointKind)[chance.integers(3)]
    school = list(LandingSchool)[chance.integers(len(LandingSchool))]
    frame = Frame(kind="line") if joint is JointKind.LINE_EIGHT else Frame()
    piece = Piece(
        key=1, name="Any", groups=(RowsGroup(rows=tuple(rows), **fields),), layers=pattern, joint=joint, school=school,
        frame=frame, half_turns=int(chance.integers(1, 3)), foot_angle_deg=float(chance.choice([0, 0, 45])),
    )  # fmt: skip
    return Job(pieces=(piece,))


def printed(steps: Sequence[Step], _found: Plan, wording: Wording) -> Iterator[tuple[str, str]]:
    """What a printed list says of the steps of a copy."""
    for _, text in told_steps(steps, wording):
        yield text.words, text.how


def as_json(steps: Sequence[Step], found: Plan, wording: Wording) -> Iterator[tuple[str, str]]:
    """What a program reads."""
    for step in steps_json(steps, found, wording.units)["steps"]:
        yield step["words"], step["how"]


def on_screen(steps: Sequence[Step], _found: Plan, wording: Wording) -> Iterator[tuple[str, str]]:
    """What the Build page shows, one step at a time; its bunches are drawn."""
    for step in steps:
        text = text_at_hand([step], wording)
        yield text.words, new_how(steps, step, wording)


def on_phone(steps: Sequence[Step], found: Plan, wording: Wording) -> Iterator[tuple[str, str]]:
    """What the page for the phone shows of the first copy, one go after the other."""
    told = phone_steps(Dossier(found), wording.units, [])
    places = {piece.piece.key: place for place, piece in enumerate(found.pieces)}
    copies = [copy for copy in told["copies"] if copy["piece"] == places[steps[0].piece]]
    for number in copies[steps[0].copy or 0]["steps"]:
        headline, note, how, _ = told["texts"][number]
        yield f"{headline.rstrip('.')}. {note}" if note else headline, how


def check_text(found: Plan, wording: Wording, told: Callable[..., Iterator[tuple[str, str]]]) -> int:
    """Lay every row of a plan from text alone; how many rows were."""
    codes = {colour.code: colour.name for colour in found.job.palette}
    all_steps = steps_of(found)
    laid = 0
    for piece in found.pieces:
        for copy in range(len(piece.piece.copies)):
            steps = steps_of_copy(all_steps, piece.piece.key, copy)
            design, reader, read = piece.of_copy(copy), TextReader(codes), dict[int, ReadRow]()
            for headline, how in told(steps, found, wording):
                read |= reader.read(headline, how)
            for step in steps:
                if step.row is not None:
                    check_row(step, design, read, wording)
                    laid += 1
    return laid


def check_row(step: Step, design: PiecePlan, read: dict[int, ReadRow], wording: Wording) -> None:
    """What was read of a row is what was planned of it."""
    assert isinstance(step.fact, LayingRow)
    row, angles = read[step.row.index + 1], [spot.azimuth for spot in step.places]

    def sized(spot: LaidBalloon) -> str:
        diameter = wording.diameter(spot.balloon.diameter_mm)
        return f"{format_nominal(spot.balloon.nominal_in)} {sized_words(step.fact.sizing, diameter, wording.units)}"

    ring = [(wording.colour(spot.balloon.colour), sized(spot)) for spot in step.places]
    assert row.sizes == Counter(size for _, size in ring)
    turns = [[*row.ring[k:], *row.ring[:k]] for k in range(len(ring))]
    assert ring in turns, f"lands otherwise: {row.ring}, not {ring}"
    assert len(row.marks) == len(step.fact.marks)
    assert (row.knot != "") == (step.fact.knot_mm is not None)
    under, on = list[tuple[list[str], list[float]]](), step.row.on
    chain = laid_on(design.piece)
    while on is not None:
        under.append(names_in(design, on, read[on + 1].any_way, wording))
        on = chain[on]
    names, _ = names_in(design, step.row.index, row.any_way, wording)
    check(row.relation, names, angles, under)


def names_in(design: PiecePlan, index: int, any_way: str, wording: Wording) -> tuple[list[str], list[float]]:
    """What the balloons of a row are called by somebody who read that some go any way round, and where they lie."""
    low, high = design.surface.firsts[index : index + 2]
    angles, sizes = design.surface.angles[low:high].tolist(), design.surface.diameters[low:high].tolist()
    ring = ["balloon" if any_way else wording.colour(key) for key in design.colouring[index]]
    return (ring if any_way == "Any" else names_of(ring, [], sizes)), angles


@pytest.mark.parametrize("seed", range(60))
def test_somebody_with_the_text_alone_lays_every_row_as_planned(seed: int) -> None:
    found = plan(random_job(seed), Studio())
    for told in (printed, as_json, on_screen, on_phone):
        for units in UnitSystem:
            assert check_text(found, Wording(found.job, units), told) == len(found.pieces[0].piece.rows)


def test_somebody_with_the_text_alone_lays_the_demo_and_every_recipe() -> None:
    demo = load_job(demo_job_path())
    for told in (printed, on_phone):
        assert check_text(plan(demo, Studio()), Wording(demo), told) == 170
    for _, recipe in recipes_in(shipped_recipes()):
        job = built_again(recipe, {})
        check_text(plan(job, Studio()), Wording(job), as_json)
