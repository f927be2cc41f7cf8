"""A walk over every widget of every stage and dialog, in both themes, at the sizes the window is made for."""

from __future__ import annotations

from dataclasses import fields

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QFontDatabase
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QLabel

from kakushi.desktop.stages.registry import STAGES
from kakushi.desktop.widgets import theme as themes
from kakushi.desktop.widgets.theme import THEMES
from walking import all_faults, contrast, unseen_focus

VIEWS = [(1100, 700, 1), (1280, 800, 1), (2560, 1600, 2)]
"""Width and height, px, and scale of the system font."""
FOCUSED = (1280, "dark")
"""Width and theme at which the keyboard is taken to every widget."""


@pytest.fixture
def scaled(monkeypatch):
    """Set the system font to a multiple of its size."""

    def scale(by: int) -> None:
        usual = QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont)
        usual.setPointSizeF(max(usual.pointSizeF(), themes.MIN_POINTS) * by)
        monkeypatch.setattr(themes, "system_font", lambda: usual)

    return scale


@pytest.fixture
def seen(scaled, request):
    """A window of one size and scale."""

    def open_window(wide: int, tall: int, scale: int):
        scaled(scale)
        window = request.getfixturevalue("window")
        window.resize(wide, tall)
        return window

    return open_window


def settled_faults(root, qtbot) -> list[str]:
    """What is still wrong once everything is laid out."""
    for _ in range(10):
        qtbot.wait(30)
        if not (found := all_faults(root)):
            break
    return found


@pytest.mark.parametrize(("wide", "tall", "scale"), VIEWS)
def test_every_widget_of_every_stage_can_be_read_and_reached(
    seen, request, planned, packed, qtbot, wide, tall, scale
) -> None:
    window = seen(wide, tall, scale)
    found = {f"start page: {fault}" for fault in settled_faults(window, qtbot)}
    window = request.getfixturevalue("demo")
    packed(window)
    for theme in THEMES:
        window.document.set_preferences(theme=theme)
        for stage in STAGES:
            window.show_stage(stage.name)
            planned(window)
            assert window.width() <= wide, "nothing forces the window wider"
            found |= {f"{theme}, {stage.name}: {fault}" for fault in settled_faults(window, qtbot)}
            if (wide, theme) == FOCUSED:
                window.activateWindow()
                found |= {f"{theme}, {stage.name}: {fault}" for fault in unseen_focus(window)}
    assert not found, "\n".join(sorted(found))


DIALOGS = (
    "compare", "test_stack", "sizes", "collection", "recipes", "history", "quick_answers", "palette", "landing_trial",
    "workshop",
)  # fmt: skip


@pytest.mark.parametrize(("wide", "tall", "scale"), VIEWS)
def test_every_widget_of_every_dialog_can_be_read_and_reached(seen, request, packed, qtbot, wide, tall, scale) -> None:
    seen(wide, tall, scale)
    window = request.getfixturevalue("demo")
    packed(window)
    found = set()
    menu = {action.text(): action.trigger for action in window.findChildren(QAction)}
    openers = {name: getattr(window.studio, name) for name in DIALOGS}
    openers |= {"print": window.exports.ask_print} | {name: menu[name] for name in ("Keys", "Manual")}
    for theme in THEMES:
        window.document.set_preferences(theme=theme)
        for name, opener in openers.items():
            opener()
            dialog = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible())
            left = settled_faults(dialog, qtbot)
            assert dialog.width() <= wide
            assert dialog.height() <= tall
            found |= {f"{theme}, {name}: {fault}" for fault in left}
            if (wide, theme) == FOCUSED:
                dialog.activateWindow()
                found |= {f"{theme}, {name}: {fault}" for fault in unseen_focus(dialog)}
            dialog.done(0)
            qtbot.wait(10)
    assert not found, "\n".join(sorted(found))


@pytest.mark.parametrize("theme", THEMES)
def test_every_ink_stands_out_from_its_ground(theme) -> None:
    shown = THEMES[theme]
    assert {"ink", "quiet", "warning", "accent"} <= {field.name for field in fields(shown)}
    pairs = [(ink, ground) for ink in ("ink", "quiet", "warning") for ground in ("paper", "panel", "field")]
    pairs += [("on_accent", "accent"), ("warning", "warning_soft"), ("ink", "accent_soft"), ("accent", "panel")]
    for ink, ground in pairs:
        assert contrast(shown.colour(ink), shown.colour(ground)) >= 4.5, (theme, ink, ground)


def spoken(view) -> list[str]:
    """What a screen reader finds within a drawn view."""
    return [kid.accessibleName() for kid in view.findChildren(QLabel) if kid.isVisibleTo(view)]


def test_drawn_views_tell_their_parts_to_screen_readers(demo, planned, packed, qtbot) -> None:
    document, rows = demo.document, len(demo.document.piece.rows)
    demo.show_stage("colour")
    planned(demo)
    ladder, elevation, skin = demo.workbench.ladder, demo.workbench.elevation, demo.workbench.skin
    qtbot.waitUntil(lambda: len(spoken(elevation)) == len(spoken(skin)) == rows)
    names = {colour.key: colour.name for colour in document.job.palette}
    slots = [names[key] for key in document.piece_plan.colouring[0]]
    assert spoken(skin)[0] == "Row 1: " + ", ".join(f"{place} {name}" for place, name in enumerate(slots, 1))
    seen = spoken(elevation)[0].removeprefix("Row 1, left to right: ").split(", ")
    assert 1 <= len(seen) < len(slots)
    assert set(seen) <= set(slots)
    demo.show_stage("shape")
    qtbot.waitUntil(lambda: ladder.isVisible() and len(spoken(ladder)) == rows)
    first = next(kid for kid in ladder.findChildren(QLabel) if kid.accessibleName().startswith("Row 1 of"))
    assert ladder.card_box(0).toAlignedRect() == first.geometry()
    packed(demo)
    demo.show_stage("build")
    picture = demo.stage("build").page.picture
    qtbot.waitUntil(lambda: document.builder.is_ready, timeout=20_000)
    # All of the first row stands at the second.
    for _ in range(30):
        if document.builder.step is not None and document.builder.step.row is not None:
            break
        QTest.keyClick(demo.stage("build").page, Qt.Key.Key_Space)
    QTest.keyClick(demo.stage("build").page, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: any(words.startswith("Now: Row 2") for words in spoken(picture)))
    assert any(words.startswith("Row 1 · ") for words in spoken(picture))
