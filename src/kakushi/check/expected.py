"""What a photograph should show: which ball each pixel of a part of it looks at, in perspective."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.check.pinhole import Pose
from kakushi.model.arrays import Floats

NOTHING, POLE = -1, -2


@dataclass(frozen=True, slots=True, eq=False)
class Balls:
    """Balls as the camera has them: middles (n, 3) right, down, ahead; radii (n,); mm."""

    local: Floats
    radii: Floats


@dataclass(frozen=True, slots=True)
class Window:
    """A part of a picture: its left and upper edge, px, and how many columns and lines."""

    left: int
    top: int
    width: int
    height: int

    @property
    def slices(self) -> tuple[slice, slice]:
        """Lines and columns."""
        return slice(self.top, self.top + self.height), slice(self.left, self.left + self.width)


@dataclass(frozen=True, slots=True, eq=False)
class Expected:
    """What each pixel of a window shows, (h, w): the ball, or POLE or NOTHING; how far ahead, mm, inf for nothing.

    `rim`: how far out on its ball's disc, 0 in the middle, 1 at the rim.
    """

    window: Window
    identity: NDArray[np.int32]
    depth: NDArray[np.float32]
    rim: NDArray[np.float32]

    def shares(self, circles: Floats) -> Floats:
        """Of balls with circles (n, 3) px, how much of each disc is seen, (n,) 0 to 1."""
        seen = np.bincount(self.identity[self.identity >= 0], minlength=len(circles))
        return np.asarray(np.minimum(seen / np.maximum(np.pi * circles[:, 2] ** 2, 1.0), 1.0))


def expected(
    pose: Pose,
    balls: Balls,
    window: Window,
    pole: tuple[Floats, Floats, float] | None = None,
    drawn: NDArray[np.bool_] | None = None,
) -> Expected:
    """What a window of a picture shows of balls, and of a pole between two points of the camera's axes, with a radius.

    Balls interpenetrate, so that pixels are compared and not balls. `drawn` (n,): those that count, all without it.
    """
    x = ((window.left + np.arange(window.width) + 0.5 - pose.middle[0]) / pose.focal).astype(np.float32)
    y = ((window.top + np.arange(window.height) + 0.5 - pose.middle[1]) / pose.focal).astype(np.float32)
    shape = (window.height, window.width)
    found = Expected(
        window,
        np.full(shape, NOTHING, dtype=np.int32),
        np.full(shape, np.inf, dtype=np.float32),
        np.ones(shape, dtype=np.float32),
    )
    if pole is not None:
        _draw_pole(found, x, y, *pole)
    circles = pose.circles(balls.local, balls.radii)
    ahead = balls.local[:, 2] > 2 * balls.radii
    for index in np.flatnonzero(ahead if drawn is None else ahead & drawn).tolist():
        column, line, radius = circles[index].tolist()
        # Off the middle of the picture balls look longer than wide: a tenth at most in what is photographed.
        reach = 1.12 * radius + 1
        x0, x1 = max(int(column - reach) - window.left, 0), min(int(column + reach) + 2 - window.left, window.width)
        y0, y1 = max(int(line - reach) - window.top, 0), min(int(line + reach) + 2 - window.top, window.height)
        if x0 < x1 and y0 < y1:
            _draw_ball(
                found, x[x0:x1], y[y0:y1], (y0, y1, x0, x1), index, balls.local[index], float(balls.radii[index])
            )
    return found


def ball_depth(
    x: NDArray[np.float32], y: NDArray[np.float32], middle: Floats, radius: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """How far ahead a ball is on rays (x, y, 1), (h, w), inf beside it; and how far out on its disc, 0 to 1."""
    right, down, ahead = (np.float32(each) for each in middle.tolist())
    along = (x * right)[None, :] + (y * down + ahead)[:, None]
    square = (x * x)[None, :] + (y * y + np.float32(1))[:, None]
    off = np.float32(middle @ middle - radius * radius)
    inward = along * along - square * off
    met = inward > 0
    root = np.sqrt(np.where(met, inward, 0))
    depth = np.where(met, (along - root) / square, np.float32(np.inf))
    # In the middle of its disc the root is the radius times the ray's length.
    rim = np.sqrt(np.maximum(1 - (root * root) / (square * np.float32(radius * radius)), 0))
    return depth.astype(np.float32), rim.astype(np.float32)


def _draw_ball(
    found: Expected,
    x: NDArray[np.float32],
    y: NDArray[np.float32],
    area: tuple[int, int, int, int],
    index: int,
    middle: Floats,
    radius: float,
) -> None:
    y0, y1, x0, x1 = area
    part = np.s_[y0:y1, x0:x1]
    depth, rim = ball_depth(x, y, middle, radius)
    nearer = depth < found.depth[part]
    np.copyto(found.depth[part], depth, where=nearer)
    np.copyto(found.rim[part], rim, where=nearer)
    np.copyto(found.identity[part], np.int32(index), where=nearer)


def _draw_pole(
    found: Expected, x: NDArray[np.float32], y: NDArray[np.float32], foot: Floats, top: Floats, radius: float
) -> None:
    """A pole as a band between two points: it is thin, and far from the eye."""
    ends = np.stack([foot, top])
    ends[:, 2] = np.maximum(ends[:, 2], 1.0)
    flat = ends[:, :2] / ends[:, 2:]
    along = flat[1] - flat[0]
    long = float(np.hypot(*along))
    if long < 1e-9:
        return
    dx, dy = x[None, :] - flat[0, 0], y[:, None] - flat[0, 1]
    share = (dx * along[0] + dy * along[1]) / long**2
    aside = np.abs(dx * along[1] - dy * along[0]) / long
    depth = ends[0, 2] + (ends[1, 2] - ends[0, 2]) * share
    there = (share > 0) & (share < 1) & (aside * depth < radius)
    found.identity[there] = POLE
    found.depth[there] = depth[there] - radius
    found.rim[there] = 0
