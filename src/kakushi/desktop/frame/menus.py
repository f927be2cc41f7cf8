"""The menus: what they list, and how they are filled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar

from kakushi.desktop.document.row_actions import ROW_ACTIONS, RowActions

if TYPE_CHECKING:
    from kakushi.desktop.main_window import MainWindow


@dataclass(frozen=True, slots=True)
class Command:
    """One line of a menu."""

    menu: str
    words: str
    keys: str
    run: Callable[[], object]
    name: str = ""


@dataclass(frozen=True, slots=True)
class Menus:
    """What has to be reached again: actions by their command's name, the menu of recent files."""

    actions: dict[str, QAction]
    recent: QMenu


def commands_of(window: MainWindow) -> tuple[Command, ...]:
    """Every command of the window, menu by menu; “-” is a line between two."""
    files, document, scale = window.files, window.document, window.workbench.scale
    return (
        Command("File", "New job", "Ctrl+N", files.new),
        Command("File", "Open…", "Ctrl+O", files.open),
        Command("File", "Open the demo job", "", files.open_demo),
        Command("File", "-", "", lambda: None),
        Command("File", "Save", "Ctrl+S", files.save),
        Command("File", "Save as…", "Ctrl+Shift+S", files.save_as),
        Command("File", "-", "", lambda: None),
        Command("File", "Print the dossier (PDF)…", "Ctrl+P", files.export_pdf),
        Command("File", "Quote for the client (PDF)…", "Ctrl+Shift+P", files.export_quote),
        Command("File", "Cost sheet (PDF)…", "", files.export_cost),
        Command("File", "Labels for the bags (PDF)…", "", files.export_labels),
        Command("File", "All lists as a workbook (XLSX)…", "", files.export_workbook),
        Command("File", "Save supplies as CSV…", "", window.save_csv),
        Command("File", "Save picture of the piece…", "", window.save_picture),
        Command("File", "Save the skin as SVG…", "", files.export_skin),
        Command("File", "-", "", lambda: None),
        Command("File", "Quit", "Ctrl+Q", window.close),
        Command("Edit", "Undo", "Ctrl+Z", document.undo, "undo"),
        Command("Edit", "Redo", "Ctrl+Shift+Z", document.redo, "redo"),
        Command("Piece", "Add a piece", "Ctrl+Shift+N", window.add_piece),
        Command("Piece", "Duplicate the piece", "Ctrl+D", window.duplicate_piece),
        Command("Piece", "Remove the piece", "Ctrl+Backspace", window.remove_piece),
        Command("Piece", "-", "", lambda: None),
        Command("Piece", "Outline from a file…", "Ctrl+I", window.import_outline),
        Command("Piece", "Shape the outline by hand", "Ctrl+E", window.toggle_by_hand),
        Command("Piece", "Save the outline as SVG…", "", files.export_outline),
        Command("Piece", "Choose rows", "F5", document.chooser.choose_rows),
        Command("Piece", "Compare fits…", "Ctrl+F5", window.studio.compare),
        Command("Piece", "Stop choosing or shaping", "Esc", window.stop),
        Command("Studio", "Test stack: how you pack…", "", window.studio.test_stack),
        Command("Studio", "Sizes and sizer…", "", window.studio.sizes),
        Command("Studio", "Collection of outlines…", "", window.studio.collection),
        Command("Studio", "Palette…", "", window.studio.palette),
        Command("Studio", "Landing trial…", "", window.studio.landing_trial),
        Command("Studio", "Stock, bags and rules…", "", window.studio.workshop),
        Command("View", "Whole piece", "F", scale.fit),
        Command("View", "Zoom in", "Ctrl++", lambda: scale.zoom(1.2)),
        Command("View", "Zoom out", "Ctrl+-", lambda: scale.zoom(1 / 1.2)),
        Command("View", "From the front", "Ctrl+0", lambda: window.workbench.elevation.turn_to(0.0)),
        Command("View", "To the row ladder", "Ctrl+L", window.focus_ladder),
        Command("View", "To the skin", "Ctrl+K", window.focus_skin),
        Command("View", "Tying cards", "Ctrl+Shift+K", window.toggle_cards),
        Command("View", "-", "", lambda: None),
        Command("View", "Inches or centimetres", "Ctrl+U", window.switch_units),
        Command("View", "Light or dark", "Ctrl+T", window.switch_theme),
        Command("Help", "Keys", "F1", window.show_shortcuts),
        Command("Help", "Cautions", "", window.show_cautions),
        Command("Help", "About Kakushi", "", window.show_about),
    )


def fill_menus(bar: QMenuBar, commands: Sequence[Command], row_actions: RowActions) -> Menus:
    """Put the commands into the menu bar, with recent files under “Open…” and the row's own menu before View."""
    menus: dict[str, QMenu] = {}
    actions: dict[str, QAction] = {}
    recent = QMenu("Open recent", bar)
    for command in commands:
        menu = menus.get(command.menu) or bar.addMenu(command.menu)
        if menu is None:
            continue
        menus[command.menu] = menu
        if command.words == "-":
            menu.addSeparator()
            continue
        action = QAction(command.words, bar)
        action.setShortcut(QKeySequence(command.keys))
        action.triggered.connect(lambda _=False, run=command.run: run())
        menu.addAction(action)
        if command.name:
            actions[command.name] = action
        if command.words == "Open…":
            menu.addMenu(recent)
    rows = QMenu("Row", bar)
    for row_action in ROW_ACTIONS:
        rows.addAction(row_actions.qt_action(row_action, rows))
    bar.insertMenu(menus["View"].menuAction(), rows)
    return Menus(actions, recent)
