"""Shaping the outline on the elevation: points are dragged, added by a double click, removed by a right click."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QPainter, QPen

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.scale import Scale
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.errors import BadInput
from kakushi.model.outline import PointsOutline
from kakushi.shape import sculpt

REACH_PX = 11.0
DOT_PX = 5.0
SNAP_PX = 5.0
_KEY_STEP_MM = 5.0
"""Movement for each key press, mm."""
SNAP_LINES_MM, HIGHEST_SNAP_MM = 50.0, 20_000.0
_IMAGE_OPACITY = 0.45
MOVES = {
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}


class OutlineHandles(QObject):
    """The points of the selected piece's outline while it is shaped by hand."""

    changed = pyqtSignal()
    switched = pyqtSignal(bool)

    def __init__(self, document: Document, scale: Scale, centre: Callable[[], float], parent: QObject) -> None:
        super().__init__(parent)
        self._document, self._scale, self._centre = document, scale, centre
        self.is_on = False
        self.with_rows = True
        self.image: QImage | None = None
        self._chosen: int | None = None
        self._dragged: int | None = None

    # --- the outline ----------------------------------------------------------------------

    def outline(self) -> PointsOutline | None:
        """The outline as few points, heights from the foot, mm; made from the profile where it is not yet."""
        piece_plan = self._document.piece_plan
        piece = self._document.piece
        if piece_plan is None or piece is None:
            return None
        outline = piece.outline
        if isinstance(outline, PointsOutline) and outline.smooth:
            tall = outline.points[-1].height_mm
            return (
                outline
                if abs(tall - piece_plan.profile.height) < 1
                else sculpt.few_points(piece_plan.profile, outline.name)
            )
        name = outline.name if isinstance(outline, PointsOutline) else outline.preset
        return sculpt.few_points(piece_plan.profile, f"{name}, by hand")

    def switch(self, on: bool) -> None:
        """Start or stop shaping by hand."""
        if on != self.is_on:
            self.is_on = on
            self._chosen = self._dragged = None
            self.switched.emit(on)
            self.changed.emit()

    def choose(self, index: int | None) -> None:
        """Make a point the one that keys and fields change."""
        self._chosen = index
        self.changed.emit()

    @property
    def chosen(self) -> int | None:
        """Index of the chosen point."""
        outline = self.outline()
        return self._chosen if outline and self._chosen is not None and self._chosen < len(outline.points) else None

    def apply(self, outline: PointsOutline) -> None:
        """Make an outline the piece's, with rows for it while that is wanted."""
        self._document.chooser.drag_outline(outline, self.with_rows)

    def edit(self, change: Callable[[PointsOutline], PointsOutline]) -> None:
        """Change the outline; what cannot be is said."""
        outline = self.outline()
        if outline is None:
            return
        try:
            self.apply(change(outline))
        except BadInput as error:
            self._document.refused.emit(self._document.said(error))

    # --- painting ---------------------------------------------------------------------------

    def spot(self, half_mm: float, height_mm: float) -> QPointF:
        piece_plan = self._document.piece_plan
        foot = piece_plan.outline_foot_mm if piece_plan else 0.0
        return QPointF(self._centre() + half_mm / self._scale.mm_per_px, self._scale.y(height_mm + foot))

    def paint(self, painter: QPainter, theme: Theme) -> None:
        """Draw the points on both sides."""
        outline = self.outline()
        if not self.is_on or outline is None:
            return
        for index, point in enumerate(outline.points):
            chosen = index == self.chosen
            painter.setPen(QPen(theme.colour("accent"), 2))
            painter.setBrush(theme.colour("accent") if chosen else theme.colour("paper"))
            for half in (point.right_mm, -point.left_mm):
                painter.drawEllipse(self.spot(half, point.height_mm), DOT_PX, DOT_PX)

    def paint_image(self, painter: QPainter) -> None:
        """Draw the reference picture behind the piece, as tall as the outline."""
        piece_plan = self._document.piece_plan
        if self.image is None or piece_plan is None:
            return
        top, floor = (
            self._scale.y(piece_plan.outline_foot_mm + piece_plan.profile.height),
            self._scale.y(piece_plan.outline_foot_mm),
        )
        high = floor - top
        wide = high * self.image.width() / max(self.image.height(), 1)
        painter.save()
        painter.setOpacity(_IMAGE_OPACITY)
        spot = QPointF(self._centre() - wide / 2, top)
        painter.drawImage(
            spot,
            self.image.scaled(
                round(wide),
                round(high),
                Qt.AspectRatioMode.IgnoreAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            ),
        )
        painter.restore()

    # --- pointer and keys --------------------------------------------------------------------

    def _at(self, spot: QPointF) -> int | None:
        outline = self.outline()
        if outline is None:
            return None
        for index, point in enumerate(outline.points):
            for half in (point.right_mm, -point.left_mm):
                offset = self.spot(half, point.height_mm) - spot
                if abs(offset.x()) + abs(offset.y()) <= REACH_PX:
                    return index
        return None

    def press(self, spot: QPointF) -> bool:
        """Take hold of a point; whether there is one."""
        if not self.is_on:
            return False
        self._dragged = self._at(spot)
        if self._dragged is not None:
            self.choose(self._dragged)
            self._document.stroke.begin("Change outline")
        return self._dragged is not None

    def drag(self, spot: QPointF) -> bool:
        """Move the held point; whether one is held."""
        if not self._document.stroke.is_open:
            self._dragged = None
        index = self._dragged
        if index is None:
            return False
        height, half = self._measured(spot)
        lines = np.arange(0.0, HIGHEST_SNAP_MM, SNAP_LINES_MM)
        height = sculpt.snapped(height, lines, SNAP_PX * self._scale.mm_per_px)
        self.edit(lambda outline: sculpt.moved(outline, index, height, half))
        return True

    def _measured(self, spot: QPointF) -> tuple[float, float]:
        piece_plan = self._document.piece_plan
        foot = piece_plan.outline_foot_mm if piece_plan else 0.0
        return self._scale.z(spot.y()) - foot, abs(spot.x() - self._centre()) * self._scale.mm_per_px

    def release(self) -> bool:
        """Let go; whether a point was held. The rows are then chosen with care."""
        held = self._dragged is not None
        self._dragged = None
        self._document.stroke.end()
        return held

    def double_click(self, spot: QPointF) -> bool:
        """Add a point at a height of the outline."""
        if not self.is_on or self._at(spot) is not None:
            return False
        height, _ = self._measured(spot)
        self.edit(lambda outline: sculpt.added(outline, height))
        return True

    def right_click(self, spot: QPointF) -> bool:
        """Remove the point there."""
        index = self._at(spot) if self.is_on else None
        if index is None:
            return False
        self.edit(lambda outline: sculpt.removed(outline, index))
        self.choose(None)
        return True

    def key(self, event: QKeyEvent) -> bool:
        """[ and ] choose a point, arrows move it, Delete removes it, Escape ends; whether the key was meant."""
        outline = self.outline()
        if not self.is_on or outline is None:
            return False
        key, last = Qt.Key(event.key()), len(outline.points) - 1
        chosen = self.chosen
        if key == Qt.Key.Key_Escape:
            self.switch(False)
        elif key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            step = 1 if key == Qt.Key.Key_BracketRight else -1
            self.choose(0 if chosen is None else min(max(chosen + step, 0), last))
        elif chosen is not None and key in MOVES:
            across, up = MOVES[key]
            point = outline.points[chosen]
            height, half = point.height_mm + up * _KEY_STEP_MM, point.right_mm + across * _KEY_STEP_MM
            self.edit(lambda o: sculpt.moved(o, chosen, height, half))
        elif chosen is not None and key == Qt.Key.Key_Delete:
            self.edit(lambda o: sculpt.removed(o, chosen))
        else:
            return False
        return True


def reference_image(width: int, height: int, rgba: bytes) -> QImage:
    """A QImage of RGBA bytes that owns its pixels."""
    return QImage(rgba, width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
