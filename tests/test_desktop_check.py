"""Check in the real window: a practice photograph, its faults walked through, dismissed, sent to Build; ends nudged."""

from __future__ import annotations

import dataclasses
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from driving import part, press, type_into, words
from kakushi.building.step import StepKind
from kakushi.check.model_spheres import ModelSpheres, model_spheres_of
from kakushi.check.practice import practise, usual_shot
from kakushi.check.request import CheckRequest
from kakushi.check.rows import sides_of
from kakushi.check.values import Phase, Result, SeenBalloon
from kakushi.cli.main import main as run_command
from kakushi.desktop.app import check_photograph
from kakushi.desktop.dialogs.calibrate import StackDialog
from kakushi.formats.store.job_file import load_job_file, save_job
from kakushi.model.errors import Cancelled
from kakushi.model.record import Found, Photo, What
from kakushi.sight.expected import Balls
from kakushi.sight.pinhole import Ends, pose_of_ends

VASE = 3


@pytest.fixture
def checking(demo, qtbot):
    """The demo in the Check stage, its vase selected."""
    demo.document.selection.select_piece(VASE)
    demo.show_stage("check")
    return demo


def done(window, qtbot) -> None:
    qtbot.waitUntil(lambda: not window.document.checker.is_busy, timeout=90_000)


def open_picture(window, qtbot, path: Path, pixels: np.ndarray | None = None) -> None:
    """Open a picture; a plain grey one unless its pixels are given. It is checked as soon as it is read."""
    Image.fromarray(np.full((240, 160, 3), 120, dtype=np.uint8) if pixels is None else pixels).save(path, quality=95)
    window.document.checker.open(path)
    done(window, qtbot)


@pytest.fixture
def all_as_planned(monkeypatch):
    """Every photograph shows the piece as it is planned, seen level from the front; nothing is searched in it."""

    def check_photo(model: ModelSpheres, linear: np.ndarray, request: CheckRequest, *_told) -> Result:
        middle = linear.shape[1] / 2, linear.shape[0] / 2
        pose = pose_of_ends(0.0, 2.3 * model.top_mm, 1400.0, request.ends, middle)
        local = pose.local(model.centres)
        there, sure = np.ones(len(model), dtype=bool), np.full(len(model), 5.0)
        sides = sides_of(model, pose, Balls(local, model.radii), local, there, sure)
        keys = [model.palette[colour].key for colour in model.colours]
        balloons = tuple(
            SeenBalloon(int(row), int(slot), key, key, 1.0, x, y, radius, 1.0)
            for row, slot, key, (x, y, radius) in zip(
                model.rows, model.slots, keys, pose.circles(local, model.radii).tolist(), strict=True
            )
        )
        return Result(pose, 0.0, request.ends.foot, request.ends.top, 1.0, (), 0.0, balloons, (), sides)

    def proposed_ends(linear: np.ndarray, model: ModelSpheres, *_told) -> Ends:
        high, wide = linear.shape[:2]
        return Ends((wide / 2, 0.9 * high), (wide / 2, 0.1 * high), 0.0, model.top_mm)

    monkeypatch.setattr("kakushi.check.check.check_photo", check_photo)
    monkeypatch.setattr("kakushi.check.locate.proposed_ends", proposed_ends)


def panel_of(window):
    return window.stage("check").panel


def test_a_photograph_taken_on_the_command_line_is_opened_there_and_followed(
    demo, qtbot, tmp_path: Path, planned
) -> None:
    save_job(demo.document.job, tmp_path / "quay.kakushi")
    name, taken = next(piece.name for piece in demo.document.job.pieces if piece.key == VASE), tmp_path / "vase.png"
    photo = ["photo", str(tmp_path / "quay.kakushi"), "--piece", name, "--faults", "2", "-o", str(taken)]
    assert run_command(photo) == 0
    seen, checker = [], demo.document.checker
    checker.changed.connect(lambda: seen.append((checker.phase, checker.current is not None, checker.overlay is None)))
    check_photograph(demo, taken, "no such piece")
    assert checker.phase is None
    check_photograph(demo, taken, name)
    assert demo.document.piece.key == VASE
    qtbot.waitUntil(lambda: checker.current is not None and checker.overlay is not None, timeout=20_000)
    assert checker.is_busy, "the plan is over the photograph before anything is judged"
    assert words(demo.stage("check").page).count("…") == 1, "what it is doing is said"
    # Each news shows what is known by then: first the photograph, then the plan over it.
    assert list(dict.fromkeys(seen))[:3] == [
        (Phase.READING, False, True), (Phase.READING, True, True), (Phase.ENDS, True, True),
    ]  # fmt: skip
    press(demo.stage("check").page, "Stop")
    assert not checker.is_busy


def test_a_practice_photograph_from_the_camera_to_build(checking, qtbot, tmp_path: Path) -> None:
    panel, page, document = panel_of(checking), checking.stage("check").page, checking.document
    assert "drop it here" in page.view._empty_words()
    model = model_spheres_of(document.piece_plan, document.job)
    shot = dataclasses.replace(usual_shot(model, 0.1, np.random.default_rng(4)), size=(480, 640))
    faulty = practise(model, shot, 4, ("colour", "colour", "missing"))
    open_picture(checking, qtbot, tmp_path / "vase.jpg", faulty.photograph.pixels)
    current = document.checker.current
    assert current is not None
    assert current.result is not None
    assert not current.result.refused
    faults = current.photo.faults
    assert any(not fault.look for fault in faults), "three faults were made; some are plainly seen"
    assert "Taken" in words(page)
    # Walk through them by keys: the one that is looked at is dismissed, taken back, and sent to Build.
    panel.focus_first()
    QTest.keyClick(panel.faults, Qt.Key.Key_Down)
    QTest.keyClick(panel.faults, Qt.Key.Key_Home)
    assert page.view.fault == 0
    QTest.keyClick(panel.faults, Qt.Key.Key_Delete)
    assert document.checker.current.photo.faults[0].dismissed
    assert "dismissed" in panel.faults.item(0).text()
    assert not part(panel, "Send to Build").isEnabled()
    press(panel, "Take back")
    assert not document.checker.current.photo.faults[0].dismissed
    press(panel, "Send to Build")
    press(panel, "Send to Build")
    fixes = [event for event in document.record.events if event.what is What.FIX]
    assert [event.text for event in fixes] == [faults[0].words], "asked for once"
    checking.show_stage("build")
    qtbot.waitUntil(lambda: document.builder.is_ready, timeout=20_000)
    document.builder.choose_copy((VASE, 0))
    assert document.builder.step.kind is StepKind.FIX
    assert faults[0].words in words(checking.stage("build").page)
    # What was found is kept in the job, the picture too.
    path = tmp_path / "quay.kakushi"
    save_job(document.job, path, document.record)
    kept = load_job_file(path).record.photos
    assert [photo.faults for photo in kept] == [faults]
    assert kept[0].picture


def test_ends_are_nudged_and_work_is_stopped_in_the_middle(
    checking, qtbot, all_as_planned, monkeypatch, tmp_path: Path
) -> None:
    page, checker = checking.stage("check").page, checking.document.checker
    view = page.view
    open_picture(checking, qtbot, tmp_path / "vase.jpg")

    def searched_without_end(_subject, _linear, _wish, _on_pose, cancelled) -> Result:
        while not cancelled():
            time.sleep(0.01)
        raise Cancelled

    monkeypatch.setattr("kakushi.check.check.check_photo", searched_without_end)
    before = checker.current.ends
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_PageUp)
    QTest.keyClick(view, Qt.Key.Key_Up)
    QTest.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    top = checker.current.ends.top
    assert (top[0] - before.top[0], top[1] - before.top[1]) == pytest.approx((-10, -1))
    assert checker.current.ends.foot == before.foot
    # Return checks; undo, another piece and closing in the middle do no harm.
    QTest.keyClick(view, Qt.Key.Key_Return)
    assert checker.is_busy
    assert page.stop.isVisibleTo(page)
    checking.document.undo()
    checking.document.selection.select_piece(1)
    checker.stop()
    assert not checker.is_busy


def test_what_is_no_photograph_is_said_in_a_sentence(checking, qtbot, tmp_path: Path) -> None:
    bad = tmp_path / "letter.jpg"
    bad.write_text("dear harbour")
    drop = QMimeData()
    drop.setUrls([QUrl.fromLocalFile(str(bad))])
    event = QDropEvent(
        QPointF(5, 5), Qt.DropAction.CopyAction, drop, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    checking.dropEvent(event)
    done(checking, qtbot)
    assert "not a JPEG" in panel_of(checking).problem.text()
    assert checking.document.checker.current is None


def test_a_kept_photograph_whose_picture_is_lost_keeps_what_was_found(checking, qtbot, tmp_path: Path) -> None:
    document = checking.document
    found = Found(kind="colour", x=1, y=2, radius=3, words="Row 1, slot 1: wrong.")
    document.keep_record(document.record.with_photo(Photo(name="ab", piece=VASE, title="left", at=0, faults=(found,))))
    panel = panel_of(checking)
    panel.refresh()
    assert part(panel, "Photographs of this piece").count() == 1
    document.checker.reopen("ab")
    assert "lost" in panel.problem.text()


def test_a_known_length_makes_a_test_stack(checking, qtbot, all_as_planned, tmp_path: Path) -> None:
    document, panel, view = checking.document, panel_of(checking), checking.stage("check").page.view
    document.selection.select_piece(1)
    open_picture(checking, qtbot, tmp_path / "gate.jpg")
    current = document.checker.current
    assert not part(panel, "Use as a test stack…").isEnabled()
    # Draw along the whole column, and say how tall it is.
    press(checking.stage("check").page, "Known length")
    foot, top = (view._to_view(*each).toPoint() for each in (current.result.foot, current.result.top))
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=foot)
    QTest.mouseMove(view, (foot + top) / 2)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=top)
    assert view.length is not None
    type_into(part(panel, "Known length", QLineEdit), "2.1 m")
    assert "rows rise" in words(panel)
    press(panel, "Use as a test stack…")
    dialog = next(iter(checking.findChildren(StackDialog)))
    height = part(dialog, "stack height").value
    assert height == pytest.approx(2100 - document.piece_plan.foot_mm, abs=30)
    assert part(dialog, "Rows in the stack").value == len(document.piece.rows)
    dialog.close()
    # It was the other copy: what is sent to Build goes there.
    copies = part(panel, "Copy that was photographed")
    assert copies.isVisibleTo(panel)
    QTest.keyClick(copies, Qt.Key.Key_End)
    assert document.checker.current.photo.copy_number == 1
    assert document.checker.is_busy
    document.checker.stop()
    assert document.builder.put_right(1, 1, "Row 1 leans.")
    assert document.builder.put_right(1, 0, "Row 1 leans.")
    assert not document.builder.put_right(1, 1, "Row 1 leans.")
