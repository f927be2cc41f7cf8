"""Programs killed while they write: what was acknowledged is there, whole, and the next one goes on.

`--attack` kills 1,000 times instead of 30.
"""

from __future__ import annotations

import multiprocessing
import os
import random
import signal
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path

import pytest

from kakushi.formats.store.job_file import load_job, save_job
from kakushi.formats.store.log_store import LogStore
from kakushi.formats.store.recovery import RecoveryStore, discard
from kakushi.formats.store.studio_store import StudioStore, load_studio
from kakushi.model.catalogue import Studio
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.log import LogEntry
from kakushi.model.piece import Piece

_LONGEST_S = 0.04
"""A kill comes within this time after the first write: some hit the middle of one, some the time between."""


def _numbered(number: int) -> Job:
    """A job that says which one it is, with rows enough that writing takes its time."""
    rows = tuple(uniform_row(k + 1, 4, 11, 220.0) for k in range(100 + number % 50))
    return Job(pieces=(Piece(key=1, name=f"version {number}", groups=(RowsGroup(rows=rows),)),))


def _number_of(job: Job) -> int:
    return int(job.pieces[0].name.removeprefix("version "))


def _save_jobs(folder: Path) -> Callable[[int], None]:
    return lambda number: save_job(_numbered(number), folder / "quay.kakushi")


def _saved_job(folder: Path) -> int:
    return _number_of(load_job(folder / "quay.kakushi"))


def _keep_copies(folder: Path) -> Callable[[int], None]:
    store = RecoveryStore(folder)
    return lambda number: store.write(_numbered(number), folder / "quay.kakushi")


def _kept_copy(folder: Path) -> int:
    found = RecoveryStore(folder).abandoned()
    newest = max(_number_of(copy.job) for copy in found)
    assert all(copy.original == folder / "quay.kakushi" for copy in found)
    for copy in found:
        discard(copy.copy)
    return newest


def _save_studios(folder: Path) -> Callable[[int], None]:
    store = StudioStore(folder / "studio.sqlite3")

    def write(number: int) -> None:
        store.save(Studio(sizing_scatter_mm=number / 1000))

    return write


def _saved_studio(folder: Path) -> int:
    loaded = load_studio(folder / "studio.sqlite3")
    assert not loaded.problem
    return round(loaded.studio.sizing_scatter_mm * 1000)


def _add_entries(folder: Path) -> Callable[[int], None]:
    store = LogStore(folder / "studio.sqlite3", wait_s=5.0)
    work = {"kind": "row", "count": 1, "minutes": 1}

    def write(number: int) -> None:
        piece = {"piece": f"version {number}", "minutes": [work], "built": [{"nominal_in": 11, "count": number}]}
        store.add(LogEntry.model_validate({"date": "2026-06-01", "pieces": [piece]}))

    return write


def _added_entry(folder: Path) -> int:
    store = LogStore(folder / "studio.sqlite3", wait_s=5.0)
    lines = store.lines()
    # What was learnt is of just the entries that are there.
    learnt = load_studio(folder / "studio.sqlite3").studio.learnt
    assert sum(rate.seen for rate in learnt.minutes) == len(lines)
    return max(int(line.pieces.removeprefix("version ")) for line in lines)


KINDS = {
    "job": (_save_jobs, _saved_job),
    "recovery": (_keep_copies, _kept_copy),
    "studio": (_save_studios, _saved_studio),
    "log": (_add_entries, _added_entry),
}


def _write_on(writing: Callable[[Path], Callable[[int], None]], folder: Path, first: int, told: Connection) -> None:
    """Write one version after the other, and tell each that is written, until somebody ends it."""
    write = writing(folder)
    for number in range(first, first + 2000):
        write(number)
        told.send(number)


@pytest.mark.parametrize("kind", KINDS)
def test_what_was_written_survives_a_kill(kind: str, tmp_path: Path, attack: bool) -> None:
    writing, read = KINDS[kind]
    # Forked: a program started anew would be killed while it loads.
    processes, rng = multiprocessing.get_context("fork"), random.Random(kind)
    number = 1
    for _ in range(1000 if attack else 30):
        hears, tells = processes.Pipe(duplex=False)
        writer = processes.Process(target=_write_on, args=(writing, tmp_path, number, tells))
        writer.start()
        tells.close()
        told = hears.recv()
        time.sleep(rng.uniform(0, _LONGEST_S))
        os.kill(writer.pid or 0, signal.SIGKILL)
        writer.join()
        while hears.poll():
            try:
                told = hears.recv()
            except EOFError:
                break
        hears.close()
        found = read(tmp_path)
        assert told <= found <= told + 1, f"{told} was written, {found} is there"
        number = found + 1
    # What the killed ones left half written goes as soon as it is old enough to belong to nobody.
    for left in tmp_path.iterdir():
        os.utime(left, (0, 0))
    writing(tmp_path)(number)
    assert not list(tmp_path.glob(".kakushi-write-*"))
