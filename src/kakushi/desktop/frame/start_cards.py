"""Cards of the start page: what people really begin with, drawn, one press away."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QEnterEvent, QFont, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QAbstractButton, QWidget

from kakushi.desktop.widgets.painting import type_scale
from kakushi.desktop.widgets.theme import Theme
from kakushi.formats.store.paths import start_pictures

_SIZE = QSize(286, 122)
_PICTURE = QSize(92, 110)
"""A card and its picture, px, at the usual size of type."""


class Begin(StrEnum):
    """What a card begins with."""

    STRAIGHT = "straight"
    OUTLINE = "outline"
    PICTURE = "picture"
    SHELF = "shelf"
    RECIPE = "recipe"


class CardText(NamedTuple):
    """A card: what it begins with, its picture (a recipe that ships with the program), and its words."""

    begin: Begin
    picture: str
    title: str
    words: str


CARDS = (
    CardText(Begin.STRAIGHT, "gate-column", "A straight column", "Type how tall it is; one key fills it with rows."),
    CardText(Begin.OUTLINE, "glass-float-vase", "Follow an outline", "A cone, a vase, a bell: rows grow and shrink."),
    CardText(Begin.PICTURE, "lighthouse", "From a picture", "A silhouette, a drawing or an SVG becomes the outline."),
    CardText(Begin.RECIPE, "kelp", "A ball on a pipe", "A table piece with a wrapped stem."),
    CardText(Begin.RECIPE, "bollard-crab", "Something small for a table", "Two rows, parts and a foil head."),
    CardText(Begin.RECIPE, "figurehead", "It carries something heavy", "Told how much it bears before it tips."),
    CardText(Begin.RECIPE, "rope-loop", "An arch, ring or wave", "One strand, bent; counted from both ends."),
    CardText(Begin.RECIPE, "net-window", "An open frame", "Windows of link balloons, with something hung in one."),
    CardText(Begin.SHELF, "channel-buoy", "From my shelf", "Proven pieces, in other colours and heights."),
)


class DrawnCard(QAbstractButton):
    """A button drawn as a card, lit under the pointer and while it has the keyboard."""

    def __init__(self, title: str, words: str, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.setText(title)
        self.setAccessibleName(title)
        self.setAccessibleDescription(words)
        self.setToolTip(words)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def paint_ground(self, painter: QPainter) -> None:
        """Paint the card without what is on it."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        is_lit = self.hasFocus() or self.underMouse()
        painter.setPen(QPen(self.theme.colour("accent" if is_lit else "line"), 2 if self.hasFocus() else 1))
        painter.setBrush(self.theme.colour("paper" if not self.isDown() else "field"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self.update()
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.update()
        super().leaveEvent(event)


class StartCard(DrawnCard):
    """A card of the start page: its picture to the left, its words to the right."""

    def __init__(self, text: CardText, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(text.title, text.words, theme, parent)
        self.card = text
        self._picture = QPixmap(str(start_pictures() / f"{text.picture}.png"))

    def sizeHint(self) -> QSize:
        """The size it is drawn for; more with larger type."""
        return _SIZE * type_scale(self)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        self.paint_ground(painter)
        room = _PICTURE * type_scale(self)
        high = min(self.height() - 12, room.height())
        wide = high * self._picture.width() / max(self._picture.height(), 1)
        at = QRectF(QPointF(8, (self.height() - high) / 2), QPointF(8 + wide, (self.height() + high) / 2))
        painter.drawPixmap(at, self._picture, QRectF(self._picture.rect()))
        text = QRectF(self.rect()).adjusted(18 + room.width(), 14, -10, -8)
        bold = QFont(self.font())
        bold.setWeight(QFont.Weight.DemiBold)
        painter.setFont(bold)
        painter.setPen(self.theme.colour("ink"))
        flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        used = painter.boundingRect(text, int(flags), self.card.title)
        painter.drawText(text, int(flags), self.card.title)
        painter.setFont(self.font())
        painter.setPen(self.theme.colour("quiet"))
        painter.drawText(text.adjusted(0, used.height() + 3, 0, 0), int(flags), self.card.words)
        painter.end()
