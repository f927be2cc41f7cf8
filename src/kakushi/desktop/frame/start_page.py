"""What an empty shelf shows: the first steps, with pictures, and where to go on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.task_context import TaskContext
from kakushi.desktop.document.worker_process import Worker
from kakushi.desktop.widgets.fields import heading, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.store.preferences import shown_path
from kakushi.formats.store.recovery import Recovery

if TYPE_CHECKING:
    from kakushi.desktop.document.demo_vase import DemoVase

_PICTURE_W, _PICTURE_H, _STEP_GAP = 200, 300, 44
_STEPS = (
    ("1  Outline", "Say how tall it stands and pick the outline it follows."),
    ("2  Rows", "Press one key: rows of graduated balloons fill the outline."),
    ("3  Colour", "Lay spirals or bands; then count, print and build."),
)


class _StepPicture(QWidget):
    """One of the three steps, drawn from the demo's vase."""

    def __init__(self, step: int, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._step, self.theme = step, theme
        self.sample: DemoVase | None = None
        self.setFixedSize(QSize(_PICTURE_W, _PICTURE_H))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.setBrush(self.theme.colour("paper"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8)
        if self.sample is not None:
            self._paint_sample(painter, self.sample)
        painter.end()

    def _paint_sample(self, painter: QPainter, sample: DemoVase) -> None:
        if self._step:
            picture = sample.coloured if self._step == 2 else sample.plain
            painter.drawImage(QPointF(0, 0), image_of(picture, self.devicePixelRatioF()))
        if self._step < 2:
            painter.setPen(QPen(QColor(self.theme.ink), 1.5, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            per_mm, floor, middle = _PICTURE_H * 0.92 / sample.tallest, _PICTURE_H * 0.96, _PICTURE_W / 2
            pairs = zip(sample.half_widths, sample.heights, strict=True)
            side = [QPointF(middle + x * per_mm, floor - h * per_mm) for x, h in pairs]
            painter.drawPolygon(QPolygonF([*side, *(QPointF(2 * middle - p.x(), p.y()) for p in reversed(side))]))


class StartPage(QWidget):
    """Shown while the job has no piece."""

    def __init__(self, theme: Theme, worker: Worker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._worker, self._opening = worker, Label("")
        self.add = tip_button("Add the first piece", "A straight piece whose height you type (Ctrl+Shift+N)")
        self.add.setProperty("primary", True)
        self.open = tip_button("Open a job…", "A job from a file (Ctrl+O)")
        self.demo = tip_button("Open the demo job", "The Lantern Quay example")
        self._pictures = [_StepPicture(step, theme) for step in range(len(_STEPS))]
        self._recent = QVBoxLayout()
        self._recoveries = QVBoxLayout()
        self._sampler = Runner(self)
        self._sampler.finished.connect(self._on_sample)
        self._build()

    def showEvent(self, event: QShowEvent | None) -> None:
        self._want_sample()
        super().showEvent(event)

    def wait_for(self, name: str) -> None:
        """Say that a job of that name is being opened; "" shows the first steps again."""
        self._opening.setText(f"Opening {name}…" if name else "")
        self._opening.setVisible(bool(name))
        self._body.setVisible(not name)
        self._want_sample()

    @property
    def has_pictures(self) -> bool:
        """Whether the pictures of the first steps are there."""
        return all(picture.sample is not None for picture in self._pictures)

    def _want_sample(self) -> None:
        if not self.isVisible() or self._opening.text() or self._sampler.is_busy or self.has_pictures:
            return
        size = round(_PICTURE_W * self.devicePixelRatioF()), round(_PICTURE_H * self.devicePixelRatioF())
        self._sampler.submit(
            lambda progress, cancelled: self._worker.call("draw_demo_vase", TaskContext(progress, cancelled), *size)
        )

    def _on_sample(self, sample: DemoVase) -> None:
        for picture in self._pictures:
            picture.sample = sample
            picture.update()

    def stop(self) -> None:
        """Wait until nothing runs."""
        self._sampler.close()

    def _build(self) -> None:
        # Shown without shelf and tools: its width must not bound the window's.
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        body = self._body = QWidget()
        self._opening.setProperty("role", "title")
        self._opening.setVisible(False)
        body.setMaximumWidth(3 * _PICTURE_W + 2 * _STEP_GAP)
        outer = QHBoxLayout(self)
        outer.addStretch(1)
        outer.addWidget(self._opening)
        outer.addWidget(body, 100)
        outer.addStretch(1)
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 20, 0, 20)
        layout.setSpacing(12)
        layout.addLayout(self._recoveries)
        layout.addStretch(1)
        title = Label("Plan a column that hides its mechanics")
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

    def show_recent(self, paths: Sequence[Path], open_path: Callable[[Path], None]) -> None:
        """List recent files that still exist."""
        _clear(self._recent)
        shown = [path for path in paths if path.is_file()]
        if shown:
            self._recent.addWidget(heading("Recent jobs"))
        for path in shown[:4]:
            self._recent.addLayout(_line(shown_path(path.stem), shown_path(path.parent), partial(open_path, path)))

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
