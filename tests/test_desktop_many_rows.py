"""Several rows at once: selected by mouse and keys, sized, copied, mirrored, repeated, typed as a list."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from driving import part, type_into
from kakushi.model.errors import BadInput
from kakushi.model.units import UnitSystem, inches
from kakushi.words.sizing import read_sizes

Key, Mod, Left = Qt.Key, Qt.KeyboardModifier, Qt.MouseButton.LeftButton


@pytest.fixture
def ladder(demo, planned):
    planned(demo)
    demo.show_stage("shape")
    ladder = demo.workbench.ladder
    ladder.setFocus()
    return ladder


def click(ladder, row: int, modifier=Mod.NoModifier) -> None:
    QTest.mouseClick(ladder, Left, modifier, ladder.card_box(row).center().toPoint())


def sizes(demo) -> list[float]:
    return [row.diameter_mm for row in demo.document.piece.rows]


def test_rows_are_selected_sized_and_undone_together(demo, ladder, planned, qtbot) -> None:
    selection, before = demo.document.selection, sizes(demo)
    click(ladder, 2)
    click(ladder, 5, Mod.ShiftModifier)
    assert selection.row_indices == {2, 3, 4, 5}
    click(ladder, 8, Mod.ControlModifier)
    click(ladder, 3, Mod.ControlModifier)
    assert selection.row_indices == {2, 4, 5, 8}
    qtbot.keyClick(ladder, Key.Key_Right)
    after = sizes(demo)
    assert {index for index, (a, b) in enumerate(zip(before, after, strict=True)) if a != b} == {2, 4, 5, 8}
    demo.document.undo()
    assert sizes(demo) == before, "one step"
    type_into(part(demo, "sized diameter"), "20 cm")
    assert [sizes(demo)[index] for index in (2, 4, 5, 8)] == [200.0] * 4
    demo.document.undo()
    # Dragged along the ladder, and by Shift with the arrows.
    start, end = (QPointF(ladder.card_box(row).center()).toPoint() for row in (1, 4))
    QTest.mousePress(ladder, Left, pos=start)
    QTest.mouseMove(ladder, end)
    QTest.mouseRelease(ladder, Left, pos=end)
    qtbot.keyClick(ladder, Key.Key_Up, Mod.ShiftModifier)
    assert selection.row_indices == {1, 2, 3, 4, 5}
    qtbot.keyClick(ladder, Key.Key_Delete)
    assert len(sizes(demo)) == len(before) - 5
    demo.document.undo()
    assert sizes(demo) == before


def test_rows_are_copied_mirrored_and_repeated(demo, ladder, planned, qtbot) -> None:
    demo.document.selection.select_piece(3)
    planned(demo)
    before = sizes(demo)
    demo.document.selection.select_row_at(0)
    demo.document.selection.extend_to(2)
    ladder.setFocus()
    qtbot.keyClick(ladder, Key.Key_C, Mod.ControlModifier)
    demo.document.selection.select_row_at(10**6)
    qtbot.keyClick(ladder, Key.Key_V, Mod.ControlModifier)
    assert sizes(demo) == [*before, *before[:3]]
    assert len(demo.document.selection.rows) == 3, "what was pasted is selected"
    qtbot.keyClick(ladder, Key.Key_M)
    assert sizes(demo)[-3:] == before[:3][::-1]
    keys = [row.key for row in demo.document.piece.rows]
    assert len(set(keys)) == len(keys)
    for _ in range(2):
        demo.document.undo()
    assert sizes(demo) == before
    qtbot.keyClick(ladder, Key.Key_A, Mod.ControlModifier)
    qtbot.keyClick(ladder, Key.Key_D)
    assert sizes(demo) == before * 2


def test_a_list_of_sizes_becomes_rows(demo, ladder, planned) -> None:
    before = sizes(demo)
    demo.document.selection.select_row_at(0)
    type_into(part(demo, "Rows as a list"), "20, 21, 22 x3")
    assert sizes(demo)[1:6] == [200, 210, 220, 220, 220]
    assert part(demo, "Rows as a list").text() == ""
    demo.document.undo()
    assert sizes(demo) == before
    type_into(part(demo, "Rows as a list"), "20, nonsense")
    assert sizes(demo) == before
    assert part(demo, "Rows as a list").text() == "20, nonsense", "it stays as typed"


@pytest.mark.parametrize("text", ["", "5 x0", "5 x99999", ", ,", "x6", "5 x 6 x 7", "9" * 5000])
def test_lists_that_cannot_be_read_are_refused_in_a_sentence(text) -> None:
    with pytest.raises(BadInput) as refused:
        read_sizes(text, UnitSystem.METRIC)
    assert len(str(refused.value)) < 200


def test_lists_are_read_as_people_write_them() -> None:
    assert read_sizes("5,6,7,8,9.5 x6", UnitSystem.INCHES) == tuple(inches(each) for each in (5, 6, 7, 8, *(9.5,) * 6))
