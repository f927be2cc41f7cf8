"""Quick answers in the window: they follow typing, and become a piece in one press."""

from __future__ import annotations

from driving import part, press, type_into
from kakushi.desktop.dialogs.quick_answers import QuickAnswersDialog


def test_answers_follow_typing_and_become_a_piece(window, planned, qtbot) -> None:
    window.studio.quick_answers()
    dialog = next(each for each in window.findChildren(QuickAnswersDialog) if each.isVisible())
    assert dialog.focusWidget() is part(dialog, "height"), "the next thing to type"
    qtbot.waitUntil(lambda: dialog._answers is not None, timeout=20_000)
    before = dialog._answers[1].rows
    type_into(part(dialog, "height"), "3 m")
    qtbot.waitUntil(lambda: dialog._answers[1].rows > before, timeout=20_000)
    type_into(part(dialog, "Balloons you have"), "28")
    qtbot.waitUntil(lambda: any("28 balloons" in question.text() for question, _ in dialog._lines), timeout=20_000)
    type_into(part(dialog, "height"), "nonsense")
    press(dialog, "Make it a piece")
    assert window.document.job.pieces == (), "what cannot be read is not built"
    type_into(part(dialog, "height"), "2 m")
    qtbot.waitUntil(lambda: dialog._answers[0].height_mm == 2000, timeout=20_000)
    press(dialog, "Make it a piece")
    planned(window)
    assert len(window.document.piece.rows) == dialog._answers[1].rows
    window.document.undo()
    assert window.document.job.pieces == ()
