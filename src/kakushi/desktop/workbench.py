"""Elevation and row ladder side by side, on one scale: the heart of the window."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from kakushi.desktop.brush import Brush
from kakushi.desktop.document import Document
from kakushi.desktop.elevation import Elevation
from kakushi.desktop.ladder import RowLadder
from kakushi.desktop.row_actions import RowActions
from kakushi.desktop.scale import Scale
from kakushi.desktop.skin import Skin
from kakushi.desktop.theme import Theme


class Workbench(QWidget):
    """One thing: pointing at a balloon, a row or a card lights all."""

    def __init__(
        self, document: Document, actions: RowActions, brush: Brush, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.scale = Scale(self)
        self.elevation = Elevation(document, self.scale, theme)
        self.skin = Skin(document, self.scale, brush, theme)
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
        self.skin.setVisible(on)
        self.ladder.set_brief(on)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self.elevation.set_theme(theme)
        self.skin.set_theme(theme)
        self.ladder.set_theme(theme)
