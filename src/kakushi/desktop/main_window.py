"""The window: assembles the parts and the menus; holds no logic of its own."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent, QGuiApplication
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QMenuBar,
    QMessageBox,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kakushi import __version__
from kakushi.desktop.dialogs.shortcuts import ShortcutsDialog
from kakushi.desktop.document.brush import Brush
from kakushi.desktop.document.document import Document
from kakushi.desktop.document.row_actions import RowActions
from kakushi.desktop.frame.files import Files
from kakushi.desktop.frame.header import Header, StageBar, themed_button, units_words
from kakushi.desktop.frame.menus import commands_of, fill_menus
from kakushi.desktop.frame.notice import Notice
from kakushi.desktop.frame.shelf import Shelf
from kakushi.desktop.frame.start_page import StartPage
from kakushi.desktop.frame.studio_dialogs import StudioDialogs
from kakushi.desktop.frame.tally import Tally
from kakushi.desktop.stages.brief.panel import BriefPanel
from kakushi.desktop.stages.colour.panel import ColourPanel
from kakushi.desktop.stages.colour.tying_page import TyingPage
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.stages.prep.page import PrepPage
from kakushi.desktop.stages.prep.panel import PrepPanel
from kakushi.desktop.stages.shape.panel import ShapePanel
from kakushi.desktop.stages.stand.panel import StandPanel
from kakushi.desktop.stages.supplies.page import SuppliesPage
from kakushi.desktop.stages.supplies.panel import SuppliesPanel
from kakushi.desktop.views.workbench import Workbench
from kakushi.desktop.widgets.fields import rule
from kakushi.desktop.widgets.icons import icon
from kakushi.desktop.widgets.theme import THEMES, Theme, apply_theme
from kakushi.formats.recovery import Recovery, discard
from kakushi.model.cautions import GENERAL
from kakushi.model.layers import MotifLayer
from kakushi.model.units import UnitSystem
from kakushi.session import edits

_SHELF_EM, _PANEL_EM, _SCROLLBAR_PX = 17, 22, 14


class MainWindow(QMainWindow):
    """Header, stages, shelf, workbench, tools of the stage, tally."""

    def __init__(self, document: Document, recoveries: list[Recovery] | None = None) -> None:
        super().__init__()
        self.document = document
        self.files = Files(document, self)
        self.row_actions = RowActions(document, self)
        self.studio = StudioDialogs(document, lambda: self._theme, self)
        self._recoveries = list(recoveries or [])
        self._theme = THEMES[document.preferences.theme]
        self.setWindowTitle("Kakushi")
        self._build_parts()
        self._build_layout()
        self._menus = fill_menus(self.menuBar() or QMenuBar(self), commands_of(self), self.row_actions)
        self._connect()
        self.show_stage("shape")
        self._on_job_changed()

    # --- assembling -----------------------------------------------------------------------

    def _build_parts(self) -> None:
        document, theme = self.document, self._theme
        self.undo_button = themed_button("undo-2", "Undo", theme)
        self.redo_button = themed_button("redo-2", "Redo", theme)
        self.units_button = themed_button("ruler", "Inches or centimetres (Ctrl+U)", theme)
        self.units_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.theme_button = themed_button("moon", "Light or dark (Ctrl+T)", theme)
        self.header = Header(document, [self.undo_button, self.redo_button, self.units_button, self.theme_button])
        self.stages = StageBar()
        self.notice = Notice()
        self.shelf = Shelf(document, theme)
        self.brush = Brush(document, self)
        self.workbench = Workbench(document, self.row_actions, self.brush, theme)
        self.tying_page = TyingPage(document, theme)
        self.supplies_page = SuppliesPage(document)
        self.start_page = StartPage(theme)
        self.shape_panel = ShapePanel(document, self.row_actions, self.workbench.elevation.handles, theme)
        self.supplies_panel = SuppliesPanel(document)
        self.colour_panel = ColourPanel(document, self.brush, theme)
        self.stand_panel = StandPanel(document)
        self.prep_page = PrepPage(document, theme)
        self.prep_panel = PrepPanel(document, self.studio.keep, theme)
        self.panels: dict[str, Panel] = {
            "brief": BriefPanel(document),
            "shape": self.shape_panel,
            "colour": self.colour_panel,
            "stand": self.stand_panel,
            "supplies": self.supplies_panel,
            "prep": self.prep_panel,
        }
        self.tally = Tally(document, self.show_stage)

    def _build_layout(self) -> None:
        em = self.fontMetrics().horizontalAdvance("m")
        self._centre = QStackedWidget()
        for page in (self.workbench, self.supplies_page, self.prep_page, self.tying_page, self.start_page):
            self._centre.addWidget(page)
        self._tools = QStackedWidget()
        for panel in self.panels.values():
            self._tools.addWidget(panel)
        needed = max(inner.minimumSizeHint().width() for p in self.panels.values() if (inner := p.widget()))
        self._tools.setFixedWidth(max(em * _PANEL_EM, needed + _SCROLLBAR_PX))
        self._shelf_column = self._build_shelf(int(em * _SHELF_EM))
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._shelf_column)
        middle.addWidget(self._centre, 1)
        middle.addWidget(self._tools)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for part in (self.header, self.stages, rule(), self.notice):
            column.addWidget(part)
        column.addLayout(middle, 1)
        column.addWidget(rule())
        column.addWidget(self.tally)
        self.setCentralWidget(body)
        self._fit_screen()

    def _fit_screen(self) -> None:
        """1280×800 where the screen has it; at 200 % scale it may not."""
        screen = QGuiApplication.primaryScreen()
        room = screen.availableGeometry().size() if screen else None
        self.resize(min(1280, room.width()) if room else 1280, min(800, room.height()) if room else 800)

    def _build_shelf(self, width: int) -> QWidget:
        column = QFrame()
        column.setFixedWidth(width)
        layout = QVBoxLayout(column)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.setSpacing(4)
        layout.addWidget(self.shelf, 1)
        buttons = QHBoxLayout()
        buttons.setContentsMargins(6, 0, 6, 0)
        buttons.setSpacing(3)
        self._shelf_buttons: list[tuple[QToolButton, str]] = []
        for name, words, run in (
            ("plus", "Add a piece (Ctrl+Shift+N)", self.add_piece),
            ("copy", "Duplicate the piece (Ctrl+D)", self.duplicate_piece),
            ("trash-2", "Remove the piece (undo brings it back)", self.remove_piece),
        ):
            button = themed_button(name, words, self._theme)
            button.clicked.connect(run)
            buttons.addWidget(button)
            self._shelf_buttons.append((button, name))
        add = self._shelf_buttons[0][0]
        add.setText("Add")
        add.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        add.setMinimumWidth(self.fontMetrics().horizontalAdvance("Add") + 52)
        buttons.addStretch(1)
        layout.addLayout(buttons)
        return column

    def _connect(self) -> None:
        document = self.document
        document.job_changed.connect(self._on_job_changed)
        document.preferences_changed.connect(self._on_preferences_changed)
        document.told.connect(self.notice.tell)
        document.refused.connect(self.notice.warn)
        document.chooser.running.connect(self._on_fit_running)
        self.notice.stop_clicked.connect(document.chooser.stop_choosing)
        self.stages.chosen.connect(self.show_stage)
        self.undo_button.clicked.connect(document.undo)
        self.redo_button.clicked.connect(document.redo)
        self.units_button.clicked.connect(self.switch_units)
        self.theme_button.clicked.connect(self.switch_theme)
        self.start_page.add.clicked.connect(self.add_piece)
        self.start_page.open.clicked.connect(lambda _checked: self.files.open())
        self.start_page.demo.clicked.connect(self.files.open_demo)
        self.shape_panel.from_file.clicked.connect(self.import_outline)
        self.shape_panel.compare.clicked.connect(self.studio.compare)
        self.shape_panel.keep_outline.clicked.connect(self.studio.collection)
        document.selection.changed.connect(lambda: self._shape_by_hand(False))
        self.colour_panel.cards_wanted.connect(lambda _on: self._show_page())
        self.colour_panel.palette_wanted.connect(self.studio.palette)
        self.colour_panel.trial_wanted.connect(self.studio.landing_trial)
        self.colour_panel.layers.form.picture_wanted.connect(self._motif_from_picture)
        self.supplies_panel.print_button.clicked.connect(self.files.export_pdf)
        self.supplies_panel.quote_button.clicked.connect(self.files.export_quote)
        self.supplies_panel.cost_button.clicked.connect(self.files.export_cost)
        self.supplies_panel.book_button.clicked.connect(self.files.export_workbook)
        self.supplies_panel.csv_button.clicked.connect(self.save_csv)
        self.supplies_panel.stock_wanted.connect(self.studio.workshop)
        self.prep_panel.labels_button.clicked.connect(self.files.export_labels)
        self.prep_panel.cards_button.clicked.connect(self._show_cards)
        self.prep_panel.sheet_button.clicked.connect(self.files.export_pdf)
        self.supplies_panel.copy_button.clicked.connect(self._copy_supplies)
        self._on_preferences_changed()
        self._show_recoveries()
        self.workbench.ladder.setFocus()

    # --- commands ---------------------------------------------------------------------------

    def show_stage(self, name: str) -> None:
        """Open a stage."""
        self._stage = name
        self.stages.show_stage(name)
        self._tools.setCurrentWidget(self.panels[name])
        self._show_page()
        if name == "prep":
            self.prep_page.focus_sheet()

    def _show_page(self) -> None:
        empty = not self.document.job.pieces
        page: QWidget = self.workbench
        if self._stage == "supplies":
            page = self.supplies_page
        elif self._stage == "prep":
            page = self.prep_page
        elif self._stage == "colour" and self.colour_panel.cards.isChecked():
            page = self.tying_page
        self.workbench.show_skin(self._stage == "colour")
        self.workbench.elevation.show_stand(self._stage == "stand")
        self._centre.setCurrentWidget(self.start_page if empty else page)
        self._tools.setVisible(not empty or self._stage == "brief")
        self._shelf_column.setVisible(not empty)

    def add_piece(self) -> None:
        """A new straight piece with an outline to change."""
        key = edits.free_piece_key(self.document.job)
        if self.document.apply(edits.add_new_piece(key)):
            self.document.selection.select_piece(key)
            self.show_stage("shape")
            self.shape_panel.focus_height()

    def duplicate_piece(self) -> None:
        """A second design like the selected one."""
        if piece := self.document.piece:
            key = edits.free_piece_key(self.document.job)
            if self.document.apply(edits.duplicate_piece(piece.key)):
                self.document.selection.select_piece(key)

    def remove_piece(self) -> None:
        """Remove the selected piece; undo brings it back."""
        if piece := self.document.piece:
            self.document.apply(edits.remove_piece(piece.key))

    def switch_units(self) -> None:
        """Centimetres or inches."""
        other = UnitSystem.INCHES if self.document.units is UnitSystem.METRIC else UnitSystem.METRIC
        self.document.set_preferences(units=other)

    def switch_theme(self) -> None:
        """Light or dark."""
        self.document.set_preferences(theme="dark" if self._theme.name == "light" else "light")

    def show_shortcuts(self) -> None:
        """All keys."""
        keys = [(c.keys, c.words) for c in commands_of(self) if c.keys]
        keys += [(f"Alt+{i}", f"Stage {name}") for i, name in enumerate(self.panels, 1)]
        self.studio.open(ShortcutsDialog(keys, self))

    def import_outline(self) -> None:
        """An outline from a file for the selected piece, with what has to be chosen."""
        picture = self.files.import_outline(self._theme)
        if picture is not None:
            self.workbench.elevation.handles.image = picture
            self.workbench.elevation.update()

    def stop(self) -> None:
        """Stop what runs: the fit, or shaping by hand."""
        self._shape_by_hand(False)
        self.document.chooser.stop_choosing()

    def toggle_by_hand(self) -> None:
        """Begin or end shaping the outline by hand."""
        handles = self.workbench.elevation.handles
        self._shape_by_hand(not handles.is_on and self.document.piece is not None)

    def _shape_by_hand(self, on: bool) -> None:
        handles = self.workbench.elevation.handles
        if self.document.piece is None or handles.is_on != on:
            if on:
                self.show_stage("shape")
                self.workbench.elevation.turn_to(0.0)
                self.workbench.elevation.setFocus()
            handles.switch(on)

    def _motif_from_picture(self) -> None:
        layers = self.colour_panel.layers
        if isinstance(layers.layer, MotifLayer):
            motif = self.files.import_motif(layers.layer)
            if motif is not None:
                layers.set_motif(motif)

    def focus_ladder(self) -> None:
        """Take the keyboard to the row ladder."""
        self._centre.setCurrentWidget(self.workbench)
        self.workbench.ladder.setFocus(Qt.FocusReason.ShortcutFocusReason)
        if self.document.selection.row is None:
            self.document.selection.select_row_at(0)

    def focus_skin(self) -> None:
        """Take the keyboard to the skin."""
        self.colour_panel.cards.setChecked(False)
        self.show_stage("colour")
        self.workbench.skin.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _show_cards(self) -> None:
        self.colour_panel.cards.setChecked(True)
        self.show_stage("colour")

    def toggle_cards(self) -> None:
        """Show the tying cards, or the colours again."""
        self.show_stage("colour")
        self.colour_panel.cards.toggle()

    def save_picture(self) -> None:
        """Save the piece as it is turned now."""
        self.files.export_picture(self.workbench.elevation.azimuth)

    def save_csv(self) -> None:
        """Save the supplies list."""
        self.files.export_csv(self.supplies_page.listing)

    def _copy_supplies(self) -> None:
        if clipboard := QGuiApplication.clipboard():
            clipboard.setText(self.supplies_page.as_text())
            self.notice.tell("The supplies list is on the clipboard.")

    def show_cautions(self) -> None:
        """Show the cautions."""
        QMessageBox.information(self, "Cautions", "\n\n".join(GENERAL))

    def show_about(self) -> None:
        """Show version and licences."""
        QMessageBox.about(
            self,
            "About Kakushi",
            f"Kakushi {__version__}\nPlans packed balloon columns.\n\n"
            "Free software under the GNU GPL, version 3 or later, "
            "without any warranty. Typeface: Lato (SIL OFL). Icons: Lucide (ISC).",
        )

    # --- following the document -----------------------------------------------------------------

    def _on_job_changed(self) -> None:
        document = self.document
        for name, button, what in (
            ("undo", self.undo_button, document.undo_name),
            ("redo", self.redo_button, document.redo_name),
        ):
            words = f"{name.capitalize()} {what[0].lower()}{what[1:]}" if what else name.capitalize()
            self._menus.actions[name].setText(words)
            self._menus.actions[name].setEnabled(what is not None)
            button.setEnabled(what is not None)
            button.setToolTip(f"{words} ({self._menus.actions[name].shortcut().toString()})")
        file = document.path.name if document.path else document.job.brief.title
        self.setWindowTitle(f"{file}{'*' if document.is_dirty else ''} – Kakushi")
        self._show_page()

    def _on_fit_running(self, running: bool) -> None:
        if running:
            self.notice.busy("Choosing rows that follow the outline…")
        else:
            self.notice.hide()

    def _on_preferences_changed(self) -> None:
        preferences = self.document.preferences
        self.units_button.setText(units_words(preferences.units))
        self._show_recent()
        if THEMES[preferences.theme] is not self._theme:
            self._set_theme(THEMES[preferences.theme])

    def _set_theme(self, theme: Theme) -> None:
        self._theme = theme
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, theme)
        for button, name in (
            (self.undo_button, "undo-2"),
            (self.redo_button, "redo-2"),
            (self.units_button, "ruler"),
            (self.theme_button, "sun" if theme.name == "dark" else "moon"),
            *self._shelf_buttons,
        ):
            button.setIcon(icon(name, theme.ink))
        for part in (
            self.shelf,
            self.workbench,
            self.shape_panel,
            self.start_page,
            self.colour_panel,
            self.tying_page,
            self.prep_page,
            self.prep_panel,
        ):
            part.set_theme(theme)

    def _show_recent(self) -> None:
        recent = self.document.preferences.recent
        self._menus.recent.clear()
        self._menus.recent.setEnabled(bool(recent))
        for text in recent:
            action = self._menus.recent.addAction(Path(text).name)
            if action is not None:
                action.setToolTip(text)
                action.triggered.connect(lambda _=False, path=Path(text): self.files.open(path))
        self.start_page.show_recent(recent, self.files.open)

    def _show_recoveries(self) -> None:
        self.start_page.show_recoveries(self._recoveries, self._recover, self._forget)
        if self._recoveries:
            title = self._recoveries[0].job.brief.title
            self.notice.warn(f"“{title}” was not saved when the program ended. The start page has it: File, New job.")

    def _recover(self, recovery: Recovery) -> None:
        self._recoveries.remove(recovery)
        self.files.recover(recovery)
        self._show_recoveries()

    def _forget(self, recovery: Recovery) -> None:
        self._recoveries.remove(recovery)
        discard(recovery.copy)
        self._show_recoveries()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if self.files.may_leave():
            self.document.close()
            event.accept()
        else:
            event.ignore()
