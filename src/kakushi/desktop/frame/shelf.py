"""The pieces shelf: every piece at one common scale on one floor line."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QSignalBlocker, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QImage, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QListView, QListWidget, QListWidgetItem, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.views.drawing import Drawing
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme

if TYPE_CHECKING:
    from kakushi.model.job import Job
    from kakushi.plan.values import PiecePlan, Plan

_CELL_W, _CELL_H = 74, 150
_SCALE_STEP = 1.08
_KEY = Qt.ItemDataRole.UserRole


class Shelf(QListWidget):
    """Pieces side by side; the selected one is the document's."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._drawn: dict[int, object] = {}
        self._icons: dict[int, QIcon] = {}
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
        self.currentItemChanged.connect(self._on_current)
        document.plan_changed.connect(self._rebuild)
        document.job_changed.connect(self._rebuild)
        document.selection.changed.connect(self._show_selection)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self._drawn.clear()
        self._rebuild()

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
                item.setToolTip(self._warnings(piece_plan) if piece_plan else "")
                item.setData(_KEY, piece.key)
                item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
                lines = self.fontMetrics().boundingRect(0, 0, _CELL_W - 8, 999, Qt.TextFlag.TextWordWrap, item.text())
                item.setSizeHint(QSize(_CELL_W + 8, _CELL_H + lines.height() + 14))
        self._show_icons()
        if plan is not None:
            self._draw(plan, mm_per_px)
        self._show_selection()

    def _common_scale(self, plans: list[PiecePlan]) -> float:
        if not plans:
            return 2000.0 / _CELL_H
        from kakushi.picture.scene import extent_of

        tallest = max(max(extent_of(p.drawn)[1], p.column_target_mm) for p in plans)
        return _in_steps(tallest / (_CELL_H - 8))

    def _warnings(self, piece_plan: PiecePlan) -> str:
        from kakushi.words.plan import note_words

        return "\n".join(note_words(note, self._document.wording) for note in piece_plan.warnings)

    def _draw(self, plan: Plan, mm_per_px: float) -> None:
        """Have the pictures drawn that are not those of the plan."""
        ratio = self.devicePixelRatioF()
        job = plan.job
        wanted = {p.piece.key: (p, _own_scale(p, mm_per_px), job.palette, ratio) for p in plan.pieces}
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


def _own_scale(piece_plan: PiecePlan, common: float) -> float:
    """The scale all pieces share, or a smaller one where this piece would be too wide."""
    from kakushi.picture.scene import extent_of

    return max(common, _in_steps(extent_of(piece_plan.drawn)[0] / (_CELL_W - 4)))


def _pixels(piece_plan: PiecePlan, job: Job, mm_per_px: float, ratio: float) -> QImage:
    from kakushi.formats.export.png import pictured
    from kakushi.picture.scene import draw_piece
    from kakushi.sight.view import View

    fine = mm_per_px / ratio
    width, height = int(_CELL_W * ratio), int(_CELL_H * ratio)
    view = View(width, height, fine, -width / 2 * fine, (height - 6 * ratio) * fine)
    drawn, paints = pictured(piece_plan, job)
    return image_of(draw_piece(drawn, piece_plan.piece.frame, paints, view)[1], ratio)
