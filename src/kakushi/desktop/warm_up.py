"""What was not needed to show the window is loaded and built while nothing else is to be done: stages open at once."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterable
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget

from kakushi.desktop.document.background import Runner
from kakushi.desktop.main_window import MainWindow
from kakushi.desktop.stages.registry import STAGES
from kakushi.formats.store.atomic import forget_killed
from kakushi.formats.store.preferences import path_of

_FOR_A_JOB = (
    "kakushi.desktop.document.sending",
    "kakushi.desktop.views.workbench",
    "kakushi.desktop.stages.shape.stage",
    "kakushi.formats.export.png",
)
"""Modules that a job is opened with, loaded in another thread."""
_FOR_LATER = (
    "kakushi.workshop.dossier",
    *(f"kakushi.desktop.stages.{stage.folder}.stage" for stage in STAGES),
    "skimage.color.colorconv",
    "kakushi.desktop.widgets.calibration_chart",
)
"""Modules loaded once a job is planned."""
_NEXT_MS = 120
"""Pause between building two stages, ms, so that input is handled first."""


class WarmUp(QObject):
    """Loads modules, then builds one stage after the other, the window staying alive."""

    def __init__(self, window: MainWindow, open_job: Callable[[], None] | None = None) -> None:
        """`open_job` is called as soon as all that it needs is loaded."""
        super().__init__(window)
        self._window = window
        self._runner = Runner(self)
        self._runner.finished.connect(lambda _: self._on_loaded())
        self._open_job = open_job
        self._is_loaded = False
        self._timer = QTimer(self)
        self._timer.setInterval(_NEXT_MS)
        self._timer.timeout.connect(self._build_next)
        window.document.closing.connect(self._stop)
        self._runner.submit(lambda _progress, _cancelled: _load(_FOR_A_JOB))

    @property
    def is_done(self) -> bool:
        """Whether everything is loaded and built."""
        return self._is_loaded and not self._runner.is_busy and not self._timer.isActive()

    def _on_loaded(self) -> None:
        if self._open_job is not None:
            open_job, self._open_job = self._open_job, None
            open_job()
        self._timer.start()

    def _build_next(self) -> None:
        document = self._window.document
        # A stage that is made beside a plan or the lists holds the window up three times as long.
        is_working = document.planner.is_busy or bool(document.job.pieces and not document.is_dossier_ready)
        if is_working or self._runner.is_busy:
            return
        if not self._is_loaded:
            self._is_loaded = True
            folders = {path_of(path).parent for path in self._window.document.preferences.recent}
            self._runner.submit(lambda _progress, _cancelled: _prepare(folders))
            return
        left = [stage.name for stage in STAGES if not self._window.host.is_built(stage.name)]
        if left:
            panel = self._window.stage(left[0]).panel
            # The style sheet reaches a widget when it is first shown; all of a stage at once take a while.
            for part in (panel, *panel.findChildren(QWidget)):
                part.ensurePolished()
            panel.warm_up()
        else:
            self._timer.stop()

    def _stop(self) -> None:
        self._timer.stop()
        self._runner.close()


def _load(modules: Iterable[str]) -> None:
    for module in modules:
        importlib.import_module(module)


def _prepare(folders: Iterable[Path]) -> None:
    """Load modules; then remove what killed programs left beside recent jobs."""
    _load(_FOR_LATER)
    for folder in folders:
        forget_killed(folder)
