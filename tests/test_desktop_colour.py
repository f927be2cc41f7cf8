"""The Colour stage as a sculptor uses it: skin, brush, layers, palette, tying cards, landing trial."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import pytest
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QDialog, QLineEdit, QPushButton, QWidget

from added_up import balloons
from driving import part, press, type_into, words
from kakushi.building.tying import cards_of
from kakushi.desktop.dialogs.landing_trial import LandingTrialDialog
from kakushi.desktop.dialogs.palette import PaletteDialog
from kakushi.desktop.document.brush import Tool
from kakushi.formats.store.studio_store import StudioStore
from kakushi.model.catalogue import Finish
from kakushi.model.layers import BandsLayer, GradientLayer, MixLayer, MotifLayer, SpiralLayer
from kakushi.model.piece import LandingSchool
from kakushi.session import edits, row_edits
from kakushi.workshop.supplies import supplies_of

Key, Button = Qt.Key, Qt.MouseButton


def named(window: QWidget, kind: type, name: str):
    found = [w for w in window.findChildren(kind) if w.accessibleName() == name]
    assert len(found) == 1, f"{name}: {len(found)}"
    return found[0]


def button(window: QWidget, words: str) -> QPushButton:
    return next(b for b in window.findChildren(QPushButton) if b.text() == words)


def opened(window, kind):
    return next(dialog for dialog in window.findChildren(QDialog) if isinstance(dialog, kind))


@pytest.fixture
def colouring(demo, planned):
    """The demo at the Colour stage, the gate column of quads chosen."""
    demo.document.selection.select_piece(1)
    demo.show_stage("colour")
    planned(demo)
    return demo


def at(window, row: int, slot: int):
    return window.workbench.skin.middle_of(row, slot).toPoint()


def colours(window) -> tuple[tuple[str, ...], ...]:
    return window.document.piece_plan.colouring


# --- the skin ------------------------------------------------------------------------------


def test_painting_by_drag_is_one_edit_and_shows_everywhere(colouring, planned, qtbot) -> None:
    window, skin = colouring, colouring.workbench.skin
    geometry, before = window.document.piece_plan.geometry, colours(window)
    window.brush.dip("signal-red")
    qtbot.mousePress(skin, Button.LeftButton, pos=at(window, 4, 1))
    qtbot.mouseMove(skin, at(window, 4, 2))
    qtbot.mouseMove(skin, at(window, 5, 2))
    qtbot.mouseRelease(skin, Button.LeftButton, pos=at(window, 5, 2))
    planned(window)
    found = window.document.piece_plan
    assert found.geometry is geometry, "a change of colour settles nothing again"
    changed = {(r, s) for r, line in enumerate(colours(window)) for s, key in enumerate(line) if key != before[r][s]}
    assert changed == {(4, 1), (4, 2), (5, 2)}
    assert {s.colour: s.needed for s in supplies_of(window.document.plan).pieces[1]}["signal-red"] == 6
    assert window.document.session.undo_name == "Paint"
    window.document.undo()
    planned(window)
    assert colours(window) == before


def test_rows_helices_picking_and_erasing(colouring, planned, qtbot) -> None:
    window, skin = colouring, colouring.workbench.skin
    window.brush.dip("rope")
    window.brush.take(Tool.ROW)
    qtbot.mouseClick(skin, Button.LeftButton, pos=at(window, 2, 0))
    planned(window)
    assert colours(window)[2] == ("rope",) * 4
    window.brush.dip("deep-teal")
    window.brush.take(Tool.HELIX_LEFT)
    qtbot.mouseClick(skin, Button.LeftButton, pos=at(window, 0, 0))
    planned(window)
    found = window.document.piece_plan
    assert [Counter(line)["deep-teal"] for line in colours(window)] == [1] * len(colours(window))
    slots = [line.index("deep-teal") for line in colours(window)]
    steps = {
        round(found.surface.slot_angle(r + 1, slots[r + 1]) - found.surface.slot_angle(r, slots[r]), 4) % 6.2832
        for r in range(len(slots) - 1)
    }
    assert len(steps) == 1, "the helix climbs evenly"
    qtbot.mouseClick(skin, Button.RightButton, pos=at(window, 2, (slots[2] + 1) % 4))
    assert window.brush.colour == "rope"
    window.brush.take(Tool.ERASE)
    qtbot.mouseClick(skin, Button.LeftButton, pos=at(window, 2, (slots[2] + 1) % 4))
    planned(window)
    assert Counter(colours(window)[2])["rope"] == 2


def test_the_skin_is_painted_by_keys(colouring, planned, qtbot) -> None:
    skin = colouring.workbench.skin
    skin.setFocus()
    for key in (Key.Key_Up, Key.Key_Right, Key.Key_3, Key.Key_Space):
        qtbot.keyClick(skin, key)
    planned(colouring)
    palette = colouring.document.job.palette
    assert Counter(c for line in colours(colouring) for c in line)[palette[2].key] == 1
    assert f"slot 2: {palette[2].name}" in skin.accessibleDescription()
    qtbot.keyClick(skin, Key.Key_Delete)
    planned(colouring)
    assert palette[2].key not in {c for line in colours(colouring) for c in line}


def test_a_block_is_repeated_and_two_colours_swapped(colouring, planned, qtbot) -> None:
    window = colouring
    window.brush.dip("lantern-yellow")
    qtbot.mouseClick(window.workbench.skin, Button.LeftButton, pos=at(window, 1, 0))
    planned(window)
    type_into(named(window, QLineEdit, "Last row of the block"), "3")
    qtbot.mouseClick(button(window, "Repeat this block up the column"), Button.LeftButton)
    planned(window)
    assert [row for row, line in enumerate(colours(window)) if line[0] == "lantern-yellow"] == list(
        range(1, len(colours(window)), 3)
    )
    before = Counter(c for line in colours(window) for c in line)
    named(window, QComboBox, "Colour to swap").chosen.emit("sail-white")
    named(window, QComboBox, "Colour to swap with").chosen.emit("rope")
    qtbot.mouseClick(button(window, "Swap these two everywhere"), Button.LeftButton)
    planned(window)
    after = Counter(c for line in colours(window) for c in line)
    assert (after["rope"], after["sail-white"]) == (before["sail-white"], 0)


# --- layers -----------------------------------------------------------------------------------


def test_layers_are_added_numbered_hidden_moved_and_removed(colouring, planned, qtbot) -> None:
    window, layers = colouring, colouring.stage("colour").panel.layers
    base = colours(window)
    for kind in ("bands", "rings", "gradient", "mix", "diamonds", "checks", "stripes", "motif", "solid"):
        layers.add_layer(kind)
        planned(window)
        assert window.document.piece.layers[-1].kind == kind
    assert len({key for line in colours(window) for key in line}) == 1, "one colour covers all"
    solid = next(i for i in range(layers.list.count()) if layers.list.item(i).text().startswith("Solid"))
    layers.list.item(solid).setCheckState(Qt.CheckState.Unchecked)
    planned(window)
    assert len({key for line in colours(window) for key in line}) > 1
    for _ in range(9):
        press(layers, "Remove")
        planned(window)
    assert colours(window) == base
    assert [layer.kind for layer in window.document.piece.layers] == ["spiral"]


def test_numbers_of_layers_are_live(colouring, planned, qtbot) -> None:
    window, layers = colouring, colouring.stage("colour").panel.layers
    hand = named(window, QComboBox, "Hand")
    hand.activated.emit(1)
    planned(window)
    layer = layers.layer
    assert isinstance(layer, SpiralLayer)
    assert layer.hand.value == "left"
    type_into(named(window, QLineEdit, "Turns back"), "3")
    planned(window)
    assert window.document.piece.layers[-1].reverse_every == 3
    layers.add_layer("bands")
    type_into(named(window, QLineEdit, "Number of band 1"), "3")
    named(window, QComboBox, "Band 2").chosen.emit("rope")
    planned(window)
    bands = window.document.piece.layers[-1]
    assert isinstance(bands, BandsLayer)
    assert [line[0] for line in colours(window)[:5]] == ["harbour-blue"] * 3 + ["rope"] * 2
    type_into(named(window, QLineEdit, "Number of bands"), "3")
    assert len(window.document.piece.layers[-1].bands) == 3
    layers.add_layer("gradient")
    type_into(named(window, QLineEdit, "Number of colours"), "3")
    qtbot.mouseClick(button(window, "Dark foot"), Button.LeftButton)
    graded = window.document.piece.layers[-1]
    assert isinstance(graded, GradientLayer)
    assert graded.colours[-1] == "sail-white"
    layers.add_layer("mix")
    type_into(named(window, QLineEdit, "Number of part 1"), "2")
    seed = window.document.piece.layers[-1].seed
    qtbot.mouseClick(button(window, "Another mix"), Button.LeftButton)
    mix = window.document.piece.layers[-1]
    assert isinstance(mix, MixLayer)
    assert mix.seed != seed
    planned(window)
    # Two parts of four are blue: half the column.
    assert Counter(key for line in colours(window) for key in line)["harbour-blue"] == 2 * len(colours(window))


def test_a_motif_is_drawn_moved_taken_from_a_picture_and_raised(colouring, planned, qtbot, tmp_path: Path) -> None:
    window, layers = colouring, colouring.stage("colour").panel.layers
    layers.add_layer("motif")
    grid = window.findChild(QWidget, "") and layers.form.findChildren(QWidget)
    grid = next(w for w in grid if w.accessibleName() == "Motif")
    window.brush.dip("signal-red")
    qtbot.mouseClick(grid, Button.LeftButton, pos=grid.cell_box(0, 0).center().toPoint())
    assert window.document.piece.layers[-1].cells[0][0] == "signal-red"
    qtbot.keyClick(grid, Key.Key_Delete)
    assert window.document.piece.layers[-1].cells[0][0] == ""
    type_into(named(window, QLineEdit, "Columns of the motif"), "5")
    assert len(window.document.piece.layers[-1].cells[0]) == 5
    picture = Image.new("RGBA", (90, 60), (0, 0, 0, 0))
    picture.paste((200, 50, 43, 255), (0, 0, 45, 60))
    picture.paste((22, 96, 95, 255), (45, 0, 90, 60))
    path = tmp_path / "flag.png"
    picture.save(path)
    window.files.imports.ask_motif = lambda: path
    qtbot.mouseClick(button(window, "From a picture…"), Button.LeftButton)
    motif = window.document.piece.layers[-1]
    assert isinstance(motif, MotifLayer)
    assert (motif.cells[0][0], motif.cells[0][-1]) == ("signal-red", "deep-teal")
    planned(window)
    sizes = window.document.piece_plan.distinct_sizes
    qtbot.mouseClick(button(window, "Raise its balloons"), Button.LeftButton)
    planned(window)
    assert window.document.piece_plan.distinct_sizes == sizes + 1
    qtbot.mouseClick(button(window, "Level them again"), Button.LeftButton)
    planned(window)
    assert window.document.piece_plan.distinct_sizes == sizes
    (tmp_path / "broken.png").write_bytes(path.read_bytes()[:60])
    window.files.imports.ask_motif = lambda: tmp_path / "broken.png"
    before = window.document.job
    qtbot.mouseClick(button(window, "From a picture…"), Button.LeftButton)
    assert "damaged" in window.notice.text
    assert window.document.job == before


def test_colours_outlive_rows_and_counts(colouring, planned) -> None:
    """Layers recompute; hand paint goes with its row, and with its slot while that is there."""
    window, document = colouring, colouring.document
    window.brush.dip("rope")
    window.brush.begin()
    window.brush.touch(5, 1)
    planned(window)
    document.apply(row_edits.delete_row(1, document.piece.rows[0].key))
    planned(window)
    assert [row for row, line in enumerate(colours(window)) if "rope" in line] == [4]
    document.apply(row_edits.set_row_count(1, document.piece.rows[4].key, 5))
    planned(window)
    assert colours(window)[4][1] == "rope"
    assert Counter(colours(window)[4])["rope"] == 1
    document.undo()
    document.undo()
    planned(window)
    assert [row for row, line in enumerate(colours(window)) if "rope" in line] == [5]


# --- palette --------------------------------------------------------------------------------------


def test_the_palette_is_edited_checked_and_exchanged(colouring, planned, qtbot, tmp_path: Path) -> None:
    window = colouring
    window.studio.palette()
    dialog = opened(window, PaletteDialog)
    codes = {c.code for c in window.document.job.palette}
    dialog.add()
    dialog.add()
    assert len({c.code for c in window.document.job.palette}) == len(codes) + 2
    dialog.change(code="HB")
    assert "already stands" in dialog.problem.text()
    dialog.change(hex="#zzz")
    assert "was not changed" in dialog.problem.text()
    dialog.change(hex="#2f609e", finish=Finish.METALLIC, name="night")
    assert window.document.job.palette[-1].name == "night"
    dialog.add_stuffed("sea-glass", "sail-white")
    stuffed = window.document.job.palette[-1]
    assert (stuffed.outer, stuffed.inner) == ("sea-glass", "sail-white")
    window.brush.dip(stuffed.key)
    window.brush.begin()
    window.brush.touch(0, 0)
    planned(window)
    inner = [u for u in balloons(window.document.plan) if u.role == "inner balloon"]
    assert [(u.colour, u.count) for u in inner] == [("sail-white", 1)]
    press(dialog, "Remove it")
    assert "still used" in dialog.problem.text()
    count = len(window.document.job.palette)
    (tmp_path / "two.gpl").write_text("GIMP Palette\nName: x\n#\n255 0 0 hot\n  0 0 255\tcold sea\n")
    dialog.take_gpl(tmp_path / "two.gpl")
    assert [c.name for c in window.document.job.palette[count:]] == ["hot", "cold sea"]
    Image.new("RGB", (40, 40), (10, 200, 30)).save(tmp_path / "green.png")
    dialog.take_picture(tmp_path / "green.png")
    assert window.document.job.palette[-1].hex == "#0ac81e"
    (tmp_path / "no.gpl").write_text("nothing")
    dialog.take_gpl(tmp_path / "no.gpl")
    assert "is not a GIMP palette" in dialog.problem.text()
    press(dialog, "Keep as the studio's palette")
    window.document.studio_keeper.finish()
    assert StudioStore(window.document.studio_file).load().palette == window.document.job.palette


# --- tying ------------------------------------------------------------------------------------------


def test_cards_follow_the_habits_and_the_hands(colouring, planned, packed, qtbot) -> None:
    window, panel = colouring, colouring.stage("colour").panel
    qtbot.mouseClick(panel.cards, Button.LeftButton)
    duplets = part(window, "Duplets to tie for the whole job")
    assert duplets.isVisible()
    packed(window)
    assert duplets.item(0, 1) is not None

    def kinds() -> set[str]:
        cards = [c for c in cards_of(window.document.plan) if c.rows[0].piece == 1]
        return {"+".join(sorted({b.colour for b in kind})) for card in cards for kind in card.kinds()}

    assert kinds() == {"harbour-blue+sail-white"}
    named(window, QComboBox, "How clusters are brought to the pole").activated.emit(
        list(LandingSchool).index(LandingSchool.LINE_BUILT)
    )
    planned(window)
    assert kinds() == {"harbour-blue", "sail-white"}
    window.document.undo()
    planned(window)
    window.studio.landing_trial()
    dialog = opened(window, LandingTrialDialog)
    # Hands that come back to where they were: as with two half turns.
    for place in range(4):
        spot = dialog.places.middle_of(place).toPoint()
        qtbot.mouseClick(dialog.places, Button.LeftButton, pos=spot)
    assert "2 half turns" in words(dialog)
    qtbot.mouseClick(dialog.keep_button, Button.LeftButton)
    planned(window)
    window.document.studio_keeper.finish()
    assert StudioStore(window.document.studio_file).load().landings[0].order == (0, 1, 2, 3)
    assert kinds() == {"harbour-blue", "sail-white"}
    cards = [c for c in cards_of(window.document.plan) if c.rows[0].piece == 1]
    assert cards[0].tying.learnt


def test_the_skin_is_saved_with_pages_where_it_is_large(colouring, tmp_path: Path) -> None:
    files, exports = colouring.files, colouring.exports
    exports.ask_scale = lambda: 0.5
    files.ask_save = lambda *_: tmp_path / "skin.svg"
    exports.export_skin()
    saved = sorted(path.name for path in tmp_path.glob("*.svg"))
    assert saved[-1] == "skin.svg"
    assert f"{len(saved) - 1} pages" in colouring.notice.text


def test_faults_are_told_in_the_panel(colouring, planned) -> None:
    window = colouring
    window.brush.dip("rope")
    window.brush.begin()
    window.brush.touch(3, 0)
    planned(window)
    assert "leave the spiral in row 4" in words(window.stage("colour").panel)
    palette = list(window.document.job.palette)
    near = palette[4].model_copy(update={"key": "near-rope", "name": "dune", "code": "DN", "hex": "#c8a778"})
    window.document.apply(edits.set_palette([*palette, near]))
    window.brush.dip("near-rope")
    window.brush.begin()
    window.brush.touch(5, 0)
    planned(window)
    assert "Dune and rope can hardly be told apart" in words(window.stage("colour").panel).replace(
        "Rope and dune", "Dune and rope"
    )
