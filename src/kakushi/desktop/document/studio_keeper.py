"""The studio's data kept in its file, off the GUI thread: another program may hold the file for seconds."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.model.catalogue import Studio
from kakushi.model.values import replace

_REMEMBERED = 20
"""Most changes of the studio that can be undone."""
_WAIT_S = 3.0
"""Longest wait for a file that another program holds, s; closing the window waits no longer."""


class StudioKeeper(QObject):
    """Writes what was changed of the studio. `taken` brings the studio as it then is, other windows' changes too."""

    taken = pyqtSignal(object)
    told = pyqtSignal(str)
    told_with_key = pyqtSignal(str, str)
    failed = pyqtSignal(str)

    def __init__(
        self, studio: Callable[[], Studio], set_studio: Callable[[Studio], None], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._studio, self._set_studio = studio, set_studio
        self._file: Path | None = None
        self._waiting: dict[str, object] = {}
        self._is_stand_in = False
        self._former: list[dict[str, object]] = []
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_written)
        self._runner.failed.connect(self._on_failed)

    def begin(self, file: Path, is_stand_in: bool) -> None:
        """Keep the studio in a file. A stand-in for an unreadable file is never written over it."""
        self._file, self._is_stand_in = file, is_stand_in

    def keep(self, changes: Mapping[str, object]) -> None:
        """Write settings that were changed, by name; whatever else another window changed meanwhile stays."""
        file, is_stand_in = self._file, self._is_stand_in
        if file is None:
            return
        self._waiting |= changes
        waiting = dict(self._waiting)

        def work(_progress: Callable[[float], None], _cancelled: Callable[[], bool]) -> tuple[Studio, bool]:
            from kakushi.formats.store.studio_store import StudioStore

            store = StudioStore(file, wait_s=_WAIT_S)
            kept = store.load_usable()[0]
            return (kept, False) if is_stand_in else (store.save(replace(kept, **waiting), kept), True)

        self._runner.submit(work)

    def change(self, **changes: object) -> None:
        """Change settings of the studio, by name, and keep those that differ in its file."""
        studio = self._studio()
        differing = {name: value for name, value in changes.items() if getattr(studio, name) != value}
        if differing:
            former = {name: getattr(studio, name) for name in differing}
            self._former = [*self._former[-_REMEMBERED:], former]
            self._put(differing)
            self.told_with_key.emit("Saved in the studio, for all jobs. Undo does not reach it.", "take back")

    def _put(self, settings: dict[str, object]) -> None:
        self._set_studio(replace(self._studio(), **settings))
        self.keep(settings)

    @property
    def can_take_back(self) -> bool:
        """Whether a change of the studio can be taken back: Undo covers the job alone."""
        return bool(self._former)

    def take_back(self) -> None:
        """Make the studio what it was before its last change."""
        if self._former:
            self._put(self._former.pop())
            self.told.emit("The studio is as it was before its last change.")

    def _on_written(self, answer: tuple[Studio, bool]) -> None:
        studio, was_written = answer
        self._waiting, self._is_stand_in = {}, False
        self.taken.emit(studio)
        if not was_written:
            self.told.emit("The studio file can be read again. Look at it, and make your last change once more.")

    def _on_failed(self, why: str) -> None:
        self.failed.emit(f"{why} Your change holds while this window is open.")

    def finish(self) -> None:
        """Wait until pending changes are written."""
        self._runner.finish()

    def close(self) -> None:
        """Write pending changes, then stop."""
        self.finish()
        self._runner.close()
