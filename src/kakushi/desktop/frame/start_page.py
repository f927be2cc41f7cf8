"""What an empty shelf shows: the first steps, with pictures, and where to go on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache, partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from kakushi.desktop.widgets.fields import heading, quiet
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.job_file import load_job
from kakushi.formats.paths import demo_job_path
from kakushi.formats.png import paints_for
from kakushi.formats.recovery import Recovery
from kakushi.model.catalogue import Studio
from kakushi.picture.scene import portrait
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan

_PICTURE_W, _PICTURE_H, _STEP_GAP = 200, 300, 44
_STEPS = (
    ("1  Outline", "Say how tall it stands and pick the outline it follows."),
    ("2  Rows", "Press one key: rows of graduated balloons fill the outline."),
    ("3  Colour", "Lay spirals or bands; then count, print and build."),
)


@lru_cache(maxsize=1)
def _sample() -> PiecePlan:
    """The demo's vase, planned like any piece."""
    return plan(load_job(demo_job_path()), Studio()).pieces[-1]


@lru_cache(maxsize=8)
def _sample_picture(ratio: float, coloured: bool) -> NDArray[np.uint8]:
    piece_plan, job = _sample(), load_job(demo_job_path())
    paints = paints_for(piece_plan, job)
    if not coloured:
        paints = [type(p)((0.82, 0.79, 0.74), p.finish) for p in paints]
    return portrait(piece_plan.drawn, piece_plan.piece.frame, paints, int(_PICTURE_W * ratio), int(_PICTURE_H * ratio))


class _StepPicture(QWidget):
    """One of the three steps, drawn from the demo's vase."""

    def __init__(self, step: int, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._step, self.theme = step, theme
        self.setFixedSize(QSize(_PICTURE_W, _PICTURE_H))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.setBrush(self.theme.colour("paper"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8)
        if self._step:
            ratio = self.devicePixelRatioF()
            painter.drawImage(QPointF(0, 0), image_of(_sample_picture(ratio, self._step == 2), ratio))
        if self._step < 2:
            painter.setPen(QPen(QColor(self.theme.ink), 1.5, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(self._outline())
        painter.end()

    def _outline(self) -> QPolygonF:
        piece_plan = _sample()
        tall = max(piece_plan.profile.height, piece_plan.geometry.top)
        per_mm = _PICTURE_H * 0.92 / tall
        floor = _PICTURE_H * 0.96
        middle = _PICTURE_W / 2
        z, right = piece_plan.profile.heights, piece_plan.profile.right
        side = [QPointF(middle + x * per_mm, floor - h * per_mm) for x, h in zip(right, z, strict=True)]
        return QPolygonF([*side, *(QPointF(2 * middle - p.x(), p.y()) for p in reversed(side))])


class StartPage(QWidget):
    """Shown while the job has no piece."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.add = QPushButton("Add the first piece")
        self.add.setProperty("primary", True)
        self.open = QPushButton("Open a job…")
        self.demo = QPushButton("Open the demo job")
        self._pictures = [_StepPicture(step, theme) for step in range(len(_STEPS))]
        self._recent = QVBoxLayout()
        self._recoveries = QVBoxLayout()
        self._build()

    def _build(self) -> None:
        # Shown without shelf and tools: its width must not bound the window's.
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        body = QWidget()
        body.setMaximumWidth(3 * _PICTURE_W + 2 * _STEP_GAP)
        outer = QHBoxLayout(self)
        outer.addStretch(1)
        outer.addWidget(body, 100)
        outer.addStretch(1)
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 20, 0, 20)
        layout.setSpacing(12)
        layout.addLayout(self._recoveries)
        layout.addStretch(1)
        title = QLabel("Plan a column that hides its mechanics")
        title.setProperty("role", "title")
        layout.addWidget(title)
        layout.addWidget(quiet("From an outline and a height to rows, colours, a shopping list and build sheets."))
        steps = QHBoxLayout()
        steps.setSpacing(_STEP_GAP)
        for picture, (name, words) in zip(self._pictures, _STEPS, strict=True):
            column = QVBoxLayout()
            column.setSpacing(4)
            column.addWidget(picture)
            column.addWidget(heading(name))
            text = quiet(words)
            text.setFixedWidth(_PICTURE_W)
            column.addWidget(text, 0, Qt.AlignmentFlag.AlignTop)
            column.addStretch(1)
            steps.addLayout(column)
        steps.addStretch(1)
        layout.addLayout(steps)
        buttons = QHBoxLayout()
        for button in (self.add, self.open, self.demo):
            buttons.addWidget(button)
        buttons.addStretch(1)
        layout.addLayout(buttons)
        layout.addLayout(self._recent)
        layout.addStretch(2)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        for picture in self._pictures:
            picture.theme = theme
            picture.update()

    def show_recent(self, paths: Sequence[str], open_path: Callable[[Path], None]) -> None:
        """List recent files that still exist."""
        _clear(self._recent)
        shown = [Path(p) for p in paths if Path(p).is_file()]
        if shown:
            self._recent.addWidget(heading("Recent jobs"))
        for path in shown[:4]:
            self._recent.addLayout(_line(path.stem, str(path.parent), partial(open_path, path)))

    def show_recoveries(
        self, recoveries: Sequence[Recovery], recover: Callable[[Recovery], None], forget: Callable[[Recovery], None]
    ) -> None:
        """Offer unsaved jobs of a program that ended without saying goodbye."""
        _clear(self._recoveries)
        for recovery in recoveries:
            told = f"“{recovery.job.brief.title}” was not saved when the program ended."
            line = QHBoxLayout()
            line.addWidget(quiet(told), 1)
            for text, act in (("Recover", recover), ("Throw away", forget)):
                button = QPushButton(text)
                button.clicked.connect(partial(_call_with, act, recovery))
                line.addWidget(button)
            self._recoveries.addLayout(line)


def _call_with(act: Callable[[Recovery], None], recovery: Recovery, _checked: bool) -> None:
    act(recovery)


def _line(text: str, tip: str, act: Callable[[], None]) -> QHBoxLayout:
    line = QHBoxLayout()
    button = QPushButton(text)
    button.setToolTip(tip)
    button.clicked.connect(lambda _checked: act())
    line.addWidget(button)
    line.addWidget(quiet(tip), 1)
    return line


def _clear(layout: QVBoxLayout | QHBoxLayout) -> None:
    while (item := layout.takeAt(0)) is not None:
        if widget := item.widget():
            widget.deleteLater()
        elif isinstance(inner := item.layout(), QHBoxLayout | QVBoxLayout):
            _clear(inner)
