"""Draws over a photograph: numbered faults, marked lines, bars of left and right."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from kakushi.check.values import RowSides
from kakushi.desktop.stages.check.photo_images import side_bar
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.record import Found

_DARK, _YELLOW, _BLUE = QColor(20, 18, 15, 200), QColor("#ffd24a"), QColor("#7fe0ff")
"""Light inks with a dark one under them: seen on balloons of any colour."""
_ROOM_FOR_MORE = 1.25
"""Width of the bars' room over the widest planned one."""


class Circled(NamedTuple):
    """A fault where it is drawn: its number, middle and radius (px), whether it is looked at."""

    number: int
    middle: QPointF
    radius: float
    is_chosen: bool
    fault: Found


def paint_faults(painter: QPainter, faults: Sequence[Circled]) -> None:
    """Circle faults of balloons, frame those of rows; what somebody should look at is dashed."""
    font = painter.font()
    font.setBold(True)
    painter.setFont(font)
    for each in faults:
        middle, radius = each.middle, max(each.radius, 6.0) * 1.08
        style = Qt.PenStyle.DashLine if each.fault.look else Qt.PenStyle.SolidLine
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for ink, wide in ((_DARK, 5.5), (_YELLOW, 3.4 if each.is_chosen else 2.2)):
            painter.setPen(QPen(ink, wide + (1.5 if each.is_chosen else 0.0), style))
            if each.fault.slot < 0:
                high = min(radius, 14)
                painter.drawRoundedRect(QRectF(middle.x() - radius, middle.y() - high, 2 * radius, 2 * high), 6, 6)
            else:
                painter.drawEllipse(middle, radius, radius)
        _paint_number(painter, middle, radius, str(each.number))


def _paint_number(painter: QPainter, middle: QPointF, radius: float, text: str) -> None:
    metrics = painter.fontMetrics()
    wide = max(metrics.horizontalAdvance(text), metrics.height()) + 6
    box = QRectF(middle.x() + radius * 0.7, middle.y() - radius * 0.7 - metrics.height(), wide, metrics.height() + 2)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(_YELLOW)
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(QColor("#1a1815"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def paint_line(painter: QPainter, ends: Sequence[QPointF], words: str) -> None:
    """A line that somebody marked, from one end to the other, with what it is."""
    for ink, wide in ((_DARK, 5.0), (_BLUE, 2.2)):
        painter.setPen(QPen(ink, wide))
        painter.drawLine(ends[0], ends[1])
    if words:
        painter.drawText(ends[0] + QPointF(8, -4), words)


def paint_sides(
    painter: QPainter, sides: Sequence[RowSides], room: QRectF, y_of: Callable[[float], float], theme: Theme
) -> None:
    """Draw how far each row reaches left and right, and mark what differs from the plan; `y_of`: a row's y, px."""
    widest = max(max(each.planned_left, each.planned_right) for each in sides) * _ROOM_FOR_MORE
    middle, by = room.center().x(), room.width() / 2 / max(widest, 1.0)
    painter.setPen(QPen(theme.colour("line"), 1))
    painter.drawLine(QPointF(middle, room.top() + 32), QPointF(middle, room.bottom() - 8))
    painter.setPen(theme.colour("quiet"))
    painter.drawText(
        QRectF(room.left(), room.top() + 8, room.width(), 40), Qt.AlignmentFlag.AlignHCenter, "left · right"
    )
    tall = max(0.5 * room.height() / max(len(sides), 1) * 0.8, 3.0)
    for each in sides:
        y = y_of(each.y)
        for side, seen, planned, differs in each.bars:
            painter.setPen(QPen(theme.colour("quiet"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(side_bar(middle, y, side * planned * by, tall))
            if math.isfinite(seen):
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("warning" if differs else "accent"))
                painter.drawRect(side_bar(middle, y, side * seen * by, tall * 0.55))
