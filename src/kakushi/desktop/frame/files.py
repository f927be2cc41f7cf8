"""Opening, saving, exporting: file dialogs around the formats; errors become one sentence."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.typed import faults_of
from kakushi.desktop.frame.imports import Imports
from kakushi.desktop.widgets.waiting import waited_for
from kakushi.formats.store.file_stamp import Stamp, stamp_of
from kakushi.formats.store.job_file import SUFFIX, load_job, load_job_file, save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.formats.store.preferences import LastPlace, path_text
from kakushi.formats.store.recovery import Recovery, discard
from kakushi.model.errors import KakushiError
from kakushi.model.job import Job
from kakushi.session.demo import some_weeks_ahead

T = TypeVar("T")
_JOBS = f"Kakushi jobs (*{SUFFIX})"


_MOST_TOLD = 3
"""Most sentences told about what was left out of a job that was opened."""


class Files:
    """File commands of the window. Dialogs are methods so that tests can answer them."""

    def __init__(self, document: Document, window: QWidget) -> None:
        self._document, self.window = document, window
        self.imports = Imports(document, window, self.folder, self.read)
        self._noticed: Stamp | None = None

    def ask_open(self) -> Path | None:
        """Ask for a job to open."""
        text, _ = QFileDialog.getOpenFileName(self.window, "Open a job", str(self.folder()), f"{_JOBS};;All files (*)")
        return Path(text) if text else None

    def ask_save(self, title: str, name: str, kind: str) -> Path | None:
        """Ask where to write."""
        # The finished name may differ from the one typed, so we ask ourselves before a file is replaced.
        option = QFileDialog.Option.DontConfirmOverwrite
        text, _ = QFileDialog.getSaveFileName(self.window, title, str(self.folder() / name), kind, options=option)
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
        box.setTextFormat(Qt.TextFormat.PlainText)
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

    def folder(self) -> Path:
        """Folder in which file dialogs open."""
        path = self._document.session.path
        return path.parent if path else Path.home()

    def may_leave(self) -> bool:
        """Whether the open job may be left: nothing unsaved, or saved or discarded now."""
        if (path := self._document.session.path) is not None:
            self._remember(path)
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
            read = self.read(path, lambda: load_job_file(path))
        except KakushiError as error:
            self._document.refused.emit(self._document.said(error))
            return False
        if read is None:
            return False
        self._document.open_job(read.job, path, stamp, record=read.record)
        if read.left_out:
            self._document.refused.emit(" ".join(read.left_out[:_MOST_TOLD]))
        if (place := self._document.preferences.place_of(path)) is not None:
            self._document.selection.show(place.piece, place.row)
            self._document.restored.emit(place.stage)
        # The job is in sight before the list of recent files is written.
        QTimer.singleShot(0, lambda: self._remember(path))
        return True

    def today(self) -> dt.date:
        """The date: the demo's event lies some weeks after it."""
        return dt.date.today()

    def open_demo(self) -> None:
        """The Lantern Quay job, as a new job without a file."""
        if not self.may_leave():
            return
        try:
            self._document.open_job(some_weeks_ahead(load_job(demo_job_path()), self.today()), None)
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
        """Ask for a file and save to it."""
        name = f"{self._document.job.brief.title.replace('/', '-')[:80]}{SUFFIX}"
        path = self.place_to_write("Save the job", name, _JOBS, SUFFIX)
        return path is not None and self._save_to(path)

    def _save_to(self, path: Path) -> bool:
        job, record = self._document.job, self._document.record

        def write() -> None:
            # Pictures take a while, and somebody who ticks must not wait for them.
            waited_for(lambda _: save_job(job, path, record), f"Writing “{path.name}”…", self.window, can_stop=False)
            self._document.mark_saved(path, job, record)
            self._remember(path)

        # What cannot be read is not in the file: that is said with it.
        return self.written(write, " ".join([f"Saved as “{path.name}”.", *faults_of(self.window)]))

    def recover(self, recovery: Recovery) -> None:
        """Make a recovery copy the open job; it still has to be saved."""
        if self._document.open_job(recovery.job, recovery.original, recovery.stamp, True, recovery.record):
            discard(recovery.copy)
            self._document.told.emit("Recovered. Save it to keep it.")

    def read(self, path: Path, read: Callable[[], T]) -> T | None:
        """Run a reader off the GUI thread; None where it was stopped. Raises KakushiError."""
        return waited_for(lambda _: read(), f"Reading “{path.name}”…", self.window)

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
        document, selection = self._document, self._document.selection
        piece, row = document.piece, selection.row
        place = LastPlace(
            path=path_text(path),
            stage=selection.stage,
            piece=piece.key if piece else None,
            row=row.key if row else None,
        )
        known = document.preferences.with_recent(path, place)
        document.set_preferences(recent=known.recent, places=known.places)
