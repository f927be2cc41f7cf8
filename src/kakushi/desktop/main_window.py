"""The window: assembles header, stages, shelf, centre, tools and tally; knows no stage by name but the first."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMenuBar,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.document.recent_scenes import RecentScenes
from kakushi.desktop.document.row_actions import RowAction, RowActions
from kakushi.desktop.frame.exports import Exports
from kakushi.desktop.frame.files import Files
from kakushi.desktop.frame.header import Header
from kakushi.desktop.frame.menus import Command, Menus, fill_menus
from kakushi.desktop.frame.notice import Mend, Notice
from kakushi.desktop.frame.recoveries import Recoveries
from kakushi.desktop.frame.shelf_column import ShelfColumn
from kakushi.desktop.frame.start_cards import Begin, CardText
from kakushi.desktop.frame.start_page import StartPage
from kakushi.desktop.frame.studio_dialogs import StudioDialogs
from kakushi.desktop.frame.tally import Tally
from kakushi.desktop.stages.bar import StageBar
from kakushi.desktop.stages.host import WORKING_STAGE, StageHost
from kakushi.desktop.stages.registry import STAGES, key_of
from kakushi.desktop.stages.stage import StageContext, StageParts
from kakushi.desktop.widgets.dropped import dropped_file
from kakushi.desktop.widgets.fields import rule
from kakushi.desktop.widgets.theme import THEMES, Theme, apply_theme
from kakushi.desktop.widgets.typing import InputGuard, take_over
from kakushi.formats.store.preferences import path_of, shown_path
from kakushi.formats.store.recent_pictures import RecentPictures
from kakushi.formats.store.recovery import Recovery
from kakushi.model.errors import KakushiError
from kakushi.model.units import UnitSystem
from kakushi.session import edits

if TYPE_CHECKING:
    from kakushi.desktop.document.brush import Brush
    from kakushi.desktop.views.workbench import Workbench


_FIRST_OUTLINE = "vase"
"""Outline to change of a piece that follows one: it swells and narrows."""


class MainWindow(QMainWindow):
    """Header, stages, shelf, workbench, tools of the stage, tally. Stages are built when they are first opened."""

    def __init__(self, document: Document, recoveries: list[Recovery], pictures: RecentPictures) -> None:
        super().__init__()
        self._pictures = pictures
        RecentScenes(document, pictures, self)
        self.document = document
        self.files = Files(document, self)
        self.exports = Exports(document, self.files)
        self.row_actions = RowActions(document, self)
        self.studio = StudioDialogs(document, lambda: self._theme, self.files)
        self._theme = THEMES[document.preferences.theme]
        self.setWindowTitle("Kakushi")
        self.setAcceptDrops(True)
        self._guard = InputGuard(document.stroke.end, self)
        self._build_parts()
        self._build_layout()
        self._menus: Menus | None = None
        self._connect()
        self._recoveries = Recoveries(recoveries, self.files, self.start_page, self.notice)
        self._recoveries.show()
        self._on_preferences_changed()
        self._on_job_changed()
        self.show_stage(self.host.current)
        self.start_page.add.setFocus()

    # --- assembling -----------------------------------------------------------------------

    def _build_parts(self) -> None:
        document, theme = self.document, self._theme
        self.header = Header(document, theme)
        self.stages = StageBar(document)
        self.shelf_column = ShelfColumn(document, theme)
        self.start_page = StartPage(theme)
        self.tally = Tally(document, self.show_stage)
        self.host = StageHost(document, self.stages, self.start_page, self.shelf_column.setVisible, self._guard)
        self.notice = Notice(self.host.centre)
        context = StageContext(
            document=document,
            files=self.files,
            exports=self.exports,
            studio=self.studio,
            row_actions=self.row_actions,
            brush=lambda: self.brush,
            workbench=lambda: self.workbench,
            theme=lambda: self._theme,
            refresh_view=self.host.show_view,
            go_to=self.host.go_to,
            import_outline=self.import_outline,
            say=self.notice.tell,
            full_screen=self.toggle_full_screen,
        )
        self.host.begin(context)

    @cached_property
    def brush(self) -> Brush:
        """One brush for skin, panel and keys."""
        from kakushi.desktop.document.brush import Brush

        return Brush(self.document, self)

    @cached_property
    def workbench(self) -> Workbench:
        """Elevation, skin and ladder; built when a piece is first to be seen."""
        from kakushi.desktop.views.workbench import Workbench

        workbench = Workbench(self.document, self.row_actions, self.brush, self._theme)
        self.host.centre.addWidget(workbench)
        self.host.workbench = workbench
        self.document.selection.changed.connect(lambda: self._shape_by_hand(False))
        workbench.elevation.handles.switched.connect(lambda _: self._menus.follow() if self._menus else None)
        return workbench

    def fill_menus(self, commands: Sequence[Command]) -> None:
        """Put the commands into the menu bar."""
        bar = self.menuBar() or QMenuBar(self)
        self._menus = fill_menus(bar, commands, self.row_actions, self._can)
        self._menus.name_history(self.document.session.undo_name, self.document.session.redo_name)
        self._menus.follow()
        for changed in (
            self.document.job_changed,
            self.document.selection.changed,
            self.document.studio_changed,
            self.host.shown,
        ):
            changed.connect(self._menus.follow)
        self.document.chooser.running.connect(lambda _: self._menus.follow() if self._menus else None)
        self._show_recent()

    def _build_layout(self) -> None:
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.shelf_column)
        middle.addWidget(self.host.centre, 1)
        middle.addWidget(self.host.tools)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for part in (self.header, self.stages, rule()):
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

    def _connect(self) -> None:
        document, header, start = self.document, self.header, self.start_page
        document.job_changed.connect(self._on_job_changed)
        document.preferences_changed.connect(self._on_preferences_changed)
        document.told.connect(self.notice.tell)
        document.told_with_key.connect(self._on_told_with_key)
        document.refused.connect(self.notice.warn)
        document.restored.connect(self._on_restored)
        document.chooser.running.connect(self._on_choosing)
        self.notice.stop_clicked.connect(document.chooser.stop_choosing)
        for button, run in (
            (header.undo, document.undo),
            (header.redo, document.redo),
            (header.units, self.switch_units),
            (header.theme, self.switch_theme),
            (start.open, self.files.open),
            (start.demo, self.files.open_demo),
            (start.quick, self.studio.quick_answers),
            (self.shelf_column.add, self.add_piece),
        ):
            button.clicked.connect(lambda _checked, run=run: run())
        for card in start.cards:
            card.clicked.connect(lambda _checked, card=card.card: self.begin_with(card))
        if (app := QApplication.instance()) is not None:
            app.installEventFilter(self._guard)

    # --- stages -----------------------------------------------------------------------------

    def stage(self, name: str) -> StageParts:
        """The parts of a stage."""
        return self.host.stage(name)

    def show_stage(self, name: str) -> None:
        """Open a stage."""
        self.host.show(name)

    def toggle_full_screen(self) -> None:
        """The middle alone on the whole screen, or the window again."""
        alone = not self.isFullScreen()
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)
        for part in (self.header, self.stages, self.shelf_column, self.host.tools, self.tally):
            part.setVisible(not alone)
        if (bar := self.menuBar()) is not None:
            bar.setVisible(not alone)
        if not alone:
            self.host.show_view()
        if (page := self.host.centre.currentWidget()) is not None:
            page.setFocus()

    # --- commands ---------------------------------------------------------------------------

    def add_piece(self) -> None:
        """Ask for a height and add a straight piece with an outline to change."""
        key = edits.free_piece_key(self.document.job)
        if self.document.apply(edits.add_new_piece(key)):
            self.document.selection.select_piece(key)
            self.show_stage(WORKING_STAGE)
            self.stage(WORKING_STAGE).panel.focus_first()

    def begin_with(self, card: CardText) -> None:
        """Begin as a card of the start page says, the next thing to type in focus."""
        match card.begin:
            case Begin.STRAIGHT:
                self.add_piece()
            case Begin.OUTLINE:
                self.add_piece()
                if piece := self.document.piece:
                    from kakushi.shape.presets import default_outline

                    outline = default_outline(_FIRST_OUTLINE, piece.target_height_mm)
                    self.document.apply(edits.set_outline(piece.key, outline))
            case Begin.PICTURE:
                self.add_piece()
                self.import_outline()
            case Begin.SHELF:
                self.studio.recipes()
            case Begin.RECIPE:
                self._build_recipe(card.picture)

    def _build_recipe(self, name: str) -> None:
        """A piece of a recipe that ships with the program, in a job of its own colours."""
        from kakushi.formats.store.paths import shipped_recipes
        from kakushi.formats.store.recipe_file import load_recipe
        from kakushi.log.recipes import built_again

        document = self.document
        try:
            recipe = load_recipe(shipped_recipes() / f"{name}.kakushi-recipe")
            if not document.apply(edits.add_built(built_again(recipe, {}))):
                return
        except KakushiError as error:
            self.notice.warn(document.said(error))
            return
        document.selection.select_piece(document.job.pieces[-1].key)
        self.show_stage(WORKING_STAGE)
        self.stage(WORKING_STAGE).panel.focus_first()

    def _can(self, action: RowAction) -> bool:
        """Whether an action on the chosen row is possible: the first row of a piece needs no other."""
        selection = self.document.selection
        is_first = action.name == "insert" and selection.piece is not None
        return self.host.shows_rows and (is_first or selection.row is not None)

    def can_stop(self) -> bool:
        """Whether something runs, is shaped, or fills the screen."""
        is_shaping = self.host.workbench is not None and self.workbench.elevation.handles.is_on
        return self.isFullScreen() or is_shaping or self.document.chooser.is_busy

    def switch_units(self) -> None:
        """Centimetres or inches."""
        other = UnitSystem.INCHES if self.document.units is UnitSystem.METRIC else UnitSystem.METRIC
        self.document.set_preferences(units=other)

    def switch_theme(self) -> None:
        """Light or dark."""
        self.document.set_preferences(theme="dark" if self._theme.name == "light" else "light")

    def import_outline(self) -> None:
        """An outline from a file for the selected piece, with what has to be chosen."""
        picture = self.files.imports.import_outline(self._theme)
        if picture is not None:
            self.workbench.elevation.handles.image = picture
            self.workbench.elevation.update()

    def stop(self) -> None:
        """Stop what runs: the fit, shaping by hand, the full screen."""
        if self.isFullScreen():
            self.toggle_full_screen()
        if self.document.piece is not None:
            self._shape_by_hand(False)
        self.document.chooser.stop_choosing()

    def toggle_by_hand(self) -> None:
        """Start or stop shaping the outline by hand."""
        self._shape_by_hand(not self.workbench.elevation.handles.is_on and self.document.piece is not None)

    def _shape_by_hand(self, on: bool) -> None:
        handles = self.workbench.elevation.handles
        if self.document.piece is None or handles.is_on != on:
            if on:
                self.show_stage(WORKING_STAGE)
                self.workbench.elevation.turn_to(0.0)
                self.workbench.elevation.setFocus()
            handles.switch(on)

    # --- following the document -----------------------------------------------------------------

    def _on_job_changed(self) -> None:
        document = self.document
        if self._menus is not None:
            self._menus.name_history(document.session.undo_name, document.session.redo_name)
        self.header.name_history(document.session.undo_name, document.session.redo_name)
        file = shown_path(document.session.path.name) if document.session.path else document.job.brief.title
        self.setWindowTitle(f"{file}{'*' if document.is_dirty else ''} – Kakushi")
        self.host.show_view()

    def _on_restored(self, stage: str) -> None:
        """What undo changed comes into view; in sight already, the keyboard stays where it is."""
        if stage != self.host.current and self.document.job.pieces and stage in {known.name for known in STAGES}:
            self.show_stage(stage)

    def _on_told_with_key(self, words: str, name: str) -> None:
        """A message with the key of a command or a stage."""
        place = next((place for place, stage in enumerate(STAGES) if stage.name == name), None)
        if place is not None:
            mend: Mend | None = Mend(f"{name.capitalize()} ({key_of(place)})", lambda: self.show_stage(name))
        else:
            mend = self._menus.mend(name) if self._menus is not None else None
        self.notice.tell(words, mend)

    def _on_choosing(self, running: bool) -> None:
        if running:
            self.notice.busy("Choosing rows that follow the outline…")
        else:
            self.notice.hide()

    def _on_preferences_changed(self) -> None:
        preferences = self.document.preferences
        self._show_recent()
        if THEMES[preferences.theme] is not self._theme:
            self._set_theme(THEMES[preferences.theme])

    def _set_theme(self, theme: Theme) -> None:
        self._theme = theme
        app = QApplication.instance()
        if isinstance(app, QApplication):
            with self._guard.put_aside():
                apply_theme(app, theme)
        self.header.set_theme(theme)
        self.shelf_column.set_theme(theme)
        self.start_page.set_theme(theme)
        if self.host.workbench is not None:
            self.workbench.set_theme(theme)
        self.host.set_theme(theme)

    def _show_recent(self) -> None:
        recent = [path_of(text) for text in self.document.preferences.recent]
        if self._menus is not None:
            self._menus.show_recent(recent, self.files.open)
        self.start_page.show_recent(recent, self._pictures.place_of, self.files.open)

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            # Once whatever brought the window to the front is done.
            QTimer.singleShot(0, self.files.notice_changes)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and dropped_file(event.mimeData()) and self.document.piece is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A photograph of the selected piece was dropped on the window: it is checked."""
        path = dropped_file(event.mimeData()) if event is not None else None
        if path is not None:
            self.show_stage("check")
            self.document.checker.open(path)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        take_over()
        if self.files.may_leave():
            if (app := QApplication.instance()) is not None:
                app.removeEventFilter(self._guard)
            self.document.close()
            event.accept()
        else:
            event.ignore()
