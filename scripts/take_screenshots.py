"""Take the documentation's pictures from the demo job.

Run from the checkout: QT_QPA_PLATFORM=offscreen .venv/bin/python scripts/take_screenshots.py
"""

from __future__ import annotations

import datetime as dt
import tempfile
from pathlib import Path

from PyQt6.QtTest import QTest

from kakushi.desktop.app import build_application, build_window
from kakushi.desktop.dialogs.compare import CompareDialog
from kakushi.desktop.dialogs.palette import PaletteDialog
from kakushi.desktop.main_window import MainWindow
from kakushi.desktop.views.drawing import Drawing
from kakushi.formats.export.png import piece_image, png_bytes
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.catalogue import Studio
from kakushi.model.values import replace
from kakushi.model.workshop import Inflator, TrialPoint, Trials
from kakushi.plan.pipeline import plan
from kakushi.sim.inflators import PRACTICE_TIMER, SimulatedTwinTimer

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"
SIZE = (1280, 800)
_SPREAD_WAITS = 30
"""Most waits of 100 ms for the ± of a height."""


def _settle(window: MainWindow) -> None:
    while window.document.job.pieces and not window.document.is_planned:
        QTest.qWait(20)
    QTest.qWait(900)
    # The ± of the height comes last; pieces without rows have none.
    for _ in range(_SPREAD_WAITS if window.document.piece and window.document.piece.rows else 0):
        if window.document.planner.spread is not None:
            break
        QTest.qWait(100)


def _take(window: MainWindow, name: str) -> None:
    _settle(window)
    window.grab().save(str(FOLDER / f"{name}.png"))


def _by_hand(window: MainWindow) -> None:
    handles = window.workbench.elevation.handles
    handles.switch(True)
    handles.choose(1)
    _take(window, "by-hand")
    handles.switch(False)


def _compare(window: MainWindow) -> None:
    window.studio.compare()
    dialog = next(d for d in window.findChildren(CompareDialog))
    while dialog.current is None:
        QTest.qWait(50)
    while not all(drawing.is_current for drawing in dialog.findChildren(Drawing)):
        QTest.qWait(50)
    dialog.grab().save(str(FOLDER / "compare.png"))
    dialog.close()


def _palette(window: MainWindow) -> None:
    window.studio.palette()
    dialog = next(d for d in window.findChildren(PaletteDialog))
    QTest.qWait(400)
    dialog.grab().save(str(FOLDER / "palette.png"))
    dialog.close()


def _dress(window: MainWindow) -> None:
    """The coral’s buds, placed again for their curve."""
    window.document.selection.select_piece(7)
    window.show_stage("dress")
    window.stage("dress").panel.fillers.place.click()
    while window.document.dresser.is_placing:
        QTest.qWait(20)
    _settle(window)
    window.stage("dress").panel.fillers.choose_cluster(1, 2)
    window.stage("dress").panel.verticalScrollBar().setValue(560)
    _take(window, "dress")


def _prep(window: MainWindow) -> None:
    """A timer calibrated with trials of the simulated one, and a first line in work."""
    device = SimulatedTwinTimer(PRACTICE_TIMER, lambda: 0.0, seed=4)
    points = tuple(TrialPoint(setting=s, diameter_mm=round(device.diameter(s), 1)) for s in (0.4, 0.8, 1.2, 1.6, 1.9))
    timer = Inflator(
        name="bench timer", method="timed", step=device.step, trials=(Trials(nominal_in=11, points=points),)
    )
    window.document.set_studio(replace(window.document.studio, inflators=(timer,)))
    window.show_stage("prep")
    _settle(window)
    page = window.stage("prep").view()
    page.table.setCurrentCell(3, 0)
    for _ in range(12):
        page.one.click()
    _take(window, "prep")


def _check(window: MainWindow) -> None:
    """A practice photograph of a gate column, its first fault looked at."""
    window.document.selection.select_piece(1)
    window.show_stage("check")
    window.document.checker.practise(21, 3)
    QTest.qWait(200)
    while window.document.checker.is_busy:
        QTest.qWait(50)
    window.stage("check").panel.faults.setCurrentRow(0)
    _take(window, "check")


def _build(window: MainWindow) -> None:
    """The vase, half built."""
    window.show_stage("build")
    while not window.document.builder.is_ready:
        QTest.qWait(50)
    page = window.stage("build").page
    for _ in range(3):
        page.done.click()
    window.document.builder.choose_copy((3, 0))
    for _ in range(6):
        page.done.click()
    _take(window, "build")


def _log(window: MainWindow) -> None:
    """The job as it went, the vase half ticked."""
    window.show_stage("log")
    QTest.qWait(800)
    _take(window, "log")


def main() -> None:
    """Walk through the window as a sculptor would and keep one picture of each view."""
    app = build_application(["kakushi"])
    with tempfile.TemporaryDirectory() as folder:
        window = build_window(
            RecoveryStore(Path(folder)), Path(folder) / "preferences.json", Path(folder) / "studio.sqlite3"
        )
        window.show()
        window.resize(*SIZE)
        _take(window, "start")
        # The same days in every picture, whenever it is taken.
        window.files.today = lambda: dt.date(2027, 5, 3)
        window.files.open_demo()
        _settle(window)
        window.document.selection.select_piece(3)
        _take(window, "shape")
        _by_hand(window)
        _compare(window)
        window.document.selection.select_piece(2)
        window.document.selection.select_row_at(4)
        window.workbench.ladder.setFocus()
        window.switch_units()
        window.switch_theme()
        _take(window, "row-dark")
        window.switch_units()
        window.switch_theme()
        window.document.selection.select_piece(4)
        window.show_stage("colour")
        _take(window, "colour")
        window.stage("colour").panel.cards.setChecked(True)
        _take(window, "cards")
        window.stage("colour").panel.cards.setChecked(False)
        _palette(window)
        _dress(window)
        window.document.selection.select_piece(4)
        window.show_stage("stand")
        _take(window, "stand")
        window.show_stage("supplies")
        _take(window, "supplies")
        _prep(window)
        _build(window)
        _check(window)
        _log(window)
        window.show_stage("brief")
        while window.document.scheduler.schedule is None:
            QTest.qWait(50)
        _take(window, "brief")
        window.files.ask_unsaved = lambda: "discard"
        window.close()
    job = load_job(demo_job_path())
    lighthouse = plan(job, Studio()).pieces[1]
    (FOLDER / "render.png").write_bytes(png_bytes(piece_image(lighthouse, job, 480, 720)))
    app.quit()


if __name__ == "__main__":
    main()
