"""Draws a small picture of a job that was opened or saved, for the start page."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.formats.store.preferences import path_of
from kakushi.formats.store.recent_pictures import SIZE_PX, RecentPictures

if TYPE_CHECKING:
    from kakushi.plan.values import Plan

_REST_MS = 2000
"""Rest after opening or saving, ms: what the window shows comes first."""


class RecentScenes(QObject):
    """Follows the document; a picture is drawn when the job is that of its file."""

    def __init__(self, document: Document, pictures: RecentPictures, parent: QObject) -> None:
        super().__init__(parent)
        self._document, self._pictures = document, pictures
        self._drawn: tuple[Path, Plan] | None = None
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_drawn)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._draw)
        document.plan_changed.connect(self._follow)
        document.preferences_changed.connect(self._follow)
        document.closing.connect(self._close)

    @property
    def _wanted(self) -> tuple[Path, Plan] | None:
        document = self._document
        path = document.session.path
        if path is None or document.is_dirty or not document.is_planned or not document.plan.pieces:
            return None
        return path, document.plan

    def _follow(self) -> None:
        wanted = self._wanted
        if wanted is not None and wanted != self._drawn:
            self._rest.start()

    def _draw(self) -> None:
        wanted = self._wanted
        if wanted is None or wanted == self._drawn:
            return
        self._drawn = wanted
        path, plan = wanted

        def work(_tell: Callable[[object], None], _cancelled: Callable[[], bool]) -> tuple[Path, bytes]:
            import io

            from kakushi.formats.print.scene import scene_image

            buffer = io.BytesIO()
            scene_image(plan, *SIZE_PX, paper=None).save(buffer, "PNG")
            return path, buffer.getvalue()

        self._runner.submit(work)

    def _on_drawn(self, drawn: tuple[Path, bytes]) -> None:
        path, png = drawn
        self._pictures.keep(path, png, [path_of(text) for text in self._document.preferences.recent])

    def _close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._rest.stop()
        self._runner.close()
