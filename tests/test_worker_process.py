"""The worker process: the same answers as without it, the same objects for what is unchanged, no endless waits."""

from __future__ import annotations

import os
import signal
import threading
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest

from kakushi.desktop.document.sending import StaleName, WindowEnd, WorkerEnd
from kakushi.desktop.document.task_context import TaskContext
from kakushi.desktop.document.worker_process import Worker, WorkerProcess
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, Cancelled
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.memo import never
from kakushi.model.piece import Copy, Piece
from kakushi.model.values import replace
from kakushi.plan.pipeline import plan
from kakushi.plan.values import Plan
from kakushi.workshop.dossier import Dossier

STUDIO = Studio()
WANTED = TaskContext(lambda _: None, never)


def column(key: int, rows: int, diameter_mm: float = 230.0) -> Piece:
    group = RowsGroup(rows=tuple(uniform_row(k + 1, 4, 11, diameter_mm) for k in range(rows)))
    return Piece(key=key, name=f"Column {key}", target_height_mm=900.0, groups=(group,))


@pytest.fixture(scope="module")
def process() -> Iterator[WorkerProcess]:
    worker = WorkerProcess()
    yield worker
    worker.close()


def planned(worker: Worker, job: Job, last: Plan | None = None) -> Plan:
    return Plan(job, worker.call("plan_pieces", WANTED, job, STUDIO, last, None), STUDIO)


def test_a_plan_and_its_lists_equal_those_made_here(process):
    own = Copy(target_height_mm=700.0, groups=column(1, 3).groups)
    job = Job(pieces=(replace(column(1, 5), copies=(Copy(), own)), column(2, 6, 200.0)))
    here, there = plan(job, STUDIO), planned(process, job)
    for one, other in zip(here.pieces, there.pieces, strict=True):
        assert np.array_equal(one.drawn.centres, other.drawn.centres)
        assert (one.colouring, one.warnings, one.advice) == (other.colouring, other.warnings, other.advice)
    dossier = Dossier(there).with_answers(process.call("dossier_of", WANTED, Dossier(there)))
    assert dossier.cost == Dossier(here).cost
    for one, other in zip(here.pieces, there.pieces, strict=True):
        for (_, _, design), (_, _, sent) in zip(one.built, other.built, strict=True):
            assert dossier.answers["_stances"][sent].finished.balance == Dossier(here).stance(design).finished.balance
    spread = process.call("spread_of_piece", WANTED, there.pieces[0], STUDIO)
    assert spread.sizing_sd == pytest.approx(Worker().call("spread_of_piece", WANTED, here.pieces[0], STUDIO).sizing_sd)


def test_pieces_that_an_edit_left_alone_stay_the_same_objects(process):
    job = Job(pieces=(column(1, 5), column(2, 6), column(3, 4)))
    first = planned(process, job)
    edited = replace(job, pieces=(job.pieces[0], column(2, 7), job.pieces[2]))
    second = planned(process, edited, first)
    assert [a is b for a, b in zip(first.pieces, second.pieces, strict=True)] == [True, False, True]
    third = planned(process, replace(job, pieces=(*edited.pieces[:2], replace(column(3, 4), name="Other"))), second)
    assert third.pieces[2].assembly is second.pieces[2].assembly, "a name moves no balloon"


def test_drafts_come_before_the_plan_and_errors_as_they_are(process):
    drafts: list[int] = []
    context = TaskContext(lambda _: None, never, lambda pieces: drafts.append(len(pieces)))
    job = Job(pieces=tuple(column(k, 3 + k) for k in range(1, 5)))
    assert len(process.call("plan_pieces", context, job, STUDIO, None, 3)) == 4
    assert drafts[0] == 1
    assert drafts[-1] == 4
    no_room = replace(column(1, 3), target_height_mm=200.0)
    base = replace(no_room.frame.base, height_mm=190.0)
    no_room = replace(no_room, frame=replace(no_room.frame, base=base))
    raised = []
    for worker in (process, Worker()):
        with pytest.raises(BadInput) as error:
            worker.call("choose_rows", WANTED, no_room, STUDIO)
        raised.append((str(error.value), error.value.field, error.value.said(lambda mm: f"{mm:.0f} mm")))
    assert raised[0] == raised[1]
    with pytest.raises(RuntimeError, match="no_such_task"):
        process.call("no_such_task", WANTED)


def test_work_nobody_wants_any_more_ends_and_leaves_the_process_free(process):
    job = Job(pieces=tuple(column(k, 20 + k, 180.0 + k) for k in range(1, 60)))
    with pytest.raises(Cancelled):
        process.call("plan_pieces", TaskContext(lambda _: None, lambda: True), job, STUDIO, None, None)
    pid = process.pid
    assert len(planned(process, Job(pieces=(column(1, 4),))).pieces) == 1
    assert process.pid == pid


def test_a_process_that_dies_is_replaced_and_its_work_is_done_here():
    worker = WorkerProcess()
    try:
        job, answers = Job(pieces=(column(1, 6),)), []
        first = worker.pid
        assert first is not None
        asked = threading.Thread(target=lambda: answers.append(planned(worker, job)))
        asked.start()
        os.kill(first, signal.SIGKILL)
        asked.join(60)
        assert len(answers[0].pieces) == 1, "worked out here"
        # What the window knows by number means nothing to the next process: it is sent whole.
        again = planned(worker, replace(job, pieces=(column(1, 7),)), answers[0])
        assert again.pieces[0].geometry.top > answers[0].pieces[0].geometry.top
        assert worker.pid not in (None, first)
        for _ in range(4):
            if worker.pid is not None:
                os.kill(worker.pid, signal.SIGKILL)
            assert len(planned(worker, job).pieces) == 1, "and for good, when it dies again and again"
    finally:
        worker.close()
    assert worker.pid is None


def test_what_was_not_used_for_a_while_is_forgotten_at_both_ends():
    worker, window = WorkerEnd(), WindowEnd()
    pieces = [plan(Job(pieces=(column(1, 3, 200.0 + k),)), STUDIO).pieces[0] for k in range(6)]
    sent: list[Any] = [window.unpacked(worker.packed(piece)) for piece in pieces]
    assert worker.unpacked(window.packed(sent[-1])) is pieces[-1], "known by its number"
    assert window.unpacked(worker.packed(pieces[-1])) is sent[-1]
    back = worker.unpacked(window.packed(sent[0]))
    assert back is not pieces[0], "forgotten, and sent whole"
    assert np.array_equal(back.drawn.centres, pieces[0].drawn.centres)
    late = window.packed(sent[-1])
    for piece in pieces[:4]:
        worker.packed(piece)
    with pytest.raises(StaleName):
        worker.unpacked(late)
    assert worker.unpacked(window.packed(sent[-1], by_name=False)).piece == pieces[-1].piece


class Unsendable:
    """A value that no process can be sent."""

    def __reduce__(self) -> Any:
        raise TypeError("not to be sent")


def test_what_cannot_be_sent_is_refused_at_once(process):
    with pytest.raises(TypeError, match="not to be sent"):
        process.call("spread_of_piece", WANTED, Unsendable(), STUDIO)
    assert len(planned(process, Job(pieces=(column(1, 3),))).pieces) == 1
