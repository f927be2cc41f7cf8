"""Panels, fields, pages and pictures of the window, one thing at a time."""

from __future__ import annotations

import dataclasses
import datetime as dt
import itertools
import threading

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QToolButton,
)

from driving import part, words
from kakushi.desktop.frame.tally import figures, height_figure
from kakushi.desktop.views import piece_image
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.views.piece_image import Look, PictureRequest, picture_of
from kakushi.desktop.widgets.painting import ink_on
from kakushi.desktop.widgets.theme import THEMES
from kakushi.model.groups import uniform_row
from kakushi.model.units import UnitSystem, inches
from kakushi.session import edits, row_edits
from kakushi.shape.presets import handle_values
from kakushi.sight.buffers import draw_buffers
from test_desktop_parts import contrast
from test_desktop_stories import named, press, type_into

Key = Qt.Key


def wheel(widget, at: QPointF, notches: int, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    turned = QPoint(0, 120 * notches)
    widget.wheelEvent(
        QWheelEvent(
            at,
            QPointF(widget.mapToGlobal(at.toPoint())),
            turned,
            turned,
            Qt.MouseButton.NoButton,
            modifiers,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
    )


def test_the_brief_keeps_what_is_typed(demo, qtbot) -> None:
    demo.show_stage("brief")
    type_into(qtbot, named(demo, QLineEdit, "Title"), "Quay at dusk")
    type_into(qtbot, named(demo, QLineEdit, "Event"), "Lantern walk")
    type_into(qtbot, named(demo, QLineEdit, "Event date"), "2 Jul 2027")
    notes = named(demo, QPlainTextEdit, "Notes")
    notes.setFocus()
    qtbot.keyClicks(notes, "Low door. ")
    place = named(demo, QComboBox, "Place")
    place.setCurrentText("indoors")
    place.activated.emit(0)
    brief = demo.document.job.brief
    assert (brief.title, brief.event, brief.event_date) == ("Quay at dusk", "Lantern walk", dt.date(2027, 7, 2))
    assert brief.place == "indoors"
    assert brief.notes.startswith("Low door. ")
    assert "Quay at dusk" in words(demo.header)
    type_into(qtbot, named(demo, QLineEdit, "Event date"), "not known yet")
    assert demo.document.job.brief.event_date is None
    demo.document.undo()
    assert demo.document.job.brief.event_date == dt.date(2027, 7, 2)
    type_into(qtbot, named(demo, QLineEdit, "Title"), "   ")
    assert demo.document.job.brief.title == "Quay at dusk", "a job always has a title"
    assert "needs a title" in demo.stage("brief").panel.problem.text()


def test_lengths_step_by_keys_and_keep_the_limits(demo, qtbot) -> None:
    height = named(demo, QLineEdit, "height")
    height.setFocus()
    press(qtbot, height, Key.Key_Up, Key.Key_Up)
    assert demo.document.piece.target_height_mm == pytest.approx(2120)
    demo.switch_units()
    assert height.text() == "83½″"
    press(qtbot, height, Key.Key_Down)
    assert demo.document.piece.target_height_mm == pytest.approx(inches(83))
    demo.document.undo()
    assert demo.document.piece.target_height_mm == pytest.approx(2100), "steps of one field undo together"
    demo.document.apply(edits.set_piece(1, "Change height", target_height_mm=20_000))
    press(qtbot, height, Key.Key_Up)
    assert demo.document.piece.target_height_mm == 20_000


def test_outline_handles_follow_the_preset(demo, planned, qtbot) -> None:
    rows = demo.document.piece.rows
    qtbot.mouseClick(named(demo, QToolButton, "Outline bottle"), Qt.MouseButton.LeftButton)
    type_into(qtbot, named(demo, QLineEdit, "shoulder, share of height"), "62")
    type_into(qtbot, named(demo, QLineEdit, "neck width"), "31 cm")
    piece = demo.document.piece
    values = handle_values(piece.outline, piece.target_height_mm)
    assert (values["shoulder"], values["neck"]) == (pytest.approx(0.62), 310)
    planned(demo)
    assert 2 * demo.document.piece_plan.profile.left[-1] == pytest.approx(310)
    assert demo.document.piece.rows == rows, "rows stay until they are chosen anew"
    assert demo.document.piece_plan.match.mean < 0.92


def test_what_may_be_used_is_never_empty(demo, qtbot) -> None:
    four = named(demo, QToolButton, "Rows of 4")
    qtbot.mouseClick(four, Qt.MouseButton.LeftButton)
    assert demo.document.piece.fit.counts == (4,)
    assert four.isChecked()
    assert "must stay on" in demo.stage("shape").panel.problem.text()
    qtbot.mouseClick(named(demo, QToolButton, "Rows of 5"), Qt.MouseButton.LeftButton)
    qtbot.mouseClick(named(demo, QToolButton, "Nominal size 9 inches"), Qt.MouseButton.LeftButton)
    assert demo.document.piece.fit.counts == (4, 5)
    assert demo.document.piece.fit.nominals == (5, 11)
    assert not demo.stage("shape").panel.problem.isVisible()


def test_the_fit_can_be_stopped_by_key(demo, planned, qtbot) -> None:
    demo.document.selection.select_piece(3)
    before = demo.document.piece.rows
    demo.document.chooser.choose_rows()
    assert "Choosing" in demo.notice.text
    press(qtbot, demo, Key.Key_Escape)
    assert "Stopped" in demo.notice.text
    planned(demo)
    assert demo.document.piece.rows == before


def test_a_height_that_misses_is_said_in_words(demo, planned) -> None:
    demo.document.apply(row_edits.delete_row(1, 4))
    planned(demo)
    found = demo.document.piece_plan
    figure = height_figure(found, UnitSystem.METRIC)
    assert figure.off
    assert figure.words.endswith("cm short")
    for _ in range(3):
        demo.document.apply(row_edits.duplicate_row(1, 5))
    planned(demo)
    assert height_figure(demo.document.piece_plan, UnitSystem.INCHES).words.endswith("″ too tall")
    demo.document.apply(row_edits.replace_rows(1, ()))
    planned(demo)
    assert [f.words for f in figures(demo.document.piece_plan, demo.document.wording)] == ["no rows yet"]


def test_each_figure_leads_to_its_stage(demo, qtbot) -> None:
    demo.show_stage("brief")
    count = next(b for b in demo.tally.findChildren(QPushButton) if "balloons" in b.text())
    qtbot.mouseClick(count, Qt.MouseButton.LeftButton)
    assert demo.stage("supplies").view().isVisible()
    height = next(b for b in demo.tally.findChildren(QPushButton) if "height" in b.text())
    qtbot.mouseClick(height, Qt.MouseButton.LeftButton)
    assert demo.workbench.isVisible()


def test_sixty_rows_stay_readable_around_the_selected_one(demo, planned, qtbot) -> None:
    rows = tuple(uniform_row(k + 1, 4, 5, inches(4.5)) for k in range(60))
    demo.document.apply(row_edits.replace_rows(1, rows))
    planned(demo)
    ladder = demo.workbench.ladder
    demo.document.selection.select_row_at(40)
    boxes = [ladder.card_box(i) for i in range(60)]
    assert boxes[40].height() > 18
    assert all(b.top() >= 0 and b.bottom() <= ladder.height() for b in boxes)
    assert all(upper.bottom() <= lower.top() + 0.01 for lower, upper in itertools.pairwise(boxes))
    ladder.repaint()
    wheel(ladder, QPointF(10, 300), 4, Qt.KeyboardModifier.ControlModifier)
    wheel(demo.workbench.elevation, QPointF(200, 300), 2, Qt.KeyboardModifier.ControlModifier)
    wheel(demo.workbench.elevation, QPointF(200, 300), -1)
    assert not demo.workbench.scale.is_fitted
    assert ladder.row_at(QPointF(ladder.width() / 2, -500)) is None
    press(qtbot, ladder, Key.Key_End)
    assert demo.document.selection.row_index == 59
    press(qtbot, ladder, Key.Key_Home)
    assert demo.document.selection.row_index == 0


def test_clicking_beside_the_cards_selects_nothing(demo, qtbot) -> None:
    demo.document.selection.select_row_at(2)
    qtbot.mouseClick(
        demo.workbench.ladder, Qt.MouseButton.LeftButton, pos=QPoint(200, demo.workbench.ladder.height() - 2)
    )
    assert demo.document.selection.row is None
    assert part(demo, "height").isVisible()


def test_the_piece_image_draws_only_what_changed(demo, monkeypatch, qtbot) -> None:
    qtbot.waitUntil(lambda: demo.workbench.elevation.is_drawn, timeout=5000)
    drawn = []
    monkeypatch.setattr(piece_image, "draw_buffers", lambda *what: drawn.append(what) or draw_buffers(*what))
    found, job = demo.document.piece_plan, demo.document.plan.job
    wish = PictureRequest(found, job, Look(300, 400, 6.0, -900.0, 2200.0, 0.0), 1.0, ())
    first = picture_of(wish)
    lit = picture_of(dataclasses.replace(wish, lit=(3,)), first)
    assert len(drawn) == 1, "lighting a row draws no spheres again"
    assert lit.image != first.image
    fine = picture_of(dataclasses.replace(wish, ratio=2.0), lit)
    assert (fine.image.width(), fine.image.devicePixelRatio()) == (600, 2.0)
    assert fine.row_at(found, wish.look, 5, 5) is None
    row = first.row_at(found, wish.look, 150, 300)
    assert row == fine.row_at(found, wish.look, 150, 300) is not None
    nearer = Look(300, 400, 3.0, -450.0, 1100.0, 0.0)
    assert first.row_at(found, nearer, 150, 233) == row, "pointed at while another scale is drawn"


def test_a_picture_on_its_way_makes_room_for_the_newest_wish(demo, qtbot) -> None:
    drawing, going, begun, made = Drawing(demo.document, demo), threading.Event(), threading.Event(), []

    def draw(name: str) -> str:
        begun.set()
        going.wait(5)
        made.append(name)
        return name

    drawing.want("first", lambda: draw("first"))
    qtbot.waitUntil(begun.is_set, timeout=5000)
    for name in ("second", "third"):
        drawing.want(name, lambda name=name: draw(name))
    drawing.want("third", lambda: draw("third again"))
    shown = []
    drawing.drawn.connect(lambda: shown.append(drawing.picture))
    going.set()
    qtbot.waitUntil(lambda: drawing.is_current, timeout=5000)
    assert made == shown == ["first", "third"]
    going.clear()
    begun.clear()
    drawing.want("late", lambda: draw("late"))
    qtbot.waitUntil(begun.is_set, timeout=5000)
    drawing.forget()
    going.set()
    qtbot.waitUntil(lambda: "late" in made, timeout=5000)
    qtbot.wait(20)
    assert drawing.picture is None


def test_codes_stay_readable_on_every_colour(demo) -> None:
    for colour in demo.document.job.palette:
        ground = QColor(colour.hex)
        assert contrast(ink_on(ground).name(), colour.hex) >= 3.0


def test_the_shelf_draws_all_pieces_to_one_scale(demo, qtbot) -> None:
    heights = {}
    last = demo.shelf_column.shelf.item(demo.shelf_column.shelf.count() - 1)
    qtbot.waitUntil(lambda: not last.icon().isNull(), timeout=5000)
    for index in range(demo.shelf_column.shelf.count()):
        image = demo.shelf_column.shelf.item(index).icon().pixmap(74, 150).toImage()
        alpha = [image.pixelColor(37, y).alpha() > 0 for y in range(image.height())]
        heights[demo.shelf_column.shelf.item(index).text().split("\n")[0]] = sum(alpha)
    plans = {p.piece.name: p.overall_height_mm for p in demo.document.plan.pieces}
    ratio = heights["Lighthouse"] / heights["Glass-float vase"]
    assert ratio == pytest.approx(plans["Lighthouse"] / plans["Glass-float vase"], rel=0.12)
    # In another theme the floor has its colour.
    floor = QPoint(4, 145)
    for theme in THEMES.values():
        demo.document.set_preferences(theme=theme.name)
        qtbot.waitUntil(
            lambda line=theme.line: last.icon().pixmap(74, 150).toImage().pixelColor(floor).name() == line, timeout=5000
        )


def test_pieces_are_moved_on_the_shelf_by_keys_and_by_dragging(demo, planned, packed, qtbot) -> None:
    shelf, document = demo.shelf_column.shelf, demo.document
    names = [piece.name for piece in document.job.pieces]

    def shown() -> list[str]:
        return [shelf.item(index).text().split("\n")[0].split(" × ")[0] for index in range(shelf.count())]

    shelf.setFocus()
    shelf.setCurrentRow(0)
    QTest.keyClick(shelf, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert shown() == [names[1], names[0], *names[2:]]
    assert document.piece.name == names[0], "the moved piece stays selected"
    QTest.keyClick(shelf, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    QTest.keyClick(shelf, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert shown() == names

    def drag(first: int, to: QPoint) -> None:
        start = shelf.visualItemRect(shelf.item(first)).center()
        QTest.mousePress(shelf.viewport(), Qt.MouseButton.LeftButton, pos=start)
        for at in (start + QPoint(0, 30), to):
            QTest.mouseMove(shelf.viewport(), at)
            event = QMouseEvent(
                QEvent.Type.MouseMove, QPointF(at), QPointF(at), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
            )  # fmt: skip
            shelf.mouseMoveEvent(event)
        QTest.mouseRelease(shelf.viewport(), Qt.MouseButton.LeftButton, pos=to)

    drag(0, shelf.visualItemRect(shelf.item(2)).center() + QPoint(20, 0))
    assert shown() == [names[1], names[2], names[0], *names[3:]]
    document.undo()
    assert shown() == names
    drag(0, QPoint(shelf.width() + 300, 40))
    assert shown() == names, "let go outside, it stays"
    packed(demo)
    qtbot.waitUntil(lambda: "tips in the wind" in shelf.item(names.index("Lighthouse")).text())
