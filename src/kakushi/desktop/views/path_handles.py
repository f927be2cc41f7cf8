"""Points of a path or a frame on the elevation: dragged, added by a double click, removed by a right click."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPen

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.outline_handles import DOT_PX, HIGHEST_SNAP_MM, MOVES, REACH_PX, SNAP_LINES_MM, SNAP_PX
from kakushi.desktop.views.scale import Scale
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.groups import Group, LinkFrameGroup, RowsGroup
from kakushi.session import drawn_points
from kakushi.session.session import Edit
from kakushi.shape import sculpt

_KEY_STEP_MM = 10.0
"""Movement for each key press, mm."""


class PathHandles(QObject):
    """The points of one strand's path, or the joints of one frame, while they are drawn by hand.

    `mirrored`: left and right move alike.
    """

    changed = pyqtSignal()

    def __init__(self, document: Document, scale: Scale, centre: Callable[[], float], parent: QObject) -> None:
        super().__init__(parent)
        self._document, self._scale, self._centre = document, scale, centre
        self.mirrored = False
        self._place: int | None = None
        self._chosen: int | None = None
        self._before: int | None = None
        """The point that was chosen before this one."""
        self._dragged: int | None = None
        self._lift = 0.0

    # --- the path ---------------------------------------------------------------------------------

    def draw(self, place: int | None) -> None:
        """Start moving the points of the group at a place, or stop."""
        self._place, self._chosen, self._before, self._dragged = place, None, None, None
        self.changed.emit()

    @property
    def place(self) -> int | None:
        """Place of the group whose points are shown; None for none, and where it has none any more."""
        return self._place if self._points() else None

    @property
    def _group(self) -> Group | None:
        piece, place = self._document.piece, self._place
        return piece.groups[place] if piece is not None and place is not None and place < len(piece.groups) else None

    def _points(self) -> list[drawn_points.Spot]:
        return [] if self._group is None else drawn_points.points_of(self._group)

    def _edit(self, edit: Callable[..., Edit], *arguments: Any) -> None:
        piece, place = self._document.piece, self._place
        if piece is not None and place is not None:
            self._document.apply(edit(piece.key, place, *arguments))
            self.changed.emit()

    # --- painting ---------------------------------------------------------------------------------

    def _spots(self) -> list[QPointF]:
        points = self._points()
        lift = self._lifted(points)
        return [QPointF(self._centre() + x / self._scale.mm_per_px, self._scale.y(z + lift)) for x, z in points]

    def _lifted(self, points: list[drawn_points.Spot]) -> float:
        """How much higher than it was drawn the group stands, mm; while a point is dragged as it was at its start."""
        piece_plan = self._document.piece_plan
        if self._dragged is not None or piece_plan is None or not points or self._place is None:
            return self._lift
        assembly, group = piece_plan.assembly, self._group
        laid, frame = dict(assembly.strands).get(self._place), dict(assembly.frames).get(self._place)
        if frame is not None and len(frame.joints) == len(points):
            self._lift = float((frame.joints[:, 2] - [z for _, z in points]).min())
        elif laid is not None and isinstance(group, RowsGroup) and group.strand and not group.strand.path.is_closed:
            self._lift = float(laid.curve.points[0, 2]) - points[0][1]
        return self._lift

    def paint(self, painter: QPainter, theme: Theme) -> None:
        """Draw the points."""
        for index, spot in enumerate(self._spots()):
            painter.setPen(QPen(theme.colour("accent"), 2))
            painter.setBrush(theme.colour("accent" if index == self._chosen else "paper"))
            painter.drawEllipse(spot, DOT_PX, DOT_PX)

    # --- pointer and keys -------------------------------------------------------------------------

    def _at(self, spot: QPointF) -> int | None:
        for index, own in enumerate(self._spots()):
            offset = own - spot
            if abs(offset.x()) + abs(offset.y()) <= REACH_PX:
                return index
        return None

    def _measured(self, spot: QPointF) -> tuple[float, float]:
        """To the right of the middle and above the floor, mm, drawn to lines that are near."""
        near = SNAP_PX * self._scale.mm_per_px
        x = (spot.x() - self._centre()) * self._scale.mm_per_px
        lines = np.arange(0.0, HIGHEST_SNAP_MM, SNAP_LINES_MM)
        z = sculpt.snapped(self._scale.z(spot.y()) - self._lift, lines, near)
        return sculpt.snapped(x, np.zeros(1), near), max(z, 0.0)

    def press(self, spot: QPointF) -> bool:
        """Take hold of a point; whether there is one."""
        if self.place is None:
            return False
        index = self._at(spot)
        if index is not None:
            self._lifted(self._points())
            self._before = self._chosen if index != self._chosen else self._before
            self._chosen = self._dragged = index
            self._document.stroke.begin("Move points")
            self.changed.emit()
        return index is not None

    def drag(self, spot: QPointF) -> bool:
        """Move the held point; whether one is held."""
        if not self._document.stroke.is_open:
            self._dragged = None
        index = self._dragged
        if index is None:
            return False
        self._edit(drawn_points.move_point, index, self._measured(spot), self.mirrored)
        return True

    def release(self) -> bool:
        """Let go; whether a point was held."""
        held = self._dragged is not None
        if held:
            self._dragged = None
            self._document.stroke.end()
            self.changed.emit()
        return held

    def double_click(self, spot: QPointF) -> bool:
        """Add a point there; on a joint of a frame, tie or untie a chain between it and the one chosen before."""
        if self.place is None:
            return False
        there, before = self._at(spot), self._before
        if there is None:
            self._edit(drawn_points.add_point, self._measured(spot), self._chosen)
        elif isinstance(self._group, LinkFrameGroup) and before is not None and before != there:
            self._edit(drawn_points.join_points, before, there)
        return True

    def right_click(self, spot: QPointF) -> bool:
        """Remove the point there."""
        index = self._at(spot) if self.place is not None else None
        if index is None:
            return False
        self._chosen = None
        self._edit(drawn_points.remove_point, index)
        return True

    def key(self, event: QKeyEvent) -> bool:
        """[ and ] choose a point, arrows move it, Delete removes it, Escape ends; whether the key was meant."""
        points = self._points()
        if not points:
            return False
        key, last, chosen = Qt.Key(event.key()), len(points) - 1, self._chosen
        if key == Qt.Key.Key_Escape:
            self.draw(None)
        elif key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            step = 1 if key == Qt.Key.Key_BracketRight else -1
            self._chosen = 0 if chosen is None else min(max(chosen + step, 0), last)
            self.changed.emit()
        elif chosen is not None and chosen <= last and key in MOVES:
            across, up = MOVES[key]
            x, z = points[chosen]
            to = x + across * _KEY_STEP_MM, z + up * _KEY_STEP_MM
            self._edit(drawn_points.move_point, chosen, to, self.mirrored)
        elif chosen is not None and chosen <= last and key == Qt.Key.Key_Delete:
            self._chosen = None
            self._edit(drawn_points.remove_point, chosen)
        else:
            return False
        return True
