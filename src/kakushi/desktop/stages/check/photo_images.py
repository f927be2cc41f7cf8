"""Images and shapes that the photograph's view paints."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage

from kakushi.desktop.widgets.painting import image_of

if TYPE_CHECKING:
    from numpy.typing import NDArray


_BRUSH_SHARE = 0.03
"""Width of the brush over the height of the photograph."""


def side_bar(middle: float, y: float, long: float, tall: float) -> QRectF:
    """A bar of some length from the middle of a row to its left (negative) or right, px."""
    return QRectF(min(middle, middle + long), y - tall / 2, abs(long), tall)


def opaque_image(pixels: NDArray[np.uint8]) -> QImage:
    """An image of opaque pixels (h, w, 3)."""
    height, width, _ = pixels.shape
    return QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def mask_image(mask: NDArray[np.bool_], ink: QColor) -> QImage:
    """An image of a mask (h, w) in one ink, transparent elsewhere."""
    picture = np.zeros((*mask.shape, 4), dtype=np.uint8)
    picture[mask] = (ink.red(), ink.green(), ink.blue(), 255)
    return image_of(picture)


def painted_mask(
    before: NDArray[np.bool_] | None, shape: tuple[int, ...], drawn: list[tuple[float, float]]
) -> NDArray[np.bool_]:
    """A mask with one more stroke of the brush."""
    mask = np.zeros(shape[:2], dtype=bool) if before is None else before.copy()
    radius = max(_BRUSH_SHARE * shape[0], 3.0)
    points = np.array(drawn)
    steps = np.concatenate([np.linspace(a, b, 12) for a, b in pairwise(points)] or [points])
    for x, y in steps.tolist():
        x0, x1 = max(int(x - radius), 0), min(int(x + radius) + 1, shape[1])
        y0, y1 = max(int(y - radius), 0), min(int(y + radius) + 1, shape[0])
        if x0 >= x1 or y0 >= y1:
            continue
        line, column = np.ogrid[y0:y1, x0:x1]
        mask[y0:y1, x0:x1] |= (column - x) ** 2 + (line - y) ** 2 < radius**2
    return mask
