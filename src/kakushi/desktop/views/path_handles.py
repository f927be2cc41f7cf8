"""Drawing a strand's path on the elevation: points are dragged, added by a double click, removed by a right click."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPen

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.outline_handles import DOT_PX, HIGHEST_SNAP_MM, MOVES, REACH_PX, SNAP_LINES_MM, SNAP_PX
from kakushi.desktop.views.scale import Scale
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.groups import RowsGroup
from kakushi.model.paths import DrawnPath, Strand
from kakushi.session import strand_edits
from kakushi.shape import sculpt

_KEY_STEP_MM = 10.0
"""Movement for each key press, mm."""


class PathHandles(QObject):
    """The points of one strand's path while it is drawn by hand. `mirrored`: left and right move alike."""

    changed = pyqtSignal()

    def __init__(self, document: Document, scale: Scale, centre: Callable[[], float], parent: QObject) -> None:
        super().__init__(parent)
        self._document, self._scale, self._centre = document, scale, centre
        self.mirrored = False
        self._place: int | None = None
        self._chosen: int | None = None
        self._dragged: int | None = None
        self._lift = 0.0

    # --- the path ---------------------------------------------------------------------------------

    def draw(self, place: int | None) -> None:
        """Start drawing the path of the group at a place, or stop."""
        self._place, self._chosen, self._dragged = place, None, None
        self.changed.emit()

    @property
    def place(self) -> int | None:
        """Place of the group whose path is drawn; None for none, and where that is no strand any more."""
        return self._place if self._strand() is not None else None

    def _strand(self) -> Strand | None:
        piece, place = self._document.piece, self._place
        if piece is None or place is None or place >= len(piece.groups):
            return None
        group = piece.groups[place]
        return group.strand if isinstance(group, RowsGroup) else None

    def _path(self) -> DrawnPath | None:
        strand = self._strand()
        return None if strand is None else strand_edits.drawn(strand.path)

    def _edit(self, change: Callable[[DrawnPath], DrawnPath]) -> None:
        piece, place = self._document.piece, self._place
        if piece is not None and place is not None:
            self._document.apply(strand_edits.change_points(piece.key, place, change))
            self.changed.emit()

    # --- painting ---------------------------------------------------------------------------------

    def _spots(self) -> list[QPointF]:
        path, strand = self._path(), self._strand()
        if path is None or strand is None:
            return []
        lift = self._lifted()
        return [
            QPointF(self._centre() + (p.x_mm + strand.x_mm) / self._scale.mm_per_px, self._scale.y(p.z_mm + lift))
            for p in path.points
        ]

    def _lifted(self) -> float:
        """How much higher than it was drawn the strand stands, mm; while a point is dragged as it was at its start."""
        piece_plan, path = self._document.piece_plan, self._path()
        if self._dragged is not None or piece_plan is None or path is None:
            return self._lift
        laid = dict(piece_plan.assembly.strands).get(self._place if self._place is not None else -1)
        if laid is not None and not path.closed:
            self._lift = float(laid.curve.points[0, 2]) - path.points[0].z_mm
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
        """To the right of the strand's middle and above the floor, mm, drawn to lines that are near."""
        strand = self._strand()
        near = SNAP_PX * self._scale.mm_per_px
        x = (spot.x() - self._centre()) * self._scale.mm_per_px - (strand.x_mm if strand else 0.0)
        lines = np.arange(0.0, HIGHEST_SNAP_MM, SNAP_LINES_MM)
        z = sculpt.snapped(self._scale.z(spot.y()) - self._lift, lines, near)
        return sculpt.snapped(x, np.zeros(1), near), max(z, 0.0)

    def press(self, spot: QPointF) -> bool:
        """Take hold of a point; whether there is one."""
        if self.place is None:
            return False
        index = self._at(spot)
        if index is not None:
            self._lifted()
            self._chosen = self._dragged = index
            self._document.stroke.begin("Change path")
            self.changed.emit()
        return index is not None

    def drag(self, spot: QPointF) -> bool:
        """Move the held point; whether one is held."""
        if not self._document.stroke.is_open:
            self._dragged = None
        index = self._dragged
        if index is None:
            return False
        x, z = self._measured(spot)
        self._edit(lambda path: strand_edits.moved_point(path, index, x, z, self.mirrored))
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
        """Add a point there."""
        if self.place is None or self._at(spot) is not None:
            return False
        x, z = self._measured(spot)
        self._edit(lambda path: strand_edits.added_point(path, x, z))
        return True

    def right_click(self, spot: QPointF) -> bool:
        """Remove the point there."""
        index = self._at(spot) if self.place is not None else None
        if index is None:
            return False
        self._chosen = None
        self._edit(lambda path: strand_edits.removed_point(path, index))
        return True

    def key(self, event: QKeyEvent) -> bool:
        """[ and ] choose a point, arrows move it, Delete removes it, Escape ends; whether the key was meant."""
        path = self._path() if self.place is not None else None
        if path is None:
            return False
        key, last, chosen = Qt.Key(event.key()), len(path.points) - 1, self._chosen
        if key == Qt.Key.Key_Escape:
            self.draw(None)
        elif key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            step = 1 if key == Qt.Key.Key_BracketRight else -1
            self._chosen = 0 if chosen is None else min(max(chosen + step, 0), last)
            self.changed.emit()
        elif chosen is not None and chosen <= last and key in MOVES:
            across, up = MOVES[key]
            point = path.points[chosen]
            x, z = point.x_mm + across * _KEY_STEP_MM, point.z_mm + up * _KEY_STEP_MM
            self._edit(lambda own: strand_edits.moved_point(own, chosen, x, z, self.mirrored))
        elif chosen is not None and chosen <= last and key == Qt.Key.Key_Delete:
            self._chosen = None
            self._edit(lambda own: strand_edits.removed_point(own, chosen))
        else:
            return False
        return True
