"""Hands in a hurry: the wheel over everything, awkward texts in every field, shortcuts while typing, long drags.

`--attack` types every text into every field and leaves it in every way, and makes 2,000 moves instead of 150.
"""

from __future__ import annotations

import random
from collections.abc import Iterator

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QKeySequence, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QAbstractSlider, QApplication, QComboBox, QLineEdit, QScrollBar, QTabBar

from driving import choose, part, press, put_keys, type_into
from kakushi.desktop.commands import window_commands
from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.row_actions import ROW_ACTIONS
from kakushi.desktop.forms.typed import TextField, TypedField
from kakushi.desktop.stages.registry import STAGES
from kakushi.dress.kind import Surroundings
from kakushi.dress.table import KINDS as PARTS
from kakushi.formats.store.preferences import Preferences
from kakushi.model.groups import BarePoleGroup, RowsGroup, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SpiralLayer
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.session import edits, group_edits, row_edits
from kakushi.session.session import HISTORY_LIMIT

Key, Mod, Left = Qt.Key, Qt.KeyboardModifier, Qt.MouseButton.LeftButton
TEXTS = (
    "", " ", "0", "-3", "7", "4,5", "1.000,5", "1,000", "8 1/2", "1/0", "5'6\"", "2m10", "2m1", "99999999", "1e9",
    "nan", "12 parsecs", "<b>bold</b>", "שלום", "e" * 300,
)  # fmt: skip
LEAVES = ("tab", "enter", "esc", "click", "stage", "piece", "f5", "save", "undo")
DIALOGS = ("sizes", "collection", "palette", "workshop", "test_stack")
_OF_FILES = ("Ctrl+N", "Ctrl+O", "Ctrl+P", "Ctrl+Q", "Ctrl+S", "Ctrl+Shift+N", "Ctrl+Shift+P", "Ctrl+Shift+S")


def busy_job() -> Job:
    """Two pieces; the first has a part of every kind, a bare pole and a layer."""
    job = Job()
    around = Surroundings(1500.0, job.palette[0].key)
    parts = tuple(kind.made(number, around) for number, kind in enumerate(PARTS.values(), 1))
    rows = RowsGroup(rows=tuple(uniform_row(k, 4, 11, 230.0 - k) for k in range(1, 6)))
    bare = BarePoleGroup(height_mm=200, wrap="coil")
    layers = (SpiralLayer(lanes=(job.palette[0].key, job.palette[1].key)),)
    first = Piece(key=1, name="Busy", target_height_mm=1500, groups=(bare, rows), parts=parts, layers=layers)
    return replace(job, pieces=(first, Piece(key=2, name="Other", groups=(rows,))))


@pytest.fixture
def hands(window, planned, tmp_path, monkeypatch) -> Iterator[object]:
    """The window with the busy job; after the first plan nothing is planned, so that a thousand edits are quick."""
    window.document.open_job(busy_job(), None)
    planned(window)
    monkeypatch.setattr(window.document.planner, "ask", lambda *_: None)
    monkeypatch.setattr(window.document.chooser, "choose_rows", lambda *_, **__: None)
    window.files.ask_save = lambda *_: tmp_path / "hands.kakushi"
    window.files.ask_unsaved = lambda: "discard"
    window.activateWindow()
    return window


def controls(root, kinds) -> list:
    return [w for w in root.findChildren(kinds) if w.isVisible() and not isinstance(w, QScrollBar)]


def turn_wheel(widget, down: int = 120) -> None:
    """As Qt brings a wheel: to the widget under the pointer, then to what it lies in until one takes it."""
    at = widget
    while at is not None:
        middle = at.rect().center()
        spot = QPointF(at.mapToGlobal(middle))
        none, idle = Qt.MouseButton.NoButton, Qt.ScrollPhase.NoScrollPhase
        event = QWheelEvent(QPointF(middle), spot, QPoint(), QPoint(0, -down), none, Mod.NoModifier, idle, False)
        event.accept()
        if QApplication.sendEvent(at, event) and event.isAccepted():
            return
        at = at.parentWidget()


def test_the_wheel_over_any_control_changes_nothing_and_scrolls_the_panel(hands) -> None:
    job, seen = hands.document.job, 0
    for stage in STAGES:
        hands.show_stage(stage.name)
        QApplication.processEvents()
        panel, focus = hands.stage(stage.name).panel, QApplication.focusWidget()
        bar = panel.verticalScrollBar()
        for widget in controls(panel, (QComboBox, QAbstractSlider, QLineEdit, QTabBar)):
            panel.ensureWidgetVisible(widget)
            bar.setValue(min(bar.value(), bar.maximum() - 20))
            before = bar.value()
            shown = widget.currentIndex() if isinstance(widget, QComboBox) else None
            turn_wheel(widget)
            assert shown is None or widget.currentIndex() == shown, widget.accessibleName()
            assert bar.value() > before or bar.maximum() < 20, (
                f"{stage.name}: {widget.accessibleName()} holds the wheel"
            )
            seen += 1
        assert QApplication.focusWidget() is focus
    assert hands.document.job == job
    assert seen > 60


def leave(window, field, way: str) -> None:
    match way:
        case "tab":
            QTest.keyClick(field, Key.Key_Tab)
        case "enter":
            QTest.keyClick(field, Key.Key_Return)
        case "esc":
            QTest.keyClick(field, Key.Key_Escape)
        case "click":
            QTest.mouseClick(window.tally, Left)
        case "stage":
            QTest.keyClick(window, Key.Key_1, Mod.AltModifier)
        case "piece":
            window.shelf_column.shelf.setFocus()
            window.document.selection.select_piece(2)
        case "f5":
            QTest.keyClick(window, Key.Key_F5)
        case "save":
            window.files.save()
        case "undo":
            QTest.keyClick(field, Key.Key_Z, Mod.ControlModifier)


def test_esc_keeps_words_and_puts_numbers_back(hands) -> None:
    hands.show_stage("shape")
    panel, piece = hands.stage("shape").panel, hands.document.piece
    name, height = part(panel, "Piece name"), part(panel, "height")
    for field, text in ((name, "Quay gate"), (height, "3 m")):
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Key.Key_Escape)
    assert hands.document.piece.name == "Quay gate"
    assert hands.document.piece.target_height_mm == piece.target_height_mm
    hands.document.undo()
    assert hands.document.piece == piece


def test_awkward_texts_change_only_what_a_field_is_for(hands, attack) -> None:
    """One step of the history at most, and undoing it brings the job back."""
    document, chance = hands.document, random.Random(5)
    for stage in STAGES:
        hands.show_stage(stage.name)
        names = [f.accessibleName() for f in controls(hands.stage(stage.name).panel, TypedField) if f.isEnabled()]
        for name in names:
            pairs = [(text, way) for text in TEXTS for way in LEAVES]
            for text, way in pairs if attack else chance.sample(pairs, 3):
                document.selection.select_piece(1)
                hands.show_stage(stage.name)
                fields = [f for f in controls(hands.stage(stage.name).panel, TypedField) if f.accessibleName() == name]
                if not fields or not fields[0].isEnabled():
                    continue
                field, before, step = fields[0], document.job, document.session.undo_name
                shown = field.text()
                field.setFocus()
                field.selectAll()
                QTest.keyClick(field, Key.Key_Delete)
                put_keys(field, text)
                leave(hands, field, way)
                told = f"{stage.name}, {name}, {text!r}, {way}"
                # Esc keeps words, and puts numbers back.
                if way == "undo" or (way == "esc" and not isinstance(field, TextField)):
                    if way == "esc":
                        assert field.text() == shown, told
                    assert document.job == before, told
                elif document.job != before:
                    assert field.fault == "", told
                    document.undo()
                    assert document.job == before, told
                    assert document.session.undo_name == step, told
                    document.redo()
                    document.undo()
                elif way in ("tab", "enter", "click", "f5", "save") and field.fault and field.isVisible():
                    assert field.text() == text, f"{told}: what cannot be read stays as typed"
                field.set_value(field._value, of_another=True)  # a fault does not stay for the next text


def test_what_cannot_be_read_stays_blocks_nothing_and_is_named_when_saving(hands) -> None:
    hands.show_stage("shape")
    height = part(hands.stage("shape").panel, "height")
    type_into(height, "2m1")
    assert height.text() == "2m1"
    assert "cannot be read" in height.toolTip()
    type_into(part(hands.stage("shape").panel, "Copies"), "3")
    assert len(hands.document.piece.copies) == 3
    assert height.text() == "2m1", "another edit does not put the old height back"
    assert hands.files.save()
    assert "“2m1” is not taken" in hands.notice.text
    hands.document.selection.select_piece(2)
    assert height.text() != "2m1"
    assert "“2m1” was not taken" in hands.stage("shape").panel.problem.text()
    type_into(height, "2m10")
    assert hands.document.piece.target_height_mm == 2100
    assert hands.stage("shape").panel.problem.text() == "", "old words go with the next attempt"


def test_keys_in_a_field_edit_text(hands) -> None:
    document = hands.document
    keys = [command.keys for command in window_commands(hands) if command.keys and command.keys not in _OF_FILES]
    keys += [key for action in ROW_ACTIONS for key in action.keys]
    keys = [key for key in keys if key not in ("F11", "F1", "Ctrl+F5", "Ctrl+T", "Ctrl+I")]
    document.selection.select_row_at(2)
    for stage in ("brief", "shape", "stand"):
        hands.show_stage(stage)
        field = next(f for f in controls(hands.stage(stage).panel, TypedField) if f.isEnabled())
        for key in keys:
            before, piece, units = document.job, document.piece.key, document.units
            field.setFocus()
            pressed, rows = QKeySequence(key)[0], document.piece.rows
            QTest.keyClick(field, pressed.key(), pressed.keyboardModifiers())
            is_step = pressed.key() in (Key.Key_Up, Key.Key_Down)
            if "Z" not in key and not is_step and key not in ("F", "D", "P", "+", "-", "=", "Esc"):
                assert document.job == before, f"{stage}: {key}"
            assert (len(document.job.pieces), document.piece.key, document.units) == (2, piece, units), (
                f"{stage}: {key}"
            )
            assert document.piece.rows == rows, f"{stage}: {key}"
            field.set_value(field._value, of_another=True)


def test_undo_in_a_field_takes_back_what_is_typed_and_then_the_job(hands, monkeypatch) -> None:
    gap = iter(range(0, 10**6, 10))
    monkeypatch.setattr(hands.document.session, "_clock", lambda: next(gap))
    hands.show_stage("shape")
    name = part(hands.stage("shape").panel, "Piece name")
    type_into(name, "First")
    type_into(name, "Second")
    QTest.keyClicks(name, "xyz")
    QTest.keyClick(name, Key.Key_Z, Mod.ControlModifier)
    assert (name.text(), hands.document.piece.name) == ("Second", "Second")
    QTest.keyClick(name, Key.Key_Z, Mod.ControlModifier)
    assert hands.document.piece.name == "First"
    height = part(hands.stage("shape").panel, "height")
    height.setFocus()
    height.selectAll()
    QTest.keyClicks(height, "150")
    QTest.keyClick(height, Key.Key_Up)
    assert hands.document.piece.target_height_mm == 1510, "a key moves what is typed"


def test_enter_in_a_dialog_takes_the_field_and_escape_asks(hands, monkeypatch) -> None:
    asked = []
    monkeypatch.setattr(Dialog, "ask_to_leave", lambda dialog: asked.append(dialog.windowTitle()))
    for name in DIALOGS:
        getattr(hands.studio, name)()
        dialog = next(d for d in hands.findChildren(Dialog) if d.isVisible())
        studio, asked[:] = hands.document.studio, []
        for field in controls(dialog, QLineEdit):
            field.setFocus()
            QTest.keyClick(field, Key.Key_Return)
            assert dialog.isVisible(), f"{name}: {field.accessibleName()}"
        assert hands.document.studio == studio
        others = [d for d in QApplication.topLevelWidgets() if d.isVisible() and d not in (hands, dialog)]
        assert not others, f"{name}: {others}"
        fields = [f for f in controls(dialog, QLineEdit) if f.isEnabled() and not f.isReadOnly()]
        if name in ("sizes", "test_stack"):
            fields[0].setFocus()
            fields[0].setText("12 cm")
            QTest.keyClick(dialog, Key.Key_Escape)
            assert asked, name
            assert dialog.isVisible()
        dialog.leave()
        QApplication.processEvents()


def test_everything_that_can_be_pressed_says_what_it_does(hands) -> None:
    for stage in STAGES:
        hands.show_stage(stage.name)
    for name in DIALOGS:
        getattr(hands.studio, name)()
    buttons = [b for b in hands.findChildren(QAbstractButton) if b.text() and not b.isCheckable()]
    assert len(buttons) > 80
    assert [b.text() for b in buttons if not b.toolTip()] == []
    for dialog in hands.findChildren(Dialog):
        dialog.leave()


def test_menus_offer_what_can_act(hands) -> None:
    def enabled() -> int:
        actions = [a for menu in hands.menuBar().actions() for a in menu.menu().actions()]
        return sum(a.isEnabled() and not a.isSeparator() and a.menu() is None for a in actions)

    hands.show_stage("shape")
    hands.document.selection.select_row_at(1)
    busy = enabled()
    hands.show_stage("brief")
    in_brief = enabled()
    assert busy - in_brief == len(ROW_ACTIONS), "no row can be deleted from Brief"
    hands.document.open_job(Job(), None)
    assert enabled() < busy / 2


def test_a_drag_is_one_step_however_slow(hands, monkeypatch) -> None:
    document = hands.document
    now = [0.0]
    monkeypatch.setattr(document.session, "_clock", lambda: now[0])
    hands.show_stage("colour")
    skin = hands.workbench.skin
    document.selection.select_piece(2)
    QTest.qWait(200)
    seen = [(row, slot) for row in range(5) for slot in range(4)]
    places = [at for at in seen if skin.slot_at(QPointF(skin.middle_of(*at).toPoint())) == at]
    assert len(places) > 5
    spots = [skin.middle_of(*at).toPoint() for at in places]
    hands.brush.dip("signal-red")
    before = document.job
    QTest.mousePress(skin, Left, pos=spots[0])
    for at in places[1:5]:
        now[0] += 10.0
        hands.brush.touch(*at)
    assert document.stroke.is_open
    QTest.mouseRelease(skin, Left, pos=spots[4])
    assert [row.slots[slot].colour for row, slot in _slots(document.piece, places[:5])] == ["signal-red"] * 5
    assert document.job != before
    document.undo()
    assert document.job == before
    assert hands.host.current == "colour"


def _slots(piece, places):
    return [(piece.rows[row], slot) for row, slot in places]


def test_undo_shows_what_it_changed(hands) -> None:
    document = hands.document
    document.apply(row_edits.pin_row(1, 4, True))
    document.apply(edits.set_brief(event="Lantern walk"))
    document.selection.select_piece(2)
    hands.show_stage("colour")
    document.undo()
    assert hands.host.current == "brief"
    assert "Undone: edit brief." in hands.notice.text
    # The message carries the key that takes it back.
    press(hands.notice, "Redo (Ctrl+Shift+Z)")
    assert document.job.brief.event == "Lantern walk"
    press(hands.notice, "Undo (Ctrl+Z)")
    assert document.job.brief.event != "Lantern walk"
    document.undo()
    assert (hands.host.current, document.piece.key, document.selection.row.key) == ("colour", 1, 4) or (
        hands.host.current,
        document.piece.key,
        document.selection.row.key,
    ) == ("shape", 1, 4)
    document.apply(edits.remove_piece(1))
    assert document.piece.key == 2
    document.undo()
    assert document.piece.key == 1, "a piece that comes back is selected"
    assert not document.is_dirty, "an edit and its opposite leave nothing unsaved"


def test_a_job_opens_where_it_was_left(hands, tmp_path) -> None:
    document, path = hands.document, tmp_path / "hands.kakushi"
    document.selection.select_piece(2)
    document.selection.select_row_at(3)
    hands.show_stage("dress")
    assert hands.files.save()
    hands.files.new()
    assert hands.files.load(path)
    QApplication.processEvents()
    assert (hands.host.current, document.piece.key, document.selection.row_index) == ("dress", 2, 3)
    assert Preferences.model_validate_json(document.preferences.model_dump_json()).place_of(path).stage == "dress"


def test_a_long_session_is_undone_and_redone_whole(hands, attack, monkeypatch) -> None:
    document, chance = hands.document, random.Random(11)
    made = [document.job]
    document.job_changed.connect(lambda: made.append(document.job))
    gap = iter(range(0, 10**6, 10))
    monkeypatch.setattr(document.session, "_clock", lambda: next(gap))
    for _ in range(2000 if attack else 150):
        act = chance.choice((0, 1, 1, 1, 1, 4, 5))
        stage = chance.choice(STAGES).name
        panel = hands.stage(stage).panel
        if act == 0 or hands.host.current != stage:
            hands.show_stage(stage)
            document.selection.select_piece(chance.choice(document.job.pieces).key if document.job.pieces else None)
        fields = [f for f in controls(panel, TypedField) if f.isEnabled()]
        if act == 1 and fields:
            field = chance.choice(fields)
            field.setFocus()
            field.selectAll()
            put_keys(field, chance.choice(TEXTS[:13]))
            QTest.keyClick(field, chance.choice((Key.Key_Return, Key.Key_Tab, Key.Key_Up, Key.Key_Escape)))
        elif act == 4 and (boxes := controls(panel, QComboBox)):
            turn_wheel(chance.choice(boxes))
        elif act == 5:
            chance.choice((document.undo, document.redo))()
    while document.session.redo_name is not None:
        document.redo()
    end, steps, before = document.job, 0, list(made)
    while document.session.undo_name is not None:
        document.undo()
        steps += 1
    start = document.job
    assert start == before[0] or (steps == HISTORY_LIMIT - 1 and start in before), "the oldest steps go, whole"
    for _ in range(steps):
        document.redo()
    assert document.job == end
    assert steps > 3


@pytest.mark.parametrize("units", list(UnitSystem))
def test_retyping_what_is_shown_changes_nothing(hands, units: UnitSystem) -> None:
    document = hands.document
    document.set_preferences(units=units)
    document.apply(group_edits.set_bare_pole(1, 123.456, "coil"))
    before = document.job
    for stage in STAGES:
        hands.show_stage(stage.name)
        for field in controls(hands.stage(stage.name).panel, TypedField):
            shown = field.text()
            type_into(field, shown)
            assert (field.text(), field.fault) == (shown, ""), field.accessibleName()
    assert document.job == before


def test_ticks_go_on_after_a_click_into_the_lists(hands) -> None:
    hands.show_stage("build")
    panel = hands.stage("build").panel
    copies = part(panel, "Copies to build")
    QTest.mouseClick(copies.viewport(), Left, pos=QPoint(20, 8))
    focus = QApplication.focusWidget()
    assert focus is hands.stage("build").page
    hands.show_stage("dress")
    box = hands.stage("dress").panel.parts
    names = [p.key for p in hands.document.piece.parts]
    part(box, "Parts").setFocus()
    QTest.keyClick(part(box, "Parts"), Key.Key_Delete)
    assert len(hands.document.piece.parts) == len(names) - 1
    press(hands.header, "Undo")
    assert [p.key for p in hands.document.piece.parts] == names


@pytest.mark.parametrize("units", list(UnitSystem))
@pytest.mark.parametrize("name", ["workshop", "sizes"])
def test_keeping_what_nobody_touched_changes_no_studio(hands, units: UnitSystem, name: str) -> None:
    hands.document.set_preferences(units=units)
    studio = hands.document.studio
    getattr(hands.studio, name)()
    dialog = next(d for d in hands.findChildren(Dialog) if d.isVisible())
    press(dialog, "Keep")
    assert not dialog.isVisible(), dialog.problem.text()
    assert hands.document.studio == studio


def test_a_change_of_the_studio_has_its_own_way_back(hands) -> None:
    studio = hands.document.studio
    hands.studio.sizes()
    dialog = next(d for d in hands.findChildren(Dialog) if d.isVisible())
    type_into(part(dialog, "largest diameter of 11 inch"), "10 in")
    press(dialog, "Keep")
    assert hands.document.studio != studio
    assert "Undo does not reach it" in hands.notice.text
    press(hands.notice, "Take back")
    assert hands.document.studio == studio


def test_what_the_model_refuses_stays_as_typed_and_says_why(hands) -> None:
    hands.show_stage("brief")
    panel, days = hands.stage("brief").panel, hands.document.job.days
    begins = part(panel, "Work begins")
    type_into(begins, "18:30")
    assert hands.document.job.days == days
    assert (begins.text(), "at least an hour" in panel.problem.text()) == ("18:30", True)
    assert "at least an hour" in begins.toolTip()
    type_into(begins, "9:30")
    assert hands.document.job.days.from_hour == 9.5
    assert panel.problem.text() == ""


def test_a_stroke_ends_when_a_dialog_comes_between(hands) -> None:
    document = hands.document
    hands.show_stage("colour")
    document.selection.select_piece(2)
    skin = hands.workbench.skin
    QTest.qWait(200)
    places = [(row, slot) for row in range(5) for slot in range(4)]
    first, *others = [at for at in places if skin.slot_at(QPointF(skin.middle_of(*at).toPoint())) == at]
    hands.brush.dip("signal-red")
    before = document.job
    QTest.mousePress(skin, Left, pos=skin.middle_of(*first).toPoint())
    hands.studio.sizes()
    QApplication.processEvents()
    assert not document.stroke.is_open
    painted = document.job
    for at in others[:4]:
        QTest.mouseMove(skin, skin.middle_of(*at).toPoint())
    assert document.job == painted != before
    next(d for d in hands.findChildren(Dialog) if d.isVisible()).leave()
    document.undo()
    assert document.job == before


def test_half_typed_text_never_gives_the_old_value(hands) -> None:
    """Neither for another group, nor for a button that reads the field."""
    document = hands.document
    hands.show_stage("shape")
    groups = hands.stage("shape").panel.groups
    document.apply(group_edits.add_group(1, "room"))
    document.apply(group_edits.add_group(1, "room"))
    groups.list.setCurrentRow(0)
    tall = part(groups, "height it takes")
    type_into(tall, "2m1")
    groups.list.setCurrentRow(1)
    assert (tall.fault, tall.text()) == ("", "20 cm")
    hands.show_stage("prep")
    panel = hands.stage("prep").panel
    type_into(part(panel, "Setting of the trial"), "soon")
    type_into(part(panel, "measured diameter"), "20 cm")
    studio = document.studio
    press(panel, "Add trial")
    assert document.studio == studio
    assert "“soon”" in panel.problem.text()


def test_how_bags_are_chosen_stays_chosen_and_can_be_changed_back(hands) -> None:
    hands.show_stage("supplies")
    aim = part(hands.stage("supplies").panel, "How bags are chosen")
    for words in ("fewest left over", "cheapest"):
        choose(aim, words)
        assert (aim.currentText(), hands.document.workshop.wishes.aim) == (words, words)
