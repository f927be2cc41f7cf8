"""The studio's data kept in its file, off the GUI thread: another program may hold the file for seconds."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.model.catalogue import Studio
from kakushi.model.values import replace

_REMEMBERED = 20
"""Changes of the studio that can be taken back."""
_WAIT_S = 3.0
"""For a file that another program holds; closing the window waits no longer."""


class StudioKeeper(QObject):
    """Writes what was changed of the studio. `taken` brings the studio as it then is, other windows' changes too."""

    taken = pyqtSignal(object)
    told = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._file: Path | None = None
        self._waiting: dict[str, object] = {}
        self._is_stand_in = False
        self._former: list[dict[str, object]] = []
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_written)
        self._runner.failed.connect(self._on_failed)

    def begin(self, file: Path, is_stand_in: bool) -> None:
        """Keep the studio in a file. What was changed of a stand-in for a file that cannot be read is not written."""
        self._file, self._is_stand_in = file, is_stand_in

    def keep(self, changes: Mapping[str, object]) -> None:
        """Write settings that were changed, by name; whatever else another window changed meanwhile stays."""
        file, is_stand_in = self._file, self._is_stand_in
        if file is None:
            return
        self._waiting |= changes
        waiting = dict(self._waiting)

        def work(_progress: Callable[[float], None], _cancelled: Callable[[], bool]) -> tuple[Studio, bool]:
            from kakushi.formats.studio_store import StudioStore

            store = StudioStore(file, wait_s=_WAIT_S)
            kept = store.load_usable()[0]
            return (kept, False) if is_stand_in else (store.save(replace(kept, **waiting), kept), True)

        self._runner.submit(work)

    def remember(self, former: dict[str, object]) -> None:
        """What settings were before a change: Undo covers the job alone."""
        self._former = [*self._former[-_REMEMBERED:], former]

    @property
    def can_take_back(self) -> bool:
        """Whether a change of the studio can be taken back."""
        return bool(self._former)

    def take_back(self) -> dict[str, object]:
        """The settings before the last change, which is then forgotten."""
        return self._former.pop() if self._former else {}

    def _on_written(self, answer: tuple[Studio, bool]) -> None:
        studio, was_written = answer
        self._waiting, self._is_stand_in = {}, False
        self.taken.emit(studio)
        if not was_written:
            self.told.emit("The studio file can be read again. Look at it, and make your last change once more.")

    def _on_failed(self, why: str) -> None:
        self.failed.emit(f"{why} Your change holds while this window is open.")

    def finish(self) -> None:
        """Wait until what is being written stands in the file."""
        self._runner.finish()

    def close(self) -> None:
        """Write what is still to be written, then stop."""
        self.finish()
        self._runner.close()
