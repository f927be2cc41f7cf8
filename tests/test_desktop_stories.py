"""Stories told as a sculptor would: the real window, driven by keys and mouse."""

from __future__ import annotations

import gc
import os
import re
import shutil
import signal
import subprocess
import sys
import threading
from pathlib import Path

import pytest
from pypdf import PdfReader
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication, QWheelEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QSpinBox,
    QToolButton,
    QWidget,
)

from driving import part, put_number
from kakushi.desktop.dialogs.manual import ManualDialog, pages
from kakushi.desktop.dialogs.shortcuts import ShortcutsDialog
from kakushi.desktop.document.worker_process import WorkerProcess
from kakushi.desktop.stages.registry import STAGES
from kakushi.formats.store.job_file import load_job, save_job
from kakushi.formats.store.paths import demo_job_path, manual_folder
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.job import Brief, Job
from kakushi.model.units import UnitSystem, inches
from kakushi.model.values import replace
from kakushi.session.edits import set_piece

Key = Qt.Key


def named(window: QWidget, kind: type, name: str):
    found = [w for w in window.findChildren(kind) if w.accessibleName() == name]
    assert len(found) == 1, f"{name}: {len(found)}"
    return found[0]


def press(qtbot, widget: QWidget, *keys: Qt.Key, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    for key in keys:
        qtbot.keyClick(widget, key, modifier)


def type_into(qtbot, field: QLineEdit, text: str) -> None:
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    press(qtbot, field, Key.Key_Return)


def rows(window):
    return window.document.piece.rows


def test_from_nothing_to_a_column_that_reaches_its_height(window, planned, qtbot) -> None:
    assert window.start_page.isVisible()
    qtbot.mouseClick(window.start_page.add, Qt.MouseButton.LeftButton)
    planned(window)
    height = named(window, QLineEdit, "height")
    assert height.hasFocus(), "the first thing to type is the height"
    type_into(qtbot, height, "6'10\"")
    assert window.document.piece.target_height_mm == pytest.approx(inches(82))
    qtbot.mouseClick(named(window, QToolButton, "Outline vase"), Qt.MouseButton.LeftButton)
    type_into(qtbot, named(window, QLineEdit, "belly width"), "60")
    with qtbot.waitSignal(window.document.chooser.running, check_params_cb=lambda running: not running, timeout=30_000):
        press(qtbot, window, Key.Key_F5)
    planned(window)
    found = window.document.piece_plan
    assert len(rows(window)) > 6
    assert found.height_mm == pytest.approx(inches(82), abs=15)
    words = window.tally.words()
    assert f"{found.height_mm / 10:.1f}".rstrip("0").rstrip(".") in words
    assert f"match {found.match.mean:.0%}" in words
    assert f"{found.balloon_count} balloons" in words
    assert f"{found.distinct_sizes} sizes" in words
    ladder, scale = window.workbench.ladder, window.workbench.scale
    for index, knot in enumerate(found.geometry.knots):
        assert ladder.card_box(index).center().y() == pytest.approx(scale.y(float(knot)), abs=14)
    press(qtbot, window, Key.Key_Z, modifier=Qt.KeyboardModifier.ControlModifier)
    assert rows(window) == ()


def test_rows_are_changed_by_keys_and_everything_follows(demo, planned, qtbot) -> None:
    ladder = demo.workbench.ladder
    before, tall = rows(demo), demo.document.piece_plan.height_mm
    press(qtbot, demo, Key.Key_L, modifier=Qt.KeyboardModifier.ControlModifier)
    press(qtbot, ladder, Key.Key_Up, Key.Key_Up)
    assert demo.document.selection.row_index == 2
    press(qtbot, ladder, Key.Key_Left, Key.Key_Left)
    qtbot.keyClicks(ladder, "+")
    press(qtbot, ladder, Key.Key_PageUp)
    changed = rows(demo)[2]
    assert (changed.count, changed.slots[0].nominal_in) == (5, 12)
    assert changed.diameter_mm == pytest.approx(before[2].diameter_mm - inches(0.5))
    planned(demo)
    assert demo.document.piece_plan.height_mm != pytest.approx(tall, abs=1)
    assert f"Row 3 of {len(before)}: 5 × 12″" in ladder.accessibleDescription()
    press(qtbot, ladder, Key.Key_Insert, Key.Key_D)
    assert len(rows(demo)) == len(before) + 2
    press(qtbot, ladder, Key.Key_Down, modifier=Qt.KeyboardModifier.AltModifier)
    press(qtbot, ladder, Key.Key_Delete, Key.Key_Delete)
    assert len(rows(demo)) == len(before)
    qtbot.keyClicks(ladder, "+++++")
    assert "2 to 8" in demo.notice.text
    while demo.document.session.undo_name:
        press(qtbot, demo, Key.Key_Z, modifier=Qt.KeyboardModifier.ControlModifier)
    assert rows(demo) == before
    assert not demo.document.is_dirty
    demo.document.redo()
    assert rows(demo) != before


def test_buttons_and_wheel_do_what_the_keys_do(demo, planned, qtbot) -> None:
    ladder = demo.workbench.ladder
    spot = ladder.card_box(4).center()
    qtbot.mouseClick(ladder, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert demo.document.selection.row_index == 4
    start = rows(demo)[4].diameter_mm
    turn = QPoint(0, -240)
    wheel = QWheelEvent(
        spot,
        QPointF(ladder.mapToGlobal(spot.toPoint())),
        turn,
        turn,
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    ladder.wheelEvent(wheel)
    assert rows(demo)[4].diameter_mm == pytest.approx(start - inches(0.5))
    qtbot.mouseClick(named(demo, QToolButton, "Size up one sizer step"), Qt.MouseButton.LeftButton)
    assert rows(demo)[4].diameter_mm == pytest.approx(start - inches(0.25))
    type_into(qtbot, named(demo, QLineEdit, "sized diameter"), "8 1/2 in")
    assert rows(demo)[4].diameter_mm == pytest.approx(inches(8.5))
    qtbot.mouseClick(named(demo, QToolButton, "One balloon fewer in the row"), Qt.MouseButton.LeftButton)
    assert rows(demo)[4].count == 3
    planned(demo)
    assert len(demo.document.piece_plan.colouring[4]) == 3


def test_pointing_lights_balloon_row_and_card_together(demo, planned, qtbot) -> None:
    elevation, scale = demo.workbench.elevation, demo.workbench.scale
    qtbot.waitUntil(lambda: elevation.is_drawn, timeout=5000)
    g = demo.document.piece_plan.geometry
    front = min(g.of_row(6), key=lambda i: g.centres[i, 1])
    middle = 52 + (elevation.width() - 52) / 2
    at = QPoint(round(middle + g.centres[front, 0] / scale.mm_per_px), round(scale.y(float(g.centres[front, 2]))))
    qtbot.mouseMove(elevation, at)
    qtbot.waitUntil(lambda: demo.document.selection.hovered_row == 6)
    qtbot.mouseClick(elevation, Qt.MouseButton.LeftButton, pos=at)
    assert demo.document.selection.row_index == 6
    qtbot.mouseMove(demo.workbench.ladder, demo.workbench.ladder.card_box(1).center().toPoint())
    qtbot.waitUntil(lambda: demo.document.selection.hovered_row == 1)


def test_copies_and_spares_fill_the_supplies_list(demo, packed, qtbot) -> None:
    type_into(qtbot, named(demo, QLineEdit, "Copies"), "4")
    demo.show_stage("supplies")
    put_number(part(demo.stage("supplies").panel, "Certainty that nothing runs out"), 99)
    packed(demo)
    table = demo.stage("supplies").view().table
    supplies = demo.document.dossier.supplies
    assert table.rowCount() == len(supplies.whole)
    qtbot.mouseClick(demo.stage("supplies").panel.copy_button, Qt.MouseButton.LeftButton)
    lines = [line.split("\t") for line in QGuiApplication.clipboard().text().split("\n")]
    assert lines[0][:5] == ["Nominal", "Colour", "Needed", "Spares", "Total"]
    assert "Gate column × 4" in lines[0]
    assert sum(int(line[4]) for line in lines[1:]) == sum(s.total for s in supplies.whole)
    gate = demo.document.plan.pieces[0].piece
    # A cap for every pole's end besides the balloons that are seen.
    assert sum(s.needed for s in supplies.pieces[gate.key]) == 4 * (sum(row.count for row in gate.rows) + 1)
    assert supplies.confidence >= 0.99


def test_saving_opening_and_leaving(whole_demo, planned, tmp_path: Path, qtbot) -> None:
    target = tmp_path / "evening.kakushi"
    whole_demo.files.ask_save = lambda *_: target
    whole_demo.document.selection.select_row_at(0)
    whole_demo.row_actions.resize(-1)
    assert whole_demo.windowTitle().startswith("Lantern Quay*")
    press(qtbot, whole_demo, Key.Key_S, modifier=Qt.KeyboardModifier.ControlModifier)
    assert load_job(target) == whole_demo.document.job
    assert whole_demo.windowTitle() == "evening.kakushi – Kakushi"
    whole_demo.row_actions.resize(-1)
    forecast_for = []
    whole_demo.files.ask_unsaved = lambda: forecast_for.append(1) or "cancel"
    whole_demo.files.new()
    assert (forecast_for, len(whole_demo.document.job.pieces)) == ([1], 12)
    assert not whole_demo.close()
    whole_demo.files.ask_unsaved = lambda: "save"
    whole_demo.files.new()
    assert whole_demo.start_page.isVisible()
    assert whole_demo.document.preferences.recent[0] == str(target)
    recent = [b for b in whole_demo.start_page.findChildren(QAbstractButton) if b.text() == "evening"]
    qtbot.mouseClick(recent[0], Qt.MouseButton.LeftButton)
    assert rows(whole_demo)[0].diameter_mm == load_job(target).pieces[0].rows[0].diameter_mm


def test_what_cannot_be_opened_or_written_leaves_the_job_alone(demo, tmp_path: Path) -> None:
    job = demo.document.job
    bad = tmp_path / "bad.kakushi"
    bad.write_bytes(b"PK\x03\x04 cut short")
    demo.files.ask_open = lambda: bad
    demo.files.open()
    assert "damaged or cut short" in demo.notice.text
    demo.files.ask_save = lambda *_: tmp_path / "missing" / "a.kakushi"
    assert not demo.files.save()
    assert "folder does not exist" in demo.notice.text
    demo.exports.export_pdf()
    assert "was not written" in demo.notice.text
    assert demo.document.job is job


def test_a_crash_loses_nothing(make_window, planned, tmp_path: Path, qtbot) -> None:
    crashed = RecoveryStore(tmp_path / "recovery")
    crashed.write(Job(brief=Brief(title="Half a lighthouse")), None)
    crashed.release()
    window = make_window()
    button = next(b for b in window.start_page.findChildren(QAbstractButton) if b.text() == "Recover")
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    assert window.document.job.brief.title == "Half a lighthouse"
    assert window.document.is_dirty
    copies = list((tmp_path / "recovery").glob("*.kakushi"))
    assert [load_job(c).brief.title for c in copies] == ["Half a lighthouse"]
    window.files.ask_save = lambda *_: tmp_path / "kept.kakushi"
    window.files.save()
    assert list((tmp_path / "recovery").glob("*.kakushi")) == []


def test_prints_and_pictures_are_written(demo, tmp_path: Path, qtbot) -> None:
    for suffix, export in (
        (".pdf", demo.exports.export_pdf),
        (".csv", demo.exports.export_csv),
        (".png", lambda: demo.exports.export_picture(0.3)),
    ):
        demo.files.ask_save = lambda *_, suffix=suffix: tmp_path / f"quay{suffix}"
        export()
        assert f"quay{suffix}" in demo.notice.text
        assert (tmp_path / f"quay{suffix}").stat().st_size > 500
    assert len(PdfReader(tmp_path / "quay.pdf").pages) >= 4


def test_turning_zooming_units_and_theme(demo, planned, qtbot) -> None:
    elevation, scale = demo.workbench.elevation, demo.workbench.scale
    middle = QPoint(elevation.width() // 2, elevation.height() // 2)
    qtbot.mousePress(elevation, Qt.MouseButton.LeftButton, pos=middle)
    for step in range(1, 8):
        qtbot.mouseMove(elevation, middle + QPoint(10 * step, 0))
    qtbot.mouseRelease(elevation, Qt.MouseButton.LeftButton, pos=middle + QPoint(70, 0))
    assert elevation.azimuth != 0
    assert demo.document.selection.row is None, "dragging selects nothing"
    press(qtbot, elevation, Key.Key_Home)
    assert elevation.azimuth == 0
    fitted = scale.mm_per_px
    press(qtbot, elevation, Key.Key_Plus, Key.Key_Up)
    assert scale.mm_per_px < fitted
    press(qtbot, demo, Key.Key_F)
    assert scale.mm_per_px == pytest.approx(fitted)
    job = demo.document.job
    press(qtbot, demo, Key.Key_U, modifier=Qt.KeyboardModifier.ControlModifier)
    assert demo.document.units is UnitSystem.INCHES
    assert "″" in demo.tally.words()
    assert named(demo, QLineEdit, "height").text() == "82⅝″"
    press(qtbot, demo, Key.Key_T, modifier=Qt.KeyboardModifier.ControlModifier)
    assert demo.palette().window().color().lightness() < 80
    assert demo.document.job is job, "switches change what is shown, not what is stored"


@pytest.mark.parametrize("text", ["0", "-3", "1 km", "tall", "1000 m", ""])
def test_a_bad_height_is_told_beside_the_field(demo, qtbot, text: str) -> None:
    job = demo.document.job
    height = named(demo, QLineEdit, "height")
    type_into(qtbot, height, text or " ")
    assert demo.stage("shape").panel.problem.isVisible()
    assert "Height" in demo.stage("shape").panel.problem.text()
    assert height.text().strip() == text, "nothing typed is lost"
    assert demo.document.job is job


def test_an_outline_too_narrow_gets_the_nearest_rows_and_the_reason(demo, planned, qtbot) -> None:
    before = rows(demo)
    type_into(qtbot, named(demo, QLineEdit, "width"), "8 cm")
    with qtbot.waitSignal(demo.document.told, timeout=20_000):
        qtbot.mouseClick(demo.stage("shape").panel.choose, Qt.MouseButton.LeftButton)
    assert "smallest cluster" in demo.notice.text
    assert rows(demo) != before
    demo.document.undo()
    assert rows(demo) == before


def test_an_outline_comes_from_a_drawing(demo, planned, tmp_path: Path, qtbot) -> None:
    drawing = tmp_path / "float.svg"
    drawing.write_text('<svg xmlns="http://www.w3.org/2000/svg"><ellipse cx="20" cy="50" rx="20" ry="50"/></svg>')
    demo.files.imports.ask_outline = lambda: drawing
    press(qtbot, demo, Key.Key_I, modifier=Qt.KeyboardModifier.ControlModifier)
    assert "float.svg" in demo.notice.text
    assert demo.document.piece.outline.name == "float"
    planned(demo)
    assert demo.document.piece_plan.profile.widest == pytest.approx(840, rel=0.01)
    drawing.write_text("<svg")
    job = demo.document.job
    demo.import_outline()
    assert "not an SVG drawing" in demo.notice.text
    assert demo.document.job is job


def test_an_edit_cancels_the_fit_that_runs(demo, planned, qtbot) -> None:
    demo.document.selection.select_piece(2)
    demo.document.chooser.choose_rows()
    demo.document.selection.select_row_at(3)
    demo.row_actions.resize(-2)
    edited = rows(demo)
    assert not demo.document.chooser.is_busy
    planned(demo)
    assert rows(demo) == edited


def test_pieces_are_added_duplicated_and_removed(whole_demo, planned, qtbot) -> None:
    press(qtbot, whole_demo, Key.Key_D, modifier=Qt.KeyboardModifier.ControlModifier)
    planned(whole_demo)
    assert [whole_demo.shelf_column.shelf.item(i).text() for i in range(whole_demo.shelf_column.shelf.count())][
        1
    ] == "Gate column 2 × 2"
    press(qtbot, whole_demo, Key.Key_Backspace, modifier=Qt.KeyboardModifier.ControlModifier)
    assert whole_demo.shelf_column.shelf.count() == 12
    press(qtbot, whole_demo.shelf_column.shelf, Key.Key_Home, Key.Key_Right)
    assert whole_demo.document.piece.name == "Lighthouse"


@pytest.mark.parametrize("stage", ["brief", "shape", "colour", "dress", "supplies"])
def test_the_window_works_at_1100_by_700(demo, planned, qtbot, stage: str) -> None:
    demo.show_stage(stage)
    demo.resize(1100, 700)
    # Layouts follow with the next turn of the event loop.
    qtbot.waitUntil(lambda: demo.minimumSizeHint().width() <= 1100)
    assert demo.minimumSizeHint().height() <= 700
    panel = demo.stage(stage).panel
    assert panel.widget().minimumSizeHint().width() <= panel.viewport().width()
    for field in panel.findChildren(QLineEdit):
        in_spin_box = isinstance(field.parent(), QAbstractSpinBox)
        needed = field.fontMetrics().horizontalAdvance(field.text()) if len(field.text()) < 20 else 60
        assert in_spin_box or not field.isVisible() or field.width() > needed


def test_every_control_has_a_name_and_keys_are_listed(demo, qtbot) -> None:
    for kind in (QToolButton, QLineEdit, QComboBox, QSpinBox):
        for widget in demo.findChildren(kind):
            if widget.objectName().startswith("qt_"):
                continue
            assert widget.accessibleName() or getattr(widget, "text", str)() or widget.toolTip(), widget
    press(qtbot, demo, Key.Key_F1, modifier=Qt.KeyboardModifier.ShiftModifier)
    dialog = demo.findChild(ShortcutsDialog)
    words = " ".join(label.text() for label in dialog.findChildren(QLabel))
    for told in ("F5", "Choose rows", "Ctrl+Shift+S", "Delete the selected rows", "Alt+2"):
        assert told in words
    dialog.reject()


def test_the_manual_opens_at_the_stage_and_is_searched(demo, qtbot) -> None:
    demo.show_stage("build")
    press(qtbot, demo, Key.Key_F1)
    manual = demo.findChild(ManualDialog)
    assert "Build" in manual.text.toPlainText()
    assert "This step is done" in manual.text.toPlainText(), "the keys of the stage"
    count = manual.list.count()
    manual.search.setText("calibrate pump")
    assert 0 < manual.list.count() < count
    assert "inflation sheet" in manual.text.toPlainText()
    manual.search.setText("no such word at all")
    assert manual.list.count() == 0
    manual.search.setText("")
    assert manual.list.count() == count
    for name, text in pages().items():
        for picture in re.findall(r"\]\((.+?)\)", text):
            assert (manual_folder() / picture).is_file(), name
    assert {stage.name for stage in STAGES} <= set(pages())
    manual.reject()


def test_the_real_window_opens_on_a_real_screen(tmp_path: Path) -> None:
    """Qt's xcb platform on a virtual screen, as `./start --demo` opens it."""
    assert shutil.which("Xvfb"), "./test installs xvfb"
    source = Path(__file__).parents[1] / "src"
    job = tmp_path / "a folder" / "quay.kakushi"
    job.parent.mkdir()
    save_job(Job(), job)
    script = (
        "from pathlib import Path\n"
        "from PyQt6.QtTest import QTest\n"
        "from kakushi.desktop.app import build_application, build_window\n"
        "from kakushi.formats.store.recovery import RecoveryStore\n"
        "app = build_application(['kakushi'])\n"
        f"home = Path({str(tmp_path)!r})\n"
        "window = build_window(RecoveryStore(home / 'r'), home / 'p.json', home / 's.sqlite3')\n"
        "window.files.open_demo()\n"
        "window.show()\n"
        "QTest.qWaitForWindowExposed(window)\n"
        "while not window.document.is_planned: QTest.qWait(20)\n"
        "assert window.files.load(home / 'a folder' / 'quay.kakushi')\n"
        "print(app.platformName(), window.width(), window.height(), flush=True)\n"
        "window.close()\n"
    )
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    try:
        with os.fdopen(read) as pipe:
            display = pipe.readline().strip()
        environment = os.environ | {"DISPLAY": f":{display}", "QT_QPA_PLATFORM": "xcb", "PYTHONPATH": str(source)}
        done = subprocess.run(
            [sys.executable, "-c", script], env=environment, capture_output=True, text=True, timeout=60, check=False
        )
    finally:
        server.terminate()
        server.wait(10)
    assert done.returncode == 0, done.stderr
    assert done.stdout.split() == ["xcb", "1280", "800"]


def test_garbage_is_collected_in_the_thread_of_the_window_only(window, packed, qtbot):
    """The thread that plans would destroy the icons and signals of closed dialogs, and the program with them."""
    threads = []

    def note(_phase: str, _counts: dict[str, int]) -> None:
        threads.append(threading.get_ident())

    gc.callbacks.append(note)
    try:
        window.files.open_demo()
        packed(window)
        qtbot.waitUntil(lambda: len(threads) > 0)
    finally:
        gc.callbacks.remove(note)
    assert set(threads) == {threading.main_thread().ident}


def test_a_window_with_a_worker_process_plans_lists_and_dresses_in_it_and_ends_it(make_window, planned, qtbot):
    worker = WorkerProcess()
    window = make_window(worker)
    document, demo = window.document, load_job(demo_job_path())
    document.open_job(replace(demo, pieces=demo.pieces[:3]), None)
    planned(window)
    window.show_stage("dress")
    qtbot.waitUntil(lambda: document.is_dossier_ready and document.dresser.showing is not None, timeout=30_000)
    assert document.dossier.stance(document.piece_plan) is document.workshop.stance(document.piece)
    before = document.plan.pieces
    document.apply(set_piece(before[0].piece.key, "Rename", name="Other"))
    planned(window)
    assert [a is b for a, b in zip(document.plan.pieces, before, strict=True)] == [False, True, True]
    os.kill(worker.pid, signal.SIGKILL)
    document.apply(set_piece(before[1].piece.key, "Rename", name="Another"))
    planned(window)
    assert [each.piece.name for each in document.plan.pieces][:2] == ["Other", "Another"]
    window.files.ask_unsaved = lambda: "discard"
    window.close()
    assert worker.pid is None
