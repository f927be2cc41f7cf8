"""The pieces shelf: every piece at one common scale on one floor line."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QSignalBlocker, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QListView, QListWidget, QListWidgetItem, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme

if TYPE_CHECKING:
    from kakushi.plan.values import PiecePlan

_CELL_W, _CELL_H = 74, 150
_SCALE_STEP = 1.08
_KEY = Qt.ItemDataRole.UserRole


class Shelf(QListWidget):
    """Pieces side by side; the selected one is the document's."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._pictures: dict[int, tuple[object, QIcon]] = {}
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setUniformItemSizes(False)
        self.setWordWrap(True)
        self.setSpacing(2)
        self.setIconSize(QSize(_CELL_W, _CELL_H))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Pieces")
        self.currentItemChanged.connect(self._on_current)
        document.plan_changed.connect(self._rebuild)
        document.job_changed.connect(self._rebuild)
        document.selection.changed.connect(self._show_selection)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self._pictures.clear()
        self._rebuild()

    def _on_current(self, item: QListWidgetItem | None, _former: QListWidgetItem | None) -> None:
        if item is not None:
            self._document.selection.select_piece(item.data(_KEY))

    def _rebuild(self) -> None:
        pieces = self._document.job.pieces
        plan = self._document.planner.plan
        plans = {p.piece.key: p for p in plan.pieces} if plan else {}
        mm_per_px = self._common_scale(list(plans.values()))
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
                copies = f" × {len(piece.copies)}" if len(piece.copies) > 1 else ""
                mark = " – check" if piece_plan and piece_plan.warnings else ""
                item.setText(f"{piece.name}{copies}{mark}")
                item.setToolTip("\n".join(piece_plan.warnings) if piece_plan else "")
                item.setData(_KEY, piece.key)
                item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
                if piece_plan is not None:
                    item.setIcon(self._picture(piece_plan, mm_per_px))
                lines = self.fontMetrics().boundingRect(0, 0, _CELL_W - 8, 999, Qt.TextFlag.TextWordWrap, item.text())
                item.setSizeHint(QSize(_CELL_W + 8, _CELL_H + lines.height() + 14))
        self._show_selection()

    def _common_scale(self, plans: list[PiecePlan]) -> float:
        if not plans:
            return 2000.0 / _CELL_H
        from kakushi.picture.scene import extent_of

        extents = [extent_of(p.drawn) for p in plans]
        tallest = max(max(tall, p.column_target_mm) for (_, tall), p in zip(extents, plans, strict=True))
        needed = max(max(wide for wide, _ in extents) / (_CELL_W - 4), tallest / (_CELL_H - 8))
        # In steps, so that a millimetre on one piece does not redraw all the others.
        return _SCALE_STEP ** math.ceil(math.log(needed, _SCALE_STEP))

    def _picture(self, piece_plan: PiecePlan, mm_per_px: float) -> QIcon:
        key = (piece_plan, mm_per_px, self._document.plan.job.palette, self.devicePixelRatioF())
        known = self._pictures.get(piece_plan.piece.key)
        if known and known[0] == key:
            return known[1]
        from kakushi.formats.png import paints_for
        from kakushi.picture.scene import draw_piece
        from kakushi.picture.view import View

        ratio = self.devicePixelRatioF()
        fine = mm_per_px / ratio
        width, height = int(_CELL_W * ratio), int(_CELL_H * ratio)
        view = View(width, height, fine, -width / 2 * fine, (height - 6 * ratio) * fine)
        paints = paints_for(piece_plan, self._document.plan.job)
        pixels = draw_piece(piece_plan.drawn, piece_plan.piece.frame, paints, view)[1]
        pixmap = QPixmap(width, height)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(QColor(Qt.GlobalColor.transparent))
        painter = QPainter(pixmap)
        painter.drawImage(QPointF(0, 0), image_of(pixels, ratio))
        painter.setPen(QPen(self._theme.colour("line"), 2))
        painter.drawLine(QPointF(0, _CELL_H - 5), QPointF(_CELL_W, _CELL_H - 5))
        painter.end()
        picture = QIcon()
        for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
            picture.addPixmap(pixmap, mode)
        self._pictures[piece_plan.piece.key] = (key, picture)
        return picture

    def _show_selection(self) -> None:
        piece = self._document.piece
        with QSignalBlocker(self):
            for index in range(self.count()):
                item = self.item(index)
                if item is not None and piece is not None and item.data(_KEY) == piece.key:
                    self.setCurrentItem(item)
