"""The guided build in the real window: keys, one step at a time, popped, put off, taken back, killed, shared out."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtTest import QTest

from driving import choose, part, press, put_number, type_into, words
from kakushi.building.progress import shared_out, spares_left
from kakushi.building.step import StepKind, TyingCluster
from kakushi.desktop.document import recovery_keeper
from kakushi.desktop.stages.building.ways_page import WaysPage
from kakushi.desktop.stages.registry import STAGES
from kakushi.formats.store.job_file import load_job_file, save_job
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.model.record import What
from kakushi.model.values import replace
from kakushi.session import edits
from kakushi.session.build_edits import take_way
from kakushi.words.wording import hours_words


@pytest.fixture
def building(demo, qtbot):
    """The demo in the Build stage, its steps worked out."""
    demo.show_stage("build")
    qtbot.waitUntil(lambda: demo.document.builder.is_ready, timeout=20_000)
    return demo


def page_of(window):
    return window.stage("build").page


def press_key(window, key) -> None:
    QTest.keyClick(page_of(window), key)


def done_keys(window) -> list[str]:
    return [event.step for event in window.document.record.events if event.what is What.DONE]


def test_space_and_enter_tick_and_the_rest_follows(building, qtbot) -> None:
    page, builder = page_of(building), building.document.builder
    assert page.hasFocus(), "the keys tick from the beginning"
    assert "Cut plastic pipe" in words(page)
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
        press_key(building, key)
    assert done_keys(building) == ["cut", "paint", "dry"]
    assert "Go on: Lighthouse" in page.done.text(), "it waits for no paint"
    press_key(building, Qt.Key.Key_Space)
    assert "Screw 6 sections" in words(page)
    press_key(building, Qt.Key.Key_Space)
    assert "Inflate and tie 28 duplets" in words(page)
    press_key(building, Qt.Key.Key_Space)
    assert "Row 1 · 4 × 16″" in words(page)
    assert building.document.is_dirty
    ties = part(page, "Bunches to pick up").accessibleDescription()
    assert "sail white and sail white" in ties
    press_key(building, Qt.Key.Key_Backspace)
    assert builder.step.kind is StepKind.INFLATE
    press_key(building, Qt.Key.Key_Space)
    press_key(building, Qt.Key.Key_Space)
    press_key(building, Qt.Key.Key_L)
    assert builder.step.row is None or builder.step.row.index == 1, "the only one left is done though it was put off"
    page.ask_note = lambda: "a small gap"
    press_key(building, Qt.Key.Key_N)
    assert "a small gap" in words(building.stage("build").panel)


def test_a_popped_balloon_takes_a_spare(building, qtbot) -> None:
    page, builder = page_of(building), building.document.builder
    for _ in range(3):
        press_key(building, Qt.Key.Key_Space)
    builder.choose_copy((1, 0))
    for _ in range(2):
        press_key(building, Qt.Key.Key_Space)
    assert builder.step.row is not None
    asked = []
    page.ask_popped = lambda kinds: asked.append(kinds) or kinds[0]
    press_key(building, Qt.Key.Key_P)
    assert asked, "of two colours somebody has to say which"
    (event,) = [event for event in building.document.record.events if event.what is What.POP]
    assert (event.nominal_in, event.colour) == asked[0][0]
    assert "spare" in words(page)


def test_ticks_survive_a_crash_and_are_saved_with_the_job(building, make_window, tmp_path, qtbot) -> None:
    for _ in range(5):
        press_key(building, Qt.Key.Key_Space)
    ticked = done_keys(building)
    # Nothing says goodbye: the copy and its journal are what another program finds.
    building.document.recovery._store.release()
    (kept,) = RecoveryStore(tmp_path / "recovery").abandoned()
    assert [event.step for event in kept.record.events] == ticked
    building.files.ask_save = lambda *_: tmp_path / "quay.kakushi"
    assert building.files.save()
    assert not building.document.is_dirty
    assert [event.step for event in load_job_file(tmp_path / "quay.kakushi").record.events] == ticked
    other = make_window()
    assert other.files.load(tmp_path / "quay.kakushi")
    assert done_keys(other) == ticked
    press_key(building, Qt.Key.Key_Space)
    assert building.document.is_dirty


def test_recovery_copies_go_on_after_a_job_was_opened_or_saved(window, tmp_path, qtbot, monkeypatch) -> None:
    monkeypatch.setattr(recovery_keeper, "_DELAY_MS", 50)
    save_job(window.document.job, tmp_path / "a.kakushi")
    window.files.load(tmp_path / "a.kakushi")

    def copies() -> list:
        return list((tmp_path / "recovery").glob("*.kakushi"))

    for title in ("opened", "saved"):
        window.document.apply(edits.set_brief(title=title))
        qtbot.waitUntil(lambda: bool(copies()), timeout=5000)
        assert window.files.save()
        assert not copies()


def test_helpers_share_the_work_and_another_piece_is_chosen(building, tmp_path, qtbot, packed) -> None:
    panel, builder = building.stage("build").panel, building.document.builder
    put_number(part(panel, "People who build"), 2)
    assert "1: " in words(panel)
    for mine in shared_out(builder.steps, 2):
        assert f", {hours_words(sum(step.minutes for step in mine))}" in words(panel)
    copies = part(panel, "Copies to build")
    every = copies.count()
    shown = []
    for helper in ("helper 1", "helper 2"):
        choose(part(panel, "Whose steps are shown"), helper)
        shown.append(copies.count())
        mine = {step.key for step in shared_out(builder.steps, 2)[len(shown) - 1]}
        assert mine.issuperset(step.key for step in builder.mine), "each has a list of their own"
    assert max(shown) <= every <= sum(shown)
    shares = shared_out(builder.steps, 2)
    shared = next(
        c for c in builder.copies if c[0] and all(any((s.piece, s.copy) == c for s in each) for each in shares)
    )
    for helper in ("helper 1", "helper 2"):
        choose(part(panel, "Whose steps are shown"), helper)
        builder.choose_copy(shared)
        assert words(page_of(building)), "there is something to do, or whom to wait for"
    builder.choose_copy((None, None))
    press_key(building, Qt.Key.Key_Space)
    assert building.document.record.events[-1].who == "helper 2"
    press_key(building, Qt.Key.Key_Backspace)
    choose(part(panel, "Whose steps are shown"), "all steps")
    copies.setCurrentRow(builder.copies.index((2, 0)))
    assert builder.copy == (2, 0)
    assert "waits" not in copies.item(1).text(), "inflating waits for no pole"
    building.document.selection.select_piece(3)
    assert builder.copy == (3, 0)
    building.exports._ask_export = lambda *_: tmp_path / "steps.pdf"
    packed(building)
    press(panel, "Print the lists…")
    assert (tmp_path / "steps.pdf").read_bytes().startswith(b"%PDF")
    building.toggle_full_screen()
    assert panel.isHidden() or not panel.isVisible()
    press_key(building, Qt.Key.Key_Space)
    building.stop()
    assert panel.isVisible()


def test_closing_and_editing_in_the_middle_of_a_build(building, planned, qtbot) -> None:
    press_key(building, Qt.Key.Key_Space)
    building.document.apply(edits.set_brief(title="Other"))
    press_key(building, Qt.Key.Key_Space)
    planned(building)
    qtbot.waitUntil(lambda: building.document.builder.is_ready, timeout=20_000)
    assert done_keys(building)[0] == "cut"
    building.document.undo()
    press_key(building, Qt.Key.Key_Space)
    assert done_keys(building)[0] == "cut", "undo of an edit takes back no tick"


def test_a_way_out_is_shown_taken_and_undone(building, planned, qtbot) -> None:
    document, builder = building.document, building.document.builder
    panel = building.stage("build").panel
    builder.choose_copy((3, 0))
    for _ in range(3):
        press_key(building, Qt.Key.Key_Space)
    for key in (Qt.Key.Key_Space,) * 3:
        press_key(building, key)
    builder.choose_copy((3, 0))
    for _ in range(6):
        page_of(building).done.click()
    built = len(panel.rescue._stands)
    assert built >= 2
    before = document.job.piece(3)
    type_into(
        part(panel, "height of the last knot"),
        f"{document.builder.plan.piece(3).geometry.knots[built - 1] * 0.98:.0f} mm",
    )
    press(panel, "Show the ways out")
    ways = part(panel, "Ways out")
    qtbot.waitUntil(lambda: ways.count() > 0, timeout=20_000)
    page = page_of(building).findChild(WaysPage)
    assert page.isVisible()
    assert len(page.cards) == ways.count()
    qtbot.waitUntil(lambda: all(card.image is not None for card in page.cards), timeout=20_000)
    # One scale: the same height is at the same place in all.
    assert len({card.wished_px for card in page.cards}) == 1
    page.cards[-1].click()
    assert ways.currentRow() == len(page.cards) - 1
    ways.setCurrentRow(0)
    assert page.cards[0].isChecked()
    QTest.keyClick(page, Qt.Key.Key_Escape)
    assert not page.isVisible()
    page.show()
    QTest.mouseClick(page.take, Qt.MouseButton.LeftButton)
    after = document.job.piece(3)
    assert after.rows[:built] == before.rows[:built]
    assert after.learnt_tau is not None
    planned(building)
    qtbot.waitUntil(lambda: builder.is_ready, timeout=20_000)
    assert len(panel.rescue._stands) == built, "what is ticked stays ticked"
    document.undo()
    assert document.job.piece(3) == before
    planned(building)
    choose(part(panel, "What went wrong"), "short of balloons")
    put_number(part(panel, "How many are left"), 1)
    qtbot.waitUntil(lambda: builder.is_ready, timeout=20_000)
    press(panel, "Show the ways out")
    qtbot.waitUntil(lambda: ways.count() > 1, timeout=20_000)
    choose(part(panel, "What went wrong"), "a wrong size")
    type_into(part(panel, "size that was built"), "99 m")
    assert "99" in words(panel) or "between" in words(panel)


def test_a_pop_without_a_spare_offers_the_ways_out(building, packed, qtbot) -> None:
    document, page = building.document, page_of(building)
    builder = document.builder
    qtbot.waitUntil(lambda: builder.is_ready, timeout=20_000)
    builder.choose_copy((3, 0))
    for _ in range(6):
        press_key(building, Qt.Key.Key_Space)
    builder.choose_copy((3, 0))
    while builder.step.row is None or builder.step.row.index < 3:
        builder.done()
    packed(building)
    kind = page._kinds()[0]
    page.ask_popped = lambda kinds: kind
    ways = page.findChild(WaysPage)
    for left in reversed(range(document.dossier.supplies.spares[kind] + 1)):
        assert not ways.isVisible()
        QTest.keyClick(page, Qt.Key.Key_P)
        assert spares_left(document.dossier.supplies.spares, builder.progress)[kind] == left - 1
    qtbot.waitUntil(ways.isVisible, timeout=20_000)
    assert "You are short of" in words(ways)
    assert any("Fetch 1 more" in card.accessibleName() for card in ways.cards)


def test_one_of_several_copies_gets_rows_of_its_own(building, planned) -> None:
    document = building.document
    piece = document.job.piece(1)
    edited = replace(piece, groups=(replace(piece.groups[0], rows=piece.groups[0].rows[:-1]),), learnt_tau=1.0)
    document.apply(take_way(1, 1, edited))
    now = document.job.piece(1)
    assert now.groups == piece.groups
    assert len(now.copies[1].groups[0].rows) == len(piece.rows) - 1
    planned(building)
    document.undo()
    assert document.job.piece(1) == piece


def test_steps_are_moved_by_keys_buttons_and_by_dragging(building, planned, qtbot) -> None:
    panel, builder = building.stage("build").panel, building.document.builder
    for _ in range(3):
        press_key(building, Qt.Key.Key_Space)
    builder.choose_copy((2, 0))
    listed = part(panel, "Steps of this copy")

    def names() -> list[str]:
        return [step.key.removeprefix("2.0.") for step in builder.mine]

    def ready() -> bool:
        return building.document.is_planned and builder.is_ready

    usual = names()
    listed.setCurrentRow(usual.index("part.2.0"))
    listed.setFocus()
    QTest.keyClick(listed, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(ready)
    assert names().index("part.2.0") == usual.index("part.2.0") - 1
    assert listed.currentRow() == names().index("part.2.0"), "it stays marked, to be moved on"
    QTest.keyClick(listed, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(ready)
    assert names() == usual
    listed.setCurrentRow(usual.index("row.3"))
    part(panel, "Move up").click()
    assert "“Row 3” needs “Row 2” first." in words(panel)
    assert names() == usual
    listed.model().moveRow(QModelIndex(), usual.index("part.2.0"), QModelIndex(), usual.index("part.1.0"))
    qtbot.waitUntil(lambda: ready() and names() != usual)
    assert names().index("part.2.0") == usual.index("part.1.0")
    assert building.document.plan.piece(2).piece.step_order == tuple(names())
    building.document.undo()
    qtbot.waitUntil(ready)
    assert names() == usual
    building.document.redo()
    qtbot.waitUntil(ready)
    part(panel, "Usual order").click()
    qtbot.waitUntil(lambda: ready() and names() == usual)
    assert not part(panel, "Usual order").isEnabled()


def test_two_clusters_on_one_strip_are_one_step_and_come_back_together(whole_demo, qtbot) -> None:
    whole_demo.show_stage("build")
    builder, page = whole_demo.document.builder, page_of(whole_demo)
    qtbot.waitUntil(lambda: builder.is_ready, timeout=20_000)
    assert "200 cm" in page.cuts.accessibleDescription(), "where poles are cut is drawn"
    press_key(whole_demo, Qt.Key.Key_Space)
    assert "Gate column" in page.cuts.accessibleDescription(), "poles to paint too"
    coral = next(piece for piece in whole_demo.document.job.pieces if piece.name == "Coral")
    copy = (coral.key, 0)
    first = next(step for step in builder.of(copy) if isinstance(step.fact, TyingCluster))
    builder.choose_copy(copy)
    while builder.step.key != first.key:
        press_key(whole_demo, Qt.Key.Key_Space)
        builder.choose_copy(copy)
    assert not page.cuts.isVisible()
    second = builder.at_hand[1]
    assert (second.fact.row, second.fact.part.key) == (first.fact.row, first.fact.part.key)
    assert "clusters 1 and 2 of 15" in words(page)
    assert len(part(page, "Bunches to pick up")._ties) == 2
    press_key(whole_demo, Qt.Key.Key_Space)
    assert {first.key, second.key} <= builder.progress.done
    assert "clusters 3 and 4 of 15" in words(page)
    press_key(whole_demo, Qt.Key.Key_Backspace)
    assert not {first.key, second.key} & builder.progress.done
    assert [step.key for step in builder.at_hand] == [first.key, second.key]
    # An odd one at a row is tied by itself.
    rows = [step.fact.row for step in builder.of(copy) if isinstance(step.fact, TyingCluster)]
    for _ in range(len(rows)):
        assert len({step.fact.row for step in builder.at_hand}) == 1
        press_key(whole_demo, Qt.Key.Key_Space)
        if builder.step is None or not isinstance(builder.step.fact, TyingCluster):
            break
    assert sum(step.key in builder.progress.done for step in builder.of(copy)) >= len(rows)


def test_the_page_of_ways_takes_every_key_and_gives_the_keyboard_back(building, qtbot) -> None:
    page = page_of(building)
    builder, panel = building.document.builder, building.stage("build").panel
    for _ in range(3):
        press_key(building, Qt.Key.Key_Space)
    builder.choose_copy((3, 0))
    for _ in range(6):
        press_key(building, Qt.Key.Key_Space)
    built = len(panel.rescue._stands)
    knot = builder.plan.piece(3).geometry.knots[built - 1]
    type_into(part(panel, "height of the last knot"), f"{knot * 0.98:.0f} mm")
    press(panel, "Show the ways out")
    ways_page = page.findChild(WaysPage)
    qtbot.waitUntil(lambda: bool(ways_page.cards), timeout=20_000)
    before = done_keys(building)
    ways_page.cards[0].setFocus()
    for key in (Qt.Key.Key_Return, Qt.Key.Key_Space, Qt.Key.Key_Enter, Qt.Key.Key_Space, Qt.Key.Key_L):
        QTest.keyClick(ways_page.cards[0], key)
    assert done_keys(building) == before, "no step that is not seen is ticked"
    assert ways_page.cards[0].isChecked(), "Enter chooses a card"
    QTest.mouseClick(ways_page.leave, Qt.MouseButton.LeftButton)
    assert ways_page.isHidden()
    assert page.hasFocus()


def test_every_stage_shows_every_piece_and_every_copy_is_ticked_through(whole_demo, qtbot) -> None:
    document = whole_demo.document
    builder = document.builder
    for piece in document.job.pieces:
        document.selection.select_piece(piece.key)
        for stage in STAGES:
            whole_demo.show_stage(stage.name)
            assert whole_demo.stage(stage.name).view().isVisible()
    whole_demo.show_stage("build")
    qtbot.waitUntil(lambda: builder.is_ready, timeout=20_000)
    page = page_of(whole_demo)
    for _ in range(3):
        press_key(whole_demo, Qt.Key.Key_Space)
    for copy in builder.copies:
        builder.choose_copy(copy)
        mine = [step.key for step in builder.mine]
        for _ in mine:
            if builder.step is None:
                break
            press_key(whole_demo, Qt.Key.Key_Space)
            assert "went wrong" not in words(page)
        assert set(mine) <= set(done_keys(whole_demo))
