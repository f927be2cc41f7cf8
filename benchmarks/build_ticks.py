"""Milliseconds from a tick of the guided build to its next step on the screen, on a piece of 60 rows with 40 clusters.

Run from the checkout: QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/build_ticks.py
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from kakushi.building.steps import steps_of
from kakushi.desktop.app import build_application, build_window
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SpiralLayer
from kakushi.model.parts import Fillers, PartBalloons, Seat
from kakushi.model.piece import Piece
from kakushi.plan.pipeline import plan

_TICKS = 60


def big_job() -> Job:
    """One piece of 60 quads with 40 clusters of four."""
    rows = tuple(uniform_row(k, 4, 5, 120) for k in range(1, 61))
    seats = tuple(Seat(row=1 + 3 * k // 2, slot=k % 4) for k in range(40))
    balloons = (PartBalloons(nominal_in=5, diameter_mm=80, colour="rope", count=4),)
    fillers = Fillers(key=1, wanted=40, balloons=balloons, seats=seats)
    layers = (SpiralLayer(lanes=("signal-red", "sail-white", "rope")),)
    piece = Piece(
        key=1, name="Tall", target_height_mm=5000, groups=(RowsGroup(rows=rows),), parts=(fillers,), layers=layers
    )
    return Job(pieces=(piece,))


def main() -> None:
    """Tick through a piece and print how long each takes."""
    began = time.perf_counter()
    steps = steps_of(plan(big_job(), Studio()))
    print(f"{len(steps)} steps, planned and worked out in {time.perf_counter() - began:.2f} s")
    app = build_application(["kakushi"])
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        window = build_window(RecoveryStore(home), home / "preferences.json", home / "studio.sqlite3")
        window.resize(1280, 800)
        window.show()
        window.document.open_job(big_job(), None)
        window.show_stage("build")
        while not window.document.builder.is_ready:
            QTest.qWait(20)
        page, taken = window.stage("build").page, []
        QTest.qWait(500)
        for _ in range(_TICKS):
            began = time.perf_counter()
            page.done.click()
            QApplication.processEvents()
            taken.append(1000 * (time.perf_counter() - began))
            QTest.qWait(30)
        taken.sort()
        print(f"a tick: median {taken[_TICKS // 2]:.0f} ms, slowest of {_TICKS} {taken[-1]:.0f} ms")
        window.files.ask_unsaved = lambda: "discard"
        window.close()
    app.quit()


if __name__ == "__main__":
    main()
