"""Round rims of any size near a balloon's place: what tells a smaller or larger balloon from none at all.

A balloon that is there has a rim all round, but for what nearer ones hide of it, and an even skin inside. What shows
where one is missing has rims too, but of other balloons: they do not close round the place.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.check.image import EDGE_BLUR, EDGE_QUANTILE, EDGE_WEIGHTS, Image
from kakushi.model.arrays import Floats
from kakushi.sight.expected import Expected

RADII = (0.55, 0.61, 0.67, 0.73, 0.80, 0.94, 1.0, 1.06, 1.20, 1.27, 1.33, 1.40)
"""Radii of the circles tried, as multiples of the balloon's."""
_OFF, _STEPS = 0.36, 6
"""Largest shift of a circle's centre that is tried, in radii of the balloon, and the steps to each side."""
_AROUND, _WITHIN = 40, ((0.35, 8), (0.6, 14), (0.78, 20))
"""Points on a circle; and inside it, as (share of its radius, points)."""
_LEAST = 0.35
"""Share of a circle that must be visible for it to be scored."""


@dataclass(frozen=True, slots=True, eq=False)
class Slopes:
    """Structure tensor of a picture, (h, w) each: along a unit (x, y) it changes by √(xx·x² + 2·xy·x·y + yy·y²)."""

    xx: NDArray[np.float32]
    xy: NDArray[np.float32]
    yy: NDArray[np.float32]


def slopes_of(image: Image) -> Slopes:
    """Slopes of colour and brightness together, the strongest edges being about 1."""
    from scipy.ndimage import gaussian_filter  # noqa: PLC0415 - needed for photographs only

    xx, xy, yy = (np.zeros(image.shape, dtype=np.float32) for _ in range(3))
    for channel, weight in zip((image.red, image.blue, image.light), EDGE_WEIGHTS, strict=True):
        down, across = np.gradient(gaussian_filter(channel, EDGE_BLUR))
        xx += np.float32(weight**2) * across * across
        xy += np.float32(weight**2) * across * down
        yy += np.float32(weight**2) * down * down
    few = np.s_[:: max(len(xx) // 300, 1)]
    top = max(float(np.quantile(xx[few] + yy[few], EDGE_QUANTILE)), 1e-9)
    return Slopes(xx / top, xy / top, yy / top)


def circle_scores(slopes: Slopes, shown: Expected, circles: Floats, deep: Floats, which: NDArray[np.int64]) -> Floats:
    """For each of some balls and each of RADII how well the best circle near its place closes, (n, radii).

    `circles` (n, 3) px; `deep` (n,): how far ahead their middles are, mm. About 1 is a strong even rim, 0 is none; NaN
    where too little of it would be seen, or the ball is not among `which`.
    """
    scores = np.full((len(circles), len(RADII)), np.nan)
    window = shown.window
    part = Slopes(*(each[window.slices] for each in (slopes.xx, slopes.xy, slopes.yy)))
    span = np.linspace(-_OFF, _OFF, 2 * _STEPS + 1)
    offsets = np.stack(np.meshgrid(span, span), axis=-1).reshape(-1, 2)
    offsets = offsets[np.hypot(offsets[:, 0], offsets[:, 1]) <= _OFF + 1e-9]
    out = _directions(_AROUND)
    inside = np.concatenate([share * _directions(points) for share, points in _WITHIN])
    for ball in which.tolist():
        x, y, radius = circles[ball].tolist()
        middles = np.array([x - window.left, y - window.top]) + offsets * radius
        # Nearer balloons hide what is behind them; this one hides nothing of itself.
        free = (shown.depth >= deep[ball]) | (shown.identity == ball)
        for index, share in enumerate(RADII):
            rim, seen = _rims(part, free, middles[:, None] + share * radius * out, out)
            enough = seen >= _LEAST
            if enough.any():
                score = rim - _roughness(part, free, middles[:, None] + share * radius * inside)
                scores[ball, index] = score[enough].max()
    return scores


def _rims(slopes: Slopes, free: NDArray[np.bool_], at: Floats, out: Floats) -> tuple[Floats, Floats]:
    """Mean strength of edges along circles, (m,), at points (m, k, 2) with outward normals (k, 2); visible share."""
    column, line, there = _pixels(at, free)
    x, y = out[:, 0], out[:, 1]
    square = slopes.xx[line, column] * x**2 + 2 * slopes.xy[line, column] * x * y + slopes.yy[line, column] * y**2
    strength = np.minimum(np.sqrt(np.maximum(square, 0.0)), 1.0)
    seen = there.sum(axis=1)
    # A rim that closes is strong all round: half of what counts is its weaker half.
    ordered = np.sort(np.where(there, strength, np.inf), axis=1)
    weaker = np.arange(at.shape[1]) < (seen // 2)[:, None]
    weak = np.where(weaker, ordered, 0.0).sum(axis=1) / np.maximum(seen // 2, 1)
    whole = (strength * there).sum(axis=1) / np.maximum(seen, 1)
    return 0.5 * (whole + weak), seen / at.shape[1]


def _roughness(slopes: Slopes, free: NDArray[np.bool_], at: Floats) -> Floats:
    """Mean strength of edges at the visible ones of points (m, k, 2), (m,)."""
    column, line, there = _pixels(at, free)
    strength = np.minimum(np.sqrt(slopes.xx[line, column] + slopes.yy[line, column]), 1.0) * there
    return np.asarray(strength.sum(axis=1) / np.maximum(there.sum(axis=1), 1))


def _directions(points: int) -> Floats:
    """Unit vectors all round, (many, 2)."""
    angles = 2 * math.pi * np.arange(points) / points
    return np.stack([np.cos(angles), np.sin(angles)], axis=1)


def _pixels(at: Floats, free: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
    """Columns and lines of points (..., 2), and which lie in the picture where it is `free`, (h, w)."""
    height, width = free.shape
    column, line = np.floor(at[..., 0]).astype(np.int64), np.floor(at[..., 1]).astype(np.int64)
    there = (column >= 0) & (column < width) & (line >= 0) & (line < height)
    column, line = np.clip(column, 0, width - 1), np.clip(line, 0, height - 1)
    return column, line, there & free[line, column]
