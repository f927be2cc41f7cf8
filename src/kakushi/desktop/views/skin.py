"""The unrolled skin: the surface of the column rolled out flat, every balloon a disc at its real size and place."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.colour.fill import nearest_slot
from kakushi.desktop.document.brush import Brush, Tool
from kakushi.desktop.document.document import Document
from kakushi.desktop.views.scale import Scale
from kakushi.desktop.views.spoken import Spoken, SpokenPart
from kakushi.desktop.widgets.painting import draw_focus, ink_on, scaled
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.arrays import Floats
from kakushi.plan.values import PiecePlan
from kakushi.words.spoken_rows import row_slots

_NAMED_PX, _DOT_PX = 9.0, 2.5
# The most telling first: where there is little room the last ones are left out.
_SIDES = ((0.0, "front"), (-math.pi, "back"), (math.pi, "back"), (-math.pi / 2, "left"), (math.pi / 2, "right"))


class SkinView(QWidget):
    """Discs to paint on; heights are those of the elevation beside it. It wraps left to right."""

    def __init__(
        self, document: Document, scale: Scale, brush: Brush, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._scale, self._brush, self._theme = document, scale, brush, theme
        self._cursor = (0, 0)
        self._pressed = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Unrolled skin")
        self._parts = Spoken(self, self._spoken)
        self.setToolTip("Click or drag to paint · right click picks a colour · Ctrl + wheel zooms")
        for changed in (
            document.plan_changed,
            document.selection.changed,
            document.preferences_changed,
            scale.changed,
            brush.changed,
        ):
            changed.connect(self._on_changed)
        document.selection.hover_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(340, 400)

    def minimumSizeHint(self) -> QSize:
        return QSize(150, 240)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def _on_changed(self) -> None:
        piece_plan = self._document.piece_plan
        if piece_plan is not None and piece_plan.surface.counts:
            row = min(self._cursor[0], len(piece_plan.surface.counts) - 1)
            self._cursor = (row, min(self._cursor[1], piece_plan.surface.counts[row] - 1))
            self.setAccessibleDescription(self._words(piece_plan))
        self._parts.follow()
        self.update()

    def _spoken(self) -> list[SpokenPart]:
        """Each row with its colours, slot by slot."""
        piece_plan = self._document.piece_plan
        if piece_plan is None or not piece_plan.surface.counts:
            return []
        _, down, radii = self._places(piece_plan)
        parts, wording = [], self._document.wording
        for row, (first, count) in enumerate(zip(piece_plan.surface.firsts, piece_plan.surface.counts, strict=False)):
            slots = slice(int(first), int(first) + int(count))
            top, bottom = float((down[slots] - radii[slots]).min()), float((down[slots] + radii[slots]).max())
            parts.append(SpokenPart(row_slots(piece_plan, row, wording), QRectF(0, top, self.width(), bottom - top)))
        return parts

    def _words(self, piece_plan: PiecePlan) -> str:
        row, slot = self._cursor
        name = self._document.plan.job.colour(piece_plan.colouring[row][slot]).name
        return f"Row {row + 1}, slot {slot + 1}: {name}. Space paints {self._brush.tool.value}."

    # --- where things are --------------------------------------------------------------------

    def _px_per_radian(self, piece_plan: PiecePlan) -> float:
        """As the surface is wide at its widest row; narrower where the widget is."""
        real = float(piece_plan.surface.rings.max(initial=1.0)) / self._scale.mm_per_px
        return min(real, (self.width() - 8) / (2 * math.pi))

    def _places(self, piece_plan: PiecePlan) -> tuple[Floats, Floats, Floats]:
        """Middles across and down, and radii, of all discs, (n,) px."""
        per_radian, mm_per_px = self._px_per_radian(piece_plan), self._scale.mm_per_px
        across = self.width() / 2 + piece_plan.surface.angles * per_radian
        down = self._scale.y(0.0) - piece_plan.geometry.centres[:, 2] / mm_per_px
        squeeze = per_radian * mm_per_px / float(piece_plan.surface.rings.max(initial=1.0))
        return across, down, piece_plan.geometry.shape_radii / mm_per_px * max(squeeze, 0.6)

    def slot_at(self, at: QPointF) -> tuple[int, int] | None:
        """Row and slot (from 0) of the disc at a point, the nearest where discs overlap."""
        piece_plan = self._document.piece_plan
        if piece_plan is None or not len(piece_plan.surface.angles):
            return None
        around = 2 * math.pi * self._px_per_radian(piece_plan)
        x, y, radii = self._places(piece_plan)
        across = at.x() - x
        away = np.hypot(across - around * np.round(across / around), at.y() - y) / radii
        best = int(np.argmin(away))
        if away[best] > 1:
            return None
        return int(piece_plan.geometry.row_of[best]), int(piece_plan.geometry.slot_of[best])

    def middle_of(self, row: int, slot: int) -> QPointF:
        """Where the disc of a slot is drawn."""
        piece_plan = self._document.piece_plan
        assert piece_plan is not None
        x, y, _ = self._places(piece_plan)
        balloon = piece_plan.surface.firsts[row] + slot
        return QPointF(float(x[balloon]), float(y[balloon]))

    # --- painting -----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.colour("paper"))
        piece_plan = self._document.piece_plan
        if piece_plan is None or not piece_plan.surface.counts:
            painter.setPen(self._theme.colour("quiet"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "The skin appears\nwhen there are rows.")
        else:
            self._paint_sides(painter, piece_plan)
            self._paint_discs(painter, piece_plan)
        draw_focus(painter, self, self._theme)
        painter.end()

    def _paint_sides(self, painter: QPainter, piece_plan: PiecePlan) -> None:
        per_radian, high = self._px_per_radian(piece_plan), self.fontMetrics().height()
        floor = self._scale.y(0.0)
        painter.setFont(scaled(self.font(), 0.9))
        written: list[QRectF] = []
        for angle, words in _SIDES:
            x = self.width() / 2 + angle * per_radian
            front = angle == 0.0
            painter.setPen(QPen(self._theme.colour("accent" if front else "line"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, 0), QPointF(x, min(floor, self.height() - high - 6)))
            painter.setPen(self._theme.colour("ink" if front else "quiet"))
            wide = painter.fontMetrics().horizontalAdvance(words) + 6.0
            left = min(max(x - wide / 2, 0.0), self.width() - wide)
            box = QRectF(left, self.height() - high - 3, wide, high)
            if not any(box.intersects(other) for other in written):
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
                written.append(box)
            if front:
                y = self.height() - high - 6.0
                painter.setBrush(self._theme.colour("accent"))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.drawPolygon(QPolygonF([QPointF(x, y - 7), QPointF(x - 5, y), QPointF(x + 5, y)]))

    def _paint_discs(self, painter: QPainter, piece_plan: PiecePlan) -> None:
        job = self._document.plan.job
        keys = piece_plan.balloon_colours()
        colours = {key: job.colour(key) for key in set(keys)}
        grounds = {key: QColor(colour.hex) for key, colour in colours.items()}
        around = 2 * math.pi * self._px_per_radian(piece_plan)
        lit = (self._document.selection.hovered_row, self._document.selection.row_index)
        cursor = self._cursor if self.hasFocus() else None
        painter.setFont(scaled(self.font(), 0.85))
        order = np.argsort(piece_plan.surface.rings, kind="stable")
        x, y, radii = (each[order] for each in self._places(piece_plan))
        # Both ends of the unrolled skin show what lies beyond the other.
        across = x[:, None] + np.array([-around, 0.0, around])
        in_sight = (across > -radii[:, None]) & (across < self.width() + radii[:, None])
        seats, sides = np.nonzero(in_sight & ((y > -radii) & (y < self.height() + radii))[:, None])
        balloons = order[seats]
        geometry = piece_plan.geometry
        numbers = (across[seats, sides], y[seats], radii[seats], geometry.row_of[balloons], geometry.slot_of[balloons])
        plain, marked = (QPen(self._theme.colour(role), 1.2) for role in ("line", "accent"))
        dots: dict[str, list[QRectF]] = {key: [] for key in colours}
        for balloon, left, down, radius, row, slot in zip(
            balloons.tolist(), *(each.tolist() for each in numbers), strict=True
        ):
            key, chosen = keys[balloon], cursor == (row, slot)
            if radius < _DOT_PX and not chosen:
                dots[key].append(QRectF(left - radius, down - radius, 2 * radius, 2 * radius))
            else:
                edge = QPen(marked.color(), 3) if chosen else marked if row in lit else plain
                self._paint_disc(painter, QPointF(left, down), radius, grounds[key], edge, colours[key].code)
        painter.setPen(Qt.PenStyle.NoPen)
        for key, boxes in dots.items():
            painter.setBrush(grounds[key])
            if boxes:
                painter.drawRects(*boxes)

    def _paint_disc(
        self, painter: QPainter, middle: QPointF, radius: float, ground: QColor, edge: QPen, code: str
    ) -> None:
        painter.setPen(edge)
        painter.setBrush(ground)
        painter.drawEllipse(middle, radius, radius)
        if radius >= _NAMED_PX:
            painter.setPen(ink_on(ground))
            box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, code)

    # --- pointer and keys ------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        at = self.slot_at(event.position()) if event else None
        if event is None or at is None:
            return
        self._cursor = at
        if event.button() == Qt.MouseButton.RightButton:
            self._pick(at)
        elif event.button() == Qt.MouseButton.LeftButton:
            self._pressed = True
            self._brush.begin()
            self._document.stroke.begin("Paint")
            self._brush.touch(*at)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = self.slot_at(event.position())
        self._document.selection.hover_row(at[0] if at else None)
        # A dialog may have come between: its button took the release.
        self._pressed = self._pressed and self._document.stroke.is_open
        if self._pressed and at is not None:
            self._brush.touch(*at)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._pressed = False
        self._document.stroke.end()

    def leaveEvent(self, event: object) -> None:
        self._document.selection.hover_row(None)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._scale.take_wheel(event)

    def _pick(self, at: tuple[int, int]) -> None:
        piece_plan = self._document.piece_plan
        if piece_plan is not None:
            self._brush.dip(piece_plan.colouring[at[0]][at[1]])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        piece_plan = self._document.piece_plan
        if event is None or piece_plan is None or not piece_plan.surface.counts:
            return
        match event.key():
            case Qt.Key.Key_Left:
                self._step(piece_plan, 0, -1)
            case Qt.Key.Key_Right:
                self._step(piece_plan, 0, 1)
            case Qt.Key.Key_Up:
                self._step(piece_plan, 1, 0)
            case Qt.Key.Key_Down:
                self._step(piece_plan, -1, 0)
            case Qt.Key.Key_Space | Qt.Key.Key_Return | Qt.Key.Key_Enter:
                self._brush.begin()
                self._brush.touch(*self._cursor)
            case Qt.Key.Key_Delete:
                tool = self._brush.tool
                self._brush.take(Tool.ERASE)
                self._brush.begin()
                self._brush.touch(*self._cursor)
                self._brush.take(tool)
            case Qt.Key.Key_P:
                self._pick(self._cursor)
            case key if Qt.Key.Key_1 <= key <= Qt.Key.Key_9 and not event.modifiers():
                palette = self._document.job.palette
                if key - Qt.Key.Key_1 < len(palette):
                    self._brush.dip(palette[key - Qt.Key.Key_1].key)
            case _:
                super().keyPressEvent(event)

    def _step(self, piece_plan: PiecePlan, rows: int, slots: int) -> None:
        row, slot = self._cursor
        counts = piece_plan.surface.counts
        if rows and 0 <= row + rows < len(counts):
            angle = piece_plan.surface.slot_angle(row, slot)
            self._cursor = (row + rows, nearest_slot(piece_plan.surface, row + rows, angle))
        elif slots:
            self._cursor = (row, (slot + slots) % counts[row])
        self._document.selection.hover_row(self._cursor[0])
        self._on_changed()
