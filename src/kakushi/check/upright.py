"""How far a piece leans: against the upright edges of what stands behind it.

A lean and a rolled camera look the same on the piece alone. Upright edges of walls, doors and windows tell them apart.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.check.image import Image
from kakushi.sight.pinhole import Point, Pose

_MOST, _STEP = math.radians(14), math.radians(0.25)
"""Largest lean looked for to either side, and the step between the angles tried, radians."""
_STRONG = 0.45
"""Strength of an edge, as a share of the strongest twentieth, below which it is taken for grain."""
_ALONG = math.radians(9)
"""Angle to the upright, radians, beyond which an edge does not count as upright."""
_LEAST_SHARE, _LEVEL_SHARE = 0.112, 0.045
"""Minimum length of an upright edge (or of several in line), as a fraction of picture height. Level cameras need
less."""
_LEVEL = math.radians(3.0)
"""Roll of the camera, radians, below which it counts as held level."""
_BELOW = 0.3
"""Weight of edges below eye height: many of them are joints of the floor."""
_CLEAR = 5.0
"""How far the best direction must stand out over the others, in standard deviations."""
_ROLL, _MOST_ROLL = math.radians(4.0), math.radians(7.0)
"""Standard deviation of a camera's roll, and the largest roll accepted: edges that imply more are sloping."""
_USUAL_ROLL, _UPRIGHT, _LEANS = math.radians(1.5), math.radians(0.7), math.radians(5.0)
"""Standard deviations, radians: roll of a hand-held camera, lean of upright pieces, lean of leaning ones."""
_LEANING = 0.2
"""Prior share of pieces that lean."""


@dataclass(frozen=True, slots=True)
class Lean:
    """How far a piece leans to the right in the picture, radians; `sure`: 0 to 1."""

    angle: float
    sure: float


def lean_of(image: Image, pose: Pose, piece: NDArray[np.bool_]) -> Lean | None:
    """Measure the lean, or None where nothing upright is seen; `piece` (h, w): pixels of the piece itself."""
    down, across = np.gradient(image.light, axis=0), np.gradient(image.light, axis=1)
    strong = (image.edges > _STRONG) & ~piece
    line, column = np.nonzero(strong)
    if len(line) < 60:
        return None
    x, y = column + 0.5, line + 0.5
    upright = pose.upright_at(np.stack([x, y], axis=1))
    # The gradient of an upright edge lies square to it.
    gx, gy = across[line, column], down[line, column]
    length = np.maximum(np.hypot(gx, gy), 1e-9)
    leans = np.arcsin(np.clip((gx * upright[:, 0] + gy * upright[:, 1]) / length, -1, 1))
    near = np.abs(leans) < _MOST + _ALONG
    x, y, leans = x[near], y[near], leans[near]
    if len(x) < 60:
        return None
    # Seen on an upright plane every upright edge is a line straight up.
    flat = np.stack([(x - pose.middle[0]) / pose.focal, (y - pose.middle[1]) / pose.focal, np.ones_like(x)], axis=1)
    right, away, up = (flat @ pose.turn).T
    side, high = right / away, up / away
    # Boards of the floor run away from the viewer; above the height of the eye there is no floor.
    worth = np.where(high > 0, 1.0, _BELOW)
    angles = np.arange(-_MOST, _MOST + _STEP / 2, _STEP)
    width = 1.3 / pose.focal
    scores = np.zeros(len(angles))
    longest = np.zeros(len(angles))
    for index, angle in enumerate(angles.tolist()):
        agreeing = np.abs(leans - angle) < _ALONG
        if agreeing.sum() < 30:
            continue
        place = np.round((side[agreeing] * math.cos(angle) - high[agreeing] * math.sin(angle)) / width).astype(int)
        counts = np.bincount(place - place.min(), weights=worth[agreeing])
        counts = np.maximum(counts - 8, 0)
        scores[index] = float((counts.astype(float) ** 2).sum())
        longest[index] = float(counts.max())
    # The piece looks as if it stood upright before a camera with the roll of the pose.
    scores *= np.exp(-0.5 * ((pose.roll - angles) / _ROLL) ** 2)
    best = int(scores.argmax())
    others = scores[np.abs(angles - angles[best]) > math.radians(1.5)]
    stands_out = (scores[best] - np.median(others)) / max(float(np.std(others)), 1.0)
    if best in {0, 1, len(angles) - 2, len(angles) - 1} or abs(pose.roll - angles[best]) > _MOST_ROLL:
        return None
    is_level = abs(pose.roll - angles[best]) < _LEVEL
    least = _LEVEL_SHARE if is_level else _LEAST_SHARE
    if longest[best] < least * image.shape[0] or stands_out < _CLEAR:
        return None
    near = np.abs(angles - angles[best]) < math.radians(0.8)
    exact = float((angles[near] * scores[near] ** 2).sum() / (scores[near] ** 2).sum())
    return Lean(-exact, float(np.clip((stands_out - _CLEAR) / 15 + 0.6, 0.6, 0.99)))


def likely_lean(pose: Pose) -> float:
    """How far the piece leans on average where nothing upright is seen, radians: most cameras are held level.

    What looks oblique by an angle is rolled by a normal law, and leans by one of two: upright pieces and leaning ones.
    """
    oblique = -pose.roll

    def density(spread: float) -> float:
        both = spread**2 + _USUAL_ROLL**2
        return math.exp(-(oblique**2) / (2 * both)) / math.sqrt(both)

    leaning, upright = _LEANING * density(_LEANS), (1 - _LEANING) * density(_UPRIGHT)
    return leaning / (leaning + upright) * oblique * _LEANS**2 / (_LEANS**2 + _USUAL_ROLL**2)


def lean_by_edge(pose: Pose, low: Point, high: Point) -> Lean:
    """The lean against an edge that somebody marked as upright, from its lower to its upper end, px."""
    (x0, y0), (x1, y1) = low, high
    middle = np.array([[(x0 + x1) / 2, (y0 + y1) / 2]])
    upright = pose.upright_at(middle)[0]
    direction = np.array([x1 - x0, y1 - y0]) * (1 if y1 < y0 else -1)
    direction = direction / max(float(np.linalg.norm(direction)), 1e-9)
    angle = math.asin(float(np.clip(upright[0] * direction[1] - upright[1] * direction[0], -1, 1)))
    return Lean(-angle, 0.9)
