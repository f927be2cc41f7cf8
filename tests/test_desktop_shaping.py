"""Shaping as a sculptor does it: outlines by hand, fits side by side, test stacks, sizes, the collection."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QCheckBox, QDialog, QLineEdit, QPushButton

from added_up import advice, warnings
from driving import choose, part, press, type_into, words
from kakushi.desktop.dialogs.calibrate import StackDialog
from kakushi.desktop.dialogs.collection import CollectionDialog
from kakushi.desktop.dialogs.compare import CompareDialog
from kakushi.desktop.dialogs.import_outline import ImportOutlineDialog
from kakushi.desktop.dialogs.studio_sizes import StudioSizesDialog
from kakushi.desktop.stages.shape.fit_controls import parse_stock
from kakushi.desktop.widgets.theme import LIGHT
from kakushi.formats.read.outline_file import read_outlines
from kakushi.formats.store.studio_store import StudioStore
from kakushi.model.errors import BadInput
from kakushi.model.groups import Twist, uniform_row
from kakushi.model.outline import PointsOutline
from kakushi.model.piece import with_rows
from kakushi.plan.facts import RowNote
from kakushi.session import edits, row_edits
from kakushi.shape.sculpt import OutlineSide, asymmetry

Key, Button = Qt.Key, Qt.MouseButton


def rows(window):
    return window.document.piece.rows


def opened(window, kind):
    return next(dialog for dialog in window.findChildren(QDialog) if isinstance(dialog, kind))


@pytest.fixture
def vase(demo, planned):
    demo.document.selection.select_piece(3)
    planned(demo)
    return demo


# --- by hand -----------------------------------------------------------------------------


def test_points_are_dragged_and_the_rows_follow(vase, planned, qtbot) -> None:
    before, outline = rows(vase), vase.document.piece.outline
    elevation = vase.workbench.elevation
    qtbot.mouseClick(vase.stage("shape").panel.edit_points, Button.LeftButton)
    handles = elevation.handles
    shaped = handles.outline()
    point = shaped.points[2]
    spot = handles.spot(point.right_mm, point.height_mm)
    qtbot.mousePress(elevation, Button.LeftButton, pos=spot.toPoint())
    qtbot.mouseMove(elevation, (spot + QPointF(30, 0)).toPoint())
    with qtbot.waitSignal(vase.document.chooser.running, timeout=20_000):
        qtbot.mouseRelease(elevation, Button.LeftButton, pos=(spot + QPointF(30, 0)).toPoint())
    moved = vase.document.piece.outline
    assert isinstance(moved, PointsOutline)
    assert moved.points[2].right_mm == pytest.approx(point.right_mm + 30 * vase.workbench.scale.mm_per_px, abs=10)
    qtbot.waitUntil(lambda: rows(vase) != before, timeout=20_000)
    planned(vase)
    assert vase.document.piece_plan.match.mean > 0.85
    while vase.document.session.undo_name:
        vase.document.undo()
    assert (rows(vase), vase.document.piece.outline) == (before, outline)


def test_points_are_added_removed_and_set_in_numbers(vase, planned, qtbot) -> None:
    elevation = vase.workbench.elevation
    elevation.handles.with_rows = False
    vase.toggle_by_hand()
    count = len(elevation.handles.outline().points)
    middle = elevation.handles.spot(0.0, 700.0)
    qtbot.mouseDClick(elevation, Button.LeftButton, pos=middle.toPoint())
    planned(vase)
    shaped = elevation.handles.outline()
    assert len(shaped.points) == count + 1
    added = min(range(count + 1), key=lambda i: abs(shaped.points[i].height_mm - 700))
    elevation.handles.choose(added)
    width = vase.findChildren(QLineEdit, options=Qt.FindChildOption.FindChildrenRecursively)
    field = next(f for f in width if f.accessibleName() == "width at the point")
    field.selectAll()
    qtbot.keyClicks(field, "50 cm")
    qtbot.keyClick(field, Key.Key_Return)
    planned(vase)
    assert elevation.handles.outline().points[added].right_mm == pytest.approx(250)
    qtbot.keyClick(elevation, Key.Key_Right)
    assert elevation.handles.outline().points[added].right_mm == pytest.approx(255)
    spot = elevation.handles.spot(255.0, elevation.handles.outline().points[added].height_mm)
    planned(vase)
    qtbot.mouseClick(elevation, Button.RightButton, pos=spot.toPoint())
    planned(vase)
    assert len(elevation.handles.outline().points) == count
    qtbot.keyClick(elevation, Key.Key_Escape)
    assert not elevation.handles.is_on
    assert not vase.stage("shape").panel.edit_points.isChecked()


# --- fits side by side -------------------------------------------------------------------------


def test_fits_are_compared_and_one_is_used(vase, qtbot) -> None:
    before = rows(vase)
    vase.studio.compare()
    dialog = opened(vase, CompareDialog)
    qtbot.waitUntil(lambda: dialog.current is not None, timeout=30_000)
    assert rows(vase) == before
    slider = part(dialog, "From the closest shape to the fewest sizes")
    slider.setValue(slider.maximum())
    fewest = dialog.current
    slider.setValue(slider.minimum())
    assert fewest.size_count < dialog.current.size_count
    slider.setValue(slider.maximum())
    press(dialog, "Use this fit")
    assert [row.slots for row in rows(vase)] == [row.slots for row in fewest.rows]
    vase.document.undo()
    assert rows(vase) == before


def test_limits_reach_the_fit_and_nonsense_is_said(vase, planned, qtbot) -> None:
    box = vase.stage("shape").panel
    type_into(part(box, "Number of rows"), "9")
    part(box, "Balloons on hand").setText("11: 200, 9 60")
    part(box, "Balloons on hand").editingFinished.emit()
    assert (
        "needs a colon" in vase.stage("shape").panel.problem.text()
        or "not a size" in vase.stage("shape").panel.problem.text()
    )
    part(box, "Balloons on hand").setText("11: 200, 9: 160")
    part(box, "Balloons on hand").editingFinished.emit()
    assert [line.balloons for line in vase.document.piece.fit.stock] == [200, 160]
    with qtbot.waitSignal(vase.document.plan_changed, timeout=30_000):
        vase.document.chooser.choose_rows()
    qtbot.waitUntil(lambda: len(rows(vase)) == 9, timeout=30_000)
    with pytest.raises(BadInput):
        parse_stock("eleven: 4")


def test_rows_are_pinned_sized_slot_by_slot_and_turned(demo, planned, qtbot) -> None:
    demo.document.selection.select_row_at(3)
    qtbot.keyClicks(demo.workbench.ladder, "p")
    assert rows(demo)[3].pinned
    editor = demo.stage("shape").panel.row_editor
    part(editor, "Sizes slot by slot").setFocus()
    part(editor, "Sizes slot by slot").selectAll()
    qtbot.keyClicks(part(editor, "Sizes slot by slot"), "24 cm, 18 cm, 24 cm, 18 cm")
    qtbot.keyClick(part(editor, "Sizes slot by slot"), Key.Key_Return)
    assert [slot.diameter_mm for slot in rows(demo)[3].slots] == [240, 180, 240, 180]
    type_into(part(editor, "Turn on the row below"), "30")
    assert rows(demo)[3].turn_deg == 30
    planned(demo)
    assert "across" in words(editor)
    type_into(part(editor, "Turn on the row below"), "as it lies")
    assert rows(demo)[3].turn_deg is None
    before = rows(demo)[3]
    press(editor, "Assort")
    assert len({slot.diameter_mm for slot in rows(demo)[3].slots}) > 2
    demo.document.undo()
    assert rows(demo)[3] == before
    part(editor, "Sizes slot by slot").setText("24 cm, 18 cm")
    part(editor, "Sizes slot by slot").setModified(True)
    part(editor, "Sizes slot by slot").editingFinished.emit()
    assert "4 balloons" in demo.notice.text


def test_stand_and_joints_change_the_column(demo, planned, qtbot) -> None:
    top = demo.document.piece_plan.height_mm
    box = demo.stage("shape").panel
    choose(part(box, "Joints"), "one strip per joint")
    planned(demo)
    looser, base = demo.document.piece_plan.height_mm, demo.document.piece.frame.base.height_mm
    assert looser > top + 5
    part(box, "height of the first row above the floor").entered.emit(100.0)
    planned(demo)
    assert demo.document.piece_plan.height_mm == pytest.approx(looser + 100 - base, abs=0.1)
    part(box, "pole length").entered.emit(1500.0)
    planned(demo)
    assert any("The pole takes" in words for words in advice(demo.document.piece_plan))
    assert "The pole takes" in words(demo.stage("shape").panel)
    part(box, "Built on").setCurrentText("line")
    part(box, "Built on").activated.emit(1)
    planned(demo)
    assert demo.document.piece.frame.kind == "line"
    assert not part(box, "pole diameter").isEnabled()


def test_balls_rooms_and_more_rows_are_added_edited_and_removed(demo, planned) -> None:
    box = demo.stage("shape").panel.groups
    rows, top = len(demo.document.piece.rows), demo.document.piece_plan.height_mm
    box.kind.setCurrentText("ball")
    box.add.click()
    planned(demo)
    assert demo.document.piece_plan.height_mm > top + 200
    type_into(part(box, "Balloons of the ball"), "12")
    part(box, "Colour of the ball").chosen.emit("signal-red")
    planned(demo)
    ball = demo.document.piece.groups[-1]
    assert (len(ball.slots), ball.slots[0].colour) == (12, "signal-red")
    assert demo.document.piece_plan.drawn_colours().count("signal-red") == 12
    for kind in ("room", "more rows"):
        box.kind.setCurrentText(kind)
        box.add.click()
    planned(demo)
    found = demo.document.piece_plan
    assert len(found.piece.rows) == rows + 1
    gap = found.geometry.knots[-1] - found.geometry.knots[-2]
    assert gap > 200 + 2 * ball.slots[0].diameter_mm
    demo.document.selection.select_row_at(rows)
    demo.row_actions.resize(-1)
    demo.document.apply(row_edits.duplicate_row(1, demo.document.selection.row.key))
    assert [len(g.rows) for g in demo.document.piece.groups if g.kind == "rows"] == [rows, 2]
    box.remove.click()
    assert len(demo.document.piece.rows) == rows
    demo.document.undo()
    assert len(demo.document.piece.rows) == rows + 2


def test_rows_of_several_sizes_are_turned_all_one_way(demo, planned) -> None:
    demo.document.selection.select_piece(1)
    demo.document.selection.select_row_at(0)
    key, rows = demo.document.piece.key, demo.document.piece.rows
    for row in rows[:4]:
        demo.document.apply(row_edits.set_row_sizes(key, row.key, (230.0, 140.0, 230.0, 140.0)))
    planned(demo)
    box = demo.stage("shape").panel.groups
    box.list.setCurrentRow(0)
    twist = part(box, "How rows of several sizes turn on each other")
    twist.setCurrentText(Twist.LEFT.value)
    twist.activated.emit(twist.currentIndex())
    planned(demo)
    turns = np.diff(demo.document.piece_plan.geometry.turns)
    assert (turns[:3] < 0).all()
    demo.document.undo()
    planned(demo)
    assert demo.document.piece.groups[0].twist is Twist.FREE


def test_what_is_not_rows_has_a_card_on_the_ladder(whole_demo, planned) -> None:
    whole_demo.document.selection.select_piece(6)
    planned(whole_demo)
    ladder = whole_demo.workbench.ladder
    assert ladder.other_words == ["ball of 10 × 11″ to 21.6 cm"]
    assert ladder.row_at(QPointF(ladder.width() / 2, 5)) is None
    whole_demo.document.selection.select_piece(1)
    planned(whole_demo)
    assert ladder.other_words == []


def test_a_mixed_row_shows_a_draft_while_the_search_runs(demo, planned, qtbot) -> None:
    piece = demo.document.piece
    sizes = [row.diameter_mm for row in piece.rows]
    for row, size in zip(piece.rows, sizes, strict=True):
        assert demo.document.apply(row_edits.set_row_sizes(piece.key, row.key, [size, 0.8 * size] * (row.count // 2)))
    demo.document.selection.select_row_at(3)
    planned(demo)
    shown = []
    demo.document.plan_changed.connect(lambda: shown.append((demo.document.is_planned, demo.document.piece_plan)))
    demo.row_actions.resize(-2)
    planned(demo)
    (first, draft), (last, exact) = shown
    assert (first, last) == (False, True)
    assert draft.piece == exact.piece == demo.document.piece
    assert draft.height_mm == pytest.approx(exact.height_mm, abs=5)
    assert demo.document.is_planned
    shown.clear()
    demo.document.undo()
    planned(demo)
    assert shown[-1][0]


def test_rows_are_chosen_below_what_stands_on_them(whole_demo, planned, qtbot) -> None:
    whole_demo.document.selection.select_piece(6)
    whole_demo.document.chooser.choose_rows()
    qtbot.waitUntil(lambda: not whole_demo.document.chooser.is_busy, timeout=20_000)
    planned(whole_demo)
    found = whole_demo.document.piece_plan
    assert found.piece.groups[-1].kind == "ball"
    assert abs(found.height_error_mm) < 12


def test_the_tally_says_what_sizing_may_do_to_the_height(demo, qtbot) -> None:
    qtbot.waitUntil(lambda: demo.document.planner.spread is not None, timeout=20_000)
    assert " ± " in demo.tally.words()


# --- the studio -----------------------------------------------------------------------------------


def test_a_test_stack_becomes_a_packing_of_the_piece(make_window, planned, qtbot) -> None:
    window = make_window()
    window.files.open_demo()
    planned(window)
    top = window.document.piece_plan.height_mm
    window.studio.test_stack()
    dialog = opened(window, StackDialog)
    for name, mm in (("sized diameter, measured", 216.0), ("stack height", 1400.0), ("stack width", 560.0)):
        field = part(dialog, name)
        field.set_value(mm)
    press(dialog, "Add this stack")
    qtbot.waitUntil(part(dialog, "Keep this packing").isEnabled, timeout=20_000)
    press(dialog, "Keep this packing")
    assert "name" in dialog.problem.text()
    type_into(part(dialog, "Name of the packing"), "my pole columns")
    press(dialog, "Keep this packing")
    choose(part(window.stage("shape").panel, "Packing"), "measured: my pole columns")
    assert window.document.piece.packing_name == "my pole columns"
    planned(window)
    assert window.document.piece_plan.height_mm != pytest.approx(top, abs=1)
    store = StudioStore(window.document.studio_file)
    assert store.load().packing("my pole columns") is not None
    assert store.stacks_of("my pole columns")[0].height == 1400
    dialog = StackDialog(window.document, store, window)
    choose(part(dialog, "Packing"), "my pole columns")
    press(dialog, "Forget this packing")
    dialog.close()
    planned(window)
    assert any("not in this studio" in warning for warning in warnings(window.document.piece_plan))


def test_an_impossible_stack_is_refused_with_the_reason(demo, qtbot) -> None:
    demo.studio.test_stack()
    dialog = opened(demo, StackDialog)
    press(dialog, "Add this stack")
    assert "needs its sized diameter" in dialog.problem.text()
    part(dialog, "sized diameter, measured").set_value(216.0)
    part(dialog, "stack height").set_value(9000.0)
    press(dialog, "Add this stack")
    qtbot.waitUntil(lambda: "cannot be right" in dialog.problem.text(), timeout=20_000)
    dialog.close()


def test_ranges_and_sizer_are_kept(demo, qtbot) -> None:
    demo.studio.sizes()
    dialog = opened(demo, StudioSizesDialog)
    type_into(part(dialog, "smallest diameter of 11 inch"), "20 cm")
    press(dialog, "these holes")
    part(dialog, "Sizer holes").setText("")
    press(dialog, "Keep")
    assert "holes" in dialog.problem.text()
    part(dialog, "Sizer holes").setText("20 cm, 22 cm, 25 cm")
    press(dialog, "Keep")
    studio = demo.document.studio
    assert studio.sizer.holes_mm == (200.0, 220.0, 250.0)
    assert studio.nominal(11).smallest_mm == pytest.approx(200)
    demo.document.studio_keeper.finish()
    assert StudioStore(demo.document.studio_file).load() == studio
    demo.document.selection.select_row_at(0)
    demo.row_actions.resize(1)
    assert rows(demo)[0].diameter_mm in studio.sizer.holes_mm


def test_outlines_are_collected_and_used_again(vase, qtbot) -> None:
    vase.studio.collection()
    dialog = opened(vase, CollectionDialog)
    type_into(part(dialog, "Name for the outline"), "float")
    press(dialog, "Keep this piece's outline")
    part(dialog, "Outlines in the collection").setCurrentRow(0)
    vase.document.selection.select_piece(1)
    press(dialog, "Use for this piece")
    assert vase.document.piece.outline.name == "float"
    again = CollectionDialog(vase.document, StudioStore(vase.document.studio_file), vase)
    part(again, "Outlines in the collection").setCurrentRow(0)
    press(again, "Take out")
    assert part(again, "Outlines in the collection").count() == 0
    again.close()


def test_a_damaged_studio_file_is_left_alone(make_window, tmp_path: Path) -> None:
    (tmp_path / "studio.sqlite3").write_bytes(b"not a database at all" * 100)
    window = make_window()
    assert "studio file" in window.notice.text
    window.studio.collection()
    assert "left as it is" in opened(window, CollectionDialog).problem.text()
    assert (tmp_path / "studio.sqlite3").read_bytes().startswith(b"not a database")
    opened(window, CollectionDialog).close()


# --- importing ---------------------------------------------------------------------------------------


def test_a_picture_is_traced_turned_and_its_side_chosen(demo, tmp_path: Path, qtbot) -> None:
    picture = Image.new("RGB", (300, 500), "#e4decd")
    pen = ImageDraw.Draw(picture)
    pen.polygon([(90, 480), (210, 480), (190, 20), (110, 20)], fill="#285a78")
    pen.ellipse((5, 5, 30, 30), fill="#c83c28")
    picture.rotate(5, fillcolor="#e4decd").save(tmp_path / "float.png")
    found, image = read_outlines(tmp_path / "float.png", 2100.0)
    dialog = ImportOutlineDialog(demo.document, LIGHT, "float.png", found, image, demo)
    straightened = dialog.outline
    box = next(box for box in dialog.findChildren(QCheckBox) if "leans by" in box.text())
    assert "5.0°" in box.text()
    box.click()
    leaning = dialog.outline
    part(dialog, "Turn upright").setValue(-50)
    upright = dialog.outline
    assert asymmetry(straightened) < 0.03 < asymmetry(leaning)
    assert asymmetry(upright) < 0.03
    press(dialog, "place it")
    part(dialog, "Place of the axis").setValue(400)
    part(dialog, "Which side counts").setCurrentText(OutlineSide.RIGHT.value)
    assert all(p.left_mm == p.right_mm for p in dialog.outline.points)
    assert dialog.subject is None
    preview = part(dialog, "Preview")
    qtbot.mouseClick(preview, Button.LeftButton, pos=preview.picture_box.center().toPoint())
    assert dialog.subject == (0x28, 0x5A, 0x78)
    press(dialog, "Show the picture behind the piece")
    press(dialog, "Use this outline")
    assert dialog.picture is not None
    assert dialog.outline.points[-1].height_mm == pytest.approx(2100)
    demo.workbench.elevation.handles.image = dialog.picture
    demo.workbench.elevation.grab()


def test_of_several_shapes_one_is_chosen(demo, tmp_path: Path) -> None:
    drawing = tmp_path / "two.svg"
    drawing.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg"><rect x="0" y="0" width="10" height="90"/>'
        '<ellipse cx="60" cy="50" rx="20" ry="50"/></svg>'
    )
    found, image = read_outlines(drawing, 1000.0)
    assert image is None
    assert len(found) == 3
    dialog = ImportOutlineDialog(demo.document, LIGHT, "two.svg", found, None, demo)
    part(dialog, "Which shape").setCurrentIndex(2)
    assert max(p.left_mm for p in dialog.outline.points) == pytest.approx(1000 / 18, abs=4)


def test_what_is_read_at_a_glance_is_shown_and_the_rest_behind_more(vase, planned, monkeypatch) -> None:
    monkeypatch.setattr("kakushi.desktop.stages.concerns_box._MOST", 1)
    *others, last = rows(vase)
    tiny = uniform_row(last.key, last.count, last.slots[0].nominal_in, 60.0)
    vase.document.apply(edits.set_piece(3, "Resize", groups=with_rows(vase.document.piece, (*others[4:], tiny)).groups))
    planned(vase)
    told = [each for each in vase.document.piece_plan.concerns if isinstance(each.said, RowNote)]
    assert len(told) > 1
    panel = vase.stage("shape").panel

    def seen() -> list[QPushButton]:
        return [b for b in panel.findChildren(QPushButton) if b.text() == "It is meant so" and b.isVisibleTo(panel)]

    assert len(seen()) == 1
    press(panel, f"{len(told) - 1} more")
    assert len(seen()) == len(told)
    press(panel, "Fewer")
    assert len(seen()) == 1


def test_a_warning_is_set_aside_as_meant_and_taken_back(vase, planned) -> None:
    *others, last = rows(vase)
    tiny = uniform_row(last.key, last.count, last.slots[0].nominal_in, 60.0)
    vase.document.apply(edits.set_piece(3, "Resize", groups=with_rows(vase.document.piece, (*others, tiny)).groups))
    planned(vase)
    said = next(words for words in warnings(vase.document.piece_plan) if words.startswith("Sized outside"))
    panel = vase.stage("shape").panel
    press(panel, f"It is meant so: {said}")
    planned(vase)
    assert said not in warnings(vase.document.piece_plan)
    press(panel, "1 set aside")
    press(panel, f"Take back: {said}")
    planned(vase)
    assert said in warnings(vase.document.piece_plan)
    assert not vase.document.piece.meant
