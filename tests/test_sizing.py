"""Sizes without a diameter: typed and said, what they come to, what they do to the height."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kakushi.building.step import TyingCluster
from kakushi.building.steps import steps_of
from kakushi.formats.store.job_file import load_job, save_job
from kakushi.model.catalogue import DEFAULT_PALETTE, Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.parts import Fillers, PartBalloons
from kakushi.model.piece import Piece
from kakushi.model.sizing import Sizing
from kakushi.model.units import UnitSystem, inches
from kakushi.model.values import replace
from kakushi.model.workshop import Inflator, TrialPoint, Trials
from kakushi.plan.fitting import spread_of
from kakushi.plan.pipeline import plan
from kakushi.session import part_edits, row_edits
from kakushi.words.sizing import filler_size_words, read_sizing, row_sizes, sizing_words
from kakushi.words.step_text import step_text
from kakushi.words.steps import step_words
from kakushi.words.wording import Wording
from kakushi.workshop.sized_by import is_assumed, is_unmeasured, sized_by

METRIC, INCHES = UnitSystem.METRIC, UnitSystem.INCHES


@pytest.mark.parametrize(
    ("text", "units", "wanted"),
    [
        ("3 strokes", METRIC, Sizing(by="strokes", amount=3)),
        ("2½ pumps", INCHES, Sizing(by="strokes", amount=2.5)),
        ("2.4 s", METRIC, Sizing(by="seconds", amount=2.4)),
        ("24 tenths", METRIC, Sizing(by="seconds", amount=2.4)),
        ("Like the reference", METRIC, Sizing(by="reference")),
        ("as they come", METRIC, Sizing(by="free")),
        ("4 to 5 in", METRIC, Sizing(by="range", low_mm=inches(4), high_mm=inches(5))),
        ("10–12", METRIC, Sizing(by="range", low_mm=100, high_mm=120)),
        ("21 cm", METRIC, 210.0),
    ],
)
def test_what_people_type_is_understood(text, units, wanted) -> None:
    assert read_sizing(text, units) == wanted


@pytest.mark.parametrize("text", ["", "0 strokes", "-2 s", "12 to 10 cm", "some", "5 to", "1e999 strokes", "s" * 5000])
def test_what_cannot_be_taken_is_said_in_a_sentence(text) -> None:
    with pytest.raises(BadInput) as refused:
        read_sizing(text, METRIC)
    assert len(str(refused.value)) < 200


@given(
    st.one_of(
        st.builds(Sizing, by=st.sampled_from(["strokes", "seconds"]), amount=st.integers(1, 80).map(lambda n: n / 2)),
        st.sampled_from([Sizing(by="free"), Sizing(by="reference")]),
        st.tuples(st.integers(5, 40), st.integers(0, 20)).map(
            lambda each: Sizing(by="range", low_mm=each[0] * 10.0, high_mm=(each[0] + each[1]) * 10.0)
        ),
    )
)
def test_what_is_said_is_read_again(sizing) -> None:
    assert read_sizing(sizing_words(sizing, METRIC), METRIC) == sizing


def pump(nominal: float, per_stroke: float) -> Inflator:
    """A pump whose strokes each give so much volume, mm³, exactly."""
    points = tuple(
        TrialPoint(setting=n, diameter_mm=round((6 * per_stroke * n / math.pi) ** (1 / 3), 3))
        for n in (2, 3, 4, 5, 6, 8)
    )
    return Inflator(name="pump", trials=(Trials(nominal_in=nominal, points=points),))


def test_strokes_come_to_what_trials_say_and_are_assumed_before() -> None:
    stroke = 6e5
    studio = Studio(inflators=(pump(11, stroke),))
    sizing = Sizing(by="strokes", amount=5)
    truth = (6 * stroke * 5 / math.pi) ** (1 / 3)
    found = sized_by(sizing, 11, 200, studio)
    assert found.is_measured
    assert found.diameter_mm == pytest.approx(truth, rel=0.02)
    other = sized_by(sizing, 9, 200, studio)
    assert not other.is_measured
    assert other.diameter_mm == pytest.approx(truth, rel=0.05), "the same volume"
    nothing = sized_by(sizing, 9, 200, Studio(inflators=()))
    assert (nothing.is_measured, nothing.diameter_mm) == (False, pytest.approx(0.8 * inches(9)))
    row = replace(uniform_row(1, 4, 9, 180.0), sizing=sizing)
    assert is_unmeasured(row, studio)
    assert not is_unmeasured(replace(row, slots=uniform_row(1, 4, 11, 180.0).slots), studio)
    assert row_sizes(row, METRIC, unmeasured=True) == "4 × 9″ with 5 strokes, unmeasured"


def test_a_row_of_any_size_widens_what_the_height_may_be() -> None:
    rows = tuple(uniform_row(k, 4, 11, 220.0) for k in range(1, 9))
    piece = Piece(key=1, name="Gate", groups=(RowsGroup(rows=rows),))
    job, studio = Job(pieces=(piece,)), Studio(sizing_scatter_mm=0.0)
    before = spread_of(plan(job, studio).pieces[0], studio)
    assert before.sizing_sd == 0
    wide = Sizing(by="range", low_mm=200, high_mm=240)
    job = row_edits.set_row_sizing(1, 4, wide, studio).change(job)
    found = spread_of(plan(job, studio).pieces[0], studio)
    # A row of four, each evenly spread over 4 cm, moves the height by its mean and by about its rise over its diameter.
    mean_sd = 40 / math.sqrt(12) / 2
    assert 0.4 * mean_sd < found.sizing_sd < 1.3 * mean_sd
    every = job
    for key in range(1, 9):
        every = row_edits.set_row_sizing(1, key, wide, studio).change(every)
    assert spread_of(plan(every, studio).pieces[0], studio).sizing_sd > 2 * found.sizing_sd
    measured = row_edits.set_row_diameter(1, 4, 220.0).change(job)
    assert measured.pieces[0].rows[3].sizing is None
    steps = [step for step in steps_of(plan(job, studio)) if step.row is not None and step.row.index == 3]
    assert step_text(steps[0], Wording(job, METRIC)).headline == "Row 4 · 4 × 11″ of 20.0 to 24.0 cm"


def test_fillers_are_sized_as_rows_are_and_said_so_in_their_steps(tmp_path: Path) -> None:
    studio = Studio(inflators=(pump(5, 1.2e5),))
    rows = tuple(uniform_row(k, 4, 11, 220.0) for k in range(1, 6))
    line = PartBalloons(nominal_in=5, colour=DEFAULT_PALETTE[0].key, count=3)
    part = Fillers(key=1, wanted=2, balloons=(line,), sizes_mm=(90.0, 100.0))
    job = Job(pieces=(Piece(key=1, name="Gate", groups=(RowsGroup(rows=rows),), parts=(part,)),))
    sizing = Sizing(by="strokes", amount=4)
    found = part_edits.set_filler_sizing(1, part, sizing, studio).change(job)
    (sized,) = found.pieces[0].parts
    assert isinstance(sized, Fillers)
    assert (sized.sizing, sized.sizes_mm) == (sizing, ())
    assert sized.balloons[0].diameter_mm == pytest.approx((6 * 1.2e5 * 4 / math.pi) ** (1 / 3), rel=0.03)
    assert not is_assumed(sized.sizing, {5.0}, studio)
    assert is_assumed(sized.sizing, {5.0}, Studio())
    steps = [step for step in steps_of(plan(found, studio)) if isinstance(step.fact, TyingCluster)]
    assert len(steps) == 2
    for step in steps:
        said = step_words(step, Wording(found, METRIC))
        assert "3 harbour blue, 5″ with 4 strokes" in said
    assert filler_size_words(sized, METRIC, unmeasured=True).startswith("With 4 strokes, unmeasured: about ")
    save_job(found, tmp_path / "gate.kakushi")
    assert load_job(tmp_path / "gate.kakushi").pieces[0].parts == (sized,)
    free = part_edits.set_filler_sizing(1, sized, Sizing(by="free"), studio).change(found)
    low, high = Sizing(by="free").ends_mm(5.0)
    assert free.pieces[0].parts[0].balloons[0].diameter_mm == pytest.approx((low + high) / 2)
