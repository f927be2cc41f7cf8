"""A photograph as it is worked with: linear light, colour apart from brightness, edges."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.colour.lab import linear_light
from kakushi.model.arrays import Floats

Pixels = NDArray[np.float32]
_DARK = 0.006
"""Of full light: what is darker is noise, and its colour counts for less."""
_CLIPPED, _BLACK = 0.95, 0.003
"""Of full light: what is brighter in any channel, or darker in all, says nothing of colour."""
EDGE_QUANTILE = 0.95
"""The strongest twentieth of edges counts whole."""
EDGE_WEIGHTS, EDGE_BLUR = (1.0, 1.0, 0.7), 1.0
"""What changes of `red`, `blue` and `light` count in an edge; how far they are smoothed before, px."""


@dataclass(frozen=True, slots=True, eq=False)
class Image:
    """A picture (h, w), float32: `red` and `blue` over green and `light`, logarithms; where `clear`; `edges` 0 to 1.

    `scale`: its size over that of the photograph.
    """

    red: Pixels
    blue: Pixels
    light: Pixels
    clear: NDArray[np.bool_]
    edges: Pixels
    scale: float

    @property
    def shape(self) -> tuple[int, int]:
        """Lines and columns."""
        height, width = self.red.shape
        return height, width


def linear_of(pixels: NDArray[np.uint8]) -> Pixels:
    """Linear light, (h, w, 3) 0 to 1, of sRGB bytes."""
    return np.asarray(_TABLE[pixels])


_TABLE: Pixels = linear_light(np.arange(256) / 255).astype(np.float32)


def image_of(linear: Pixels, scale: float) -> Image:
    """A photograph in linear light (h, w, 3), made smaller by whole pixels and then to `scale`, at most 1."""
    from scipy.ndimage import gaussian_filter  # noqa: PLC0415 - needed for photographs only

    small = _smaller(linear, scale)
    clear = (small.max(axis=-1) < _CLIPPED) & (small.max(axis=-1) > _BLACK)
    logs = np.log(small + np.float32(_DARK))
    red, blue = logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1]
    light = np.log(small.mean(axis=-1) + np.float32(_DARK))
    # Edges of colour count as those of light.
    strength = np.zeros(light.shape, dtype=np.float32)
    for channel, weight in zip((red, blue, light), EDGE_WEIGHTS, strict=True):
        smooth = gaussian_filter(channel, EDGE_BLUR)
        down, across = np.gradient(smooth)
        strength += np.float32(weight) * np.hypot(down, across)
    top = float(np.quantile(strength[:: max(len(strength) // 300, 1)], EDGE_QUANTILE))
    return Image(red, blue, light, clear, np.minimum(strength / max(top, 1e-6), 1.0).astype(np.float32), scale)


def _smaller(linear: Pixels, scale: float) -> Pixels:
    """Block means, then the nearest pixels between: light is averaged as a lens would."""
    if scale >= 1:
        return linear
    block = max(math.floor(1 / scale), 1)
    height, width = (side // block * block for side in linear.shape[:2])
    small = linear[:height, :width].reshape(height // block, block, width // block, block, 3).mean(axis=(1, 3))
    rest = scale * block
    if rest < 0.999:
        from scipy.ndimage import gaussian_filter, map_coordinates  # noqa: PLC0415 - needed for photographs only

        lines, columns = (max(int(side * scale), 1) for side in linear.shape[:2])
        small = gaussian_filter(small, (0.35 / rest, 0.35 / rest, 0))
        at = np.meshgrid((np.arange(lines) + 0.5) / rest - 0.5, (np.arange(columns) + 0.5) / rest - 0.5, indexing="ij")
        small = np.stack([map_coordinates(small[..., k], at, order=1, mode="nearest") for k in range(3)], axis=-1)
    return np.asarray(small, dtype=np.float32)


def between(values: Pixels, x: Floats, y: Floats) -> Floats:
    """Values (k, channels) at places in pixels, whose middles are at halves; beyond the border as at it."""
    height, width = values.shape
    column, line = np.clip(x - 0.5, 0, width - 1.001), np.clip(y - 0.5, 0, height - 1.001)
    c, r = column.astype(int), line.astype(int)
    u, v = column - c, line - r
    low = values[r, c] * (1 - u) + values[r, c + 1] * u
    high = values[r + 1, c] * (1 - u) + values[r + 1, c + 1] * u
    return np.asarray(low * (1 - v) + high * v)
