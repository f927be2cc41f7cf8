"""Small painting helpers shared by the drawn widgets."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QImage, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from kakushi.colour.rgb import is_dark
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.catalogue import BalloonColour

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


def image_of(pixels: NDArray[np.uint8], ratio: float = 1.0) -> QImage:
    """A QImage of RGBA pixels (h, w, 4), at a device pixel ratio."""
    height, width, _ = pixels.shape
    image = QImage(pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_RGBA8888).copy()
    image.setDevicePixelRatio(ratio)
    return image


_USUAL_LINE_PX = 16
"""Line spacing of the usual type, px."""


def type_scale(widget: QWidget) -> float:
    """How much larger than usual a widget's type is; at least 1."""
    return max(widget.fontMetrics().lineSpacing() / _USUAL_LINE_PX, 1.0)


def ink_on(ground: QColor) -> QColor:
    """Black or white, whichever reads on a ground."""
    return QColor("#ffffff") if is_dark(ground.name()) else QColor("#1a1815")


def draw_code_chip(painter: QPainter, box: QRectF, colour: BalloonColour, edge: QColor, words: bool = True) -> None:
    """A rounded chip in a balloon's colour with its letter code."""
    ground = QColor(colour.hex)
    painter.setPen(QPen(edge, 1))
    painter.setBrush(ground)
    painter.drawRoundedRect(box, 4, 4)
    if words:
        painter.setPen(ink_on(ground))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, colour.code)


def scaled(font: QFont, factor: float, bold: bool = False) -> QFont:
    """A font larger or smaller than another."""
    new = QFont(font)
    new.setPointSizeF(font.pointSizeF() * factor)
    new.setBold(bold)
    return new


def restyle(widget: QWidget, name: str, value: object) -> None:
    """Set a property that the style sheet looks at, and let it look again."""
    if widget.property(name) == value:
        return
    widget.setProperty(name, value)
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)


def draw_focus(painter: QPainter, widget: QWidget, theme: Theme) -> None:
    """A frame around a drawn widget that has the keyboard."""
    if widget.hasFocus():
        painter.setPen(QPen(theme.colour("accent"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(widget.rect().adjusted(1, 1, -1, -1))
