"""What the first window loads: counted in modules, never in seconds."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from driving import part, words
from kakushi.desktop.app import open_when_loaded
from kakushi.desktop.frame.recent_card import RecentCard
from kakushi.desktop.frame.start_cards import CARDS, Begin
from kakushi.formats.store.job_file import save_job
from kakushi.formats.store.recent_pictures import RecentPictures
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.session import edits
from test_start import loaded_by

AFTER_WINDOW = """
import pathlib, sys
from kakushi.desktop.app import build_application, build_window
from kakushi.formats.store.recovery import RecoveryStore
app = build_application(["kakushi"])
folder = pathlib.Path(sys.argv[1])
window = build_window(RecoveryStore(folder / "r"), folder / "p.json", folder / "s.sqlite3")
print(" ".join(sys.modules), flush=True)
window.files.ask_unsaved = lambda: "discard"
window.close()
"""


def test_the_first_window_loads_no_solver_no_print_no_picture_library(tmp_path: Path) -> None:
    loaded = loaded_by("-c", AFTER_WINDOW, str(tmp_path))
    late = {"numpy", "scipy.optimize", "scipy.linalg", "reportlab", "skimage", "sqlalchemy", "openpyxl", "pyqtgraph"}
    assert loaded.isdisjoint(late)
    assert "kakushi.packing.settle" not in loaded


def test_a_job_named_at_the_start_is_opened_once_its_tools_stand(make_window, qtbot, tmp_path: Path) -> None:
    job = Job(pieces=(Piece(key=1, name="Gate"),))
    save_job(job, tmp_path / "quay.kakushi")
    window = make_window()
    open_when_loaded(window, "“quay.kakushi”", lambda: window.files.load(tmp_path / "quay.kakushi"))
    assert "Opening “quay.kakushi”…" in words(window.start_page)
    assert not window.start_page.add.isVisible()
    qtbot.waitUntil(lambda: window.document.job == job, timeout=20_000)
    assert window.host.is_built("shape")
    missing = make_window()
    open_when_loaded(missing, "“gone.kakushi”", lambda: missing.files.load(tmp_path / "gone.kakushi"))
    qtbot.waitUntil(missing.start_page.add.isVisible, timeout=20_000)
    assert "Opening" not in words(missing.start_page)


@pytest.mark.parametrize("title", [card.title for card in CARDS])
def test_every_card_begins_something(window, planned, qtbot, monkeypatch, title) -> None:
    card = next(each for each in window.start_page.cards if each.text() == title)
    asked: list[str] = []
    monkeypatch.setattr(window, "import_outline", lambda: asked.append("picture"))
    monkeypatch.setattr(window.studio, "recipes", lambda: asked.append("shelf"))
    card.setFocus()
    qtbot.keyClick(card, Qt.Key.Key_Space)
    if card.card.begin is Begin.SHELF:
        assert asked == ["shelf"]
        return
    planned(window)
    assert asked == (["picture"] if card.card.begin is Begin.PICTURE else [])
    assert window.document.piece is not None
    assert part(window, "height").hasFocus(), "the next thing to type"
    window.document.undo()
    while window.document.session.undo_name:
        window.document.undo()
    assert window.document.job.pieces == ()


def test_messages_lie_over_the_page_and_move_nothing(window, qtbot) -> None:
    window.show()
    before = window.host.centre.geometry()
    window.notice.warn("Something went wrong with a long sentence that says what was kept and what to do now.")
    assert window.host.centre.geometry() == before
    over = window.notice.geometry()
    assert window.host.centre.rect().contains(over)
    window.resize(1100, 700)
    assert window.host.centre.rect().contains(window.notice.geometry())


def test_recent_jobs_stand_on_the_start_page_with_their_pictures(make_window, qtbot, tmp_path: Path) -> None:
    first, path = make_window(), tmp_path / "quay.kakushi"
    first.files.open_demo()
    first.document.apply(edits.set_brief(title="Quay"))
    qtbot.waitUntil(lambda: first.document.is_planned, timeout=30_000)
    first.files.ask_save = lambda *_: path
    assert first.files.save()
    picture = RecentPictures(tmp_path / "recent").place_of(path)
    qtbot.waitUntil(picture.is_file, timeout=20_000)
    assert first.document.preferences.recent == (str(path),)
    again = make_window()
    card = next(card for card in again.start_page.findChildren(RecentCard) if card.text() == "quay")
    assert card.toolTip() == str(tmp_path)
    drawn = card.grab().toImage()
    inks = {drawn.pixelColor(x, y).name() for x in range(12, drawn.width() - 12, 3) for y in range(12, 70, 3)}
    assert len(inks) > 20, "its pieces are seen on it"
    QTest.mouseClick(card, Qt.MouseButton.LeftButton)
    assert again.document.job.brief.title == "Quay"
    # A picture that is lost, or is none, leaves the name.
    picture.write_bytes(b"no picture")
    third = make_window()
    assert [card.text() for card in third.start_page.findChildren(RecentCard)] == ["quay"]
    third.start_page.grab()
    pictures = RecentPictures(tmp_path / "recent")
    pictures.keep(tmp_path / "other.kakushi", b"png", [])
    assert not picture.exists(), "pictures of jobs that are no longer recent go"
