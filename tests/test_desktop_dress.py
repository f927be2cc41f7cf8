"""The Dress stage in the real window: eyes, fillers placed and moved by hand, undone, stopped, left in the middle."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from driving import choose, part, press, put_number, type_into, words
from kakushi.model.piece import Tightness
from kakushi.model.sizing import Sizing
from kakushi.model.values import replace
from kakushi.plan.dressing import seated_fillers
from kakushi.session.edits import piece_edit


@pytest.fixture
def dressing(demo, planned, qtbot):
    """The lighthouse wound loosely, so that its pole shows, in the Dress stage."""
    document = demo.document
    document.selection.select_piece(2)
    document.apply(piece_edit("Loose", 2, lambda piece: replace(piece, tightness=Tightness.LOOSE)))
    demo.show_stage("dress")
    planned(demo)
    qtbot.waitUntil(lambda: document.dresser.showing is not None, timeout=20_000)
    return demo


def panel_of(window):
    return window.stage("dress").panel


def fillers(window):
    return next(p for p in window.document.piece.parts if p.kind == "fillers")


def place(window, planned, qtbot) -> None:
    press(panel_of(window), "Place the clusters")
    qtbot.waitUntil(lambda: not window.document.dresser.is_placing, timeout=30_000)
    planned(window)


def test_what_shows_is_told_and_follows_the_eye(dressing, qtbot) -> None:
    panel, dresser = panel_of(dressing), dressing.document.dresser
    assert "From 8 sides" in words(panel)
    assert part(panel, "Worst spots").count() > 3
    before = dresser.showing
    choose(part(panel, "Sides looked from"), "the front")
    choose(part(panel, "Who looks"), "a child")
    qtbot.waitUntil(lambda: dresser.showing not in (None, before), timeout=20_000)
    (eye,) = dresser.showing.eyes
    assert (eye.azimuth, eye.height_mm) == (0.0, 1050.0)
    type_into(part(panel, "height of the eye"), "3 m")
    assert [e.height_mm for e in dressing.document.piece.dressing.eyes] == [3000.0]
    choose(part(panel, "Who looks"), "somebody standing")
    choose(part(panel, "Sides looked from"), "the sides that are seen")
    assert dressing.document.piece.dressing.eyes == ()


def test_fillers_are_placed_chosen_on_the_curve_moved_and_undone(dressing, planned, qtbot) -> None:
    panel, document = panel_of(dressing), dressing.document
    press(panel, "Add a set of fillers")
    put_number(part(panel, "Clusters wanted"), 5)
    planned(dressing)
    place(dressing, planned, qtbot)
    assert len(fillers(dressing).seats) == 5
    assert "hide" in words(panel)
    chart = part(panel, "What clusters hide")
    chart.setFocus()
    QTest.keyClick(chart, Qt.Key.Key_Right)
    QTest.keyClick(chart, Qt.Key.Key_Right)
    assert len(fillers(dressing).seats) == 7
    planned(dressing)
    clusters = part(panel, "Clusters")
    assert clusters.count() == 7
    clusters.setCurrentRow(1)
    assert panel.fillers.chosen_cluster() == (fillers(dressing).key, 1)
    put_number(part(panel, "Row of the cluster"), 4)
    planned(dressing)
    seat = fillers(dressing).seats[1]
    assert document.piece.rows[3].key == seat.row
    assert seat.locked
    place(dressing, planned, qtbot)
    assert seat in fillers(dressing).seats, "what was moved by hand stays"
    press(panel, "Remove cluster")
    assert len(fillers(dressing).seats) == 6
    for _ in range(20):
        document.undo()
    assert all(p.kind != "fillers" for p in document.piece.parts)
    assert panel.fillers.part is None


def test_a_cluster_is_dragged_on_the_elevation(dressing, planned, qtbot) -> None:
    panel, document = panel_of(dressing), dressing.document
    press(panel, "Add a set of fillers")
    choose(part(panel, "Sides where fillers may sit"), "front half")
    planned(dressing)
    place(dressing, planned, qtbot)
    elevation = dressing.workbench.elevation
    piece_plan = document.piece_plan
    front = min(seated_fillers(piece_plan.piece, piece_plan.assembly), key=lambda each: abs(each.centres[:, 0].mean()))
    x, z = float(front.centres[:, 0].mean()), float(front.centres[:, 2].mean())
    scale = dressing.workbench.scale
    at = QPointF(elevation._centre + x / scale.mm_per_px, scale.y(z)).toPoint()
    goal = QPointF(at) + QPointF(0, 200 / scale.mm_per_px)
    QTest.mousePress(elevation, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(elevation, (QPointF(at) + QPointF(2, 8)).toPoint())
    QTest.mouseMove(elevation, goal.toPoint())
    QTest.mouseRelease(elevation, Qt.MouseButton.LeftButton, pos=goal.toPoint())
    planned(dressing)
    moved = fillers(dressing).seats[front.place]
    assert moved.locked
    after = seated_fillers(document.piece, document.piece_plan.assembly)[front.place]
    assert after.centres[:, 2].mean() == pytest.approx(z - 200, abs=60)
    assert elevation.azimuth == 0.0, "the piece was not turned"
    QTest.mouseClick(elevation, Qt.MouseButton.LeftButton, pos=QPoint(70, 60))


def test_placing_is_stopped_and_a_change_meanwhile_drops_it(dressing, planned, qtbot) -> None:
    panel, document = panel_of(dressing), dressing.document
    press(panel, "Add a set of fillers")
    planned(dressing)
    press(panel, "Place the clusters")
    press(panel, "Stop")
    assert fillers(dressing).seats == ()
    press(panel, "Place the clusters")
    put_number(part(panel, "Balloons in a cluster"), 3)
    assert not document.dresser.is_placing
    planned(dressing)
    qtbot.wait(50)
    assert fillers(dressing).seats == ()
    assert fillers(dressing).balloons[0].count == 3
    press(panel, "Place the clusters")
    document.undo()
    dressing.show_stage("stand")
    document.selection.select_piece(1)
    qtbot.wait(100)
    dressing.show_stage("dress")
    assert panel_of(dressing).isVisible()


def test_foils_and_words_are_added_changed_and_saved_for_the_cutter(dressing, planned, qtbot, tmp_path) -> None:
    panel, document = panel_of(dressing), dressing.document
    box = panel.parts
    choose(part(box, "Kind of part to add"), "foil shape")
    press(box, "Add")
    choose(part(box, "Shape of the foil"), "letters")
    type_into(part(box, "Letters of the foil"), "quay")
    foil = document.piece.parts[-1]
    assert (foil.shape, foil.text) == ("letters", "quay")
    dressing.files.imports.ask_import = lambda _name, outlines, _image, _theme: (outlines[0], None)
    (tmp_path / "bell.csv").write_text("height,width\n0,100\n200,300\n400,50\n", encoding="utf-8")
    dressing.files.imports.ask_outline = lambda: tmp_path / "bell.csv"
    press(box, "Shape from a file…")
    assert document.piece.parts[-1].outline is not None
    choose(part(box, "Shape of the foil"), "star")
    assert document.piece.parts[-1].outline is None
    planned(dressing)
    choose(part(box, "Kind of part to add"), "lettering")
    press(box, "Add")
    type_into(part(box, "Words on the balloon"), "Ferry / Kiosk")
    assert document.piece.parts[-1].text == "Ferry\nKiosk"
    planned(dressing)
    qtbot.waitUntil(lambda: "tall; film" in words(box), timeout=20_000)
    dressing.exports._ask_export = lambda *_: tmp_path / "ferry.svg"
    part(box, "Mirrored, cut from the back").setChecked(True)
    press(box, "Save for the cutter…")
    svg = (tmp_path / "ferry.svg").read_text("utf-8")
    assert "scale(-1 1)" in svg
    assert svg.count('class="cut"') == len("FerryKiosk")
    while document.session.undo_name not in (None, "Loose"):
        document.undo()
    assert [p.kind for p in document.piece.parts] == ["topper", "flowers or grass"]


def test_the_order_and_the_fit_of_a_topper_are_told(dressing, planned, qtbot) -> None:
    panel = panel_of(dressing)
    assert "times as wide as the top row" in words(panel)
    choose(part(panel.parts, "Kind of part to add"), "hung load")
    press(panel.parts, "Add")
    put_number(part(panel.parts, "Mass"), 4)
    planned(dressing)
    qtbot.waitUntil(lambda: "order" in words(panel), timeout=20_000)
    choose(part(panel.parts, "Held by"), "ribbon and tape")
    assert "Tie a length of ribbon" in words(panel)


def test_a_ball_on_a_pipe_is_coloured_so_that_no_two_alike_touch(whole_demo, planned, qtbot) -> None:
    whole_demo.document.selection.select_piece(5)
    whole_demo.show_stage("dress")
    planned(whole_demo)
    panel = panel_of(whole_demo)
    balloons = part(panel, "Balloons of the ball")
    assert balloons.count() == 10
    for place in range(3):
        balloons.setCurrentRow(place)
        choose(part(panel, "Colour of this balloon of the ball"), "lantern yellow")
    planned(whole_demo)
    assert "of one colour touch" in words(panel)
    press(panel, "No two alike touching")
    planned(whole_demo)
    assert "No two alike touch." in words(panel)
    colours = [slot.colour for slot in whole_demo.document.piece.groups[1].slots]
    assert colours.count("lantern-yellow") == 3
    whole_demo.document.selection.select_piece(1)
    qtbot.wait(20)
    assert not balloons.isVisible()


def test_a_collar_is_placed_and_a_board_moves_with_its_row(dressing, planned, qtbot) -> None:
    document, box = dressing.document, panel_of(dressing).parts
    choose(part(box, "Kind of part to add"), "collar")
    press(box, "Add")
    planned(dressing)
    press(box, "Place it where it hides most")
    qtbot.waitUntil(lambda: document.piece.parts[-1].row is not None, timeout=20_000)
    planned(dressing)
    collar = document.piece.parts[-1]
    assert collar.balloons[0].count > 3
    assert part(box, "Height counted from").currentText().startswith("the knot of row")
    document.undo()
    assert document.piece.parts[-1].row is None
    choose(part(box, "Kind of part to add"), "board")
    press(box, "Add")
    planned(dressing)
    choose(part(box, "Height counted from"), "the knot of row 5")
    planned(dressing)
    board = document.piece_plan.parts[-1]
    assert board.row == document.piece.rows[4].key
    assert board.height_mm == pytest.approx(1200), "it stays where it was"
    type_into(part(box, "height above the row or part"), "-5 cm")
    planned(dressing)
    assert document.piece_plan.parts[-1].height_mm == pytest.approx(document.piece_plan.geometry.knots[4] - 50)
    choose(part(box, "Height counted from"), "the middle of “lantern”")
    assert document.piece.parts[-1].on == document.piece.parts[0].key


def test_fillers_of_several_sizes_and_colours(dressing, planned) -> None:
    panel = panel_of(dressing)
    press(panel.fillers, "Add a set of fillers")
    put_number(part(panel, "Different sizes of the fillers"), 3)
    assert len(fillers(dressing).sizes_mm) == 3
    put_number(part(panel, "Number of filler colours", QLineEdit), 2)
    assert [line.count for line in fillers(dressing).balloons] == [2, 2]
    press(panel, "The darker colours below")
    assert fillers(dressing).dark_below


def test_fillers_are_sized_in_strokes_and_measured_again(dressing, planned) -> None:
    panel = panel_of(dressing)
    press(panel, "Add a set of fillers")
    planned(dressing)
    assert fillers(dressing).sizing is None
    type_into(part(panel, "How the fillers are sized"), "3 strokes")
    planned(dressing)
    assert fillers(dressing).sizing == Sizing(by="strokes", amount=3)
    assert "With 3 strokes, unmeasured: about " in words(panel)
    dressing.document.undo()
    assert fillers(dressing).sizing is None
    dressing.document.redo()
    type_into(part(panel, "sized diameter of the fillers"), "9 cm")
    assert (fillers(dressing).sizing, fillers(dressing).balloons[0].diameter_mm) == (None, 90.0)
    assert part(panel, "How the fillers are sized").text() == ""
