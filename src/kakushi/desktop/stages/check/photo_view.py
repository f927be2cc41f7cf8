"""The photograph with the plan over it: foot and top to drag, faults circled, marks drawn with the mouse."""

from __future__ import annotations

import math
from enum import Enum
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.check.photo_images import mask_image, opaque_image, painted_mask
from kakushi.desktop.stages.check.photo_marks import Circled, paint_faults, paint_line, paint_sides
from kakushi.desktop.views.spoken import Spoken, SpokenPart
from kakushi.desktop.widgets.painting import draw_focus, image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.record import Found
from kakushi.words.check import NOT_CHECKED, PHASES

if TYPE_CHECKING:
    from kakushi.desktop.document.checker import Checked, Line

_GRAB_PX = 22.0
_HANDLE_PX = 9.0
_NUDGES = {
    Qt.Key.Key_Left: (-1.0, 0.0), Qt.Key.Key_Right: (1.0, 0.0), Qt.Key.Key_Up: (0.0, -1.0), Qt.Key.Key_Down: (0.0, 1.0),
}  # fmt: skip
_FAR_NUDGE = 10.0
_SOUGHT = 0.45
"""Opacity of the plan while the piece is looked for."""
_SIDES_SHARE = 0.16
"""Room for the bars of left and right, over the width of the view."""


class PhotoTool(Enum):
    """What the mouse does in the photograph."""

    ENDS = "foot and top"
    UPRIGHT = "upright edge"
    FRONT = "in front"
    LENGTH = "known length"


class PhotoView(QWidget):
    """The photograph that is checked. `ends_moved`: foot and top were let go; `chosen`: a fault was clicked.

    `measured`: a line of known length was drawn.
    """

    ends_moved = pyqtSignal()
    chosen = pyqtSignal(int)
    measured = pyqtSignal()

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self.tool = PhotoTool.ENDS
        self.share = 0.0
        """Of the slider: 0 the photograph, 1/2 the plan, 1 the difference."""
        self.fault = -1
        """The fault that is looked at, its place among those found."""
        self.length: Line | None = None
        self._image: QImage | None = None
        self._plan: QImage | None = None
        self._mask: QImage | None = None
        self._shown: tuple[object, object, object] = (None, None, None)
        self._held: str | None = None
        self._end = "foot"
        self._drawn: list[tuple[float, float]] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Photograph with the plan over it")
        self._parts = Spoken(self, self._spoken)
        self.setAccessibleDescription("Page up takes the top, page down the foot, arrows nudge it, Return checks")
        self.setMouseTracking(True)
        document.checker.changed.connect(self._on_changed)
        for changed in (document.selection.changed, document.plan_changed):
            changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(620, 560)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def set_share(self, share: float) -> None:
        """Move from the photograph (0) over the plan (1/2) to the difference (1)."""
        self.share = share
        self.update()

    def set_fault(self, place: int) -> None:
        """Look at a fault."""
        self.fault = place
        self.update()

    @property
    def _current(self) -> Checked | None:
        return self._document.checker.current

    def _on_changed(self) -> None:
        current, overlay = self._current, self._document.checker.overlay
        pixels = current.pixels if current else None
        if self._shown[0] is not pixels:
            self._image = None if pixels is None else opaque_image(pixels)
            self._drawn, self.length, self.fault, self._held = [], None, -1, None
        if self._shown[1] is not overlay:
            self._plan = None if overlay is None else image_of(overlay)
        hidden = current.hidden if current else None
        if self._shown[2] is not hidden:
            self._mask = None if hidden is None else mask_image(hidden, self._theme.colour("quiet"))
        self._shown = pixels, overlay, hidden
        self._parts.follow()
        self.update()

    def _spoken(self) -> list[SpokenPart]:
        """The marks, and each fault where it is circled, by its number."""
        current = self._current
        if current is None or self._image is None:
            return []
        side = 2 * _HANDLE_PX
        parts = []
        for name, point in (("Foot mark", current.ends.foot), ("Top mark", current.ends.top)):
            at = self._to_view(*point)
            parts.append(SpokenPart(name, QRectF(at.x() - _HANDLE_PX, at.y() - _HANDLE_PX, side, side)))
        faults = current.photo.faults if current.result is not None else ()
        for place, fault in enumerate(faults):
            if not fault.dismissed:
                middle, radius = self._to_view(fault.x, fault.y), max(fault.radius * self._by, 6.0)
                box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
                parts.append(SpokenPart(f"{place + 1}: {fault.words}", box))
        return parts

    # --- places -----------------------------------------------------------------------------------

    def _frame(self) -> QRectF:
        """Where the photograph is drawn."""
        if self._image is None:
            return QRectF()
        room = self.width() * (1 - _SIDES_SHARE), float(self.height())
        by = min(room[0] / self._image.width(), room[1] / self._image.height())
        wide, tall = self._image.width() * by, self._image.height() * by
        return QRectF((room[0] - wide) / 2, (room[1] - tall) / 2, wide, tall)

    @property
    def _by(self) -> float:
        return self._frame().width() / self._image.width() if self._image is not None else 1.0

    def _to_view(self, x: float, y: float) -> QPointF:
        frame = self._frame()
        return QPointF(frame.left() + x * self._by, frame.top() + y * self._by)

    def _to_photo(self, at: QPointF) -> tuple[float, float]:
        frame = self._frame()
        return (at.x() - frame.left()) / max(self._by, 1e-9), (at.y() - frame.top()) / max(self._by, 1e-9)

    # --- painting -------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        current = self._current
        if self._image is None or current is None:
            painter.setPen(self._theme.colour("quiet"))
            painter.drawText(
                self.rect().adjusted(40, 40, -40, -40),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self._empty_words(),
            )
        else:
            self._paint_photo(painter, current)
        draw_focus(painter, self, self._theme)
        painter.end()

    def _empty_words(self) -> str:
        if self._document.checker.is_busy and self._document.checker.phase is not None:
            return PHASES[self._document.checker.phase]
        piece_plan = self._document.piece_plan
        if piece_plan is not None and not piece_plan.can_be_checked:
            return NOT_CHECKED
        return (
            "Step back, take a picture of the whole piece from its front, foot to top, and drop it here.\n\n"
            "Or take a practice photograph: the simulated camera hides some faults in it for you to find."
        )

    def _paint_photo(self, painter: QPainter, current: Checked) -> None:
        frame = self._frame()
        if self._image is not None:
            painter.drawImage(frame, self._image)
        plan, difference = min(2 * self.share, 1.0), max(2 * self.share - 1, 0.0)
        if self._document.checker.is_busy:
            # One sees where it is looked for, wherever the slider is.
            plan, difference = max(plan, _SOUGHT), 0.0
        if self._plan is not None and plan > 0:
            painter.setOpacity(plan * (1 - difference))
            painter.drawImage(frame, self._plan)
            painter.setOpacity(1.0)
        faults = current.photo.faults if current.result is not None else ()
        if difference > 0:
            veil = QColor(self._theme.paper)
            veil.setAlphaF(0.86 * difference)
            painter.fillRect(frame, veil)
            self._paint_windows(painter, frame, faults)
        if self._mask is not None:
            painter.setOpacity(0.55)
            painter.drawImage(frame, self._mask)
            painter.setOpacity(1.0)
        paint_faults(
            painter,
            [
                Circled(place + 1, self._to_view(each.x, each.y), each.radius * self._by, place == self.fault, each)
                for place, each in enumerate(faults)
                if not each.dismissed
            ],
        )
        self._paint_marks(painter, current)
        if current.result is not None and current.result.sides:
            aside = self.width() * _SIDES_SHARE
            room = QRectF(self.width() - aside + 8, frame.top(), aside - 16, frame.height())
            paint_sides(painter, current.result.sides, room, lambda y: self._to_view(0.0, y).y(), self._theme)

    def _paint_windows(self, painter: QPainter, frame: QRectF, faults: tuple[Found, ...]) -> None:
        """Of the difference: the photograph shows only where something is not as planned."""
        for fault in faults:
            if fault.dismissed or fault.slot < 0 or self._image is None:
                continue
            middle, radius = self._to_view(fault.x, fault.y), fault.radius * self._by * 1.15
            box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
            painter.save()
            round_window = QPainterPath()
            round_window.addEllipse(box)
            painter.setClipPath(round_window)
            painter.drawImage(frame, self._image)
            painter.restore()

    def _paint_marks(self, painter: QPainter, current: Checked) -> None:
        foot, top = (self._to_view(*each) for each in (current.ends.foot, current.ends.top))
        accent = self._theme.colour("accent")
        for ink, wide in ((QColor(255, 255, 255, 190), 4.0), (accent, 1.8)):
            painter.setPen(QPen(ink, wide))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawLine(foot, top)
        for name, at in (("foot", foot), ("top", top)):
            is_mine = self.hasFocus() and name == self._end
            painter.setPen(QPen(QColor("white"), 2.5))
            painter.setBrush(accent if is_mine else self._theme.colour("quiet"))
            painter.drawEllipse(at, _HANDLE_PX, _HANDLE_PX)
        for line, words in ((current.upright, "upright"), (self.length, "known length")):
            if line is not None:
                paint_line(painter, [self._to_view(*each) for each in line], words)
        if self._drawn and self.tool in {PhotoTool.UPRIGHT, PhotoTool.LENGTH}:
            paint_line(painter, [self._to_view(*each) for each in (self._drawn[0], self._drawn[-1])], "")

    # --- mouse and keys ----------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        current = self._current
        if event is None or current is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        if self.tool is PhotoTool.ENDS:
            apart = {
                name: math.dist((at.x(), at.y()), (point.x(), point.y()))
                for name, point in (
                    ("foot", self._to_view(*current.ends.foot)),
                    ("top", self._to_view(*current.ends.top)),
                )
            }
            near = min(apart, key=lambda name: apart[name])
            if apart[near] <= _GRAB_PX:
                self._held = self._end = near
                self.update()
                return
            self._choose_at(at)
            return
        self._drawn = [self._to_photo(at)]

    def _choose_at(self, at: QPointF) -> None:
        current = self._current
        faults = current.photo.faults if current is not None and current.result is not None else ()
        for place, fault in enumerate(faults):
            middle = self._to_view(fault.x, fault.y)
            if (
                not fault.dismissed
                and fault.slot >= 0
                and math.dist((at.x(), at.y()), (middle.x(), middle.y())) <= fault.radius * self._by
            ):
                self.chosen.emit(place)
                return

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held is not None:
            self._move(self._held, self._to_photo(event.position()))
        elif self._drawn:
            self._drawn.append(self._to_photo(event.position()))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held is not None:
            self._held = None
            self.ends_moved.emit()
        elif self._drawn:
            self._drawn.append(self._to_photo(event.position()))
            self._finish_drawing()

    def _finish_drawing(self) -> None:
        drawn, self._drawn = self._drawn, []
        current = self._current
        if current is None:
            return
        first, last = drawn[0], drawn[-1]
        long_enough = math.dist(first, last) * self._by > 12
        match self.tool:
            case PhotoTool.UPRIGHT if long_enough:
                self._document.checker.mark_upright((first, last) if first[1] > last[1] else (last, first))
                self.ends_moved.emit()
            case PhotoTool.LENGTH if long_enough:
                self.length = first, last
                self.measured.emit()
            case PhotoTool.FRONT:
                self._document.checker.mark_hidden(painted_mask(current.hidden, current.pixels.shape[:2], drawn))
                self.ends_moved.emit()
            case _:
                pass
        self.update()

    def _move(self, end: str, to: tuple[float, float]) -> None:
        current = self._current
        if current is not None:
            foot, top = (to, current.ends.top) if end == "foot" else (current.ends.foot, to)
            self._document.checker.set_ends(foot, top)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        current = self._current
        if event is None or current is None:
            super().keyPressEvent(event)
            return
        key = Qt.Key(event.key())
        far = _FAR_NUDGE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        if key in _NUDGES:
            x, y = current.ends.foot if self._end == "foot" else current.ends.top
            dx, dy = _NUDGES[key]
            self._move(self._end, (x + far * dx, y + far * dy))
        elif key in {Qt.Key.Key_PageUp, Qt.Key.Key_PageDown}:
            self._end = "foot" if key == Qt.Key.Key_PageDown else "top"
            self.update()
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self.ends_moved.emit()
        else:
            super().keyPressEvent(event)
