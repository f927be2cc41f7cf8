"""Imports: outlines, foil shapes, motifs, photographs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, TypeVar

from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QDialog, QFileDialog, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.errors import KakushiError
from kakushi.model.layers import MotifLayer
from kakushi.model.outline import PointsOutline
from kakushi.model.values import replace
from kakushi.session import edits

if TYPE_CHECKING:
    from PIL import Image

_EVEN = 0.02
"""Left-right difference, as a share of the width, from which a drawing counts as uneven on purpose."""
_MIN_COLUMNS = 9
"""Columns of a motif in which a picture can still be made out."""
_FOIL_MM = 1000.0
"""Height, mm, to which outlines of foil shapes are read: they are scaled to the foil anyway."""


T = TypeVar("T")


class Reader(Protocol):
    """Reads a file off the window's thread; None where that was stopped. Raises KakushiError."""

    def __call__(self, path: Path, read: Callable[[], T]) -> T | None: ...


class Imports:
    """Reads files of other programs. Dialogs are methods so that tests can answer them."""

    def __init__(self, document: Document, window: QWidget, folder: Callable[[], Path], read: Reader) -> None:
        """`folder()`: where file dialogs begin; `read(path, work)` does work off the window's thread."""
        self._document, self._window, self._folder, self._read = document, window, folder, read

    def ask_outline(self) -> Path | None:
        """Ask for an outline to import."""
        from kakushi.formats.read.outline_file import SUFFIXES

        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        text, _ = QFileDialog.getOpenFileName(
            self._window, "Outline from a file", str(self._folder()), f"Outlines ({kinds})"
        )
        return Path(text) if text else None

    def ask_photo(self) -> Path | None:
        """Ask for a photograph to check."""
        from kakushi.formats.read.photograph import SUFFIXES

        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        text, _ = QFileDialog.getOpenFileName(
            self._window, "Photograph of the piece", str(self._folder()), f"Photographs ({kinds})"
        )
        return Path(text) if text else None

    def import_outline(self, theme: Theme) -> QImage | None:
        """Give the selected piece an outline from a file; the picture to show behind it, where wanted."""
        piece = self._document.piece
        picked = self._picked_outline(theme, piece.target_height_mm) if piece else None
        if piece is None or picked is None:
            return None
        name, outline, picture = picked
        if self._document.apply(edits.set_outline(piece.key, outline)):
            self._document.told_with_key.emit(f"Outline from “{name}”. Now choose its rows.", "choose rows")
        return picture

    def foil_outline(self, theme: Theme) -> PointsOutline | None:
        """An outline from a file for a foil shape."""
        picked = self._picked_outline(theme, _FOIL_MM)
        return picked[1] if picked else None

    def _picked_outline(self, theme: Theme, height_mm: float) -> tuple[str, PointsOutline, QImage | None] | None:
        """Ask for a file and read an outline from it; also its name and picture."""
        from kakushi.formats.read.outline_file import read_outlines

        path = self.ask_outline()
        if path is None:
            return None
        try:
            outlines = self._read(path, lambda: read_outlines(path, height_mm))
        except KakushiError as error:
            self._document.refused.emit(self._document.said(error))
            return None
        picked = self.ask_import(path.name, *outlines, theme) if outlines else None
        return (path.name, *picked) if picked else None

    def ask_motif(self) -> Path | None:
        """Ask for a picture to lay on a piece."""
        text, _ = QFileDialog.getOpenFileName(
            self._window, "Motif from a picture", str(self._folder()), "Pictures (*.png *.jpg *.jpeg *.svg)"
        )
        return Path(text) if text else None

    def import_motif(self, motif: MotifLayer) -> MotifLayer | None:
        """The motif with its cells read from a picture to choose, as wide as before; None where that fails."""
        from kakushi.formats.read.motif_picture import motif_of, read_picture

        path = self.ask_motif()
        if path is None:
            return None
        try:
            columns = max(len(motif.cells[0]), _MIN_COLUMNS)
            palette = self._document.job.palette
            cells = self._read(path, lambda: motif_of(read_picture(path), palette, columns, path.name))
        except KakushiError as error:
            self._document.refused.emit(self._document.said(error))
            return None
        if cells is None:
            return None
        return replace(motif, cells=cells, name=path.stem[:60])

    def ask_import(
        self, name: str, outlines: list[PointsOutline], image: Image.Image | None, theme: Theme
    ) -> tuple[PointsOutline, QImage | None] | None:
        """Ask what there is to choose about an outline; nothing where there is nothing."""
        from kakushi.desktop.dialogs.import_outline import ImportOutlineDialog
        from kakushi.shape.sculpt import asymmetry

        if image is None and len(outlines) == 1 and asymmetry(outlines[0]) < _EVEN:
            return outlines[0], None
        dialog = ImportOutlineDialog(self._document, theme, name, outlines, image, self._window)
        accepted = dialog.exec() == QDialog.DialogCode.Accepted
        dialog.deleteLater()
        return (dialog.outline, dialog.picture) if accepted and dialog.outline is not None else None
