"""The Log stage in the window: this job is put into the log, listed, taken along, and learnt from."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtWidgets import QToolButton

from driving import choose, part, press, type_into
from kakushi.desktop.dialogs.recipes import RecipesDialog
from kakushi.formats.store.log_store import LogStore


def test_a_job_is_logged_listed_learnt_from_and_taken_out(demo, planned, qtbot, tmp_path: Path, monkeypatch) -> None:
    window = demo
    planned(window)
    keys = [button.shortcut().toString() for button in window.findChildren(QToolButton) if button.shortcut()]
    assert sorted(key for key in keys if key.startswith("Alt+")) == [f"Alt+{number}" for number in range(10)]
    window.show_stage("log")
    planned(window)
    page = window.stage("log").page
    names = [piece.name for piece in window.document.job.pieces]
    qtbot.waitUntil(lambda: page.form.filled_in() is not None, timeout=20_000)
    # Nobody counted: nothing is learnt of pops.
    assert not page.form.filled_in().pieces[0].built
    type_into(part(window, f"Measured height of {names[0]}"), "198 cm")
    type_into(part(window, f"Popped before delivery, {names[0]}"), "2")
    type_into(part(window, f"Popped after delivery, {names[0]}"), "1")
    type_into(part(window, "What the client said"), "again next year")
    type_into(part(window, "Balloons measured again"), "21: 20.5 21.4 20.9 21 21.2")
    type_into(part(window, "Tape used"), "3")
    choose(part(window, "Blown for the sun"), "up to 5 % softer")
    press(window, "Put this job into the log")
    store = LogStore(window.document.studio_file)
    qtbot.waitUntil(lambda: len(store.lines()) == 1 and page.table.model().rowCount() == 1, timeout=20_000)
    (line,) = store.lines()
    kept = store.entry(line.key)
    assert (kept.pieces[0].height_mm, kept.pieces[0].popped, kept.client) == (1980, 3, "again next year")
    assert [each.measured_mm for each in kept.pieces[0].sized] == [205, 214, 209, 210, 212]
    assert kept.pieces[0].softer == 0.05
    assert {each.item: each.used for each in kept.materials}["tape"] == 3
    qtbot.waitUntil(lambda: window.document.studio.learnt.pops != (), timeout=20_000)
    assert window.document.studio.learnt.scatter is not None
    assert page.rates.count() > 0
    page.tabs.setCurrentIndex(1)
    type_into(part(window, "Jobs to show"), "no such job")
    assert page.table.model().rowCount() == 0
    type_into(part(window, "Jobs to show"), line.job[:6])
    assert page.table.model().rowCount() == 1
    monkeypatch.setattr(window.exports, "_ask_export", lambda *_: tmp_path / "log.csv")
    press(window, "All jobs as CSV…")
    qtbot.waitUntil((tmp_path / "log.csv").exists, timeout=20_000)
    assert line.job in (tmp_path / "log.csv").read_text()
    page.tabs.setCurrentIndex(2)
    page.rates.setCurrentRow(0)
    before = len(window.document.studio.learnt.pops)
    press(window, "Restart the chosen rate")
    qtbot.waitUntil(lambda: len(window.document.studio.learnt.pops) == before - 1, timeout=20_000)
    page.tabs.setCurrentIndex(1)
    press(window, "Take the chosen entry out")
    page.table.selectRow(0)
    press(window, "Take the chosen entry out")
    qtbot.waitUntil(lambda: store.lines() == [], timeout=20_000)


def test_a_piece_is_kept_as_a_recipe_and_built_again(demo, planned, packed, qtbot) -> None:
    planned(demo)
    packed(demo)
    demo.studio.recipes()
    dialog = next(w for w in demo.findChildren(RecipesDialog) if w.isVisible())
    count = part(dialog, "Recipes").count()
    type_into(part(dialog, "Name of the recipe"), "Our gate")
    press(dialog, "Keep the selected piece")
    shelf = part(dialog, "Recipes")
    assert shelf.count() == count + 1
    assert shelf.currentItem().text().startswith("Our gate: ")
    assert "“Our gate” is kept" in dialog._note.text()
    # Those that ship have their pictures at once.
    assert sum(not shelf.item(k).icon().isNull() for k in range(count + 1)) >= count
    press(dialog, "Take out")
    assert shelf.count() == count
    press(dialog, "Put back")
    assert shelf.currentItem().text().startswith("Our gate: ")
    press(dialog, "Keep the selected piece")
    assert "already" in dialog.problem.text()
    names = [recipe.facts.name for _, recipe in dialog._recipes]
    part(dialog, "Recipes").setCurrentRow(names.index("Our gate"))
    press(dialog, "Quote three sizes")
    qtbot.waitUntil(lambda: "Small:" in dialog._note.text(), timeout=30_000)
    choose(part(dialog, "Sorted by"), "match with the outline of “Gate column”")
    qtbot.waitUntil(lambda: "match" in part(dialog, "Recipes").item(0).text(), timeout=60_000)
    shown = [part(dialog, "Recipes").item(k).text() for k in range(count + 1)]
    matches = [int(found[1]) for words in shown if (found := re.search(r"match (\d+)%", words))]
    assert matches == sorted(matches, reverse=True)
    assert len(matches) > 5
    names = [recipe.facts.name for _, recipe in dialog._recipes]
    part(dialog, "Recipes").setCurrentRow(names.index("Our gate"))
    part(dialog, "Of the sizes in stock").click()
    press(dialog, "Add to this job")
    assert "sizes at hand (none)" in dialog.problem.text()
    part(dialog, "Of the sizes in stock").click()
    type_into(part(dialog, "Height to build it"), "150 cm")
    choose(part(dialog, "Colour of main"), "signal red")
    before = demo.document.job
    press(dialog, "Add to this job")
    planned(demo)
    piece = demo.document.piece
    assert len(demo.document.job.pieces) == len(before.pieces) + 1
    assert piece.target_height_mm == 1500
    assert "signal-red" in demo.document.piece_plan.balloon_colours()
    demo.document.undo()
    assert demo.document.job == before
