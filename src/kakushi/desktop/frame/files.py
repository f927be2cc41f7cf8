"""Opening, saving, exporting: file dialogs around the formats; errors become one sentence."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QDialog, QFileDialog, QMessageBox, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.theme import Theme
from kakushi.desktop.widgets.waiting import waited_for
from kakushi.formats.file_stamp import Stamp, stamp_of
from kakushi.formats.job_file import SUFFIX, load_job, load_job_file, save_job
from kakushi.formats.paths import demo_job_path
from kakushi.formats.recovery import Recovery, discard
from kakushi.model.errors import KakushiError
from kakushi.model.job import Job
from kakushi.model.layers import MotifLayer
from kakushi.model.outline import PointsOutline
from kakushi.model.values import replace
from kakushi.session import edits

if TYPE_CHECKING:
    from PIL import Image


T = TypeVar("T")
_EVEN = 0.02
_MIN_COLUMNS = 9
_FOIL_MM = 1000.0
"""To what height outlines of foil shapes are read: they are scaled to the foil anyway."""
_JOBS = f"Kakushi jobs (*{SUFFIX})"


class Files:
    """File commands of the window. Dialogs are methods so that tests can answer them."""

    def __init__(self, document: Document, window: QWidget) -> None:
        self._document, self.window = document, window
        self._noticed: Stamp | None = None

    def ask_open(self) -> Path | None:
        """Ask for a job to open."""
        text, _ = QFileDialog.getOpenFileName(self.window, "Open a job", str(self._folder()), f"{_JOBS};;All files (*)")
        return Path(text) if text else None

    def ask_outline(self) -> Path | None:
        """Ask for an outline to import."""
        from kakushi.formats.outline_file import SUFFIXES

        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        text, _ = QFileDialog.getOpenFileName(
            self.window, "Outline from a file", str(self._folder()), f"Outlines ({kinds})"
        )
        return Path(text) if text else None

    def ask_photo(self) -> Path | None:
        """Ask for a photograph to check."""
        from kakushi.formats.photograph import SUFFIXES

        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        text, _ = QFileDialog.getOpenFileName(
            self.window, "Photograph of the piece", str(self._folder()), f"Photographs ({kinds})"
        )
        return Path(text) if text else None

    def ask_save(self, title: str, name: str, kind: str) -> Path | None:
        """Ask where to write."""
        # The finished name may differ from the one typed, so we ask ourselves before a file is replaced.
        option = QFileDialog.Option.DontConfirmOverwrite
        text, _ = QFileDialog.getSaveFileName(self.window, title, str(self._folder() / name), kind, options=option)
        return Path(text) if text else None

    def place_to_write(self, title: str, name: str, kind: str, suffix: str) -> Path | None:
        """Ask where to write, and whether to replace a file of the finished name; None where nothing is wanted."""
        path = self.ask_save(title, name, kind)
        if path is None:
            return None
        if path.suffix.lower() != suffix:
            # “column 2.5 m” has no suffix yet.
            path = path.with_name(path.name + suffix)
        return path if self.may_replace([path]) else None

    def may_replace(self, paths: Sequence[Path]) -> bool:
        """Whether files may be written: none of them is there, or somebody says that it may go."""
        there = [path for path in paths if path.exists()]
        return not there or self.ask_replace(there)

    def ask_replace(self, there: Sequence[Path]) -> bool:
        """Ask whether files that are there may be replaced."""
        first, more = f"“{there[0].name}”", len(there) - 1
        text = f"{first} and {more} more are already there." if more else f"{first} is already there."
        return self._ask(text, ("Replace", "replace"), ("Keep it", "")) == "replace"

    def ask_changed(self, path: Path) -> str:
        """Ask what to do about a job that another program wrote meanwhile: "copy", "replace", "theirs" or ""."""
        return self._ask(
            f"“{path.name}” was changed by another window or program since it was opened here.",
            ("Save mine as another file", "copy"),
            ("Open theirs, without mine", "theirs"),
            ("Replace theirs by mine", "replace"),
            ("Not now", ""),
        )

    def ask_reload(self, path: Path) -> bool:
        """Ask whether to open what another program wrote, when there is nothing unsaved here."""
        text = f"“{path.name}” was changed by another window or program since it was opened here."
        return self._ask(text, ("Open the new one", "open"), ("Keep this one", "")) == "open"

    def _ask(self, text: str, *answers: tuple[str, str]) -> str:
        """A question with answers, each with what it means; the last one is that of Esc."""
        box = QMessageBox(self.window)
        box.setIcon(QMessageBox.Icon.NoIcon)
        box.setText(text)
        buttons = [box.addButton(words, QMessageBox.ButtonRole.ActionRole) for words, _ in answers]
        box.setDefaultButton(buttons[0] if len(answers) > 2 else buttons[-1])
        box.setEscapeButton(buttons[-1])
        box.exec()
        clicked = box.clickedButton()
        box.deleteLater()
        return next((meaning for button, (_, meaning) in zip(buttons, answers, strict=True) if button is clicked), "")

    def ask_unsaved(self) -> str:
        """Ask what to do with unsaved changes: "save", "discard" or "cancel"."""
        return self._ask(
            f"“{self._document.job.brief.title}” has changes that are not saved.",
            ("Save", "save"),
            ("Leave without saving", "discard"),
            ("Stay here", "cancel"),
        )

    def _folder(self) -> Path:
        path = self._document.session.path
        return path.parent if path else Path.home()

    def may_leave(self) -> bool:
        """Whether the open job may be left: nothing unsaved, or saved or discarded now."""
        if not self._document.is_dirty:
            return True
        answer = self.ask_unsaved()
        return answer == "discard" or (answer == "save" and self.save())

    def new(self) -> None:
        """An empty job."""
        if self.may_leave():
            self._document.open_job(Job(), None)

    def open(self, path: Path | None = None) -> None:
        """Open a job; the open one stays when that does not work."""
        if not self.may_leave():
            return
        chosen = path or self.ask_open()
        if chosen is not None:
            self.load(chosen)

    def load(self, path: Path) -> bool:
        """Load a job without asking."""
        # Before reading: what is written while we read counts as changed.
        stamp = stamp_of(path)
        try:
            read = self._read(path, lambda: load_job_file(path))
        except KakushiError as error:
            self._document.refused.emit(self._document.said(error))
            return False
        if read is None:
            return False
        self._document.open_job(read.job, path, stamp, record=read.record)
        # The job is in sight before the list of recent files is written.
        QTimer.singleShot(0, lambda: self._remember(path))
        return True

    def open_demo(self) -> None:
        """The Lantern Quay job, as a new job without a file."""
        if not self.may_leave():
            return
        try:
            self._document.open_job(load_job(demo_job_path()), None)
        except KakushiError as error:
            self._document.refused.emit(self._document.said(error))

    def save(self) -> bool:
        """Save to the job's file; ask for one where it has none, and what to do where another program wrote it."""
        path = self._document.session.path
        if path is None:
            return self.save_as()
        if not self._is_changed(path):
            return self._save_to(path)
        match self.ask_changed(path):
            case "replace":
                return self._save_to(path)
            case "copy":
                return self.save_as()
            case "theirs":
                return self.load(path)
        return False

    def _is_changed(self, path: Path) -> bool:
        """Whether another program wrote the job's file since it was read or written here."""
        now = stamp_of(path)
        return now is not None and now != self._document.stamp

    def notice_changes(self) -> None:
        """Tell, when the window is looked at again, that another program wrote the job's file; once for each time."""
        path = self._document.session.path
        if path is None or not self._is_changed(path) or self._noticed == stamp_of(path):
            return
        self._noticed = stamp_of(path)
        if self._document.is_dirty:
            self._document.refused.emit(
                f"“{path.name}” was changed by another window or program. You have changes of your own: "
                "when you save, you will be asked which of the two to keep."
            )
        elif self.ask_reload(path):
            self.load(path)

    def save_as(self) -> bool:
        """Save to a file asked for."""
        name = f"{self._document.job.brief.title.replace('/', '-')[:80]}{SUFFIX}"
        path = self.place_to_write("Save the job", name, _JOBS, SUFFIX)
        return path is not None and self._save_to(path)

    def _save_to(self, path: Path) -> bool:
        job, record = self._document.job, self._document.record

        def write() -> None:
            save_job(job, path, record)
            self._document.mark_saved(path, job, record)
            self._remember(path)

        return self.written(write, f"Saved as “{path.name}”.")

    def recover(self, recovery: Recovery) -> None:
        """Make a recovery copy the open job; it still has to be saved."""
        if self._document.open_job(recovery.job, recovery.original, recovery.stamp, True, recovery.record):
            discard(recovery.copy)
            self._document.told.emit("Recovered. Save it to keep it.")

    def import_outline(self, theme: Theme) -> QImage | None:
        """Give the selected piece an outline from a file; the picture to show behind it, where wanted."""
        piece = self._document.piece
        picked = self._picked_outline(theme, piece.target_height_mm) if piece else None
        if piece is None or picked is None:
            return None
        name, outline, picture = picked
        if self._document.apply(edits.set_outline(piece.key, outline)):
            self._document.told.emit(f"Outline from “{name}”. Press F5 to choose rows for it.")
        return picture

    def foil_outline(self, theme: Theme) -> PointsOutline | None:
        """An outline from a file for a foil shape."""
        picked = self._picked_outline(theme, _FOIL_MM)
        return picked[1] if picked else None

    def _picked_outline(self, theme: Theme, height_mm: float) -> tuple[str, PointsOutline, QImage | None] | None:
        """An outline from a file that is asked for, with its file's name and a picture."""
        from kakushi.formats.outline_file import read_outlines

        path = self.ask_outline()
        if path is None:
            return None
        try:
            found = self._read(path, lambda: read_outlines(path, height_mm))
        except KakushiError as error:
            self._document.refused.emit(self._document.said(error))
            return None
        picked = self.ask_import(path.name, *found, theme) if found else None
        return (path.name, *picked) if picked else None

    def _read(self, path: Path, read: Callable[[], T]) -> T | None:
        """What is read off the GUI thread; None where it was stopped. Raises KakushiError."""
        return waited_for(lambda _: read(), f"Reading “{path.name}”…", self.window)

    def ask_motif(self) -> Path | None:
        """Ask for a picture to lay on a piece."""
        text, _ = QFileDialog.getOpenFileName(
            self.window, "Motif from a picture", str(self._folder()), "Pictures (*.png *.jpg *.jpeg *.svg)"
        )
        return Path(text) if text else None

    def import_motif(self, motif: MotifLayer) -> MotifLayer | None:
        """The motif with the cells of a picture that is asked for, as wide as it is; None where that does not work."""
        from kakushi.formats.motif_picture import motif_of, read_picture

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
        dialog = ImportOutlineDialog(self._document, theme, name, outlines, image, self.window)
        accepted = dialog.exec() == QDialog.DialogCode.Accepted
        dialog.deleteLater()
        return (dialog.outline, dialog.picture) if accepted and dialog.outline is not None else None

    def written(self, write: Callable[[], None], told: str) -> bool:
        """Write and say so; False, and why, where that fails."""
        try:
            write()
        except KakushiError as error:
            self._document.refused.emit(self._document.said(error))
            return False
        self._document.told.emit(told)
        return True

    def _remember(self, path: Path) -> None:
        self._document.set_preferences(recent=self._document.preferences.with_recent(path).recent)
