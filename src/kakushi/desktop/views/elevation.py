"""The elevation: shaded balloons over the dashed outline, with a height ruler. Drag to turn."""

from __future__ import annotations

import math
from typing import cast

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, QTimer
from PyQt6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.backdrop import RULER_PX, Backdrop
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.views.dress_marks import ClusterMarks, DressMarks
from kakushi.desktop.views.outline_handles import OutlineHandles
from kakushi.desktop.views.path_handles import PathHandles
from kakushi.desktop.views.piece_image import Look, Picture, PictureRequest, picture_of
from kakushi.desktop.views.scale import ZOOM_STEP, Scale
from kakushi.desktop.views.spoken import Spoken, SpokenPart, row_boxes
from kakushi.desktop.views.stand_marks import paint_stand
from kakushi.desktop.widgets.painting import draw_focus
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.arrays import Floats
from kakushi.picture.scene import extent_of
from kakushi.plan.dressing import Seated
from kakushi.plan.parts import has_balloons
from kakushi.plan.stability import pole_length
from kakushi.plan.values import PiecePlan
from kakushi.words.spoken_rows import seen_row

_TURN_PER_PX = math.radians(0.6)
"""Turn per pixel of dragging, radians: the width of a view turns a piece once."""
_KEY_TURN = math.radians(15)
"""Turn for each key press, radians."""
_CLICK_PX = 4.0
"""Movement, px, up to which a press is a click."""
_GHOST_PX = 12.0
"""Ring at the pointer while a cluster is dragged."""
_REFINE_MS = 250
"""Rest, ms, after which the fine picture is drawn."""
_FINE_RATIO = 2.0


class Elevation(QWidget):
    """The selected piece, drawn by our renderer to the ladder's scale."""

    def __init__(self, document: Document, scale: Scale, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._scale, self._theme = document, scale, theme
        self._azimuth = 0.0
        self._drawing = Drawing(document, self)
        self._drawing.drawn.connect(self.update)
        self._shown: tuple[PiecePlan, Look, tuple[int, ...]] | None = None
        self._is_fine = False
        self._refine = QTimer(self)
        self._refine.setSingleShot(True)
        self._refine.setInterval(_REFINE_MS)
        self._refine.timeout.connect(self._on_refine)
        self.handles = OutlineHandles(document, scale, lambda: self._centre, self)
        self.handles.changed.connect(self.update)
        self.paths = PathHandles(document, scale, lambda: self._centre, self)
        self.paths.changed.connect(self.update)
        self._stand_shown = False
        self._dressing: ClusterMarks | None = None
        self._dragged: Seated | None = None
        self._dragged_to: QPointF | None = None
        self._pressed: QPointF | None = None
        self._turning = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Elevation")
        self.setAccessibleDescription("The piece from the side. Left and right turn it, plus and minus zoom.")
        self._parts = Spoken(self, self._spoken)
        self.setToolTip("Drag to turn · Ctrl + wheel to zoom · F shows the whole piece")
        document.plan_changed.connect(self._on_plan_changed)
        document.selection.changed.connect(self._on_plan_changed)
        document.dossier_changed.connect(self._on_plan_changed)
        document.selection.hover_changed.connect(self.update)
        document.preferences_changed.connect(self.update)
        document.dresser.showing_changed.connect(self.update)
        document.dresser.sketch_changed.connect(self.update)
        scale.changed.connect(self.update)

    def minimumSizeHint(self) -> QSize:
        return QSize(200, 240)

    @property
    def has_picture(self) -> bool:
        """Whether there is something to see of the newest plan, or of one before."""
        return self._picture is not None

    @property
    def is_drawn(self) -> bool:
        """Whether the picture is that of the newest plan, and as fine as it gets."""
        return self._is_fine and self._drawing.is_current

    @property
    def azimuth(self) -> float:
        """Where it is seen from, radians anticlockwise from the front."""
        return self._azimuth

    def turn_to(self, azimuth: float) -> None:
        """Look from another side."""
        self._azimuth = math.remainder(azimuth, 2 * math.pi)
        self._parts.follow()
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def show_stand(self, on: bool) -> None:
        """Draw base, centre of mass and tipping line too."""
        if on != self._stand_shown:
            self._stand_shown = on
            self._on_plan_changed()

    def show_dressing(self, dressing: ClusterMarks | None) -> None:
        """Light what shows and let clusters be dragged; None: no more."""
        if dressing is not self._dressing:
            self._dressing = dressing
            self.update()

    @property
    def _dress_marks(self) -> DressMarks:
        return DressMarks(self._scale, self._centre, self._azimuth, self._theme)

    @property
    def _centre(self) -> float:
        return RULER_PX + (self.width() - RULER_PX) / 2

    def _on_plan_changed(self) -> None:
        piece_plan = self._document.piece_plan
        if piece_plan is not None:
            wide, tall = extent_of(piece_plan.drawn)
            outline = 2 * max(float(piece_plan.profile.left.max()), float(piece_plan.profile.right.max()))
            for _, laid in piece_plan.assembly.strands:
                outline = max(outline, 2 * float(np.abs(laid.curve.points[:, 0]).max()))
            if self._stand_shown and (stance := self._document.workshop.stance(self._document.piece)):
                wide, tall = max(wide, 2 * stance.foot.radius), max(tall, pole_length(piece_plan))
            self._scale.show(max(wide, outline), max(tall, piece_plan.column_target_mm))
        elif self._document.planner.plan is None:
            self._drawing.forget()
        self._parts.follow()
        self.update()

    def _spoken(self) -> list[SpokenPart]:
        """Each row with the side that is seen; the ladder says its sizes."""
        piece_plan = self._document.piece_plan
        if piece_plan is None or not piece_plan.piece.rows:
            return []
        mm_per_px = self._scale.mm_per_px
        c, s = math.cos(self._azimuth), math.sin(self._azimuth)

        def project(points: Floats) -> Floats:
            x = self._centre + (points[:, 0] * c + points[:, 1] * s) / mm_per_px
            return np.stack([x, self._scale.y(0.0) - points[:, 2] / mm_per_px], axis=1)

        boxes = row_boxes(piece_plan, project, mm_per_px)
        return [
            SpokenPart(seen_row(piece_plan, index, self._azimuth, self._document.wording), box)
            for index, box in enumerate(boxes)
        ]

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._scale.resize(self.width() - RULER_PX, self.height())

    # --- painting -------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.colour("paper"))
        piece_plan = self._document.piece_plan
        backdrop = Backdrop(
            painter=painter,
            scale=self._scale,
            theme=self._theme,
            units=self._document.units,
            width=self.width(),
            height=self.height(),
            centre=self._centre,
            line=self.fontMetrics().height(),
        )
        backdrop.floor()
        if piece_plan is not None:
            self.handles.paint_image(painter)
            self._paint_picture(painter, piece_plan)
            backdrop.outline(piece_plan, self._azimuth)
            backdrop.heights(piece_plan)
            if self._stand_shown:
                stance = self._document.workshop.stance(self._document.piece)
                paint_stand(
                    painter=painter,
                    piece_plan=piece_plan,
                    stance=stance,
                    scale=self._scale,
                    centre_px=self._centre,
                    azimuth=self._azimuth,
                    theme=self._theme,
                )
            if self._dressing is not None:
                showing = self._document.dresser.showing
                self._dress_marks.paint(painter, piece_plan, showing, self._dressing.chosen_cluster())
                self._dress_marks.paint_sketch(painter, self._document.dresser.sketch)
                if self._dragged_to is not None:
                    painter.drawEllipse(self._dragged_to, _GHOST_PX, _GHOST_PX)
            self.handles.paint(painter, self._theme)
            if not self._azimuth:
                self.paths.paint(painter, self._theme)
            if not has_balloons(piece_plan.piece):
                backdrop.invitation()
        backdrop.ruler()
        backdrop.side(self._azimuth)
        draw_focus(painter, self, self._theme)
        painter.end()

    @property
    def _look(self) -> Look:
        return Look(
            self.width(),
            self.height(),
            self._scale.mm_per_px,
            -self._centre * self._scale.mm_per_px,
            self._scale.z(0.0),
            self._azimuth,
        )

    def _paint_picture(self, painter: QPainter, piece_plan: PiecePlan) -> None:
        """Coarse at once when something changed, half as fine while turning, fine when it stays."""
        look, lit = self._look, self._lit(piece_plan)
        if (piece_plan, look, lit) != self._shown:
            self._shown = (piece_plan, look, lit)
            self._is_fine = False
            self._refine.start()
        ratio = self.devicePixelRatioF()
        if self._turning:
            ratio *= 0.5
        elif self._is_fine:
            ratio = max(ratio, _FINE_RATIO)
        wish, last = PictureRequest(piece_plan, self._document.plan.job, look, ratio, lit), self._picture
        self._drawing.want(wish, lambda: picture_of(wish, last))
        if last is not None and last.wish.piece_plan.piece.key == piece_plan.piece.key:
            # Until the picture for another scale is ready, the last one is stretched to it.
            was = last.wish.look
            grown = was.mm_per_px / look.mm_per_px
            corner = QPointF((was.left - look.left) / look.mm_per_px, (look.top - was.top) / look.mm_per_px)
            painter.drawImage(QRectF(corner, QSizeF(was.width, was.height) * grown), last.image)

    @property
    def _picture(self) -> Picture | None:
        return cast("Picture | None", self._drawing.picture)

    def _on_refine(self) -> None:
        self._is_fine = not self._turning
        self.update()

    def _lit(self, piece_plan: PiecePlan) -> tuple[int, ...]:
        row = self._document.selection.hovered_row
        return tuple(piece_plan.geometry.of_row(row).tolist()) if row is not None else ()

    # --- pointer and keys --------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            _ = self.paths.right_click(event.position()) or self.handles.right_click(event.position())
        elif event.button() == Qt.MouseButton.LeftButton and not self._takes_hold(event.position()):
            self._dragged = self._cluster_at(event.position())
            if self._dragged is not None and self._dressing is not None:
                self._dressing.choose_cluster(self._dragged.part.key, self._dragged.place)
                self.update()
            else:
                self._pressed = event.position()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        at = event.position() if event else QPointF()
        if event and not self.paths.double_click(at) and not self.handles.double_click(at):
            super().mouseDoubleClickEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.paths.drag(event.position()) or self.handles.drag(event.position()):
            return
        if not event.buttons():
            # The release went to something that came between.
            self._dragged = self._dragged_to = self._pressed = None
            self._turning = False
        if self._dragged is not None:
            self._dragged_to = event.position()
            self.update()
            return
        if self._pressed is not None:
            moved = event.position().x() - self._pressed.x()
            if self._turning or abs(moved) > _CLICK_PX:
                self._turning = True
                self._pressed = event.position()
                # The surface follows the hand: dragging right brings the left side round.
                self.turn_to(self._azimuth - moved * _TURN_PER_PX)
            return
        self._document.selection.hover_row(self._row_at(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event and self.paths.release():
            return
        if event and self.handles.release():
            if self.handles.with_rows:
                self._document.chooser.choose_rows(for_drag=True)
            return
        if event is not None and self._dragged is not None:
            self._drop_cluster(event.position())
            return
        if event is None or self._pressed is None:
            return
        if not self._turning and (row := self._row_at(event.position())) is not None:
            self._document.selection.select_row_at(row)
        self._pressed, self._turning = None, False
        self._refine.start()
        self.update()

    def _takes_hold(self, at: QPointF) -> bool:
        """Take hold of a point of a path, which is drawn from the front, or of the outline."""
        return (not self._azimuth and self.paths.press(at)) or self.handles.press(at)

    def _cluster_at(self, at: QPointF) -> Seated | None:
        piece_plan = self._document.piece_plan
        if self._dressing is None or piece_plan is None:
            return None
        return self._dress_marks.cluster_at(piece_plan, at)

    def _drop_cluster(self, at: QPointF) -> None:
        dragged, was_moved = self._dragged, self._dragged_to is not None
        self._dragged = self._dragged_to = None
        piece_plan = self._document.piece_plan
        if dragged is not None and was_moved and self._dressing is not None and piece_plan is not None:
            seat = self._dress_marks.seat_at(piece_plan, dragged, at)
            if seat is not None:
                self._dressing.move_cluster(dragged.part.key, dragged.place, seat)
        self.update()

    def leaveEvent(self, event: object) -> None:
        self._document.selection.hover_row(None)

    def _row_at(self, at: QPointF) -> int | None:
        piece_plan = self._document.piece_plan
        if piece_plan is None or self._picture is None:
            return None
        return self._picture.row_at(piece_plan, self._look, at.x(), at.y())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._scale.take_wheel(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.paths.key(event) or self.handles.key(event):
            return
        match event.key():
            case Qt.Key.Key_Left:
                self.turn_to(self._azimuth - _KEY_TURN)
            case Qt.Key.Key_Right:
                self.turn_to(self._azimuth + _KEY_TURN)
            case Qt.Key.Key_Home:
                self.turn_to(0.0)
            case Qt.Key.Key_Plus:
                self._scale.zoom(ZOOM_STEP)
            case Qt.Key.Key_Minus:
                self._scale.zoom(1 / ZOOM_STEP)
            case Qt.Key.Key_Up:
                self._scale.pan(40)
            case Qt.Key.Key_Down:
                self._scale.pan(-40)
            case _:
                super().keyPressEvent(event)
