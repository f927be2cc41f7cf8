"""Measured budgets. Run: .venv/bin/python -m pytest benchmarks (nothing here asserts a time)."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

from kakushi.colour.mix import mixed
from kakushi.colour.surface import surface_of
from kakushi.model.catalogue import DEFAULT_NOMINALS, Studio
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SpiralLayer
from kakushi.model.piece import Piece
from kakushi.model.units import inches
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing, default_slack, equal_row
from kakushi.picture.paint import Paint
from kakushi.picture.scene import portrait
from kakushi.plan.pipeline import plan
from kakushi.session.row_edits import resize_row
from kakushi.shape.fit import fit
from kakushi.shape.judge import FitRequest
from kakushi.shape.presets import PRESETS, default_outline
from kakushi.shape.profile import profile_of

SNUG = Packing(1.3, 12.5)
D = inches(8.5)


def column(rows: int) -> list:
    return [equal_row(4, D, default_slack(11, D))] * rows


@pytest.mark.parametrize("balloons", [50, 200, 1000, 5000])
def test_settle(benchmark, balloons: int) -> None:
    rows = column(balloons // 4)
    result = benchmark.pedantic(settle, (rows, SNUG), rounds=5, warmup_rounds=1)
    assert result.report.converged


@pytest.mark.parametrize("name", [p.name for p in PRESETS])
@pytest.mark.parametrize("counts", [(4,), (4, 5, 6)], ids=str)
def test_fit(benchmark, name: str, counts: tuple[int, ...]) -> None:
    request = FitRequest(
        profile_of(default_outline(name, 2100), 2100.0), DEFAULT_NOMINALS, Studio().sizer, SNUG, counts
    )
    result = benchmark.pedantic(fit, (request,), rounds=3, warmup_rounds=1)
    benchmark.extra_info["match"] = round(result.match.mean, 4)
    benchmark.extra_info["height_error_mm"] = round(result.geometry.top - 2100, 2)


@pytest.mark.parametrize("balloons", [50, 200, 1000])
def test_render(benchmark, balloons: int) -> None:
    geometry = settle(column(balloons // 4), SNUG)
    frame = Piece(key=1, name="x").frame
    paints = [Paint((0.2, 0.4, 0.7))] * balloons
    benchmark.pedantic(portrait, (geometry, frame, paints, 700, 700), rounds=10, warmup_rounds=1)


def test_replan_after_editing_a_row_of_sixty(benchmark) -> None:
    rows = tuple(uniform_row(k + 1, 4, 5, inches(4.5)) for k in range(60))
    piece = Piece(
        key=1,
        name="Gate",
        target_height_mm=6000,
        groups=(RowsGroup(rows=rows),),
        layers=(SpiralLayer(lanes=("rope", "deep-teal")),),
    )
    studio = Studio()
    jobs = [Job(pieces=(piece,))]

    def edit_and_plan() -> None:
        # Every edit makes a job nobody planned before: no cache helps but those that always do.
        steps = len(jobs)
        jobs.append(resize_row(1, steps % 60 + 1, -1, studio).change(jobs[-1]))
        plan(jobs[-1], studio)

    benchmark.pedantic(edit_and_plan, rounds=20, warmup_rounds=1)


_BARE = """
import sys
from PyQt6.QtWidgets import QApplication, QMainWindow
from PyQt6.QtTest import QTest
app = QApplication(['x']); w = QMainWindow(); w.resize(1280, 800); w.show(); QTest.qWaitForWindowExposed(w)
"""
_DEMO = """
from pathlib import Path
import tempfile
from PyQt6.QtTest import QTest
from kakushi.desktop.app import build_application, build_window
from kakushi.formats.store.recovery import RecoveryStore
app = build_application(['x']); home = Path(tempfile.mkdtemp())
w = build_window(RecoveryStore(home), home / 'p.json', home / 's.sqlite3'); w.files.open_demo(); w.show()
QTest.qWaitForWindowExposed(w)
while not w.document.is_planned: QTest.qWait(5)
w.document.close()
"""


@pytest.mark.parametrize("script", [_BARE, _DEMO], ids=["bare window", "demo"])
def test_start(benchmark, script: str) -> None:
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", script]

    def start() -> None:
        subprocess.run(command, env=environment, check=True, stderr=subprocess.DEVNULL)

    benchmark.pedantic(start, rounds=5, warmup_rounds=1)


def test_mix_of_a_thousand(benchmark) -> None:
    count = 250
    geometry = settle([equal_row(4, 216.0, 45.0)] * count, Packing())
    surface = surface_of(geometry, (4,) * count)
    found = benchmark(lambda: mixed(4 * count, surface.pairs, [40, 35, 25], 1, surface.beside))
    assert found.colour_conflicts == 0
