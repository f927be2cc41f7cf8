"""The studio's collection of outlines: keep the piece's, use one, take one out."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import quiet, tip_button
from kakushi.formats.store.studio_store import StudioStore
from kakushi.model.errors import KakushiError
from kakushi.model.outline import PointsOutline
from kakushi.model.values import replace
from kakushi.session import edits
from kakushi.shape.profile import profile_of
from kakushi.shape.sculpt import every_point
from kakushi.shape.silhouette import scaled_to_height


class CollectionDialog(Dialog):
    """Outlines kept in the studio's file."""

    def __init__(self, document: Document, store: StudioStore, parent: QWidget | None = None) -> None:
        super().__init__("Collection of outlines", parent)
        self._document, self._store = document, store
        self._outlines: list[PointsOutline] = []
        self._list = QListWidget()
        self._list.setAccessibleName("Outlines in the collection")
        self._name = QLineEdit(document.piece.name if document.piece else "")
        self._name.setAccessibleName("Name for the outline")
        self._keep, self._remove = (
            tip_button("Keep this piece's outline", "Adds the outline of the selected piece to the collection"),
            tip_button("Take out", "Removes the chosen outline from the collection"),
        )
        row = QHBoxLayout()
        row.addWidget(self._name, 1)
        row.addWidget(self._keep)
        self.column.addWidget(quiet("Outlines kept here can be used in any job, scaled to the piece."))
        self.column.addLayout(row)
        self.column.addWidget(self._list, 1)
        self.column.addWidget(self._remove)
        self._use = self.add_main("Use for this piece", "The piece takes the chosen outline", keeps=False)
        self.add_close()
        self._keep.clicked.connect(self._on_keep)
        self._remove.clicked.connect(self._on_remove)
        self._use.clicked.connect(self._on_use)
        self._list.itemDoubleClicked.connect(self._on_use)
        self._list.currentRowChanged.connect(self._enable)
        self.holds_name(self._name)
        self.open_at(460, 420)
        self._show()

    def _show(self, chosen: str = "") -> None:
        try:
            self._outlines = self._store.outlines()
        except KakushiError as error:
            self.say(self._document.said(error))
        self._list.clear()
        names = [outline.name for outline in self._outlines]
        self._list.addItems(names)
        self._list.setCurrentRow(names.index(chosen) if chosen in names else -1)
        self._enable()

    def _enable(self) -> None:
        chosen = 0 <= self._list.currentRow() < len(self._outlines)
        self._use.setEnabled(chosen and self._document.piece is not None)
        self._remove.setEnabled(chosen)
        self._keep.setEnabled(self._document.piece is not None)

    def _on_keep(self) -> None:
        piece, name = self._document.piece, self._name.text().strip()[:120]
        if piece is None:
            return
        outline = piece.outline
        if not isinstance(outline, PointsOutline):
            outline = every_point(profile_of(outline, piece.target_height_mm))
        try:
            self._store.save_outline(replace(outline, name=name))
        except KakushiError as error:
            self.say(self._document.said(error))
            return
        self.say("")
        self._name.setModified(False)
        self._show(name)

    def _on_remove(self) -> None:
        try:
            self._store.remove_outline(self._outlines[self._list.currentRow()].name)
        except KakushiError as error:
            self.say(self._document.said(error))
        self._show()

    def _on_use(self) -> None:
        piece, row = self._document.piece, self._list.currentRow()
        if piece is not None and 0 <= row < len(self._outlines):
            outline = scaled_to_height(self._outlines[row], piece.target_height_mm)
            self._document.apply(edits.set_outline(piece.key, outline))
            self.accept()
