"""Holds the stages: builds them when they are first opened, shows one, gives it the keyboard."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication, QStackedWidget, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.bar import StageBar
from kakushi.desktop.stages.registry import STAGES
from kakushi.desktop.stages.stage import StageContext, StageParts
from kakushi.desktop.widgets.theme import Theme
from kakushi.desktop.widgets.typing import InputGuard, take_over, tame

if TYPE_CHECKING:
    from kakushi.desktop.views.workbench import Workbench

WORKING_STAGE = "shape"
"""What a job opens with, and where a new piece is given its height."""
_PANEL_EM = 31


class StageHost(QObject):
    """Shows the open stage: its view in the middle, its tools beside it. `shown`: another stage was opened."""

    shown = pyqtSignal()

    def __init__(
        self, document: Document, bar: StageBar, empty: QWidget, frame: Callable[[bool], None], guard: InputGuard
    ) -> None:
        """`empty` fills the middle while there is no piece; `frame(on)` shows what belongs to a job with pieces."""
        super().__init__(bar)
        self._document, self._bar, self._empty, self._frame, self._guard = document, bar, empty, frame, guard
        self._context: StageContext | None = None
        self._built: dict[str, StageParts] = {}
        self._shown: set[str] = set()
        self.current = WORKING_STAGE
        """The stage that is open."""
        self.centre, self.tools = QStackedWidget(), QStackedWidget()
        self.workbench: Workbench | None = None
        """Elevation and ladder, once they are built."""
        self.centre.addWidget(empty)
        self.tools.setFixedWidth(empty.fontMetrics().horizontalAdvance("m") * _PANEL_EM)
        bar.chosen.connect(self.show)

    def begin(self, context: StageContext) -> None:
        """What the stages are built with, once the window has all of it."""
        self._context = context

    def stage(self, name: str) -> StageParts:
        """Parts of a stage, built on first use."""
        if name not in self._built:
            assert self._context is not None
            with self._guard.put_aside():
                parts = next(stage for stage in STAGES if stage.name == name).build(self._context)
                self._built[name] = parts
                self.tools.addWidget(parts.panel)
                if parts.page is not None:
                    self.centre.addWidget(parts.page)
                inner = parts.panel.widget()
                if inner is not None:
                    inner.setMaximumWidth(self.tools.width())
            for part in filter(None, (parts.panel, parts.page)):
                for widget in (part, *part.findChildren(QWidget)):
                    tame(widget)
        return self._built[name]

    def is_built(self, name: str) -> bool:
        """Whether the parts of a stage are there."""
        return name in self._built

    def show(self, name: str) -> None:
        """Open a stage and give it the keyboard, after taking text typed elsewhere."""
        take_over()
        self._document.planner.put_off_spread()
        self.current = self._document.selection.stage = name
        self._bar.show_stage(name)
        self.show_view()
        if self._document.job.pieces:
            self.stage(name).opened()
            self._take_keyboard(self.stage(name))

    def _take_keyboard(self, parts: StageParts) -> None:
        """Give the keyboard to the rows where they are shown, else to the stage's page or tools."""
        view, focus = parts.view(), QApplication.focusWidget()
        if focus is not None and parts.panel.isAncestorOf(focus):
            return
        if self.workbench is not None and view is self.workbench:
            self.workbench.ladder.setFocus()
        elif focus is None or not (view.isAncestorOf(focus) or focus is view):
            parts.panel.focus_first()

    def go_to(self, place: str) -> None:
        """Open a stage, or the tying cards."""
        if place == "cards":
            self._show_cards(True)
        else:
            self.show(place)

    def show_view(self) -> None:
        """What belongs to the open stage, or the start page while there is no piece."""
        window = self.tools.window()
        if window is not None and window.isFullScreen() and self.tools.isHidden():
            return
        has_pieces = bool(self._document.job.pieces)
        is_brief = self.current == "brief"
        self.tools.setVisible(has_pieces or is_brief)
        self._frame(has_pieces)
        if not has_pieces and not is_brief:
            self.centre.setCurrentWidget(self._empty)
            return
        is_new = self.current not in self._shown
        self._shown.add(self.current)
        parts = self.stage(self.current)
        self.tools.setCurrentWidget(parts.panel)
        if is_new:
            # Lists measured their lines before the style sheet reached them.
            parts.panel.refresh()
        self.centre.setCurrentWidget(parts.view() if has_pieces else self._empty)
        self.centre.updateGeometry()
        self.shown.emit()

    @property
    def shows_rows(self) -> bool:
        """Whether the rows of the piece are in sight."""
        return self.workbench is not None and self.centre.currentWidget() is self.workbench

    def _show_cards(self, on: bool) -> None:
        from kakushi.desktop.stages.colour.panel import ColourPanel

        self.show("colour")
        panel = self.stage("colour").panel
        if isinstance(panel, ColourPanel):
            panel.cards.setChecked(on)

    def toggle_cards(self) -> None:
        """Show the tying cards, or the colours again."""
        self._show_cards(self.current != "colour" or self.shows_rows)

    def focus_ladder(self, workbench: Workbench) -> None:
        """Take the keyboard to the row ladder."""
        if not self.shows_rows:
            self.show(WORKING_STAGE)
        workbench.ladder.setFocus()
        if self._document.selection.row is None:
            self._document.selection.select_row_at(0)

    def focus_skin(self, workbench: Workbench) -> None:
        """Take the keyboard to the skin."""
        self._show_cards(False)
        workbench.skin.setFocus()

    def set_theme(self, theme: Theme) -> None:
        """Show all built stages in another theme."""
        for parts in self._built.values():
            for follow in parts.themed:
                follow(theme)
