"""What happened is kept with the job, tick by tick, however the program ends; progress follows from it."""

from __future__ import annotations

import io
import json
import math
import os
import signal
import time
import zipfile
from itertools import pairwise
from pathlib import Path
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kakushi.building.progress import (
    next_step,
    possible,
    progress_of,
    shared_out,
    spares_left,
    taken_back,
    worked_s,
)
from kakushi.building.step import Step, StepKind
from kakushi.building.steps import steps_of
from kakushi.formats.store.job_file import job_bytes, load_job, load_job_file, record_from_bytes, save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.model.errors import JobFileError
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Brief, Job
from kakushi.model.parts import Fillers, PartBalloons, Seat
from kakushi.model.piece import Piece
from kakushi.model.record import Event, Record, What
from kakushi.model.values import replace
from kakushi.model.workshop import Rates
from kakushi.plan.pipeline import plan
from kakushi.workshop.supplies import supplies_of


def done(*keys: str) -> Record:
    return Record(events=tuple(Event(what=What.DONE, step=key, at=k) for k, key in enumerate(keys)))


@pytest.fixture(scope="module")
def steps():
    return steps_of(plan(load_job(demo_job_path()), Studio()))


def test_a_record_is_saved_with_its_job_and_older_files_have_none(tmp_path: Path) -> None:
    record = Record(
        events=(
            Event(what=What.DONE, step="1.0.base", at=1.5, seconds=12.0),
            Event(what=What.POP, step="1.0.row.1", at=2, nominal_in=11, colour="rope"),
            Event(what=What.NOTE, step="1.0.row.1", at=3, text="a gap “here”"),
        )
    )
    save_job(Job(), tmp_path / "a.kakushi", record)
    assert load_job_file(tmp_path / "a.kakushi") == (Job(), record, ())
    save_job(Job(), tmp_path / "b.kakushi")
    assert load_job_file(tmp_path / "b.kakushi").record == Record()


@pytest.mark.parametrize("event", [
    {"what": "exploded", "at": 1}, {"what": "done", "at": -1}, {"what": "popped", "at": 1, "nominal_in": 0},
    {"what": "note", "at": 1, "text": "x" * 3000}, 7, {"what": "done", "at": 1, "unknown": 2},
])  # fmt: skip
def test_a_damaged_record_is_told_and_nothing_is_opened(tmp_path: Path, event) -> None:
    buffer = io.BytesIO(job_bytes(Job()))
    with zipfile.ZipFile(buffer, "a") as archive:
        told = {"format": "kakushi-record", "schema_version": 1, "record": {"events": [event]}}
        archive.writestr("record.json", json.dumps(told))
    with pytest.raises(JobFileError, match="damaged in its record"):
        record_from_bytes(buffer.getvalue(), Path("x.kakushi"))


def test_killed_at_any_moment_at_most_one_tick_is_lost(tmp_path: Path) -> None:
    random, job = Random(5), Job(brief=Brief(title="Quay"))
    for attempt in range(200):
        folder = tmp_path / str(attempt)
        reader, writer = os.pipe()
        child = os.fork()
        if child == 0:  # pragma: no cover - the one that is killed
            try:
                store = RecoveryStore(folder)
                store.write(job, None, None, Record())
                for number in range(10_000):
                    store.append(number, Event(what=What.DONE, step=str(number), at=number))
                    os.write(writer, b".")
            finally:
                os._exit(1)
        os.close(writer)
        first = os.read(reader, 1)
        time.sleep(random.random() * 0.01)
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        told = len(first)
        while got := os.read(reader, 65536):
            told += len(got)
        os.close(reader)
        (kept,) = RecoveryStore(folder).abandoned()
        assert kept.job == job
        assert told <= len(kept.record.events) <= told + 1
        assert [event.step for event in kept.record.events] == [str(k) for k in range(len(kept.record.events))]


def test_a_journal_goes_on_where_the_copy_ends_and_a_torn_line_ends_it(tmp_path: Path) -> None:
    store = RecoveryStore(tmp_path)
    events = [Event(what=What.DONE, step=str(k), at=k) for k in range(5)]
    for number in range(2):
        store.append(number, events[number])
    store.write(Job(), None, None, Record(events=tuple(events[:3])))
    for number in range(3, 5):
        store.append(number, events[number])
    (journal,) = tmp_path.glob("*.record")
    journal.write_bytes(journal.read_bytes() + b'[5, {"what": "do')
    store.release()
    (kept,) = RecoveryStore(tmp_path).abandoned()
    assert list(kept.record.events) == events
    store.drop()
    assert list(tmp_path.iterdir()) == []


# --- progress -------------------------------------------------------------------------------------------------


@given(seed=st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_any_order_that_is_offered_can_be_built_to_the_end(steps, seed) -> None:
    random, events = Random(seed), []
    known = {step.key: step for step in steps}
    left = set(known)
    progress = progress_of(Record())
    while left:
        able = list(possible(steps, progress))
        assert able, "there is always something to do"
        step = random.choice(able[:12])
        assert set(step.after) <= progress.done
        if random.random() < 0.1:
            events.append(Event(what=What.LATER, step=step.key, at=len(events)))
        else:
            events.append(Event(what=What.DONE, step=step.key, at=len(events)))
            left.discard(step.key)
        back = taken_back(steps, progress, (step.piece, step.copy))
        if back is not None and random.random() < 0.05:
            assert all(back.key not in known[key].after for key in progress.done)
        progress = progress_of(Record(events=tuple(events)))
        if len(events) > 60:
            break


def test_put_off_taken_back_popped_and_paused() -> None:
    first, second = (
        Step("1.0.a", StepKind.BASE, "a", piece=1, copy=0),
        Step("1.0.b", StepKind.ROW, "b", ("1.0.a",), 1, 0),
    )
    other = Step("1.0.c", StepKind.LOOK, "c", ("1.0.a",), 1, 0, minutes=1.0)
    steps = (first, second, other)
    assert next_step(steps, progress_of(Record()), (1, 0)) is first
    record = done("1.0.a").with_event(Event(what=What.LATER, step="1.0.b", at=5))
    progress = progress_of(record)
    assert next_step(steps, progress, (1, 0)) is other, "what is put off comes last"
    assert taken_back(steps, progress, (1, 0)) is first
    again = progress_of(record.with_event(Event(what=What.DONE, step="1.0.c", at=6)))
    assert taken_back(steps, again, (1, 0)) is other, "not the one that another waited for"
    assert not progress_of(record.with_event(Event(what=What.UNDONE, step="1.0.a", at=7))).done
    assert worked_s(other, 100.0) == 100.0
    assert worked_s(other, 3600.0) == 0.0, "a pause is no work"


def test_steps_are_shared_out_evenly_and_none_twice(steps) -> None:
    for people in (1, 2, 3, 20):
        shares = shared_out(steps, people)
        assert sorted(step.key for share in shares for step in share) == sorted(step.key for step in steps)
        stacking = [{(step.piece, step.copy) for step in share if step.row} for share in shares]
        assert all(not (a & b) for k, a in enumerate(stacking) for b in stacking[:k]), "one holds and stacks a copy"
        loads = [sum(step.minutes for step in share) for share in shares]
        if people < 20:
            assert max(loads) <= 1.1 * sum(loads) / people
        assert all(loads[: len({step.piece for step in steps if step.piece})]), "nobody stands idle"


def test_helpers_share_one_piece_too() -> None:
    demo = load_job(demo_job_path())
    for piece in demo.pieces:
        shares = shared_out(steps_of(plan(replace(demo, pieces=(piece,)), Studio())), 2)
        loads = [sum(step.minutes for step in share) for share in shares]
        assert max(loads) - min(loads) <= 0.1 * sum(loads) / 2, piece.name


def test_pops_take_spares() -> None:
    found = plan(load_job(demo_job_path()), Studio())
    supplies = supplies_of(found)
    line = supplies.whole[0]
    record = Record(events=(Event(what=What.POP, at=1, nominal_in=line.nominal_in, colour=line.colour),) * 2)
    assert spares_left(supplies.spares, progress_of(record))[line.kind] == line.spares - 2


def test_helpers_who_dress_one_piece_each_take_a_side() -> None:
    rows = tuple(uniform_row(k, 4, 11, 216) for k in range(1, 7))
    seats = tuple(Seat(row=row.key, slot=slot) for row in rows for slot in range(4))
    balloons = (PartBalloons(nominal_in=5, colour="rope", count=4),)
    fillers = Fillers(key=1, wanted=len(seats), balloons=balloons, seats=seats)
    piece = Piece(key=1, name="Quay", groups=(RowsGroup(rows=rows),), parts=(fillers,))
    shares = shared_out(steps_of(plan(Job(pieces=(piece,)), Studio(rates=Rates(part_s=3600)))), 3)
    sides = [[step.fact.azimuth % math.tau for step in share if step.kind is StepKind.CLUSTER] for share in shares]
    sides = sorted(side for side in sides if side)
    assert len(sides) > 1, "several dress"
    for before, after in pairwise(sides):
        assert max(before) <= min(after) + 1e-6, "each goes on where the one before ends"
