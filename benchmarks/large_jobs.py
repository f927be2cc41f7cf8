"""The largest jobs in the real window: time to a picture and to the plan, an edit, gaps of the event loop, memory.

Run from the checkout, one job or all of them, each in a process of its own:
QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/large_jobs.py [20m | rows | pieces | copies | counts]

The budgets are those of docs/limits.md. All rows differ a little from their neighbours, and all pieces from each other:
nothing is worked out once for many.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from event_loop import Gaps, until
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from kakushi.desktop.app import build_application, build_window
from kakushi.desktop.document.worker_process import WorkerProcess
from kakushi.desktop.main_window import MainWindow
from kakushi.desktop.warm_up import WarmUp
from kakushi.formats.store.job_file import save_job
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.model.frame import Frame
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SpiralLayer
from kakushi.model.piece import Copy, Piece
from kakushi.session.row_edits import resize_row

_LANES = ("harbour-blue", "sail-white", "signal-red", "sail-white")
_STILL_S = 3.0
"""After an edit: lists, stances and fine pictures follow."""


def rows(many: int, diameter_mm: float = 229.0, counts: tuple[int, ...] = (4,)) -> RowsGroup:
    """Rows of seven sizes that come again and again."""
    return RowsGroup(
        rows=tuple(uniform_row(k + 1, counts[k % len(counts)], 11, diameter_mm - k % 7) for k in range(many))
    )


def piece(key: int, group: RowsGroup, height_mm: float, copies: tuple[Copy, ...] = (Copy(),)) -> Piece:
    """A spiral column on a pole."""
    return Piece(
        key=key,
        name=f"Piece {key}",
        target_height_mm=height_mm,
        groups=(group,),
        layers=(SpiralLayer(lanes=_LANES),),
        frame=Frame(pole_diameter_mm=25, pole_length_mm=height_mm + 100),
        copies=copies,
    )


JOBS: dict[str, Callable[[], Job]] = {
    "20m": lambda: Job(pieces=(piece(1, rows(150), 20_000.0),)),
    "rows": lambda: Job(pieces=(piece(1, rows(1000), 20_000.0),)),
    "pieces": lambda: Job(pieces=tuple(piece(k + 1, rows(12 + k % 8, 240 - 0.2 * k), 1700.0 + k) for k in range(200))),
    "copies": lambda: Job(
        pieces=(
            piece(
                1,
                rows(12),
                2000.0,
                tuple(Copy(target_height_mm=1500.0 + k, groups=(rows(10 + k % 6),)) for k in range(500)),
            ),
        )
    ),
    "counts": lambda: Job(pieces=(piece(1, rows(13, counts=(2, 12)), 2500.0),)),
}


def measure(name: str, app: QApplication) -> str:
    """A line of the table."""
    job = JOBS[name]()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.kakushi"
        save_job(job, path)
        window = build_window(
            RecoveryStore(Path(folder)), Path(folder) / "p.json", Path(folder) / "studio.sqlite3", WorkerProcess()
        )
        window.show()
        window.resize(1280, 800)
        warm_up = WarmUp(window)
        until(lambda: warm_up.is_done)
        line = f"{name:8s}" + _opened_and_edited(window, path, job)
        window.document.close()
        app.processEvents()
    return f"{line} {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:6.0f} MB"


def _opened_and_edited(window: MainWindow, path: Path, job: Job) -> str:
    document, elevation, gaps = window.document, window.workbench.elevation, Gaps()
    begun = time.monotonic()
    window.files.load(path)
    until(lambda: elevation.has_picture)
    drawn = time.monotonic() - begun
    until(lambda: len(document.plan.pieces) == len(job.pieces))
    all_drawn = time.monotonic() - begun
    until(lambda: document.is_planned)
    planned = time.monotonic() - begun
    until(lambda: document.is_dossier_ready)
    everything = time.monotonic() - begun
    QTest.qWait(int(_STILL_S * 1000))
    opening = gaps.taken()
    begun = time.monotonic()
    document.apply(resize_row(1, job.pieces[0].rows[0].key, -1, Studio()))
    until(lambda: document.is_planned)
    edited = time.monotonic() - begun
    QTest.qWait(int(_STILL_S * 1000))
    for stage in ("colour", "dress", "stand", "supplies", "prep", "shape"):
        window.show_stage(stage)
        QTest.qWait(400)
    return (
        f" drawn {drawn:5.2f} s, all {all_drawn:5.2f} s  plan {planned:5.2f} s  lists {everything:5.2f} s"
        f"  edit {edited:5.2f} s"
        f"  gaps: opening {opening * 1000:4.0f} ms, editing and stages {gaps.taken() * 1000:4.0f} ms "
    )


def main() -> None:
    """One job in this process, or all in others."""
    if len(sys.argv) > 1:
        app = build_application(["kakushi"])
        print(measure(sys.argv[1], app))
        return
    for name in JOBS:
        subprocess.run([sys.executable, __file__, name], check=True)


if __name__ == "__main__":
    main()
