"""Tying cards of the selected piece, and the duplets to inflate and tie for the whole job."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QScrollArea,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kakushi.colour.card import HIGH, WIDE, CardLine, Disc, Shape, Words, card_shapes
from kakushi.colour.tying import Card
from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import ink_on, scaled
from kakushi.desktop.widgets.theme import Theme
from kakushi.words.cards import card_name, card_steps, rows_words, sizes_words, title_words
from kakushi.words.steps import TIED_TOGETHER
from kakushi.words.wording import Wording, counted


class CardDrawing(QWidget):
    """The drawing of one card."""

    def __init__(self, card: Card, wording: Wording, theme: Theme) -> None:
        super().__init__()
        self._shapes, self._theme = card_shapes(card, wording.job), theme
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(" ".join(card_steps(card, wording)))

    def sizeHint(self) -> QSize:
        return QSize(int(WIDE), int(HIGH))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for shape in self._shapes:
            self._paint(painter, shape)
        painter.end()

    def _paint(self, painter: QPainter, shape: Shape) -> None:
        theme = self._theme
        match shape:
            case Disc():
                ground = QColor(shape.hex) if shape.hex else theme.colour("quiet")
                painter.setPen(QPen(theme.colour("ink"), 1))
                painter.setBrush(ground)
                painter.drawEllipse(QPointF(shape.x, shape.y), shape.radius, shape.radius)
                painter.setPen(ink_on(ground))
                painter.setFont(scaled(self.font(), 0.85))
                box = QRectF(shape.x - shape.radius, shape.y - shape.radius, 2 * shape.radius, 2 * shape.radius)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shape.words)
            case CardLine():
                style = Qt.PenStyle.DashLine if shape.dashed else Qt.PenStyle.SolidLine
                role = "accent" if shape.dashed else "ink"
                painter.setPen(QPen(theme.colour(role), 3.5 if shape.heavy else 2, style))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in shape.points]))
            case Words():
                painter.setPen(theme.colour("ink" if shape.is_number else "quiet"))
                painter.setFont(scaled(self.font(), 0.95, bold=True) if shape.is_number else scaled(self.font(), 0.9))
                box = QRectF(shape.x - 75, shape.y - 10, 150, 20)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shape.text)


class TyingPage(QWidget):
    """Cards to the left, totals to the right; both follow the plan while shown."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._title = Label()
        self._title.setProperty("role", "title")
        self._cards = QScrollArea()
        self._cards.setWidgetResizable(True)
        self._cards.setFrameShape(QFrame.Shape.NoFrame)
        self.table = QTableWidget()
        self.table.setAccessibleName("Duplets to tie for the whole job")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setAlternatingRowColors(True)
        self.table.setShowGrid(False)
        header = self.table.verticalHeader()
        if header is not None:
            header.hide()
        self._sums = quiet()
        right = QVBoxLayout()
        heading = Label("To inflate and tie, whole job")
        heading.setProperty("role", "heading")
        right.addWidget(heading)
        right.addWidget(self._sums)
        right.addWidget(self.table, 1)
        left = QVBoxLayout()
        left.addWidget(self._title)
        left.addWidget(self._cards, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 12, 12, 12)
        layout.setSpacing(14)
        layout.addLayout(left, 4)
        layout.addLayout(right, 3)
        for changed in (document.dossier_changed, document.selection.changed, document.preferences_changed):
            changed.connect(self._show_if_seen)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self._show_if_seen()

    def showEvent(self, event: object) -> None:
        self._show()

    def _show_if_seen(self) -> None:
        if self.isVisible():
            self._show()

    def _show(self) -> None:
        dossier, piece = self._document.dossier, self._document.piece
        plan = dossier.plan
        names = {p.piece.key: p.piece.name for p in plan.pieces}
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(12)
        for index, card in enumerate(dossier.cards):
            if piece is not None and any(at.piece == piece.key for at in card.rows) and piece.key in names:
                column.addWidget(self._card(card_name(index), card, names))
        column.addStretch(1)
        self._cards.setWidget(body)
        self._title.setText(f"Tying cards: {piece.name}" if piece else "Tying cards")
        self._show_table()

    def _card(self, name: str, card: Card, names: dict[int, str]) -> QWidget:
        wording = Wording(self._document.dossier.plan.job, self._document.units)
        frame = QFrame()
        frame.setProperty("role", "card")
        words = QVBoxLayout()
        title = Label(title_words(name, card))
        title.setProperty("role", "heading")
        words.setSpacing(3)
        words.addWidget(title)
        words.addWidget(_wrapped(sizes_words(card.cluster.balloons, wording)))
        for line in [*card_steps(card, wording), *rows_words(card, names)]:
            words.addWidget(_wrapped(line))
        words.addStretch(1)
        layout = QVBoxLayout(frame)
        layout.addWidget(CardDrawing(card, wording, self._theme), 0, Qt.AlignmentFlag.AlignHCenter)
        layout.addLayout(words, 1)
        return frame

    def _show_table(self) -> None:
        plan, kinds = self._document.dossier.plan, self._document.dossier.tied
        wording = Wording(plan.job, self._document.units)
        heads = ("How many", "Colours", "Size", "For")
        self.table.setColumnCount(len(heads))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.setRowCount(len(kinds))
        for index, kind in enumerate(kinds):
            cells = (
                str(kind.count),
                " + ".join(plan.job.colour(b.colour).code for b in kind.balloons),
                sizes_words(kind.balloons, wording),
                kind.part.value,
            )
            for place, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if not place:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setToolTip(" + ".join(plan.job.colour(b.colour).name for b in kind.balloons))
                self.table.setItem(index, place, item)
        header = self.table.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setStretchLastSection(True)
        self._sums.setText(tied_words([(len(kind.balloons), kind.count) for kind in kinds]))


def tied_words(counts: list[tuple[int, int]]) -> str:
    """Totals of what is tied, from pairs (balloons in one, how many)."""
    sums = {size: sum(count for n, count in counts if n == size) for size in TIED_TOGETHER}
    told = [counted(sums[n], TIED_TOGETHER[n]) for n in (2, 3, 1) if sums[n]]
    balloons = sum(n * count for n, count in counts)
    return f"{', '.join(told)}: {balloons} balloons, all copies, without spares." if told else "Nothing to tie yet."


def _wrapped(text: str) -> QLabel:
    label = Label(text)
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label
