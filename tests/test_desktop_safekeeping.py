"""Nothing lost: recovery copies, files that are there already, two windows, the studio's file, failures."""

from __future__ import annotations

import os
import sqlite3
import sys
import time
from pathlib import Path

import pytest

from driving import words
from kakushi.desktop.app import _hook_exceptions, failure_report
from kakushi.desktop.document import recovery_keeper
from kakushi.formats.store.job_file import load_job, save_job
from kakushi.formats.store.preferences import load_preferences, path_of, shown_path
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.formats.store.studio_store import StudioStore
from kakushi.model.catalogue import Studio
from kakushi.model.job import Brief, Job
from kakushi.model.values import replace
from kakushi.model.workshop import StockItem
from kakushi.session import edits

STOCK = (StockItem(nominal_in=11, colour="rope", balloons=40),)


def titled(text: str) -> Job:
    return Job(brief=Brief(title=text))


def copies(folder: Path) -> list[str]:
    return [load_job(copy).brief.title for copy in folder.glob("*.kakushi")]


def kept(window, qtbot) -> None:
    qtbot.waitUntil(lambda: not window.document.recovery._runner.is_busy, timeout=5000)


def test_a_recovered_job_is_never_without_a_copy(make_window, tmp_path: Path, monkeypatch, qtbot) -> None:
    crashed = RecoveryStore(tmp_path / "recovery")
    crashed.write(titled("Half a lighthouse"), None)
    crashed.release()
    seen: list[list[str]] = []
    discard = recovery_keeper.RecoveryStore.write

    def watched(store, *given) -> None:
        seen.append(copies(tmp_path / "recovery"))
        discard(store, *given)

    monkeypatch.setattr(recovery_keeper.RecoveryStore, "write", watched)
    window = make_window()
    window.files.recover(RecoveryStore(tmp_path / "recovery").abandoned()[0])
    assert seen == [["Half a lighthouse"]], "the former copy was still there while ours was written"
    assert copies(tmp_path / "recovery") == ["Half a lighthouse"]


def test_steady_editing_is_kept_and_what_is_undone_is_not(window, tmp_path: Path, qtbot, monkeypatch) -> None:
    monkeypatch.setattr(recovery_keeper, "_DELAY_MS", 400)
    monkeypatch.setattr(recovery_keeper, "_LONGEST_DELAY_S", 0.8)
    began = time.monotonic()
    while not copies(tmp_path / "recovery") and time.monotonic() - began < 5:
        window.document.apply(edits.set_brief(title=f"Quay {time.monotonic():.3f}"))
        qtbot.wait(100)
    assert copies(tmp_path / "recovery"), "an edit every tenth of a second does not put the copy off for ever"
    while window.document.session.undo_name:
        window.document.undo()
    window.document.recovery.keep()
    kept(window, qtbot)
    assert copies(tmp_path / "recovery") == []


def test_a_file_that_is_there_is_replaced_only_when_somebody_says_so(demo, tmp_path: Path) -> None:
    save_job(titled("older"), tmp_path / "gala.kakushi")
    asked: list[str] = []
    demo.files.ask_save = lambda *_: tmp_path / "gala"
    demo.files.ask_replace = lambda there: asked.append(there[0].name)
    assert not demo.files.save_as()
    assert asked == ["gala.kakushi"], "asked with the finished name"
    assert load_job(tmp_path / "gala.kakushi").brief.title == "older"
    demo.files.ask_save = lambda *_: tmp_path / "column 2.5 m"
    assert demo.files.save_as()
    assert (tmp_path / "column 2.5 m.kakushi").exists()
    (tmp_path / "cost.pdf").write_bytes(b"mine")
    demo.files.ask_save = lambda *_: tmp_path / "cost"
    demo.exports.export_cost()
    assert (tmp_path / "cost.pdf").read_bytes() == b"mine"


@pytest.mark.parametrize(
    ("answer", "title"), [("", "theirs"), ("replace", "mine"), ("copy", "theirs"), ("theirs", "theirs")]
)
def test_a_job_that_another_window_saved_is_noticed(window, tmp_path: Path, answer: str, title: str) -> None:
    path = tmp_path / "quay.kakushi"
    save_job(titled("before"), path)
    window.files.load(path)
    window.document.apply(edits.set_brief(title="mine"))
    save_job(titled("theirs"), path)
    window.files.notice_changes()
    assert "changed by another window" in window.notice.text
    window.files.ask_changed = lambda _path: answer
    window.files.ask_save = lambda *_: tmp_path / "other.kakushi"
    assert window.files.save() is bool(answer)
    assert load_job(path).brief.title == title
    assert window.document.is_dirty is (answer == "")
    if answer == "copy":
        assert load_job(tmp_path / "other.kakushi").brief.title == "mine"


def test_a_job_without_changes_of_its_own_is_opened_anew(window, tmp_path: Path) -> None:
    path = tmp_path / "quay.kakushi"
    save_job(titled("before"), path)
    window.files.load(path)
    save_job(titled("theirs"), path)
    window.files.ask_reload = lambda _path: True
    window.files.notice_changes()
    assert window.document.job.brief.title == "theirs"
    assert not window.document.is_dirty


def test_files_get_the_rights_of_the_user_s_mask(tmp_path: Path) -> None:
    before = os.umask(0o077)
    try:
        save_job(Job(), tmp_path / "private.kakushi")
    finally:
        os.umask(before)
    assert (tmp_path / "private.kakushi").stat().st_mode & 0o777 == 0o600
    (tmp_path / "private.kakushi").chmod(0o640)
    save_job(titled("again"), tmp_path / "private.kakushi")
    assert (tmp_path / "private.kakushi").stat().st_mode & 0o777 == 0o640


def test_a_held_studio_file_blocks_nobody_and_loses_nothing(make_window, tmp_path: Path, qtbot) -> None:
    path = tmp_path / "studio.sqlite3"
    StudioStore(path).save(replace(Studio(), stock=STOCK))
    holder = sqlite3.connect(path, isolation_level=None)
    holder.execute("BEGIN EXCLUSIVE")
    window = make_window()
    assert window.document.studio.stock == ()
    holder.execute("ROLLBACK")
    # What was changed of the stand-in is not written over what could not be read.
    window.document.studio_keeper.change(stock=())
    window.document.studio_keeper.change(sizing_scatter_mm=4.0)
    window.document.studio_keeper.finish()
    assert StudioStore(path).load().stock == STOCK
    assert window.document.studio.stock == STOCK
    holder.execute("BEGIN EXCLUSIVE")
    window.document.studio_keeper.change(sizing_scatter_mm=2.0)
    assert window.document.studio.sizing_scatter_mm == 2.0, "nobody waits for the disk"
    holder.execute("ROLLBACK")
    holder.close()
    window.document.studio_keeper.finish()
    studio = StudioStore(path).load()
    assert (studio.sizing_scatter_mm, studio.stock) == (2.0, STOCK)


def test_a_failure_is_told_written_down_and_leaves_a_copy(window, make_window, tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    _hook_exceptions(window)
    window.document.apply(edits.set_brief(title="Nearly done"))
    try:
        raise RuntimeError("a balloon popped")
    except RuntimeError as error:
        sys.excepthook(RuntimeError, error, error.__traceback__)
    assert copies(tmp_path / "recovery") == ["Nearly done"]
    (report,) = (tmp_path / "recovery").glob("*.report.txt")
    assert "a balloon popped" in report.read_text()
    assert report.name in window.notice.text
    assert "a copy of it was kept" in window.notice.text
    # The program dies after all: its lock goes with it.
    window.document.recovery._store.release()
    again = make_window()
    assert "“Nearly done” was not saved" in again.notice.text
    assert "Nearly done" in words(again.start_page)


def test_reports_hold_nobody_s_name() -> None:
    assert str(Path.home()) not in failure_report([f'File "{Path.home()}/kakushi/x.py"'])


def test_a_file_whose_name_is_no_utf_8_is_opened_saved_and_kept_in_mind(window, qtbot, tmp_path) -> None:
    path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/q\xffay.kakushi"))
    save_job(Job(), path)
    assert window.files.load(path)
    qtbot.waitUntil(lambda: len(window.document.preferences.recent) == 1)
    kept = load_preferences(tmp_path / "preferences.json")
    assert [path_of(text) for text in kept.recent] == [path]
    assert shown_path(path.name) == "q\ufffday.kakushi"
    window.document.apply(edits.set_brief(title="Ferry"))
    assert window.files.save()
    assert load_job(path).brief.title == "Ferry"
