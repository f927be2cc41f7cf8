"""Ways out side by side over the page: to one scale, against the height that must be met, what changes lit."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QObject, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QImage, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from kakushi.building.remedies import RescueOption
from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import image_of
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.export.png import pictured
from kakushi.model.job import Job
from kakushi.picture.scene import draw_piece, extent_of, with_shadow
from kakushi.plan.values import PiecePlan
from kakushi.sight.view import View
from kakushi.words.rescue import cost_words, end_words, way_title, way_words
from kakushi.words.wording import Wording

_CARD_W, _PICTURE_H = 168, 300
"""Width of a card and height of its picture, px."""
_ROOM = 1.06
"""Room over the tallest one, as a share of its height."""


class WayPictures(NamedTuple):
    """A picture for each way, (h, w, 4) pixels as an image, and where the wished height lies in them, px from above."""

    images: Sequence[QImage]
    wished_px: float


class WayCard(QAbstractButton):
    """One way out: what is done, how the piece would look, where it ends and what it costs."""

    def __init__(self, option: RescueOption, wording: Wording, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.option, self.theme = option, theme
        title, rest = way_title(option, wording)
        self._told = title, rest, end_words(option, wording), cost_words(option)
        self.image: QImage | None = None
        self.wished_px = 0.0
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setText(title)
        self.setAccessibleName(f"{way_words(option, wording)} ({cost_words(option)})")
        self.setToolTip(way_words(option, wording))

    def sizeHint(self) -> QSize:
        """As wide as its picture, as high as its words need with that."""
        return QSize(_CARD_W, _PICTURE_H + 9 * self.fontMetrics().lineSpacing())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lit = self.isChecked() or self.hasFocus()
        painter.setPen(QPen(self.theme.colour("accent" if lit else "line"), 2.5 if self.isChecked() else 1))
        painter.setBrush(self.theme.colour("paper"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        line = self.fontMetrics().lineSpacing()
        box = QRectF(self.rect()).adjusted(14, 12, -14, -12)
        flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap)
        bold = QFont(self.font())
        bold.setWeight(QFont.Weight.DemiBold)
        title, rest, end, cost = self._told
        painter.setPen(self.theme.colour("ink"))
        painter.setFont(bold)
        painter.drawText(box, flags, title)
        top = painter.boundingRect(box, flags, title).height() + 3
        end_high = painter.boundingRect(box, flags, end).height()
        painter.setFont(self.font())
        painter.setPen(self.theme.colour("quiet"))
        painter.drawText(box.adjusted(0, top, 0, -(box.height() - top - 4 * line)), flags, rest)
        floor = box.bottom() - end_high - 1.4 * line
        if self.image is not None:
            high = self.image.height() / self.image.devicePixelRatio()
            wide = self.image.width() / self.image.devicePixelRatio()
            painter.drawImage(QPointF(box.center().x() - wide / 2, floor - high), self.image)
            painter.setPen(QPen(self.theme.colour("accent"), 1, Qt.PenStyle.DashLine))
            at = floor - high + self.wished_px
            painter.drawLine(QPointF(box.left(), at), QPointF(box.right(), at))
        painter.setPen(self.theme.colour("ink"))
        painter.setFont(bold)
        foot = QRectF(box.left(), floor + 0.2 * line, box.width(), end_high + 1.2 * line)
        painter.drawText(foot, flags, end)
        painter.setFont(self.font())
        painter.setPen(self.theme.colour("quiet"))
        painter.drawText(foot.adjusted(0, end_high, 0, 0), flags, cost)
        painter.end()


class WaysPage(QFrame):
    """Lies over the page of Build while a way is chosen. `chosen`: the place of a way; `taken`: that one is taken."""

    chosen = pyqtSignal(int)
    taken = pyqtSignal()

    def __init__(self, document: Document, theme: Theme, over: QWidget) -> None:
        super().__init__(over)
        self._document, self._theme, self._over = document, theme, over
        self.setAutoFillBackground(True)
        self.cards: list[WayCard] = []
        self._title = Label("")
        self._title.setProperty("role", "title")
        self._row = QHBoxLayout()
        self._row.setSpacing(12)
        inner = QWidget()
        inner.setLayout(self._row)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidget(inner)
        self.take, self.leave = QPushButton("Take this way"), QPushButton("Not now")
        self.take.setProperty("primary", True)
        self.take.setToolTip("Changes this copy alone")
        self.leave.setToolTip("Goes on with the step; the ways stay in the panel (Esc)")
        buttons = QHBoxLayout()
        buttons.addWidget(self.take, 3)
        buttons.addWidget(self.leave, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 14, 20, 14)
        column.addWidget(self._title)
        column.addWidget(quiet("What is built stays. What people would notice least comes first."))
        column.addWidget(scroll, 1)
        column.addLayout(buttons)
        self.take.clicked.connect(lambda _: self.taken.emit())
        self.leave.clicked.connect(lambda _: self._go_back())
        self._runner = Runner(self, document.said)
        self._runner.finished.connect(self._on_drawn)
        document.closing.connect(self._runner.close)
        over.installEventFilter(self)
        self.hide()

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        for card in self.cards:
            card.theme = theme
            card.update()

    def show_ways(self, ways: Sequence[RescueOption], title: str) -> None:
        """Show ways side by side; nothing hides the page."""
        while (item := self._row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        job, units = self._document.builder.plan.job, self._document.units
        self.cards = [WayCard(option, Wording(job, units), self._theme) for option in ways]
        for place, card in enumerate(self.cards):
            self._row.addWidget(card)
            card.toggled.connect(lambda on, place=place: self.chosen.emit(place) if on else None)
        self._row.addStretch(1)
        self._title.setText(title)
        self.setVisible(bool(ways))
        if not ways:
            self._runner.cancel()
            return
        self.setGeometry(self._over.rect())
        self.raise_()
        self.cards[0].setFocus()
        self._runner.submit(_drawn([option.planned for option in ways], job, self.devicePixelRatioF()))

    def choose(self, place: int) -> None:
        """Mark a way."""
        if 0 <= place < len(self.cards):
            self.cards[place].setChecked(True)
            self.take.setEnabled(self.cards[place].option.piece is not None)

    def _on_drawn(self, drawn: WayPictures) -> None:
        for card, image in zip(self.cards, drawn.images, strict=False):
            card.image, card.wished_px = image, drawn.wished_px
            card.update()

    def _go_back(self) -> None:
        """Leave the ways; the keyboard goes back to the step that was under them."""
        self.hide()
        self._over.setFocus(Qt.FocusReason.OtherFocusReason)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Take every key: the page underneath is not seen, so none of them may tick its steps."""
        if event is None:
            return
        if event.key() == Qt.Key.Key_Escape:
            self._go_back()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            focused = next((card for card in self.cards if card.hasFocus()), None)
            if focused is not None:
                focused.setChecked(True)
        event.accept()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Stay as large as what it lies over."""
        if event is not None and event.type() == QEvent.Type.Resize and not self.isHidden():
            self.setGeometry(self._over.rect())
        return super().eventFilter(watched, event)


def _drawn(
    plans: Sequence[PiecePlan], job: Job, ratio: float
) -> Callable[[Callable[[float], None], Callable[[], bool]], WayPictures]:
    """Work that draws pieces to one scale."""

    def work(_progress: Callable[[float], None], cancelled: Callable[[], bool]) -> WayPictures:
        shown = [pictured(each, job) for each in plans]
        tallest = max(plans[0].wished_height_mm, *(extent_of(geometry)[1] for geometry, _ in shown)) * _ROOM
        widest = max(extent_of(geometry)[0] for geometry, _ in shown) * _ROOM
        wide, high = round((_CARD_W - 30) * ratio), round(_PICTURE_H * ratio)
        mm_per_px = max(tallest / high, widest / wide)
        # Two per cent of the height below the floor line, for the shadow.
        top = mm_per_px * high * 0.98
        images: list[QImage] = []
        for each, (geometry, paints) in zip(plans, shown, strict=True):
            if cancelled():
                break
            view = View(wide, high, mm_per_px, -wide * mm_per_px / 2, top)
            images.append(
                image_of(with_shadow(draw_piece(geometry, each.piece.frame, paints, view)[1], geometry, view), ratio)
            )
        return WayPictures(images, view.y_px(plans[0].wished_height_mm) / ratio)

    return work
