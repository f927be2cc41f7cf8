"""What is typed counts: whatever acts next takes it over first."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from driving import part, press
from kakushi.formats.store.job_file import load_job
from kakushi.model.catalogue import Studio
from kakushi.model.errors import Cancelled
from kakushi.model.groups import Row, RowsGroup, Slot
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.plan.pipeline import plan

Control = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def typed(demo):
    """The vase's height field with another height typed into it, and nothing else done."""
    demo.document.selection.select_piece(demo.document.job.pieces[-1].key)
    demo.show_stage("shape")
    field = part(demo.stage("shape").panel, "height")
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "150 cm")
    assert demo.document.piece.target_height_mm != 1500
    return demo


def test_rows_are_chosen_for_the_height_that_was_typed(typed, qtbot, planned) -> None:
    QTest.keyClick(typed, Qt.Key.Key_F5)
    assert typed.document.piece.target_height_mm == 1500
    qtbot.waitUntil(lambda: not typed.document.chooser.is_busy, timeout=20_000)
    planned(typed)
    assert abs(typed.document.piece_plan.height_error_mm) < 40


def test_saving_saves_what_was_typed(typed, tmp_path) -> None:
    typed.files.ask_save = lambda *_: tmp_path / "typed.kakushi"
    QTest.keyClick(typed, Qt.Key.Key_S, Control)
    assert load_job(tmp_path / "typed.kakushi").pieces[-1].target_height_mm == 1500


@pytest.mark.parametrize("leave", ["shortcut", "click", "button"])
def test_leaving_the_stage_keeps_what_was_typed(typed, leave: str) -> None:
    if leave == "shortcut":
        QTest.keyClick(typed, Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    elif leave == "click":
        press(typed, "Stage colour")
    else:
        press(typed.header, "Light or dark (Ctrl+T)")
    assert typed.document.piece.target_height_mm == 1500


def test_closing_asks_about_what_was_typed(typed) -> None:
    typed.files.save = lambda: True
    asked = []
    typed.files.ask_unsaved = lambda: asked.append(typed.document.piece.target_height_mm) or "cancel"
    typed.close()
    assert asked == [1500]
    assert typed.isVisible()


def test_undo_right_after_typing_takes_the_typed_height_back(typed) -> None:
    before = typed.document.piece.target_height_mm
    press(typed.header, "Undo")
    assert typed.document.piece.target_height_mm == before


def mixed_job() -> Job:
    """A column whose balances take a search."""
    slots = tuple(Slot(nominal_in=11, diameter_mm=d) for d in (240.0, 180.0, 230.0, 170.0))
    rows = tuple(Row(key=k, slots=slots[k % 4 :] + slots[: k % 4]) for k in range(1, 9))
    return Job(pieces=(Piece(key=1, name="mixed", groups=(RowsGroup(rows=rows),)),))


def test_a_search_that_nobody_waits_for_stops() -> None:
    asked = 0

    def cancelled() -> bool:
        nonlocal asked
        asked += 1
        return asked > 12

    with pytest.raises(Cancelled):
        plan(mixed_job(), Studio(), cancelled)
    assert asked == 13, "it stops the first time it is told to"


def test_closing_stops_a_search(window) -> None:
    window.document.open_job(mixed_job(), None)
    window.files.ask_unsaved = lambda: "discard"
    window.close()
    assert not window.document.is_planned
