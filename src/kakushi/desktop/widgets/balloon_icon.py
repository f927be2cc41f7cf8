"""A colour as a small rendered balloon, in its finish."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PyQt6.QtGui import QIcon, QPixmap

from kakushi.desktop.widgets.painting import image_of
from kakushi.model.catalogue import BalloonColour
from kakushi.packing.settle import settle
from kakushi.packing.stack import Packing
from kakushi.picture.paint import paint_of
from kakushi.picture.shading import shade
from kakushi.sight.buffers import draw_buffers
from kakushi.sight.view import View

SIDE = 40
"""Width and height, px."""


@lru_cache(maxsize=512)
def balloon_icon(colour: BalloonColour, ratio: float = 2.0, outer: str | None = None) -> QIcon:
    """One balloon of a colour, at `ratio` pixels per widget pixel; `outer`: the look of the outer one of two."""
    size = round(SIDE * ratio)
    radius = size * 0.46
    one = settle((), Packing(1.0)).with_more(np.array([[0.0, 0.0, size / 2]]), np.array([radius]))
    view = View(size, size, 1.0, -size / 2, float(size))
    paint = paint_of(colour.hex, colour.finish, outer=outer, inner_share=colour.inner_share)
    pixels = shade(draw_buffers(one, view), [paint])
    icon = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
        icon.addPixmap(QPixmap.fromImage(image_of(pixels, ratio)), mode)
    return icon
