"""What was not needed to show the window is loaded and built while nothing else is to be done: stages open at once."""

from __future__ import annotations

import importlib
from collections.abc import Iterable
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget

from kakushi.desktop.document.background import Runner
from kakushi.desktop.main_window import MainWindow
from kakushi.desktop.stages.registry import STAGES
from kakushi.formats.store.atomic import forget_killed
from kakushi.formats.store.preferences import path_of

_MODULES = (
    "kakushi.plan.pipeline",
    "kakushi.workshop.dossier",
    "kakushi.desktop.views.workbench",
    *(f"kakushi.desktop.stages.{stage.folder}.stage" for stage in STAGES),
    "skimage.color.colorconv",
    "kakushi.desktop.widgets.calibration_chart",
)
"""Modules loaded in another thread; those that a first job needs come first."""
_NEXT_MS = 120
"""Pause between building two stages, ms, so that input is handled first."""


class WarmUp(QObject):
    """Loads modules, then builds one stage after the other, the window staying alive."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._runner = Runner(self)
        self._runner.finished.connect(lambda _: self._timer.start())
        self._timer = QTimer(self)
        self._timer.setInterval(_NEXT_MS)
        self._timer.timeout.connect(self._build_next)
        window.document.closing.connect(self._stop)
        folders = {path_of(path).parent for path in window.document.preferences.recent}
        self._runner.submit(lambda _progress, _cancelled: _prepare(folders))

    @property
    def is_done(self) -> bool:
        """Whether everything is loaded and built."""
        return not self._runner.is_busy and not self._timer.isActive()

    def _build_next(self) -> None:
        if self._window.document.planner.is_busy:
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


def _prepare(folders: Iterable[Path]) -> None:
    """Load modules; then remove what killed programs left beside recent jobs."""
    for module in _MODULES:
        importlib.import_module(module)
    for folder in folders:
        forget_killed(folder)
