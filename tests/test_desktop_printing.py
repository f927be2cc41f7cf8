"""What to print: ticks, pages as they will be, remembered choices."""

from __future__ import annotations

import threading
from pathlib import Path

from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from driving import choose, part, press
from kakushi.desktop.dialogs.printing import PrintDialog


def test_closing_the_dialog_waits_for_no_pages(demo, planned, qtbot, monkeypatch) -> None:
    planned(demo)
    # Pages that take until they are let go on: how fast the machine is does not matter.
    begun, go_on = threading.Event(), threading.Event()

    def slow_pdf(*_: object) -> bytes:
        begun.set()
        go_on.wait(30)
        return b""

    monkeypatch.setattr("kakushi.desktop.dialogs.printing.wanted_pdf", slow_pdf)
    demo.exports.ask_print()
    dialog = next(each for each in demo.findChildren(PrintDialog) if each.isVisible())
    qtbot.waitUntil(begun.is_set, timeout=20_000)
    pool = dialog._runner._pool
    QTest.keyClick(dialog, Qt.Key.Key_Escape)
    assert not dialog.isVisible()
    assert pool.activeThreadCount() == 1, "the pages are still being laid out, and nobody waits for them"
    go_on.set()


def test_what_is_ticked_is_shown_written_and_remembered(demo, planned, qtbot, monkeypatch, tmp_path: Path) -> None:
    planned(demo)
    demo.exports.ask_print()
    dialog = next(each for each in demo.findChildren(PrintDialog) if each.isVisible())
    qtbot.waitUntil(lambda: dialog.pages.count() > 5, timeout=60_000)
    whole = dialog.pages.count()
    for box in ("Overview", "Days", "Inflation sheet", "Supplies", "Stand", "Packing list"):
        part(dialog, box).click()
    qtbot.waitUntil(lambda: 0 < dialog.pages.count() < whole, timeout=60_000)
    first = demo.document.job.pieces[0].name
    for box in demo.document.job.pieces[1:]:
        part(dialog, box.name).click()
    part(dialog, "For the client").click()
    choose(part(dialog, "Paper"), "letter")
    qtbot.waitUntil(lambda: dialog.pages.count() <= 3, timeout=60_000)
    monkeypatch.setattr(demo.exports, "_ask_export", lambda *_: tmp_path / "phone.html")
    press(dialog, "Page for the phone…")
    assert first in (tmp_path / "phone.html").read_text()
    target = tmp_path / "print.pdf"
    monkeypatch.setattr(demo.exports, "_ask_export", lambda *_: target)
    press(dialog, "Save as PDF…")
    pages = PdfReader(target).pages
    text = "\n".join(page.extract_text() for page in pages)
    assert first in text
    assert "What is included" in text
    assert "Inflation sheet" not in text
    assert [round(float(side)) for side in pages[0].mediabox[2:]] == [612, 792]
    assert demo.document.preferences.paper == "letter"
    assert set(demo.document.preferences.printed) == {"sheets", "client"}
