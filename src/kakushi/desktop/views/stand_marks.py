"""What the Stand stage draws on the elevation: base, pole, centre of mass, tipping line, hung things and weights."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from kakushi.desktop.views.backdrop import RULER_PX
from kakushi.desktop.views.scale import Scale
from kakushi.desktop.widgets.theme import Theme
from kakushi.dress.table import kind_of, name_of
from kakushi.model.parts import Extended, Part
from kakushi.plan.stability import pole_length
from kakushi.plan.values import PiecePlan
from kakushi.stand.stance import Foot, Stance, StepStance
from kakushi.words.stand import tilt_words

_MARK_PX = 8.0
_WEIGHT_WIDE_MM, _WEIGHT_TALL_MM = 120.0, 80.0
"""Box drawn for weights without measures of their own, like a sandbag, mm."""


def paint_stand(
    *,
    painter: QPainter,
    piece_plan: PiecePlan,
    stance: Stance | None,
    scale: Scale,
    centre_px: float,
    azimuth: float,
    theme: Theme,
) -> None:
    """Draw the stand of a piece as seen from `azimuth` (radians), its middle at `centre_px`, as far as it is known."""
    marks = _Marks(painter, scale, centre_px, azimuth, theme)
    if stance is not None:
        marks.base(piece_plan, stance.foot)
    for part in piece_plan.parts:
        if kind_of(part).is_marked:
            marks.part(part, piece_plan)
    if piece_plan.piece.rows and stance is not None:
        marks.tipping(stance.leaning, stance)


class _Marks:
    def __init__(self, painter: QPainter, scale: Scale, centre_px: float, azimuth: float, theme: Theme) -> None:
        self._painter, self._scale, self._centre, self._theme = painter, scale, centre_px, theme
        self._cos, self._sin = math.cos(azimuth), math.sin(azimuth)

    def _at(self, x: float, y: float, z: float) -> QPointF:
        across = x * self._cos + y * self._sin
        return QPointF(self._centre + across / self._scale.mm_per_px, self._scale.y(z))

    def base(self, piece_plan: PiecePlan, foot: Foot) -> None:
        """The base as a block on the floor, and the pole's end above the column."""
        painter, theme = self._painter, self._theme
        painter.setPen(QPen(theme.colour("ink"), 1.4))
        painter.setBrush(theme.colour("line"))
        wide = 2 * foot.radius / self._scale.mm_per_px
        high = max(foot.height / self._scale.mm_per_px, 3.0)
        floor = self._scale.y(0.0)
        painter.drawRect(QRectF(self._centre - wide / 2, floor - high, wide, high))
        top = pole_length(piece_plan)
        if top > piece_plan.height_mm:
            radius = max(piece_plan.piece.frame.pole_diameter_mm / 2 / self._scale.mm_per_px, 1.5)
            y = self._scale.y(top)
            painter.drawRect(QRectF(self._centre - radius, y, 2 * radius, self._scale.y(piece_plan.height_mm) - y))

    def part(self, part: Part, piece_plan: PiecePlan) -> None:
        """A hung thing or a weight as a labelled box, tied to the pole by a thin line."""
        painter, theme = self._painter, self._theme
        x, y, z = piece_plan.place_of(part)
        middle = self._at(x, y, z)
        tall_mm, wide_mm = (part.tall_mm, part.wide_mm) if isinstance(part, Extended) else (0.0, 0.0)
        wide = max((wide_mm or _WEIGHT_WIDE_MM) * abs(self._cos) / self._scale.mm_per_px, 14.0)
        high = max((tall_mm or _WEIGHT_TALL_MM) / self._scale.mm_per_px, 14.0)
        painter.setPen(QPen(theme.colour("ink"), 1.0, Qt.PenStyle.DotLine))
        painter.drawLine(self._at(0, 0, z), middle)
        painter.setPen(QPen(theme.colour("ink"), 1.4))
        ground = theme.colour("field")
        ground.setAlpha(215)
        painter.setBrush(ground)
        box = QRectF(middle.x() - wide / 2, middle.y() - high / 2, wide, high)
        painter.drawRect(box)
        painter.drawText(box.adjusted(-40, 0, 40, 0), Qt.AlignmentFlag.AlignCenter, name_of(part))

    def tipping(self, step: StepStance, stance: Stance) -> None:
        """Centre of mass with the line down to the floor, and from it to the edge it would tip over."""
        painter, theme, balance = self._painter, self._theme, step.balance
        middle = self._at(balance.x, balance.y, balance.z)
        under = self._at(balance.x, balance.y, 0.0)
        leaning = not stance.stands
        colour = theme.colour("warning" if leaning else "accent")
        side = 1.0 if balance.x * self._cos + balance.y * self._sin >= 0 else -1.0
        edge = QPointF(self._centre + side * balance.foot.reach / self._scale.mm_per_px, self._scale.y(0.0))
        painter.setPen(QPen(colour, 1.6, Qt.PenStyle.DashLine))
        painter.drawLine(middle, under)
        painter.setPen(QPen(colour, 2.0))
        painter.drawLine(middle, edge)
        painter.setBrush(theme.colour("field"))
        painter.drawEllipse(middle, _MARK_PX, _MARK_PX)
        painter.setBrush(colour)
        for start in (0, 180):
            painter.drawPie(
                QRectF(middle.x() - _MARK_PX, middle.y() - _MARK_PX, 2 * _MARK_PX, 2 * _MARK_PX), start * 16, 90 * 16
            )
        painter.drawPolygon(QPolygonF([edge, QPointF(edge.x() - 5, edge.y() + 9), QPointF(edge.x() + 5, edge.y() + 9)]))
        metrics = painter.fontMetrics()
        inside = balance.tilt >= 0
        angle = tilt_words(balance) if inside else f"{-math.degrees(balance.tilt):.0f}°"
        words = f"centre of mass, {angle} {'to' if inside else 'past'} the edge"
        # On two lines where the view is narrower than the words.
        room = max(painter.viewport().width() - RULER_PX - 8, 60.0)
        wide = min(metrics.horizontalAdvance(words) + 10, room)
        flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
        tall = metrics.boundingRect(0, 0, int(wide) - 6, 999, flags, words).height() + 2
        left = max(min(middle.x() + 14, painter.viewport().width() - wide - 4), RULER_PX)
        box = QRectF(left, middle.y() - tall - _MARK_PX - 6, wide, tall)
        ground = theme.colour("paper")
        ground.setAlpha(225)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(colour)
        painter.drawText(box, flags, words)
