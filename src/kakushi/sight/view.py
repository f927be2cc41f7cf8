"""How the world is laid onto a picture: an orthographic look at the piece from one side."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats


@dataclass(frozen=True, slots=True)
class View:
    """An orthographic view, level, from `azimuth` (radians; 0 is the front, turning anticlockwise).

    `left` is x and `top` is z (mm) of the picture's upper left corner.
    """

    width: int
    height: int
    mm_per_px: float
    left: float
    top: float
    azimuth: float = 0.0

    def project(self, points: Floats) -> Floats:
        """Points (n, 3) mm to (n, 3): x px rightward, y px downward, depth mm away from the viewer."""
        c, s = math.cos(self.azimuth), math.sin(self.azimuth)
        x = points[:, 0] * c + points[:, 1] * s
        depth = points[:, 1] * c - points[:, 0] * s
        return np.stack([(x - self.left) / self.mm_per_px, (self.top - points[:, 2]) / self.mm_per_px, depth], axis=1)

    def part(self, left: int, top: int, right: int, bottom: int) -> View:
        """A rectangle of the picture as a view of its own; pixels from the upper left corner."""
        px = self.mm_per_px
        return View(right - left, bottom - top, px, self.left + left * px, self.top - top * px, self.azimuth)

    def y_px(self, z_mm: float) -> float:
        """Pixel row of a height."""
        return (self.top - z_mm) / self.mm_per_px


def framing(
    width: int, height: int, wide_mm: float, tall_mm: float, azimuth: float = 0.0, margin: float = 0.04
) -> View:
    """A view in which a piece `wide_mm` wide and `tall_mm` tall, standing on z = 0, just fits."""
    room_x, room_y = width * (1 - 2 * margin), height * (1 - 2 * margin)
    mm_per_px = max(wide_mm / max(room_x, 1), tall_mm / max(room_y, 1), 1e-6)
    spare = height * mm_per_px - tall_mm
    return View(width, height, mm_per_px, -width * mm_per_px / 2, tall_mm + spare / 2, azimuth)
