"""The whole job standing on one floor line, all pieces with all their copies, as the client will see it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.print.scene import Standing, standing
from kakushi.plan.values import Plan

_NAME_LINES = 3
"""Lines of names below the floor: neighbours an arm's width apart have room for theirs."""


class JobScene(QWidget):
    """Drawn in another thread; the last picture stays until the next is ready."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self._theme = document, theme
        self._drawing = Drawing(document, self)
        self._drawing.drawn.connect(self.update)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(QSize(200, 140))
        self.setAccessibleName("All pieces of the job on one floor")
        document.plan_changed.connect(self._draw)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._draw()

    def showEvent(self, event: object) -> None:
        self._draw()

    def _draw(self) -> None:
        plan = self._document.plan
        if not self.isVisible() or plan.is_draft or not plan.pieces or min(self.width(), self.height()) < 20:
            return
        ratio, room = self.devicePixelRatioF(), (self.width(), round(self._floor) - 4)
        self._drawing.want((plan, room, ratio), lambda: _scene(plan, room, ratio))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._theme
        metrics = self.fontMetrics()
        floor = self._floor
        painter.setPen(QPen(theme.colour("line"), 2))
        painter.drawLine(QPointF(8, floor), QPointF(self.width() - 8, floor))
        painter.setPen(theme.colour("quiet"))
        named: dict[str, QRectF] = {}
        for copy, image in self._drawing.picture or []:
            ratio = image.devicePixelRatio()
            x, wide = copy.left / ratio, copy.wide / ratio
            across, tall, below = image.width() / ratio, image.height() / ratio, copy.below / ratio
            painter.drawImage(QRectF(x + (wide - across) / 2, floor - tall + below, across, tall), image)
            box = QRectF(x, floor + 4, wide, metrics.height())
            named[copy.name] = named[copy.name].united(box) if copy.name in named else box
        ends = [-1.0] * _NAME_LINES
        for name, box in sorted(named.items(), key=lambda item: item[1].center().x()):
            # On the first line where it has room; where there is none, where it overlaps least.
            wide = metrics.horizontalAdvance(name) + 8
            left = min(max(box.center().x() - wide / 2, 0.0), self.width() - wide)
            line = next((k for k, end in enumerate(ends) if end <= left), ends.index(min(ends)))
            ends[line] = left + wide
            shown = QRectF(left, box.top() + line * metrics.height(), wide, metrics.height())
            painter.drawText(shown, Qt.AlignmentFlag.AlignCenter, name)
        painter.end()

    @property
    def _floor(self) -> float:
        """The floor line, px from the top: names have room below."""
        return self.height() - _NAME_LINES * self.fontMetrics().height() - 8.0


def _scene(plan: Plan, room: tuple[int, int], ratio: float) -> Scene:
    """The scene, in widget pixels."""
    scene = standing(plan, round(room[0] * ratio), round(room[1] * ratio))
    return [(each, image_of(each.pixels, ratio)) for each in scene]


Scene = list[tuple[Standing, QImage]]
"""Copies with their pictures."""
