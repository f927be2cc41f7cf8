"""What the Dress stage draws on the elevation: the mechanics that show, lit, and the cluster that is looked at."""

from __future__ import annotations

import math
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from kakushi.desktop.views.scale import Scale
from kakushi.desktop.widgets.theme import Theme
from kakushi.dress.clusters import seat_seen_at
from kakushi.dress.placing import Sketch
from kakushi.dress.shows import Showing
from kakushi.model.parts import Seat
from kakushi.plan.dressing import Seated, seated_fillers
from kakushi.plan.values import PiecePlan

_MOST_POINTS = 3000
_POINT_PX, _RING_PX = 3.0, 7.0
_FACING = math.cos(math.radians(75))
"""Cosine of the largest angle at which what shows still faces the viewer."""


class ClusterMarks(Protocol):
    """What the elevation asks while fillers are dressed: which cluster is looked at, and to look at another one."""

    def chosen_cluster(self) -> tuple[int, int] | None:
        """Key of the set and place of the cluster."""

    def choose_cluster(self, key: int, place: int) -> None:
        """Look at a cluster."""

    def move_cluster(self, key: int, place: int, seat: Seat) -> None:
        """Bring a cluster to a seat."""


class DressMarks:
    """Marks of the Dress stage as seen from `azimuth` (radians), the middle of the piece at `centre_px`."""

    def __init__(self, scale: Scale, centre_px: float, azimuth: float, theme: Theme) -> None:
        self._scale, self._centre, self._theme, self._azimuth = scale, centre_px, theme, azimuth
        self._cos, self._sin = math.cos(azimuth), math.sin(azimuth)

    def _at(self, x: float, y: float, z: float) -> QPointF:
        return QPointF(self._centre + (x * self._cos + y * self._sin) / self._scale.mm_per_px, self._scale.y(z))

    def paint(
        self, painter: QPainter, piece_plan: PiecePlan, showing: Showing | None, chosen: tuple[int, int] | None
    ) -> None:
        """Light what the nearest eye sees, ring the worst spots on this side and the chosen cluster."""
        if showing is not None and showing.eyes:
            self._paint_seen(painter, showing)
            self._paint_spots(painter, piece_plan, showing)
        for cluster in seated_fillers(piece_plan.piece, piece_plan.assembly):
            if (cluster.part.key, cluster.place) == chosen:
                middle, radius = self._outline(cluster)
                painter.setPen(QPen(self._theme.colour("accent"), 2.5))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(middle, radius, radius)

    def paint_sketch(self, painter: QPainter, clusters: Sketch) -> None:
        """Outlines of clusters that are being placed, those on this side."""
        painter.setPen(QPen(self._theme.colour("accent"), 1.5))
        ground = self._theme.colour("field")
        ground.setAlpha(150)
        painter.setBrush(ground)
        for centres, radii in clusters:
            for (x, y, z), radius in zip(centres.tolist(), radii.tolist(), strict=True):
                if y * self._cos - x * self._sin < 0:
                    painter.drawEllipse(
                        self._at(x, y, z), radius / self._scale.mm_per_px, radius / self._scale.mm_per_px
                    )

    def _paint_seen(self, painter: QPainter, showing: Showing) -> None:
        turns = [abs(math.remainder(eye.azimuth - self._azimuth, 2 * math.pi)) for eye in showing.eyes]
        visible = showing.visible[int(np.argmin(turns))]
        points = visible.origin + visible.rays * visible.ends[:, None]
        every = max(len(points) // _MOST_POINTS, 1)
        x = self._centre + (points[::every, 0] * self._cos + points[::every, 1] * self._sin) / self._scale.mm_per_px
        lit = [QPointF(a, self._scale.y(z)) for a, z in zip(x.tolist(), points[::every, 2].tolist(), strict=True)]
        painter.setPen(QPen(self._theme.colour("warning"), _POINT_PX, cap=Qt.PenCapStyle.RoundCap))
        if lit:
            painter.drawPoints(QPolygonF(lit))

    def _paint_spots(self, painter: QPainter, piece_plan: PiecePlan, showing: Showing) -> None:
        painter.setPen(QPen(self._theme.colour("warning"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for spot in showing.spots:
            if math.cos(spot.azimuth - self._azimuth) > _FACING and spot.row < len(piece_plan.geometry.knots):
                radius, azimuth = piece_plan.packing.pole_radius, np.array([spot.azimuth])
                place = self._at(*piece_plan.geometry.frames.around(spot.row, azimuth, radius)[0].tolist())
                painter.drawEllipse(place, _RING_PX, _RING_PX)

    def _outline(self, cluster: Seated) -> tuple[QPointF, float]:
        middle = cluster.centres.mean(axis=0)
        reach = float((np.linalg.norm(cluster.centres - middle, axis=1) + cluster.radii).max())
        return self._at(*middle.tolist()), reach / self._scale.mm_per_px

    def cluster_at(self, piece_plan: PiecePlan, at: QPointF) -> Seated | None:
        """The nearest cluster under a point that faces the viewer; None where there is none."""
        under: list[tuple[float, Seated]] = []
        for cluster in seated_fillers(piece_plan.piece, piece_plan.assembly):
            x, y, _ = cluster.centres.mean(axis=0).tolist()
            depth = y * self._cos - x * self._sin
            middle, radius = self._outline(cluster)
            if depth < 0 and math.hypot(at.x() - middle.x(), at.y() - middle.y()) <= radius:
                under.append((depth, cluster))
        return min(under, key=lambda each: each[0])[1] if under else None

    def seat_at(self, piece_plan: PiecePlan, cluster: Seated, at: QPointF) -> Seat | None:
        """The seat at a point to which a cluster is dragged; None without rows."""
        across = (at.x() - self._centre) * self._scale.mm_per_px
        spot = np.array([across * self._cos, across * self._sin, self._scale.z(at.y())])
        middle = cluster.centres.mean(axis=0)
        return seat_seen_at(spot, self._azimuth, middle, piece_plan.piece.rows, piece_plan.geometry)
