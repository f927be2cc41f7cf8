"""Edits are pure, history is exact, bad values change nothing."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SolidLayer
from kakushi.model.piece import Copy, Piece
from kakushi.model.units import inches
from kakushi.model.values import replace
from kakushi.session import edits, row_edits
from kakushi.session.demo import some_weeks_ahead
from kakushi.session.session import HISTORY_LIMIT, Edit, Session

STUDIO = Studio()


def quads(count: int = 5) -> Piece:
    rows = tuple(uniform_row(k + 1, 4, 11, inches(8.5)) for k in range(count))
    return Piece(key=1, name="Gate column", groups=(RowsGroup(rows=rows),))


def session() -> Session:
    return Session(Job(pieces=(quads(),)))


def diameters(s: Session) -> list[float]:
    return [round(row.diameter_mm / 25.4, 3) for row in s.job.pieces[0].rows]


@st.composite
def some_edits(draw: st.DrawFn) -> Edit:
    row = draw(st.integers(1, 6))
    return draw(
        st.sampled_from(
            [
                row_edits.resize_row(1, row, draw(st.integers(-9, 9)), STUDIO),
                row_edits.set_row_count(1, row, draw(st.integers(3, 6))),
                row_edits.set_row_nominal(1, row, draw(st.sampled_from([5.0, 9.0, 16.0])), STUDIO),
                row_edits.duplicate_row(1, row),
                row_edits.delete_row(1, row),
                row_edits.move_row(1, row, draw(st.integers(-3, 3))),
                row_edits.insert_row(1, uniform_row(1, 5, 9, 180), row),
                edits.set_copies(1, draw(st.integers(1, 5))),
                edits.set_settings("Change spares", confidence=draw(st.floats(0.5, 0.999))),
                edits.set_piece(1, "Change pattern", layers=(SolidLayer(colour="rope"),)),
                edits.duplicate_piece(1),
            ]
        )
    )


@given(st.lists(some_edits(), max_size=25))
def test_undo_then_redo_gives_the_same_documents(made: list[Edit]) -> None:
    s = session()
    first = s.job
    for edit in made:
        try:
            s.apply(edit)
        except BadInput:
            continue  # the row is gone by now
    last = s.job
    back = []
    while s.undo():
        back.append(s.job)
    assert s.job == first
    assert not s.is_dirty
    while s.redo():
        pass
    assert s.job == last
    assert len({row.key for row in last.pieces[0].rows}) == len(last.pieces[0].rows)


def test_sizes_step_on_the_sizer_grid_and_stop_at_the_balloon_s_reach() -> None:
    s = session()
    s.apply(row_edits.resize_row(1, 3, 1, STUDIO))
    assert diameters(s)[2] == 8.75
    s.apply(row_edits.resize_row(1, 3, 100, STUDIO))
    assert diameters(s)[2] == pytest.approx(11 * 0.95)
    s.apply(row_edits.resize_row(1, 3, -1, STUDIO))
    assert diameters(s)[2] == 10.25
    assert s.undo_name == "Resize row"
    s.undo()
    assert diameters(s)[2] == 8.5, "steps on one row undo together"


def test_nominal_size_keeps_the_diameter_where_it_reaches() -> None:
    s = session()
    s.apply(row_edits.set_row_nominal(1, 2, 12, STUDIO))
    assert diameters(s)[1] == 8.5
    s.apply(row_edits.set_row_nominal(1, 2, 5, STUDIO))
    assert diameters(s)[1] == 5.0


def test_rows_keep_their_keys_through_order_and_count() -> None:
    s = session()
    s.apply(row_edits.move_row(1, 1, 2))
    assert [row.key for row in s.job.pieces[0].rows] == [2, 3, 1, 4, 5]
    s.apply(row_edits.insert_row(1, uniform_row(1, 3, 9, 150), 3))
    assert [row.key for row in s.job.pieces[0].rows] == [2, 3, 6, 1, 4, 5]
    s.apply(row_edits.set_row_count(1, 6, 5))
    assert s.job.pieces[0].rows[2].count == 5


@pytest.mark.parametrize(
    "edit",
    [
        edits.set_piece(1, "Change height", target_height_mm=0),
        edits.set_piece(1, "Change height", target_height_mm=-5),
        edits.set_piece(1, "Change height", target_height_mm=1e6),
        edits.set_piece(1, "Change height", target_height_mm=float("nan")),
        row_edits.set_row_diameter(1, 2, 0),
        row_edits.set_row_diameter(1, 99, 200),
        edits.set_settings("Change spares", confidence=-1),
        edits.set_brief(event_date="yesterday-ish"),
        edits.set_palette([]),
        edits.duplicate_piece(7),
    ],
)
def test_bad_values_are_refused_and_change_nothing(edit: Edit) -> None:
    s = session()
    before = s.job
    with pytest.raises(BadInput):
        s.apply(edit)
    assert s.job is before
    assert s.undo_name is None


@pytest.mark.parametrize("count", [0, 1, 9])
def test_counts_outside_two_to_eight_are_refused(count: int) -> None:
    with pytest.raises(BadInput, match="2 to 8"):
        session().apply(row_edits.set_row_count(1, 1, count))


def test_only_edits_in_quick_succession_undo_together() -> None:
    now = [0.0]
    s = Session(Job(pieces=(quads(),)), clock=lambda: now[0])
    for pause in (0.2, 0.2, 60.0, 0.2):
        now[0] += pause
        s.apply(row_edits.resize_row(1, 1, 1, STUDIO))
    assert diameters(s)[0] == 9.5
    s.undo()
    assert diameters(s)[0] == 9.0
    s.undo()
    assert diameters(s)[0] == 8.5


def test_strokes_become_one_step_or_none() -> None:
    s = session()
    s.begin("Paint")
    for steps in (1, 1, 1):
        s.apply(row_edits.resize_row(1, 1, steps, STUDIO))
    s.commit()
    assert (s.undo_name, diameters(s)[0]) == ("Paint", 9.25)
    s.undo()
    assert diameters(s)[0] == 8.5


def test_dirty_follows_the_saved_state() -> None:
    s = session()
    s.apply(edits.set_copies(1, 2))
    s.mark_saved(Path("quay.kakushi"), s.job)
    assert not s.is_dirty
    s.apply(edits.set_copies(1, 3))
    assert s.is_dirty, "a merge never swallows the saved state"
    s.undo()
    assert not s.is_dirty
    assert len(s.job.pieces[0].copies) == 2


def test_copies_with_heights_of_their_own_are_kept_first() -> None:
    own = Copy(label="tall", groups=(RowsGroup(),))
    s = Session(Job(pieces=(Piece(key=1, name="Kelp", copies=(Copy(), Copy(), own)),)))
    s.apply(edits.set_copies(1, 1))
    assert s.job.pieces[0].copies == (own,)


def test_history_is_bounded() -> None:
    s = session()
    for n in range(HISTORY_LIMIT + 50):
        s.apply(
            edits.set_piece(1, "Change pattern", layers=(SolidLayer(colour=f"c{n}"),))
            if n % 2
            else edits.set_settings("Change spares", confidence=0.5 + n % 50 / 100)
        )
    steps = 0
    while s.undo():
        steps += 1
    assert steps == HISTORY_LIMIT - 1


@given(day=st.dates(dt.date(2020, 1, 1), dt.date(2090, 12, 31)))
@settings(max_examples=30)
def test_the_demos_event_is_always_some_weeks_ahead_on_its_day_of_the_week(day) -> None:
    demo = load_job(demo_job_path())
    moved = some_weeks_ahead(demo, day)
    assert 42 <= (moved.brief.event_date - day).days < 49
    assert moved.brief.event_date.weekday() == demo.brief.event_date.weekday()
    assert replace(moved, brief=demo.brief, days=demo.days) == demo
