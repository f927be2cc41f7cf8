"""Stand, Supplies and Prep in the real window, driven as a person would."""

from __future__ import annotations

import datetime as dt
import time
from types import SimpleNamespace

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from driving import choose, part, press, put_number, type_into, words
from kakushi.desktop.dialogs.import_stock import ImportStockDialog
from kakushi.desktop.dialogs.printing import PrintDialog
from kakushi.desktop.dialogs.workshop import WorkshopDialog
from kakushi.desktop.frame.tally import stand_figure
from kakushi.formats.store.studio_store import load_studio
from kakushi.model.joints import JointKind
from kakushi.model.units import UnitSystem
from kakushi.model.workshop import StockItem
from kakushi.session import edits
from kakushi.sim.forecast import Forecast
from kakushi.sim.inflators import Character, SimulatedTwinTimer


@pytest.fixture
def workshop(demo, packed):
    """The demo, packed."""
    packed(demo)
    return demo


def stance_of_piece(window):
    """How the selected piece stands, as the newest dossier says."""
    dossier = window.document.dossier
    return dossier.stance(dossier.plan.piece(window.document.piece.key))


# --- Stand ------------------------------------------------------------------------------------------


def test_a_heavy_sign_leans_until_the_advised_weight_is_added(workshop, packed):
    window, panel = workshop, workshop.stage("stand").panel
    window.document.selection.select_piece(3)
    window.show_stage("stand")
    choose(part(panel, "Base"), "foam")
    packed(window)
    window.show_stage("dress")
    box = window.stage("dress").panel.parts
    choose(part(box, "Kind of part to add"), "hung load")
    QTest.mouseClick(box.add, Qt.MouseButton.LeftButton)
    put_number(part(box, "Mass"), 0.3)
    type_into(part(box, "distance from the pole"), "30 cm")
    window.show_stage("stand")
    packed(window)
    stance = stance_of_piece(window)
    assert not stance.stands
    assert "forward" in words(panel)
    assert panel.ballast.isVisibleTo(panel)
    QTest.mouseClick(panel.ballast, Qt.MouseButton.LeftButton)
    packed(window)
    weight = window.document.piece.parts[-1]
    assert weight.kind == "weight"
    after = stance_of_piece(window)
    assert after.stands
    assert after.finished.balance.tilt >= after.assumed.tilt - 2e-4
    window.document.undo()
    assert window.document.piece.parts[-1].kind == "hung load"


def test_wider_base_and_calmer_air_change_the_verdict_and_the_tally(workshop, packed):
    window, panel = workshop, workshop.stage("stand").panel
    window.document.selection.select_piece(2)
    window.show_stage("stand")
    assert "Not safe outdoors on this base" in words(panel)
    assert "expected" in window.tally.words()
    put_number(part(panel, "Gust it should hold"), 2)
    packed(window)
    assert "Not safe" not in words(panel)
    assert stand_figure(stance_of_piece(window), UnitSystem.METRIC).words in window.tally.words()
    window.document.apply(edits.set_brief(place="indoors"))
    packed(window)
    assert "Outdoors" not in words(panel) + words(panel)
    assert "a push of" in window.tally.words()
    window.grab()


def test_pole_kind_length_and_paint_reach_supplies_and_cut_list(workshop, packed):
    window, panel = workshop, workshop.stage("stand").panel
    window.document.selection.select_piece(1)
    window.show_stage("stand")
    choose(part(panel, "Kind of pole"), "conduit")
    type_into(part(panel, "pole length"), "145 cm")
    packed(window)
    frame = window.document.piece.frame
    assert (frame.pole_name, frame.pole_diameter_mm) == ("conduit 20 mm", 20)
    window.show_stage("supplies")
    window.stage("supplies").view().show_list("cuts")
    text = window.stage("supplies").view().as_text()
    assert "conduit 20 mm" in text
    assert "1450 + 1450" in text
    type_into(part(panel, "pole length"), "rubbish")
    assert panel.problem.text()
    assert window.document.piece.frame.pole_length_mm == 1450


def test_what_holds_a_piece_is_chosen_and_the_verdict_follows(workshop, packed):
    window, panel = workshop, workshop.stage("stand").panel
    window.document.selection.select_piece(1)
    window.show_stage("stand")
    packed(window)
    assert "wanted" not in words(panel).split("Frame")[0]
    put_number(part(panel, "Push of a brush in passing"), 300)
    packed(window)
    assert "less than the 300 N wanted" in words(panel)
    choose(part(panel, "How firmly it must stand"), "by itself")
    packed(window)
    assert "less than" not in words(panel).split("Frame")[0], "a corner where nobody passes"
    window.document.undo()
    packed(window)
    raised = window.document.piece_plan.geometry.bottom
    choose(part(panel, "Base"), "sand weight")
    choose(part(panel, "Where the base lies"), "inside row 1")
    packed(window)
    assert window.document.piece.frame.base.place == "inside row 1"
    assert window.document.piece_plan.geometry.bottom == pytest.approx(0) != raised
    tall = window.document.piece_plan.height_mm
    choose(part(panel, "Frame"), "line on a weight")
    packed(window)
    assert window.document.piece.joint is JointKind.LINE_EIGHT
    assert window.document.piece_plan.height_mm > 1.1 * tall, "rows on a line are not pushed down"
    for _ in range(4):
        window.document.undo()
    assert window.document.piece.joint is JointKind.WRAPPED


def test_a_forecast_that_lies_is_told_and_left_out(workshop, packed):
    class Liar:
        def forecast(self, day):
            return Forecast(-5.0, 20.0, 0.5, "liar")

    window, told = workshop, []
    window.document.refused.connect(told.append)
    window.document.workshop.forecast_service = Liar()
    window.document.apply(edits.set_brief(event_date=dt.date(2027, 7, 1)))
    packed(window)
    assert "makes no sense" in told[0]
    assert window.document.dossier.gust is None
    window.show_stage("stand")
    assert "No forecast" in words(window.stage("stand").panel)


def test_bare_pole_and_what_a_part_uses_are_typed_in(workshop, packed):
    window, panel = workshop, workshop.stage("stand").panel
    window.document.selection.select_piece(4)
    window.show_stage("stand")
    before = window.document.piece_plan.height_mm
    type_into(part(panel, "bare pole below the first row"), "25 cm")
    choose(part(panel, "Wrapping of the bare pole"), "plait")
    window.show_stage("dress")
    type_into(part(window.stage("dress").panel.parts, "What else it uses"), "2 foil stars; light")
    window.show_stage("stand")
    packed(window)
    assert window.document.piece_plan.height_mm == pytest.approx(before + 250)
    put_number(part(panel, "Strands that wrap the bare pole"), 3)
    press(panel, "Wrapped with inflated balloons")
    bare = window.document.piece.groups[0]
    assert (bare.strands, bare.inflated, bare.wrap) == (3, False, "plait")
    type_into(part(panel, "bare pole below the first row"), "26 cm")
    assert (window.document.piece.groups[0].height_mm, window.document.piece.groups[0].strands) == (260, 3)
    type_into(part(panel, "bare pole below the first row"), "25 cm")
    packed(window)
    assert [(i.item, i.count) for i in window.document.piece.parts[0].items] == [("foil stars", 2), ("light", 1)]
    window.show_stage("supplies")
    window.stage("supplies").view().show_list("materials")
    assert "foil stars" in window.stage("supplies").view().as_text()
    assert "modelling balloons 260" in window.stage("supplies").view().as_text()


# --- Supplies ---------------------------------------------------------------------------------------


def _sure_and_spare(window) -> tuple[float, int]:
    supplies = window.document.dossier.supplies
    return supplies.confidence, sum(line.spares for line in supplies.whole)


def test_certainty_and_price_change_what_is_shown(workshop, packed):
    window, panel = workshop, workshop.stage("supplies").panel
    window.show_stage("supplies")
    before = _sure_and_spare(window)
    put_number(part(panel, "Certainty that nothing runs out"), 99)
    packed(window)
    after = _sure_and_spare(window)
    assert after[0] >= 0.99 > before[0]
    assert after[1] > before[1]
    window.stage("supplies").view().show_list("cost")
    price = window.document.dossier.cost.price
    put_number(part(panel, "Delivery"), 245)
    packed(window)
    assert window.document.dossier.cost.price == pytest.approx(price + 200 * 1.3 * 1.2)
    assert f"{window.document.dossier.cost.price:.2f} crowns" in words(window.stage("supplies").view())


def test_stock_is_typed_checked_imported_and_kept(workshop, packed, tmp_path):
    window = workshop
    window.studio.workshop()
    dialog = window.findChild(WorkshopDialog)
    QTest.mouseClick(dialog.tables["stock"].add, Qt.MouseButton.LeftButton)
    dialog.tables["stock"].table.item(0, 2).setText("-3")
    press(dialog, "Keep")
    assert "Line 1, Balloons" in dialog.problem.text()
    dialog.tables["stock"].table.item(0, 2).setText("30")
    path = tmp_path / "stock.csv"
    path.write_text("size,colour,qty\n11,sail white,25\n11,mud,9\n")
    dialog.ask_file = lambda: path
    press(dialog, "Import from CSV or XLSX…")
    inner = dialog.findChild(ImportStockDialog)
    assert "mud" in words(inner)
    inner.accept()
    press(dialog, "Keep")
    packed(window)
    window.document.studio_keeper.finish()
    studio, problem, _ = load_studio(window.document.studio_file)
    assert not problem
    assert {(s.colour, s.balloons) for s in studio.stock} == {("harbour-blue", 30), ("sail-white", 25)}
    line = next(b for b in window.document.dossier.buying if (b.nominal_in, b.colour) == (11, "sail-white"))
    assert line.on_hand == 25
    window.show_stage("supplies")
    assert "Short of" in words(window.stage("supplies").panel)


def test_rows_are_chosen_within_the_stock(workshop, packed, qtbot):
    window, panel = workshop, workshop.stage("supplies").panel
    window.document.selection.select_piece(1)
    panel.refit.click()
    assert "stock first" in panel.problem.text()
    stock = (
        StockItem(nominal_in=11, colour="sail-white", balloons=24),
        StockItem(nominal_in=9, colour="rope", balloons=90),
    )
    window.document.studio_keeper.change(stock=stock)
    panel.refit.click()
    qtbot.waitUntil(lambda: not window.document.chooser.is_busy, timeout=20_000)
    packed(window)
    assert {(li.nominal_in, li.balloons) for li in window.document.piece.fit.stock} == {(11, 24), (9, 90)}
    used = [s.nominal_in for row in window.document.piece.rows for s in row.slots]
    assert used.count(11) <= 24


def test_every_print_and_list_is_written(workshop, qtbot, tmp_path):
    window = workshop
    window.show_stage("supplies")
    for number, (button, suffix, start) in enumerate(
        (
            (window.stage("supplies").panel.print_button, ".pdf", b"%PDF"),
            (window.stage("supplies").panel.quote_button, ".pdf", b"%PDF"),
            (window.stage("supplies").panel.cost_button, ".pdf", b"%PDF"),
            (window.stage("prep").panel.labels_button, ".pdf", b"%PDF"),
            (window.stage("supplies").panel.book_button, ".xlsx", b"PK"),
            (window.stage("supplies").panel.csv_button, ".csv", b"piece"),
        )
    ):
        path = tmp_path / f"{number}{suffix}"
        window.files.ask_save = lambda _title, _name, _kind, path=path: path
        button.click()
        if button is window.stage("supplies").panel.print_button:
            dialog = window.findChild(PrintDialog)
            qtbot.waitUntil(dialog.main.isEnabled, timeout=30_000)
            dialog.main.click()
        assert path.read_bytes().startswith(start)


# --- Prep ------------------------------------------------------------------------------------------------


def test_ticks_survive_closing_the_program(workshop, packed, make_window, tmp_path):
    window, page = workshop, workshop.stage("prep").view()
    window.show_stage("prep")
    index, line = next((k, line) for k, line in enumerate(page.lines) if line.count > 2)
    assert page.table.hasFocus()
    page.table.setCurrentCell(index, 0)
    for _ in range(3):
        QTest.keyClick(page.table, Qt.Key.Key_Space)
    QTest.keyClick(page.table, Qt.Key.Key_Backspace)
    assert page.table.item(index, 0).text() == f"2 / {line.count}"
    QTest.mouseClick(page.whole, Qt.MouseButton.LeftButton)
    assert page.table.item(index, 0).text() == "✓"
    assert page.line is not line
    path = tmp_path / "job.kakushi"
    window.files.ask_save = lambda *_asked: path
    window.files.save()
    other = make_window()
    other.files.load(path)
    packed(other)
    other.show_stage("prep")
    row = [ln.key for ln in other.stage("prep").view().lines].index(line.key)
    assert other.stage("prep").view().table.item(row, 0).text() == "✓"
    assert f"{line.count} of" in words(other.stage("prep").view())


def test_calibration_sets_the_sheet_and_is_kept(workshop, packed, qtbot):
    window, panel = workshop, workshop.stage("prep").panel
    window.show_stage("prep")
    panel.ask_name = lambda _kind: "bench timer"
    QTest.mouseClick(panel.new_timer, Qt.MouseButton.LeftButton)
    panel.choose(11.0)
    device = SimulatedTwinTimer(Character(0.05, 9e6, 1.5), lambda: 0.0, 2)
    for setting in (0.4, 0.9, 1.4, 1.9):
        put_number(part(panel, "Setting of the trial"), setting)
        type_into(part(panel, "measured diameter"), f"{device.diameter(setting) / 10:.1f}")
        QTest.mouseClick(panel.add_trial, Qt.MouseButton.LeftButton)
    assert panel.trials.count() == 4
    packed(window)
    assert "next" in words(panel)
    row = next(i for i, line in enumerate(window.stage("prep").view().lines) if line.balloons[0].nominal_in == 11)
    assert " s" in window.stage("prep").view().table.item(row, 3).text()
    window.document.studio_keeper.finish()
    studio = load_studio(window.document.studio_file).studio
    assert len(studio.inflators[0].points(11)) == 4
    panel.trials.setCurrentRow(0)
    QTest.mouseClick(panel.drop_trial, Qt.MouseButton.LeftButton)
    assert panel.trials.count() == 3
    window.grab()


def test_practice_adds_what_the_simulated_device_measured(workshop, qtbot, monkeypatch):
    # The device and whoever waits for it live thirty times as fast.
    fast = SimpleNamespace(monotonic=lambda: 30 * time.monotonic(), sleep=lambda seconds: time.sleep(seconds / 30))
    monkeypatch.setattr("kakushi.desktop.stages.prep.panel.time", fast)
    window, panel = workshop, workshop.stage("prep").panel
    window.show_stage("prep")
    panel.choose(11.0)
    put_number(part(panel, "Setting of the trial"), 0.5)
    QTest.mouseClick(panel.practise, Qt.MouseButton.LeftButton)
    put_number(part(panel, "Setting of the trial"), 0.5)
    qtbot.waitUntil(lambda: panel.trials.count() == 2, timeout=10_000)
    put_number(part(panel, "Setting of the trial"), 9)
    QTest.mouseClick(panel.practise, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "burst" in panel.problem.text(), timeout=10_000)
    assert panel.trials.count() == 2


def test_prep_begins_with_the_usual_size(workshop):
    workshop.show_stage("prep")
    assert workshop.stage("prep").panel.nominal == 11


def test_a_bag_of_any_colour_is_kept_as_one(workshop, packed):
    workshop.studio.workshop()
    dialog = workshop.findChild(WorkshopDialog)
    bags = dialog.tables["bags"]
    QTest.mouseClick(bags.add, Qt.MouseButton.LeftButton)
    last = bags.table.rowCount() - 1
    bags.table.item(last, 1).setText("sail white")
    assert bags.values()[-1].colour == "sail-white"
    bags.table.item(last, 1).setText("any colour")
    bags.table.item(last, 2).setText("100")
    assert (bags.values()[-1].colour, bags.values()[-1].balloons) == ("", 100)
    dialog.leave()
