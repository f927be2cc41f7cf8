"""What to pick up for a row: its bunches as discs with letter codes, and the number of each balloon when crossed."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.building.step import LaidBunches
from kakushi.colour.tying import Balloon
from kakushi.desktop.widgets.painting import ink_on, scaled
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.job import Job

_SMALLEST = 0.55
"""Smallest disc, relative to the largest: smaller ones could not hold their letters."""
_GAP, _NUMBER = 0.7, 0.45
"""Space between bunches, and for the number below a balloon, in discs."""


class Bunches(QWidget):
    """Bunches side by side, balloons of a bunch joined."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._ties: tuple[tuple[Balloon, ...], ...] = ()
        self._numbers: dict[tuple[int, int], int] = {}
        self._job = Job()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Bunches to pick up")

    def sizeHint(self) -> QSize:
        return QSize(220, self.fontMetrics().height() * 6)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def show_ties(self, job: Job, ties: tuple[tuple[Balloon, ...], ...], laid: LaidBunches | None) -> None:
        """Show bunches in a job's colours; of a crossed cluster with the numbers that its balloons have."""
        self._job, self._ties, self._numbers = job, ties, {}
        number = 0
        longest = max((len(bunch) for bunch in ties), default=0)
        places = (
            [(bunch, k) for k in range(longest) for bunch in range(len(ties)) if k < len(ties[bunch])]
            if laid is None or laid.is_crossed
            else [(bunch, k) for bunch in range(len(ties)) for k in range(len(ties[bunch]))]
        )
        for number, place in enumerate(places, 1):
            self._numbers[place] = number if laid is not None else 0
        self.setVisible(bool(ties))
        self.setAccessibleDescription(
            "; ".join(" and ".join(job.colour(balloon.colour).name for balloon in bunch) for bunch in ties)
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self._ties:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        units = sum(len(bunch) for bunch in self._ties) + _GAP * (len(self._ties) - 1)
        size = min(self.width() / units, self.height() / (1 + _NUMBER))
        largest = max(balloon.diameter_mm for bunch in self._ties for balloon in bunch)
        x, middle = 0.0, size / 2
        for place, bunch in enumerate(self._ties):
            painter.setPen(QPen(self._theme.colour("ink"), 2))
            painter.drawLine(QPointF(x + size / 2, middle), QPointF(x + size * (len(bunch) - 0.5), middle))
            for k, balloon in enumerate(bunch):
                share = max(balloon.diameter_mm / largest, _SMALLEST) if largest else 1.0
                self._paint(painter, QPointF(x + size / 2, middle), size * share * 0.94, balloon)
                if number := self._numbers.get((place, k), 0):
                    painter.setPen(self._theme.colour("quiet"))
                    box = QRectF(x, size, size, size * _NUMBER)
                    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(number))
                x += size
            x += _GAP * size
        painter.end()

    def _paint(self, painter: QPainter, at: QPointF, size: float, balloon: Balloon) -> None:
        colour = self._job.colour(balloon.colour)
        ground = QColor(colour.hex)
        painter.setPen(QPen(self._theme.colour("ink"), 1))
        painter.setBrush(ground)
        painter.drawEllipse(at, size / 2, size / 2)
        painter.setPen(ink_on(ground))
        painter.setFont(scaled(self.font(), 1.3, bold=True))
        painter.drawText(
            QRectF(at.x() - size / 2, at.y() - size / 2, size, size), Qt.AlignmentFlag.AlignCenter, colour.code
        )
        painter.setFont(self.font())
