"""The window's commands, as its menus list them."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QMessageBox

from kakushi import __version__
from kakushi.desktop.frame.menus import Command
from kakushi.desktop.main_window import MainWindow
from kakushi.desktop.stages.registry import STAGES, key_of
from kakushi.model.cautions import GENERAL


def window_commands(window: MainWindow) -> tuple[Command, ...]:
    """Every command of the menus; “-” is a line between two."""
    listed = (*_file_commands(window), *_piece_commands(window), *_studio_commands(window), *_view_commands(window))
    return (*listed, *_help_commands(window, listed))


def _file_commands(window: MainWindow) -> tuple[Command, ...]:
    files, exports, document, has_piece = window.files, window.exports, window.document, _has_piece(window)
    return (
        Command("File", "New job", "Ctrl+N", files.new),
        Command("File", "Open…", "Ctrl+O", files.open),
        Command("File", "Open the demo job", "", files.open_demo),
        Command("File", "-", "", lambda: None),
        Command("File", "Save", "Ctrl+S", files.save),
        Command("File", "Save as…", "Ctrl+Shift+S", files.save_as),
        Command("File", "-", "", lambda: None),
        Command("File", "Print…", "Ctrl+P", exports.ask_print, when=has_piece),
        Command("File", "Quote for the client (PDF)…", "Ctrl+Shift+P", exports.export_quote, when=has_piece),
        Command("File", "Quote for the client as a picture (PNG)…", "", exports.export_quote_picture, when=has_piece),
        Command("File", "Cost sheet (PDF)…", "", exports.export_cost, when=has_piece),
        Command("File", "Labels for the bags (PDF)…", "", exports.export_labels, when=has_piece),
        Command("File", "Steps of the build (PDF)…", "", lambda: exports.export_steps(1), when=has_piece),
        Command(
            "File",
            "Days before as a calendar (ICS)…",
            "",
            exports.export_calendar,
            when=lambda: document.job.brief.event_date is not None,
        ),
        Command("File", "All lists as a workbook (XLSX)…", "", exports.export_workbook, when=has_piece),
        Command("File", "Save supplies as CSV…", "", exports.export_csv, when=has_piece),
        Command("File", "Save picture of the piece…", "", lambda: _save_picture(window), when=has_piece),
        Command("File", "Save picture of the whole job…", "", exports.export_scene, when=has_piece),
        Command("File", "Save the page for the phone (HTML)…", "", exports.export_phone, when=has_piece),
        Command("File", "Save the job in three dimensions (GLB)…", "", exports.export_glb, when=has_piece),
        Command("File", "Save the skin as SVG…", "", exports.export_skin, when=has_piece),
        Command("File", "-", "", lambda: None),
        Command("File", "Quit", "Ctrl+Q", window.close),
    )


def _piece_commands(window: MainWindow) -> tuple[Command, ...]:
    exports, document, has_piece = window.exports, window.document, _has_piece(window)
    return (
        Command("Edit", "Undo", "Ctrl+Z", document.undo, "undo", lambda: document.session.undo_name is not None),
        Command("Edit", "Redo", "Ctrl+Shift+Z", document.redo, "redo", lambda: document.session.redo_name is not None),
        Command("Edit", "History…", "Ctrl+Alt+Z", window.studio.history),
        Command("Piece", "Add a piece", "Ctrl+Shift+N", window.add_piece),
        Command("Piece", "Duplicate the piece", "Ctrl+D", window.shelf_column.duplicate_piece, when=has_piece),
        Command("Piece", "Remove the piece", "Ctrl+Backspace", window.shelf_column.remove_piece, when=has_piece),
        Command("Piece", "-", "", lambda: None),
        Command("Piece", "Outline from a file…", "Ctrl+I", window.import_outline, when=has_piece),
        Command("Piece", "Shape the outline by hand", "Ctrl+E", window.toggle_by_hand, when=has_piece),
        Command("Piece", "Save the outline as SVG…", "", exports.export_outline, when=has_piece),
        Command("Piece", "Choose rows", "F5", document.chooser.choose_rows, "choose rows", has_piece),
        Command("Piece", "Compare fits…", "Ctrl+F5", window.studio.compare, when=has_piece),
        Command("Piece", "Stop choosing or shaping", "Esc", window.stop, when=window.can_stop),
    )


def _has_piece(window: MainWindow) -> Callable[[], bool]:
    """Whether a piece is chosen that a command can act on."""
    return lambda: window.document.piece is not None


def _studio_commands(window: MainWindow) -> tuple[Command, ...]:
    document = window.document
    return (
        Command("Studio", "Test stack: how you pack…", "", window.studio.test_stack),
        Command("Studio", "Sizes and sizer…", "", window.studio.sizes),
        Command("Studio", "Collection of outlines…", "", window.studio.collection),
        Command("Studio", "Shelf of recipes…", "Ctrl+Shift+R", window.studio.recipes),
        Command("Studio", "Quick answers…", "F2", window.studio.quick_answers),
        Command("Studio", "Palette…", "", window.studio.palette),
        Command("Studio", "Landing trial…", "", window.studio.landing_trial),
        Command("Studio", "Stock, bags and rules…", "", window.studio.workshop),
        Command("Studio", "-", "", lambda: None),
        Command(
            "Studio",
            "Take back the last change of the studio",
            "",
            document.studio_keeper.take_back,
            "take back",
            when=lambda: document.studio_keeper.can_take_back,
        ),
    )


def _view_commands(window: MainWindow) -> tuple[Command, ...]:
    has_piece = _has_piece(window)
    return (
        Command("View", "Whole piece", "F", lambda: _show_whole_piece(window), when=has_piece),
        Command("View", "Zoom in", "Ctrl++", lambda: window.workbench.scale.zoom(1.2), when=has_piece),
        Command("View", "Zoom out", "Ctrl+-", lambda: window.workbench.scale.zoom(1 / 1.2), when=has_piece),
        Command("View", "From the front", "Ctrl+0", lambda: window.workbench.elevation.turn_to(0.0), when=has_piece),
        Command(
            "View", "To the row ladder", "Ctrl+L", lambda: window.host.focus_ladder(window.workbench), when=has_piece
        ),
        Command("View", "To the skin", "Ctrl+K", lambda: window.host.focus_skin(window.workbench), when=has_piece),
        Command("View", "Tying cards", "Ctrl+Shift+K", window.host.toggle_cards, when=has_piece),
        Command("View", "-", "", lambda: None),
        Command("View", "Inches or centimetres", "Ctrl+U", window.switch_units),
        Command("View", "Light or dark", "Ctrl+T", window.switch_theme),
        Command("View", "Full screen", "F11", window.toggle_full_screen),
    )


def _help_commands(window: MainWindow, others: tuple[Command, ...]) -> tuple[Command, ...]:
    return (
        Command("Help", "Manual", "F1", lambda: _show_manual(window)),
        Command("Help", "Keys", "Shift+F1", lambda: _show_shortcuts(window, others)),
        Command("Help", "Cautions", "", lambda: QMessageBox.information(window, "Cautions", "\n\n".join(GENERAL))),
        Command("Help", "About Kakushi", "", lambda: _show_about(window)),
    )


def _show_manual(window: MainWindow) -> None:
    """The manual, at the page of the open stage."""
    from kakushi.desktop.dialogs.manual import ManualDialog

    page = window.host.current if window.document.job.pieces else "start"
    window.studio.open(ManualDialog(page, window))


def _show_whole_piece(window: MainWindow) -> None:
    window.workbench.scale.fit()


def _save_picture(window: MainWindow) -> None:
    """Save the piece as it is turned now."""
    window.exports.export_picture(window.workbench.elevation.azimuth)


def _show_shortcuts(window: MainWindow, commands: tuple[Command, ...]) -> None:
    from kakushi.desktop.dialogs.shortcuts import ShortcutsDialog

    keys = [(c.keys, c.words) for c in commands if c.keys]
    keys += [(key_of(i), f"Stage {stage.name}") for i, stage in enumerate(STAGES)]
    window.studio.open(ShortcutsDialog(keys, window))


def _show_about(window: MainWindow) -> None:
    QMessageBox.about(
        window,
        "About Kakushi",
        f"Kakushi {__version__}\nPlans packed balloon columns.\n\n"
        "Free software under the GNU GPL, version 3 or later, "
        "without any warranty. Typeface: Lato (SIL OFL). Icons: Lucide (ISC).",
    )
