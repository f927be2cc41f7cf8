"""Elevation and row ladder side by side, on one scale: the heart of the window."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from kakushi.desktop.document.brush import Brush
from kakushi.desktop.document.document import Document
from kakushi.desktop.document.row_actions import RowActions
from kakushi.desktop.views.elevation import Elevation
from kakushi.desktop.views.ladder import RowLadder
from kakushi.desktop.views.scale import Scale
from kakushi.desktop.views.skin import SkinView
from kakushi.desktop.widgets.theme import Theme


class Workbench(QWidget):
    """One thing: pointing at a balloon, a row or a card lights all."""

    def __init__(
        self, document: Document, actions: RowActions, brush: Brush, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.scale = Scale(self)
        self.elevation = Elevation(document, self.scale, theme)
        self.skin = SkinView(document, self.scale, brush, theme)
        self.skin.hide()
        self.ladder = RowLadder(document, self.scale, actions, theme)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        # The ladder keeps the width its cards need to show their codes; the elevation takes the rest.
        layout.addWidget(self.elevation, 1)
        layout.addWidget(self.skin, 1)
        layout.addWidget(self.ladder, 0)

    def show_skin(self, on: bool) -> None:
        """Put the unrolled skin beside the elevation; the ladder makes room for it."""
        self.ladder.set_brief(on)
        self.skin.setVisible(on)
        # A hidden page tells nobody that it needs another width.
        if (layout := self.layout()) is not None:
            layout.invalidate()

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self.elevation.set_theme(theme)
        self.skin.set_theme(theme)
        self.ladder.set_theme(theme)
