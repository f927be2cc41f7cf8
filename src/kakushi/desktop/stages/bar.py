"""The bar of stages below the header."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QSizePolicy, QToolButton, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.registry import STAGES, key_of


class StageBar(QWidget):
    """The stages in working order; none is ever locked."""

    chosen = pyqtSignal(str)

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._group = QButtonGroup(self)
        # At doubled system fonts the stages are wider than a small window: they must not bound it.
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 0, 8, 0)
        layout.setSpacing(0)
        for index, stage in enumerate(STAGES):
            button = QToolButton()
            button.setText(stage.name.capitalize())
            button.setAccessibleName(f"Stage {stage.name}")
            button.setCheckable(True)
            button.setProperty("stage", True)
            self._group.addButton(button, index)
            layout.addWidget(button)
        layout.addStretch(1)
        self._group.idClicked.connect(lambda index: self.chosen.emit(STAGES[index].name))
        for changed in (document.job_changed, document.studio_changed):
            changed.connect(self._show_needs)
        self._show_needs()

    def _show_needs(self) -> None:
        """A dot at the stages that still need something; the tooltip says what."""
        pieces = bool(self._document.job.pieces)
        for index, stage in enumerate(STAGES):
            button = self._group.button(index)
            if button is None:
                continue
            needs = stage.needs(self._document) if pieces else ""
            button.setText(stage.name.capitalize() + (" ·" if needs else ""))
            # A new text takes the shortcut away.
            button.setShortcut(key_of(index))
            button.setToolTip(f"{stage.words} ({key_of(index)})" + (f"\n{needs}" if needs else ""))

    def show_stage(self, name: str) -> None:
        """Mark the stage that is open."""
        index = [stage.name for stage in STAGES].index(name)
        if button := self._group.button(index):
            button.setChecked(True)
