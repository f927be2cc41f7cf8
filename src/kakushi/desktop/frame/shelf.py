"""The pieces shelf: every piece at one common scale on one floor line."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QSignalBlocker, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QApplication, QListView, QListWidget, QListWidgetItem, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.session import edits

if TYPE_CHECKING:
    from kakushi.model.job import Job
    from kakushi.model.piece import Piece
    from kakushi.plan.values import PiecePlan, Plan

_CELL_W, _CELL_H = 74, 150
_LEAST_PX, _MOST_LARGER = 44, 3
"""Smallest size at which a piece is recognised, px; smaller ones are enlarged up to this many times, and say so."""
_SCALE_STEP = 1.08
_KEY = Qt.ItemDataRole.UserRole
_MOVES = {Qt.Key.Key_Up: -1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_Right: 1}


class Shelf(QListWidget):
    """Pieces side by side; the selected one is the document's. Dragging, or Alt with an arrow, moves a piece."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._drawn: dict[int, object] = {}
        self._pressed: tuple[QPointF, int] | None = None
        self._drop: int | None = None
        """Where the dragged piece would go: the place that it comes before."""
        self._icons: dict[int, QIcon] = {}
        self._extents: dict[int, tuple[PiecePlan, tuple[float, float]]] = {}
        self._drawing = Drawing(document, self)
        self._drawing.drawn.connect(self._on_drawn)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setUniformItemSizes(False)
        self.setWordWrap(True)
        self.setSpacing(2)
        self.setIconSize(QSize(_CELL_W, _CELL_H))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Pieces")
        self.setAccessibleDescription("Alt with an arrow moves the piece on the shelf.")
        self.currentItemChanged.connect(self._on_current)
        document.plan_changed.connect(self._rebuild)
        document.job_changed.connect(self._rebuild)
        document.dossier_changed.connect(self._rebuild)
        document.selection.changed.connect(self._show_selection)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self._drawn.clear()
        self._rebuild()

    # --- moving a piece ------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        item = self.itemAt(event.position().toPoint()) if event is not None else None
        if event is not None and event.button() == Qt.MouseButton.LeftButton and item is not None:
            self._pressed = event.position(), self.row(item)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None:
            super().mouseMoveEvent(event)
            return
        start, _ = self._pressed
        if self._drop is not None or (event.position() - start).manhattanLength() >= QApplication.startDragDistance():
            self._show_drop(self._place_at(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        super().mouseReleaseEvent(event)
        pressed, drop = self._pressed, self._drop
        self._pressed = None
        self._show_drop(None)
        if pressed is not None and drop is not None:
            _, row = pressed
            self._move(row, drop if drop <= row else drop - 1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = _MOVES.get(Qt.Key(event.key())) if event is not None else None
        if event is None or by is None or event.modifiers() != Qt.KeyboardModifier.AltModifier:
            super().keyPressEvent(event)
            return
        self._move(self.currentRow(), self.currentRow() + by)

    def _place_at(self, at: QPointF) -> int | None:
        """The place before which a piece dropped there goes; None where there is none."""
        viewport = self.viewport()
        if viewport is None or not viewport.rect().contains(at.toPoint()):
            return None
        item = self.itemAt(at.toPoint())
        if item is None:
            return self.count()
        return self.row(item) + (at.x() > self.visualItemRect(item).center().x())

    def _show_drop(self, place: int | None) -> None:
        if place != self._drop:
            self._drop = place
            if (viewport := self.viewport()) is not None:
                viewport.update()

    def _move(self, row: int, place: int) -> None:
        pieces = self._document.job.pieces
        if 0 <= row < len(pieces) and 0 <= place < len(pieces) and place != row:
            self._document.apply(edits.move_piece(pieces[row].key, place))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self._drop is None or not self.count():
            return
        last = self._drop >= self.count()
        box = self.visualItemRect(self.item(self.count() - 1 if last else self._drop))
        x = box.right() if last else box.left()
        painter = QPainter(self.viewport())
        painter.setPen(QPen(self._theme.colour("accent"), 3))
        painter.drawLine(x, box.top(), x, box.bottom())
        painter.end()

    # --- showing -------------------------------------------------------------------------------

    def _on_current(self, item: QListWidgetItem | None, _former: QListWidgetItem | None) -> None:
        if item is not None:
            self._document.selection.select_piece(item.data(_KEY))

    def _rebuild(self) -> None:
        pieces = self._document.job.pieces
        plan = self._document.planner.plan
        plans = {p.piece.key: p for p in plan.pieces} if plan else {}
        mm_per_px = self._common_scale(list(plans.values()))
        if plan is None:
            self._drawing.forget()
            self._drawn.clear()
            self._icons.clear()
            self._extents.clear()
        with QSignalBlocker(self):
            while self.count() > len(pieces):
                self.takeItem(self.count() - 1)
            while self.count() < len(pieces):
                self.addItem(QListWidgetItem())
            for index, piece in enumerate(pieces):
                item = self.item(index)
                piece_plan = plans.get(piece.key)
                if item is None:
                    continue
                item.setText(self._words(piece, piece_plan, mm_per_px))
                item.setToolTip(self._warnings(piece_plan) if piece_plan else "")
                item.setData(_KEY, piece.key)
                item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
                lines = self.fontMetrics().boundingRect(0, 0, _CELL_W - 8, 999, Qt.TextFlag.TextWordWrap, item.text())
                size = QSize(_CELL_W + 8, _CELL_H + lines.height() + 14)
                if size != item.sizeHint():
                    item.setSizeHint(size)
                    # The list does not lay itself out anew by itself.
                    self.scheduleDelayedItemsLayout()
        self._show_icons()
        if plan is not None:
            self._draw(plan, mm_per_px)
        self._show_selection()

    def _words(self, piece: Piece, piece_plan: PiecePlan | None, mm_per_px: float) -> str:
        """Its name and copies, what to look at, and whether it is drawn larger than the others."""
        lines = [f"{piece.name} × {len(piece.copies)}" if len(piece.copies) > 1 else piece.name]
        if piece_plan is not None:
            from kakushi.words.stand import mark_words

            lines += mark_words(piece_plan, self._document.workshop.stance(piece))
            larger = _times_larger(self._extent(piece_plan), mm_per_px)
            lines += [f"shown {larger} ×"] if larger > 1 else []
        return "\n".join(lines)

    def _common_scale(self, plans: list[PiecePlan]) -> float:
        if not plans:
            return 2000.0 / _CELL_H
        tallest = max(max(self._extent(p)[1], p.column_target_mm) for p in plans)
        return _in_steps(tallest / (_CELL_H - 8))

    def _extent(self, piece_plan: PiecePlan) -> tuple[float, float]:
        """Width and height of a piece, mm, worked out once for each of its plans."""
        from kakushi.picture.scene import extent_of

        key = piece_plan.piece.key
        known = self._extents.get(key)
        if known is None or known[0] is not piece_plan:
            known = self._extents[key] = piece_plan, extent_of(piece_plan.drawn)
        return known[1]

    def _warnings(self, piece_plan: PiecePlan) -> str:
        from kakushi.words.plan import note_words

        return "\n".join(note_words(note, self._document.wording) for note in piece_plan.warnings)

    def _draw(self, plan: Plan, mm_per_px: float) -> None:
        """Have the pictures drawn that are not those of the plan."""
        ratio = self.devicePixelRatioF()
        job = plan.job
        theme = self._theme.name
        wanted = {
            p.piece.key: (p, _own_scale(self._extent(p), mm_per_px), job.palette, ratio, theme) for p in plan.pieces
        }
        missing = {key: what for key, what in wanted.items() if self._drawn.get(key) != what}
        if missing:
            self._drawing.want(
                tuple(missing.values()),
                lambda: [(key, what, _pixels(what[0], job, what[1], ratio)) for key, what in missing.items()],
            )

    def _on_drawn(self) -> None:
        for key, what, image in self._drawing.picture:
            self._drawn[key], self._icons[key] = what, self._icon(image)
        self._show_icons()

    def _show_icons(self) -> None:
        for index in range(self.count()):
            item = self.item(index)
            if item is not None:
                item.setIcon(self._icons.get(item.data(_KEY), QIcon()))

    def _icon(self, image: QImage) -> QIcon:
        pixmap = QPixmap(image.size())
        pixmap.setDevicePixelRatio(image.devicePixelRatio())
        pixmap.fill(QColor(Qt.GlobalColor.transparent))
        painter = QPainter(pixmap)
        painter.drawImage(QPointF(0, 0), image)
        painter.setPen(QPen(self._theme.colour("line"), 2))
        painter.drawLine(QPointF(0, _CELL_H - 5), QPointF(_CELL_W, _CELL_H - 5))
        painter.end()
        icon = QIcon()
        for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
            icon.addPixmap(pixmap, mode)
        return icon

    def _show_selection(self) -> None:
        piece = self._document.piece
        with QSignalBlocker(self):
            for index in range(self.count()):
                item = self.item(index)
                if item is not None and piece is not None and item.data(_KEY) == piece.key:
                    self.setCurrentItem(item)


def _in_steps(mm_per_px: float) -> float:
    """A scale in steps, so that a millimetre on one piece does not redraw all the others."""
    return float(_SCALE_STEP ** math.ceil(math.log(mm_per_px, _SCALE_STEP)))


def _own_scale(extent: tuple[float, float], common: float) -> float:
    """The scale all pieces share; a smaller one where a piece would be too wide, a larger one for small pieces.

    `extent`: width and height of the piece, mm.
    """
    return max(common / _times_larger(extent, common), _in_steps(extent[0] / (_CELL_W - 4)))


def _times_larger(extent: tuple[float, float], common: float) -> int:
    """How many times as large as the others a piece is drawn, so that one recognises it."""
    return min(max(math.ceil(_LEAST_PX * common / max(extent)), 1), _MOST_LARGER)


def _pixels(piece_plan: PiecePlan, job: Job, mm_per_px: float, ratio: float) -> QImage:
    from kakushi.formats.export.png import pictured
    from kakushi.picture.scene import draw_piece
    from kakushi.sight.view import View

    fine = mm_per_px / ratio
    width, height = int(_CELL_W * ratio), int(_CELL_H * ratio)
    view = View(width, height, fine, -width / 2 * fine, (height - 6 * ratio) * fine)
    drawn, paints = pictured(piece_plan, job)
    return image_of(draw_piece(drawn, piece_plan.piece.frame, paints, view)[1], ratio)
