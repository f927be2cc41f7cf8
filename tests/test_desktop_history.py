"""The history by names, and Build telling of the piece at hand."""

from __future__ import annotations

from driving import part
from kakushi.desktop.dialogs.history import HistoryDialog
from kakushi.session import edits


def test_the_history_is_gone_back_in_and_forward(demo, planned) -> None:
    document = demo.document
    key = document.piece.key
    jobs, base = [document.job], document.session.history[1]
    for _ in range(3):
        document.apply(edits.duplicate_piece(key))
        jobs.append(document.job)
    demo.studio.history()
    dialog = demo.findChild(HistoryDialog)
    names = [part(dialog, "Edits").item(row).text() for row in range(part(dialog, "Edits").count())]
    assert len(names) == document.session.history[1] + 1
    for row in (1, 0, 3, 2):
        part(dialog, "Edits").setCurrentRow(base + row)
        assert document.job == jobs[row]
    document.undo()
    assert part(dialog, "Edits").currentRow() == base + 1
    part(dialog, "Edits").setCurrentRow(base + 2)
    document.apply(edits.duplicate_piece(key))
    assert part(dialog, "Edits").count() == base + 4, "the third one, which was undone, is gone"
    dialog.reject()


def test_build_selects_the_piece_that_is_built(demo, planned, qtbot) -> None:
    planned(demo)
    demo.show_stage("build")
    builder = demo.document.builder
    qtbot.waitUntil(lambda: builder.is_ready, timeout=30_000)
    copy = next(each for each in builder.copies if each[0] == demo.document.job.pieces[-1].key)
    builder.choose_copy(copy)
    assert demo.document.piece.key == copy[0]
    demo.document.selection.select_piece(demo.document.job.pieces[0].key)
    assert builder.copy[0] == demo.document.job.pieces[0].key
