"""The row ladder: one card per row at its true height, edited by keys, wheel and pointer."""

from __future__ import annotations

import math
from collections.abc import Container, Sequence
from dataclasses import dataclass
from itertools import pairwise

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.document.row_actions import RowActions
from kakushi.desktop.views.card_layout import CardPlace, place_cards
from kakushi.desktop.views.scale import WHEEL_STEP, Scale
from kakushi.desktop.views.spoken import Spoken, SpokenPart
from kakushi.desktop.widgets.painting import draw_code_chip, draw_focus, scaled
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.groups import Row, rows_groups
from kakushi.packing.groups.table import kind_of
from kakushi.plan.strands import strands_of
from kakushi.plan.values import PiecePlan
from kakushi.words.sizing import row_sizes
from kakushi.words.spoken_rows import row_line
from kakushi.workshop.sized_by import is_unmeasured

_LEADER_PX = 36.0
_SLIVER_PX = 4.0
_APART_PX = 2.0
"""Least distance of cards drawn one by one, px: closer ones cannot be told apart."""
# Widths of a card in digits: with room for six chips with their codes, and for four; brief ones hold chips only.
_USUAL_DIGITS, _MIN_DIGITS = 46, 37
_BRIEF_USUAL, _BRIEF_MIN = 26, 19


@dataclass(frozen=True, slots=True)
class _Other:
    """A group that is not rows: what it is, the height of its middle (mm) and its card."""

    words: str
    middle: float
    card: CardPlace


class RowLadder(QWidget):
    """Cards beside the elevation; the selected one takes keys and wheel."""

    def __init__(
        self, document: Document, scale: Scale, actions: RowActions, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._scale, self._actions, self._theme = document, scale, actions, theme
        self._cards: tuple[CardPlace, ...] = ()
        self._others: list[_Other] = []
        self._bent: set[int] = set()
        """Rows of strands, which lie beside each other: no line leads to them at a height."""
        self._wheel = 0
        self._is_brief = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Row ladder")
        self._parts = Spoken(self, self._spoken)
        for changed in (
            document.plan_changed,
            document.selection.changed,
            scale.changed,
            document.preferences_changed,
            document.planner.spread_changed,
        ):
            changed.connect(self._on_changed)
        document.selection.hover_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        digits = _BRIEF_USUAL if self._is_brief else _USUAL_DIGITS
        return QSize(int(_LEADER_PX) + self.fontMetrics().horizontalAdvance("0") * digits, 400)

    def minimumSizeHint(self) -> QSize:
        digits = _BRIEF_MIN if self._is_brief else _MIN_DIGITS
        return QSize(int(_LEADER_PX) + self.fontMetrics().horizontalAdvance("0") * digits, 240)

    def set_brief(self, on: bool) -> None:
        """Only row numbers and colours on the cards."""
        if on != self._is_brief:
            self._is_brief = on
            self.updateGeometry()
            self._on_changed()

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    @property
    def _card_height(self) -> float:
        return self.fontMetrics().height() * 1.62

    def _on_changed(self) -> None:
        self._lay_out()
        piece_plan, index = self._document.piece_plan, self._document.selection.row_index
        if piece_plan and index is not None and index < len(piece_plan.piece.rows):
            self.setAccessibleDescription(self._words(piece_plan, index))
        else:
            self.setAccessibleDescription("No row is selected.")
        self._parts.follow()
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._lay_out()

    def _lay_out(self) -> None:
        piece_plan = self._document.piece_plan
        self._cards, self._others = (), []
        if piece_plan is None:
            return
        knots = self._heights(piece_plan)
        groups = piece_plan.piece.groups
        rows_places = {place for place, _ in rows_groups(groups)}
        others = [
            (kind_of(group).said(group, self._document.units), (low + high) / 2)
            for place, (group, (low, high)) in enumerate(zip(groups, piece_plan.assembly.spans, strict=True))
            if place not in rows_places
        ]
        wanted = [self._scale.y(z) for z in [*knots, *(middle for _, middle in others)]]
        focus = (
            self._document.selection.hovered_row
            if self._document.selection.row_index is None
            else self._document.selection.row_index
        )
        cards = place_cards(tuple(wanted), self.height() - 4.0, self._card_height, _SLIVER_PX, focus or 0)
        self._cards = cards[: len(knots)]
        self._others = [
            _Other(words, middle, card) for (words, middle), card in zip(others, cards[len(knots) :], strict=True)
        ]

    def _heights(self, piece_plan: PiecePlan) -> list[float]:
        """Where the cards of rows go, mm above the floor: at their knots; those of a strand one after the other."""
        heights = [float(z) for z in piece_plan.geometry.knots]
        self._bent = set()
        for first, group, _ in strands_of(piece_plan.piece, piece_plan.assembly):
            count = len(group.rows)
            self._bent.update(range(first, first + count))
            for k in range(count):
                heights[first + k] = piece_plan.height_mm * (k + 0.5) / count
        return heights

    @property
    def other_words(self) -> list[str]:
        """Words of the cards for what stands between and on the rows."""
        return [other.words for other in self._others]

    def card_box(self, index: int) -> QRectF:
        """Where the card of a row is drawn."""
        return self._box(self._cards[index])

    def _box(self, card: CardPlace) -> QRectF:
        return QRectF(_LEADER_PX, card.middle - card.height / 2 + 2, self.width() - _LEADER_PX - 8, card.height)

    def row_at(self, at: QPointF) -> int | None:
        """Index of the row whose card is at a point."""
        for index, card in enumerate(self._cards):
            if abs(card.middle + 2 - at.y()) <= card.height / 2 + 1:
                return index
        return None

    def _words(self, piece_plan: PiecePlan, index: int) -> str:
        unmeasured = is_unmeasured(piece_plan.piece.rows[index], self._document.studio)
        return row_line(piece_plan, index, self._document.wording, unmeasured, _is_prone(self._document, index))

    def _spoken(self) -> list[SpokenPart]:
        piece_plan = self._document.piece_plan
        if piece_plan is None or len(self._cards) != len(piece_plan.piece.rows):
            return []
        rows = [SpokenPart(self._words(piece_plan, index), self.card_box(index)) for index in range(len(self._cards))]
        return [*rows, *(SpokenPart(other.words, self._box(other.card)) for other in self._others)]

    def _card_text(self, row: Row) -> str:
        return row_sizes(row, self._document.units, is_unmeasured(row, self._document.studio))

    # --- painting ---------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.colour("paper"))
        piece_plan = self._document.piece_plan
        if piece_plan is not None and len(self._cards) == len(piece_plan.piece.rows):
            selection = self._document.selection
            marked = {*selection.row_indices, selection.hovered_row}
            told_apart = self._told_apart(marked)
            self._paint_slivers(painter, piece_plan, [index for index in told_apart if not self._cards[index].full])
            told_apart = [index for index in told_apart if self._cards[index].full or index in marked]
            for index in told_apart:
                pen = (
                    QPen(self._theme.colour("accent"), 1.5) if index in marked else QPen(self._theme.colour("line"), 1)
                )
                if index not in self._bent:
                    self._paint_line(painter, float(piece_plan.geometry.knots[index]), self.card_box(index), pen)
            for index in told_apart:
                self._paint_card(painter, piece_plan, index, index in marked)
            for other in self._others:
                self._paint_other(painter, other)
        draw_focus(painter, self, self._theme)
        painter.end()

    def _told_apart(self, marked: Container[int | None]) -> list[int]:
        """The cards in sight that are not on the same pixels as the one before; marked ones always."""
        shown, last = [], -math.inf
        for index, card in enumerate(self._cards):
            in_sight = card.middle + card.height >= 0 and card.middle - card.height <= self.height()
            apart = card.full or abs(card.middle - last) >= _APART_PX
            if index in marked or (in_sight and apart):
                shown.append(index)
                last = card.middle
        return shown

    def _paint_slivers(self, painter: QPainter, piece_plan: PiecePlan, rows: Sequence[int]) -> None:
        """Cards too thin for words, with their leaders: plain lines and boxes, all of a colour at once."""
        lines: list[QLineF] = []
        cards: list[QRectF] = []
        boxes: dict[str, list[QRectF]] = {}
        heights = piece_plan.geometry.knots
        for index in rows:
            box = self.card_box(index)
            if index not in self._bent:
                lines += self._leader(float(heights[index]), box)
            cards.append(QRectF(box.left() - 1, box.top(), box.width() + 1, max(box.height() - 1, 1)))
            colours = piece_plan.colouring[index]
            wide = box.width() / len(colours)
            for place, key in enumerate(colours):
                part = QRectF(box.left() + place * wide, box.top(), wide - 1, max(box.height() - 1, 1))
                boxes.setdefault(key, []).append(part)
        painter.setPen(QPen(self._theme.colour("line"), 1))
        if lines:
            painter.drawLines(*lines)
        painter.setPen(Qt.PenStyle.NoPen)
        if cards:
            # Seen between the colours: white ones would be lost on the paper.
            painter.setBrush(self._theme.colour("line"))
            painter.drawRects(*cards)
        for key, parts in boxes.items():
            painter.setBrush(QColor(self._document.plan.job.colour(key).hex))
            painter.drawRects(*parts)

    def _paint_other(self, painter: QPainter, other: _Other) -> None:
        """The card of what is not a row: words only, nothing to edit here."""
        box = self._box(other.card)
        line = QPen(self._theme.colour("line"), 1)
        self._paint_line(painter, other.middle, box, line)
        if not other.card.full:
            return
        painter.setPen(QPen(line.color(), 1, Qt.PenStyle.DashLine))
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(self._theme.colour("quiet"))
        words = box.adjusted(12, 0, -8, 0)
        text = self.fontMetrics().elidedText(other.words, Qt.TextElideMode.ElideRight, int(words.width()))
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    def _paint_line(self, painter: QPainter, height_mm: float, box: QRectF, pen: QPen) -> None:
        """The leader from a height on the elevation to its card."""
        painter.setPen(pen)
        painter.drawLines(*self._leader(height_mm, box))

    def _leader(self, height_mm: float, box: QRectF) -> list[QLineF]:
        knot, card = self._scale.y(height_mm), box.center().y()
        bends = [QPointF(0, knot), QPointF(8, knot), QPointF(_LEADER_PX - 10, card), QPointF(_LEADER_PX, card)]
        return [QLineF(a, b) for a, b in pairwise(bends)]

    def _paint_card(self, painter: QPainter, piece_plan: PiecePlan, index: int, marked: bool) -> None:
        box = self.card_box(index)
        if self._cards[index].full:
            self._paint_full(painter, piece_plan, index, box, marked)
        else:
            painter.setPen(QPen(self._theme.colour("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box)

    def _paint_full(self, painter: QPainter, piece_plan: PiecePlan, index: int, box: QRectF, marked: bool) -> None:
        theme = self._theme
        chosen = index in self._document.selection.row_indices
        painter.setPen(QPen(theme.colour("accent" if marked else "line"), 2 if chosen else 1))
        painter.setBrush(theme.colour("accent_soft" if chosen else "field"))
        painter.drawRoundedRect(box, 5, 5)
        number_width = self.fontMetrics().horizontalAdvance("000") + 6
        row = piece_plan.piece.rows[index]
        if row.pinned:
            painter.fillRect(QRectF(box.left() + 1, box.top() + 4, 4, box.height() - 8), theme.colour("accent"))
        prone = _is_prone(self._document, index)
        painter.setPen(theme.colour("warning" if prone else "quiet"))
        number = QRectF(box.left() + 4, box.top(), number_width, box.height())
        painter.drawText(number, Qt.AlignmentFlag.AlignCenter, f"{index + 1}{'!' if prone else ''}")
        chips = self._paint_chips(painter, piece_plan, index, box)
        if self._is_brief:
            return
        words = QRectF(number.right() + 4, box.top(), chips - number.right() - 8, box.height())
        text = self.fontMetrics().elidedText(
            self._card_text(piece_plan.piece.rows[index]), Qt.TextElideMode.ElideRight, int(words.width())
        )
        painter.setPen(theme.colour("ink"))
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    def _paint_chips(self, painter: QPainter, piece_plan: PiecePlan, index: int, box: QRectF) -> float:
        """Colour chips in slot order at the card's right end; where they start."""
        metrics = self.fontMetrics()
        wide = metrics.horizontalAdvance("MM") + 4.0
        high = min(metrics.height() + 2.0, box.height() - 6)
        colours = [self._document.plan.job.colour(key) for key in piece_plan.colouring[index]]
        room = box.width() - metrics.horizontalAdvance("000" if self._is_brief else "000 0 × 00″ to 00.0 cm") - 18
        wide = min(wide, max(room / len(colours) - 2, 8.0))
        start = box.right() - 6 - len(colours) * (wide + 2)
        painter.save()
        painter.setFont(scaled(self.font(), 0.9))
        named = wide >= metrics.horizontalAdvance("MM") * 0.9
        for place, colour in enumerate(colours):
            chip = QRectF(start + place * (wide + 2), box.center().y() - high / 2, wide, high)
            draw_code_chip(painter, chip, colour, self._theme.colour("line"), named)
        painter.restore()
        return start

    # --- pointer, wheel and keys ---------------------------------------------------------------

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event:
            row = self.row_at(event.position())
            self._document.selection.hover_row(row)
            if event.buttons() & Qt.MouseButton.LeftButton and row is not None:
                # Dragged along the ladder.
                self._document.selection.extend_to(row)
            piece_plan = self._document.piece_plan
            if row is not None and piece_plan is not None and row < len(piece_plan.piece.rows):
                self.setToolTip(self._words(piece_plan, row))

    def leaveEvent(self, event: object) -> None:
        self._document.selection.hover_row(None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        row = self.row_at(event.position())
        selection = self._document.selection
        is_left = event.button() == Qt.MouseButton.LeftButton
        if row is None:
            selection.select_row(None)
        elif is_left and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            selection.extend_to(row)
        elif is_left and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            selection.toggle_row_at(row)
        elif is_left or row not in selection.row_indices:
            selection.select_row_at(row)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event and self._document.selection.row is not None:
            self._actions.menu(self).exec(event.globalPos())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        row = self.row_at(event.position())
        if (
            event.modifiers() & Qt.KeyboardModifier.ControlModifier
            or row is None
            or row != self._document.selection.row_index
        ):
            self._wheel = 0
            self._scale.take_wheel(event)
            return
        self._wheel += event.angleDelta().y()
        # Touchpads send parts of a step; what is left over waits for the next part.
        steps = int(self._wheel / WHEEL_STEP)
        self._wheel -= steps * WHEEL_STEP
        if steps:
            self._actions.resize(steps)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        index = self._document.selection.row_index
        plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier & ~Qt.KeyboardModifier.ShiftModifier
        if plain and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 1 if event.key() == Qt.Key.Key_Up else -1
            with_shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            select = self._document.selection.extend_to if with_shift else self._document.selection.select_row_at
            select(0 if index is None else index + step)
        elif plain and event.key() == Qt.Key.Key_Home:
            self._document.selection.select_row_at(0)
        elif plain and event.key() == Qt.Key.Key_End:
            self._document.selection.select_row_at(10**6)
        elif not self._actions.take_key(event):
            super().keyPressEvent(event)


def _is_prone(document: Document, index: int) -> bool:
    """Whether a row often shows a gap with the studio's sizing."""
    spread = document.planner.spread
    return spread is not None and index in spread.prone
