"""Dialogs and panels used as a person would: the palette's files, the landing trial, tracing, layers, points."""

from __future__ import annotations

from pathlib import Path

import pytest
from PIL import Image, ImageDraw
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QColorDialog, QFileDialog, QInputDialog, QMessageBox, QPushButton

from driving import choose, part, press, type_into, words
from kakushi.desktop.dialogs.import_outline import ImportOutlineDialog
from kakushi.desktop.dialogs.landing_trial import LandingTrialDialog
from kakushi.desktop.dialogs.palette import PaletteDialog
from kakushi.desktop.widgets.theme import DARK, LIGHT
from kakushi.formats.read.outline_file import read_outlines
from kakushi.formats.read.palette_gpl import read_gpl
from kakushi.model.catalogue import Studio
from kakushi.model.layers import MotifLayer
from kakushi.model.outline import PointsOutline
from kakushi.model.piece import LandingSchool
from kakushi.session import colour_edits

Key, Button = Qt.Key, Qt.MouseButton


def button(widget, words: str) -> QPushButton:
    return next(b for b in widget.findChildren(QPushButton) if b.text() == words)


@pytest.fixture
def palette(demo) -> PaletteDialog:
    demo.studio.palette()
    return next(d for d in demo.findChildren(PaletteDialog))


# --- the palette and its files ------------------------------------------------------------------


def test_a_colour_is_renamed_recoded_and_picked_by_hand(palette, demo, qtbot, monkeypatch) -> None:
    palette.list.setCurrentRow(2)
    palette.name.setText("buoy red")
    palette.name.editingFinished.emit()
    palette.code.setText("BR")
    palette.code.editingFinished.emit()
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_: QColor("#b01020"))
    qtbot.mouseClick(part(palette, "Look of the colour"), Button.LeftButton)
    colour = demo.document.job.palette[2]
    assert (colour.name, colour.code, colour.hex) == ("buoy red", "BR", "#b01020")
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_: QColor())
    qtbot.mouseClick(part(palette, "Look of the colour"), Button.LeftButton)
    assert demo.document.job.palette[2] == colour, "nothing picked, nothing changed"
    for _ in range(3):
        demo.document.undo()
    assert demo.document.job.palette[2].name == "signal red"


def test_colours_go_out_to_a_file_and_come_back(palette, demo, qtbot, tmp_path: Path, monkeypatch) -> None:
    written = tmp_path / "quay.gpl"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(written), ""))
    qtbot.mouseClick(button(palette, "Save as a GIMP palette…"), Button.LeftButton)
    assert [c.hex for c in read_gpl(written)] == [c.hex for c in demo.document.job.palette]
    before = len(demo.document.job.palette)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(written), ""))
    qtbot.mouseClick(button(palette, "From a GIMP palette…"), Button.LeftButton)
    grown = demo.document.job.palette
    assert len(grown) == 2 * before
    assert len({c.code for c in grown}) == len(grown), "codes stay different"
    assert "hard to tell apart" in words(palette)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / "no" / "way.gpl"), ""))
    qtbot.mouseClick(button(palette, "Save as a GIMP palette…"), Button.LeftButton)
    assert palette.problem.text()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "missing.png"), ""))
    qtbot.mouseClick(button(palette, "From a picture…"), Button.LeftButton)
    assert "missing.png" in palette.problem.text()
    assert demo.document.job.palette == grown


def test_the_studio_s_palette_is_taken_and_seen_with_other_eyes(palette, demo, qtbot) -> None:
    take = button(palette, "Take the studio's palette")
    demo.document.set_studio(Studio(palette=()))
    qtbot.mouseClick(take, Button.LeftButton)
    assert "no palette of its own" in palette.problem.text()
    mine = demo.document.job.palette
    demo.document.set_studio(Studio(palette=mine))
    qtbot.mouseClick(take, Button.LeftButton)
    assert "here already" in palette.problem.text()
    extra = mine[0].model_copy(update={"key": "mast", "name": "mast brown", "code": mine[0].code, "hex": "#5a4030"})
    demo.document.set_studio(Studio(palette=(*mine, extra)))
    qtbot.mouseClick(take, Button.LeftButton)
    taken = demo.document.job.palette[-1]
    assert taken.name == "mast brown"
    assert taken.code not in {c.code for c in mine}
    plain = palette.list.item(2).icon().pixmap(16, 16).toImage()
    part(palette, "Seen by").setCurrentIndex(1)
    part(palette, "Seen by").activated.emit(1)
    assert palette.list.item(2).icon().pixmap(16, 16).toImage() != plain


def test_double_stuffing_takes_two_different_plain_colours(palette, demo) -> None:
    before = demo.document.job.palette
    palette.add_stuffed("rope", "rope")
    assert "two different" in palette.problem.text()
    assert demo.document.job.palette == before
    choose(part(palette, "Outer balloon"), "sea glass")
    choose(part(palette, "Inner balloon"), "rope")
    button(palette, "Add").click()
    made = demo.document.job.palette[-1]
    assert (made.outer, made.inner, made.name) == ("sea-glass", "rope", "sea glass over rope")
    palette.add_stuffed(made.key, "rope")
    assert "two different plain ones" in palette.problem.text()
    palette.list.setCurrentRow(len(before))
    button(palette, "Remove it").click()
    assert demo.document.job.palette == before


def test_the_strip_is_walked_by_keys_and_dipped_by_clicks(demo, qtbot) -> None:
    demo.show_stage("colour")
    strip = demo.stage("colour").panel.strip
    keys = [c.key for c in demo.document.job.palette]
    qtbot.mouseClick(strip, Button.LeftButton, pos=strip.chip_box(3).center().toPoint())
    assert demo.brush.colour == keys[3]
    strip.setFocus()
    qtbot.keyClick(strip, Key.Key_Left)
    assert demo.brush.colour == keys[2]
    for _ in range(len(keys) - 1):
        qtbot.keyClick(strip, Key.Key_Right)
    assert demo.brush.colour == keys[1], "round and round"
    qtbot.mouseMove(strip, strip.chip_box(4).center().toPoint())
    qtbot.waitUntil(lambda: strip.toolTip() == demo.document.job.palette[4].name)


# --- layers -------------------------------------------------------------------------------------


def test_layers_are_shown_moved_and_removed_and_paint_with_them(demo, planned, qtbot) -> None:
    document, layers = demo.document, demo.stage("colour").panel.layers
    demo.show_stage("colour")
    usual = document.piece.layers
    layers.add_layer("bands")
    assert len(document.piece.layers) == len(usual) + 1
    press(layers, "Down")
    assert document.piece.layers[-2].kind == "bands"
    press(layers, "Down")
    assert document.piece.layers[-2].kind == "bands", "no further than the ends"

    def line(part: str):
        items = [layers.list.item(i) for i in range(layers.list.count())]
        return next(item for item in items if part in item.text())

    line("ands").setCheckState(Qt.CheckState.Unchecked)
    assert not document.piece.layers[-2].shown
    layers.list.setCurrentItem(line("ands"))
    press(layers, "Remove")
    assert [layer.kind for layer in document.piece.layers] == [layer.kind for layer in usual]
    key = document.piece.rows[0].key
    document.apply(colour_edits.paint(1, {(key, 0): "rope"}))
    planned(demo)
    assert document.piece_plan.colouring[0][0] == "rope"
    line("aint").setCheckState(Qt.CheckState.Unchecked)
    planned(demo)
    assert document.piece_plan.colouring[0][0] != "rope"
    layers.list.setCurrentItem(line("aint"))
    press(layers, "Remove")
    assert document.piece.rows[0].slots[0].colour is None


def test_a_motif_is_raised_and_turned_to_the_front(demo, planned, qtbot) -> None:
    document, layers = demo.document, demo.stage("colour").panel.layers
    demo.show_stage("colour")
    layers.add_layer("motif")
    planned(demo)
    assert isinstance(layers.layer, MotifLayer)
    assert "faces front" in words(layers)
    before = {(row.key, i): s.diameter_mm for row in document.piece.rows for i, s in enumerate(row.slots)}
    press(layers, "Raise its balloons")
    grown = [
        (row.key, i)
        for row in document.piece.rows
        for i, s in enumerate(row.slots)
        if s.diameter_mm > before[row.key, i]
    ]
    assert 0 < len(grown) < len(before)
    document.undo()
    angle = document.piece.foot_angle_deg
    press(layers, "Turn the foot by half a slot")
    assert document.piece.foot_angle_deg == pytest.approx((angle + 45) % 360)
    planned(demo)


# --- the landing trial --------------------------------------------------------------------------


def trial(keep=lambda **_: None, studio: Studio | None = None, theme=LIGHT) -> LandingTrialDialog:
    return LandingTrialDialog(studio or Studio(), LandingSchool.CLUSTER_FIRST, keep, theme)


def test_a_landing_is_told_by_keys_and_taken_back(qtbot) -> None:
    kept: list[dict[str, object]] = []
    dialog = trial(lambda **changes: kept.append(changes))
    qtbot.addWidget(dialog)
    dialog.show()
    places = dialog.places
    places.setFocus()
    assert "Where did balloon 1 land" in words(dialog)
    assert not dialog.keep_button.isEnabled()
    qtbot.keyClick(places, Key.Key_Space)
    qtbot.keyClick(places, Key.Key_Space)
    assert places.taken == [0], "a place takes one balloon"
    qtbot.keyClick(places, Key.Key_Left)
    qtbot.keyClick(places, Key.Key_Return)
    assert places.taken == [0, 3]
    qtbot.keyClick(places, Key.Key_Backspace)
    press(dialog, "Back")
    assert places.taken == []
    for place in (2, 0, 3, 1):
        places.put(place)
    assert "Your hands differ" in words(dialog)
    assert places.accessibleDescription() == "4 of 4 balloons placed."
    assert not places.grab().isNull()
    qtbot.mouseClick(dialog.keep_button, Button.LeftButton)
    assert kept[0]["landings"][0].order == (1, 3, 0, 2)
    assert kept[0]["landings"][0].count == 4


def test_another_cluster_begins_again_and_what_was_taught_is_forgotten(qtbot) -> None:
    taught = Studio()
    dialog = trial()
    qtbot.addWidget(dialog)
    for place in range(4):
        dialog.places.put(place)
    qtbot.mouseClick(dialog.keep_button, Button.LeftButton)
    taught = dialog.studio
    again = trial(studio=taught, theme=DARK)
    qtbot.addWidget(again)
    assert part(again, "Forget it").isEnabled()
    type_into(part(again, "Balloons in the cluster"), "5")
    assert again.places.count == 5
    assert not part(again, "Forget it").isEnabled()
    type_into(part(again, "Balloons in the cluster"), "4")
    press(again, "Forget it")
    assert again.studio.landings == ()
    choose(part(again, "How clusters are brought to the pole"), LandingSchool.DUPLETS_LAID_ON.value)
    assert "Lay them on" in words(again)


# --- tracing and points -------------------------------------------------------------------------


@pytest.fixture
def traced(demo, tmp_path: Path):
    picture = Image.new("RGB", (200, 320), "#efe8d8")
    ImageDraw.Draw(picture).polygon([(60, 310), (150, 310), (120, 10), (80, 10)], fill="#16605f")
    picture.save(tmp_path / "kelp.png")
    found, image = read_outlines(tmp_path / "kelp.png", 1500.0)
    dialog = ImportOutlineDialog(demo.document, DARK, "kelp.png", found, image, demo)
    dialog.resize(900, 600)
    dialog.show()
    return dialog


def test_the_subject_is_clicked_in_the_picture(traced, qtbot) -> None:
    preview = part(traced, "Preview")
    box = preview.picture_box
    qtbot.mouseClick(preview, Button.LeftButton, pos=QPointF(box.width() / 2, box.height() / 2).toPoint())
    assert traced.subject == (0x16, 0x60, 0x5F)
    assert part(traced, "Threshold").value() <= 25
    assert traced.outline is not None
    assert not preview.grab().isNull()
    press(traced, "Whatever differs from the ground")
    assert traced.subject is None
    seen = traced.outline
    qtbot.mouseClick(preview, Button.LeftButton, pos=QPointF(box.width() + 40, 10).toPoint())
    assert traced.outline == seen, "beside the picture is nothing to pick"


def test_a_threshold_that_finds_nothing_is_said_and_nothing_is_used(traced, demo, qtbot) -> None:
    before = demo.document.piece.outline
    assert "sides" in words(traced)
    traced.subject = (255, 0, 255)
    part(traced, "Threshold").setValue(3)
    assert traced.outline is None
    assert traced.problem.text()
    assert not part(traced, "Use this outline").isEnabled()
    press(traced, "Whatever differs from the ground")
    part(traced, "Threshold").setValue(50)
    assert part(traced, "Use this outline").isEnabled()
    traced.reject()
    assert demo.document.piece.outline == before


def test_the_whole_way_from_a_picture_to_the_piece(demo, tmp_path: Path, qtbot, monkeypatch) -> None:
    picture = Image.new("RGB", (200, 320), "white")
    ImageDraw.Draw(picture).ellipse((30, 20, 170, 300), fill="black")
    picture.save(tmp_path / "egg.png")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "egg.png"), ""))
    monkeypatch.setattr(ImportOutlineDialog, "exec", lambda self: self._on_use() or self.result())
    demo.import_outline()
    outline = demo.document.piece.outline
    assert isinstance(outline, PointsOutline)
    assert outline.points[-1].height_mm == pytest.approx(demo.document.piece.target_height_mm)
    before = demo.document.piece.rows
    press(demo.notice, "Choose rows (F5)")
    qtbot.waitUntil(lambda: demo.document.piece.rows != before, timeout=30_000)
    monkeypatch.setattr(ImportOutlineDialog, "exec", lambda self: 0)
    demo.import_outline()
    assert demo.document.piece.outline == outline


# --- files --------------------------------------------------------------------------------------


def test_prints_go_where_the_dialog_says_and_nowhere_when_it_is_left(demo, tmp_path: Path, monkeypatch) -> None:
    files, exports = demo.files, demo.exports
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: ("", ""))
    for write in (
        exports.export_pdf,
        exports.export_quote,
        exports.export_cost,
        exports.export_labels,
        exports.export_workbook,
        exports.export_outline,
        exports.export_csv,
        files.save_as,
    ):
        write()
    exports.export_picture(0.0)
    assert list(tmp_path.glob("*.pdf")) == []
    for write, name in (
        (exports.export_cost, "cost.pdf"),
        (exports.export_labels, "labels.pdf"),
        (exports.export_outline, "outline.svg"),
        (exports.export_workbook, "lists.xlsx"),
    ):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name, **__: (str(tmp_path / name), ""))
        write()
        assert (tmp_path / name).stat().st_size > 500
        assert name in demo.notice.text
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_: ("1 : 5", True))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / "skin.svg"), ""))
    exports.export_skin()
    assert (tmp_path / "skin.svg").read_text().startswith("<")
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_: ("1 : 5", False))
    assert exports.ask_scale() is None


@pytest.mark.parametrize(
    ("words", "answer"), [("Save", "save"), ("Leave without saving", "discard"), ("Stay here", "cancel")]
)
def test_unsaved_changes_are_asked_about(demo, monkeypatch, words: str, answer: str) -> None:
    monkeypatch.setattr(QMessageBox, "exec", lambda _: 0)
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda self: next(b for b in self.buttons() if b.text() == words))
    assert demo.files.ask_unsaved() == answer
