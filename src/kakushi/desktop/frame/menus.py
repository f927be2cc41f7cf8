"""The menus: what they list, and how they are filled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar, QMessageBox

from kakushi import __version__
from kakushi.desktop.document.row_actions import ROW_ACTIONS, RowActions
from kakushi.desktop.stages.registry import STAGES
from kakushi.desktop.widgets.typing import take_over
from kakushi.model.cautions import GENERAL

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


class Menus:
    """What has to be reached again: actions by their command's name, the menu of recent files."""

    def __init__(self, actions: dict[str, QAction], recent: QMenu) -> None:
        self._actions, self._recent = actions, recent

    def name_history(self, undo: str | None, redo: str | None) -> None:
        """Say what undo takes back and redo brings back."""
        for name, what in (("undo", undo), ("redo", redo)):
            self._actions[name].setText(history_words(name, what))
            self._actions[name].setEnabled(what is not None)

    def show_recent(self, paths: Sequence[Path], open_path: Callable[[Path], object]) -> None:
        """List recent files."""
        self._recent.clear()
        self._recent.setEnabled(bool(paths))
        for path in paths:
            action = self._recent.addAction(path.name)
            if action is not None:
                action.setToolTip(str(path))
                action.triggered.connect(lambda _=False, path=path: open_path(path))


class Commands:
    """What a menu needs of the window: its commands, menu by menu."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window

    @property
    def listed(self) -> tuple[Command, ...]:
        """Every command; “-” is a line between two."""
        return (*_file_commands(self._window), *_piece_commands(self._window), *_other_commands(self._window, self))

    def show_whole_piece(self) -> None:
        """Fit the piece into the elevation."""
        self._window.workbench.scale.fit()

    def show_shortcuts(self) -> None:
        """All keys."""
        from kakushi.desktop.dialogs.shortcuts import ShortcutsDialog

        keys = [(c.keys, c.words) for c in self.listed if c.keys]
        keys += [(f"Alt+{i}", f"Stage {stage.name}") for i, stage in enumerate(STAGES, 1)]
        self._window.studio.open(ShortcutsDialog(keys, self._window))

    def show_cautions(self) -> None:
        """Show the cautions."""
        QMessageBox.information(self._window, "Cautions", "\n\n".join(GENERAL))

    def show_about(self) -> None:
        """Show version and licences."""
        QMessageBox.about(
            self._window,
            "About Kakushi",
            f"Kakushi {__version__}\nPlans packed balloon columns.\n\n"
            "Free software under the GNU GPL, version 3 or later, "
            "without any warranty. Typeface: Lato (SIL OFL). Icons: Lucide (ISC).",
        )


def _file_commands(window: MainWindow) -> tuple[Command, ...]:
    files, exports = window.files, window.exports
    return (
        Command("File", "New job", "Ctrl+N", files.new),
        Command("File", "Open…", "Ctrl+O", files.open),
        Command("File", "Open the demo job", "", files.open_demo),
        Command("File", "-", "", lambda: None),
        Command("File", "Save", "Ctrl+S", files.save),
        Command("File", "Save as…", "Ctrl+Shift+S", files.save_as),
        Command("File", "-", "", lambda: None),
        Command("File", "Print the dossier (PDF)…", "Ctrl+P", exports.export_pdf),
        Command("File", "Quote for the client (PDF)…", "Ctrl+Shift+P", exports.export_quote),
        Command("File", "Cost sheet (PDF)…", "", exports.export_cost),
        Command("File", "Labels for the bags (PDF)…", "", exports.export_labels),
        Command("File", "All lists as a workbook (XLSX)…", "", exports.export_workbook),
        Command("File", "Save supplies as CSV…", "", exports.export_csv),
        Command("File", "Save picture of the piece…", "", window.save_picture),
        Command("File", "Save the skin as SVG…", "", exports.export_skin),
        Command("File", "-", "", lambda: None),
        Command("File", "Quit", "Ctrl+Q", window.close),
    )


def _piece_commands(window: MainWindow) -> tuple[Command, ...]:
    exports, document = window.exports, window.document
    return (
        Command("Edit", "Undo", "Ctrl+Z", document.undo, "undo"),
        Command("Edit", "Redo", "Ctrl+Shift+Z", document.redo, "redo"),
        Command("Piece", "Add a piece", "Ctrl+Shift+N", window.add_piece),
        Command("Piece", "Duplicate the piece", "Ctrl+D", window.shelf_column.duplicate_piece),
        Command("Piece", "Remove the piece", "Ctrl+Backspace", window.shelf_column.remove_piece),
        Command("Piece", "-", "", lambda: None),
        Command("Piece", "Outline from a file…", "Ctrl+I", window.import_outline),
        Command("Piece", "Shape the outline by hand", "Ctrl+E", window.toggle_by_hand),
        Command("Piece", "Save the outline as SVG…", "", exports.export_outline),
        Command("Piece", "Choose rows", "F5", document.chooser.choose_rows),
        Command("Piece", "Compare fits…", "Ctrl+F5", window.studio.compare),
        Command("Piece", "Stop choosing or shaping", "Esc", window.stop),
    )


def _other_commands(window: MainWindow, commands: Commands) -> tuple[Command, ...]:
    return (
        Command("Studio", "Test stack: how you pack…", "", window.studio.test_stack),
        Command("Studio", "Sizes and sizer…", "", window.studio.sizes),
        Command("Studio", "Collection of outlines…", "", window.studio.collection),
        Command("Studio", "Palette…", "", window.studio.palette),
        Command("Studio", "Landing trial…", "", window.studio.landing_trial),
        Command("Studio", "Stock, bags and rules…", "", window.studio.workshop),
        Command("View", "Whole piece", "F", commands.show_whole_piece),
        Command("View", "Zoom in", "Ctrl++", lambda: window.workbench.scale.zoom(1.2)),
        Command("View", "Zoom out", "Ctrl+-", lambda: window.workbench.scale.zoom(1 / 1.2)),
        Command("View", "From the front", "Ctrl+0", lambda: window.workbench.elevation.turn_to(0.0)),
        Command("View", "To the row ladder", "Ctrl+L", window.focus_ladder),
        Command("View", "To the skin", "Ctrl+K", window.focus_skin),
        Command("View", "Tying cards", "Ctrl+Shift+K", window.toggle_cards),
        Command("View", "-", "", lambda: None),
        Command("View", "Inches or centimetres", "Ctrl+U", window.switch_units),
        Command("View", "Light or dark", "Ctrl+T", window.switch_theme),
        Command("Help", "Keys", "F1", commands.show_shortcuts),
        Command("Help", "Cautions", "", commands.show_cautions),
        Command("Help", "About Kakushi", "", commands.show_about),
    )


def history_words(name: str, what: str | None) -> str:
    """“Undo resize row”: what undo or redo does."""
    return f"{name.capitalize()} {what[0].lower()}{what[1:]}" if what else name.capitalize()


def fill_menus(bar: QMenuBar, commands: Commands, row_actions: RowActions) -> Menus:
    """Put the commands into the menu bar, with recent files under “Open…” and the row's own menu before View."""
    menus: dict[str, QMenu] = {}
    actions: dict[str, QAction] = {}
    recent = QMenu("Open recent", bar)
    for command in commands.listed:
        menu = menus.get(command.menu) or bar.addMenu(command.menu)
        if menu is None:
            continue
        menus[command.menu] = menu
        if command.words == "-":
            menu.addSeparator()
            continue
        action = QAction(command.words, bar)
        action.setShortcut(QKeySequence(command.keys))
        action.triggered.connect(lambda _=False, run=command.run: _run(run))
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


def _run(command: Callable[[], object]) -> None:
    """Run a command on what is typed: chosen in a menu by keys, no click or shortcut has taken over yet."""
    take_over()
    command()
