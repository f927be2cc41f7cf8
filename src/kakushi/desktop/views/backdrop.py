"""What is drawn around the picture in the elevation: floor, ruler, outline, height reached, side."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from kakushi.desktop.views.scale import Scale
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.groups import rows_groups
from kakushi.model.units import MM_PER_INCH, UnitSystem, format_height
from kakushi.plan.parts import has_balloons
from kakushi.plan.values import PiecePlan

RULER_PX, _CORNER_SPARE_PX = 52.0, 8.0
_PATH_POINTS = 300
"""Points that a path is drawn through: a few pixels apart."""
_METRIC_TICKS = (10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10_000.0, 20_000.0)
_INCH_TICKS = tuple(inch * MM_PER_INCH for inch in (1, 2, 6, 12, 24, 60, 120, 240, 600))


@dataclass(frozen=True, slots=True)
class Backdrop:
    """Draws on a view `width` × `height` px; `centre` is the pole's column, `line` the height of a line of text."""

    painter: QPainter
    scale: Scale
    theme: Theme
    units: UnitSystem
    width: int
    height: int
    centre: float
    line: int

    def floor(self) -> None:
        """The line of the floor."""
        y = self.scale.y(0.0)
        self.painter.setPen(QPen(self.theme.colour("line"), 2))
        self.painter.drawLine(QPointF(RULER_PX, y), QPointF(self.width, y))

    def outline(self, piece_plan: PiecePlan, azimuth: float) -> None:
        """The dashed target outline, seen from an azimuth, radians; of strands their paths."""
        strands = piece_plan.assembly.strands
        if strands:
            self.painter.setPen(QPen(self.theme.colour("ink"), 1.6, Qt.PenStyle.DashLine))
            for _, laid in strands:
                x, y, z = laid.curve.points[:: max(len(laid.curve.points) // _PATH_POINTS, 1)].T
                across = x * math.cos(azimuth) + y * math.sin(azimuth)
                self.painter.drawPolyline(QPolygonF([self._point(a, h) for a, h in zip(across, z, strict=True)]))
        first = rows_groups(piece_plan.piece.groups)
        if piece_plan.assembly.frames or (first and first[0][1].strand is not None):
            return
        profile, foot = piece_plan.profile, piece_plan.outline_foot_mm
        right = [self._point(x, z + foot) for x, z in zip(profile.right, profile.heights, strict=True)]
        left = [self._point(-x, z + foot) for x, z in zip(profile.left, profile.heights, strict=True)]
        pen = QPen(self.theme.colour("ink"), 1.6, Qt.PenStyle.DashLine)
        self.painter.setPen(pen)
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        self.painter.drawPolygon(QPolygonF([*right, *reversed(left)]))

    def _point(self, x_mm: float, z_mm: float) -> QPointF:
        return QPointF(self.centre + x_mm / self.scale.mm_per_px, self.scale.y(z_mm))

    def heights(self, piece_plan: PiecePlan) -> None:
        """The height that is reached, in words at its line."""
        if not has_balloons(piece_plan.piece):
            return
        y = self.scale.y(piece_plan.height_mm)
        self.painter.setPen(QPen(self.theme.colour("accent"), 1))
        self.painter.drawLine(QPointF(RULER_PX - 6, y), QPointF(self.width, y))
        text = format_height(piece_plan.height_mm, self.units)
        box = QRectF(self.width - 130, y - self.line - 2, 122, self.line)
        self.painter.drawText(box, Qt.AlignmentFlag.AlignRight, text)

    def invitation(self) -> None:
        """What to do where there are no rows."""
        self.painter.setPen(self.theme.colour("quiet"))
        box = QRectF(RULER_PX, self.height / 2 - 40, self.width - RULER_PX, 80)
        self.painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "No rows yet.\nPress F5 to choose them.")

    def ruler(self) -> None:
        """Heights at the left edge, as dense as can be read."""
        units = self.units
        ticks = _METRIC_TICKS if units is UnitSystem.METRIC else _INCH_TICKS
        spacing = self.line * 1.8
        step = next((t for t in ticks if t / self.scale.mm_per_px >= spacing), ticks[-1])
        first = max(math.ceil(self.scale.z(self.height) / step), 0)
        last = math.floor(self.scale.z(0.0) / step)
        for index in range(first, last + 1):
            y = self.scale.y(index * step)
            self.painter.setPen(QPen(self.theme.colour("line"), 1))
            self.painter.drawLine(QPointF(RULER_PX - 8, y), QPointF(RULER_PX, y))
            self.painter.setPen(self.theme.colour("quiet"))
            box = QRectF(0, y - 12, RULER_PX - 11, 24)
            # The corner with the unit would cut it.
            high = self.line
            if y - high / 2 < high + _CORNER_SPARE_PX:
                continue
            number = index * step / (10 if units is UnitSystem.METRIC else MM_PER_INCH)
            self.painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{number:.0f}")
        corner = QRectF(0, 0, RULER_PX, self.line + _CORNER_SPARE_PX)
        self.painter.fillRect(corner, self.theme.colour("paper"))
        self.painter.setPen(self.theme.colour("quiet"))
        self.painter.drawText(
            corner.adjusted(0, 0, -11, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, units.value
        )

    def side(self, azimuth: float) -> None:
        """From which side (radians) it is seen."""
        degrees = round(math.degrees(azimuth)) % 360
        side = {0: "from the front", 90: "from the right", 180: "from the back", 270: "from the left"}.get(
            degrees, f"turned {degrees}°"
        )
        self.painter.setPen(self.theme.colour("quiet"))
        high = self.line
        box = QRectF(RULER_PX, self.height - high - 4, self.width - RULER_PX - 8, high)
        self.painter.drawText(box, Qt.AlignmentFlag.AlignRight, side)
