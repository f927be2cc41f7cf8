"""What a photograph should show: which ball each pixel of a part of it looks at, in perspective."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats
from kakushi.sight.pinhole import Pose
from kakushi.sight.spheres import Canvas, draw_spheres

POLE = -2
"""Identity of a pixel that shows the pole."""


@dataclass(frozen=True, slots=True, eq=False)
class Balls:
    """Balls in the axes of the camera: centres (n, 3) right, down, ahead; radii (n,); mm."""

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
    """Content of each pixel of a window, (h, w): the ball, POLE or NOTHING; and its depth, mm, inf for nothing.

    `rim`: how far out on its ball's disc, 0 in the middle, 1 at the rim.
    """

    window: Window
    identity: NDArray[np.int32]
    depth: NDArray[np.float32]
    rim: NDArray[np.float32]

    def shares(self, circles: Floats) -> Floats:
        """Visible share of the disc of each ball with circles (n, 3) px, (n,) 0 to 1."""
        seen = np.bincount(self.identity[self.identity >= 0], minlength=len(circles))
        return np.asarray(np.minimum(seen / np.maximum(np.pi * circles[:, 2] ** 2, 1.0), 1.0))


def expected(
    pose: Pose,
    balls: Balls,
    window: Window,
    pole: tuple[Floats, Floats, float] | None = None,
    drawn: NDArray[np.bool_] | None = None,
) -> Expected:
    """Draw balls, and a pole of some radius between two points of the camera's axes, in a window of a picture.

    Balls interpenetrate, so that pixels are compared and not balls. `drawn` (n,): those that count, all without it.
    """
    x = ((window.left + np.arange(window.width) + 0.5 - pose.middle[0]) / pose.focal).astype(np.float32)
    y = ((window.top + np.arange(window.height) + 0.5 - pose.middle[1]) / pose.focal).astype(np.float32)
    canvas = Canvas.empty(x, y, has_rim=True)
    assert canvas.rim is not None
    view = Expected(window, canvas.identity, canvas.depth, canvas.rim)
    if pole is not None:
        _draw_pole(view, x, y, *pole)
    ahead = balls.local[:, 2] > 2 * balls.radii
    draw_spheres(canvas, balls.local, balls.radii, np.flatnonzero(ahead if drawn is None else ahead & drawn))
    return view


def _draw_pole(
    view: Expected, x: NDArray[np.float32], y: NDArray[np.float32], foot: Floats, top: Floats, radius: float
) -> None:
    """Draw a pole as a band between two points: it is thin, and far from the eye."""
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
    view.identity[there] = POLE
    view.depth[there] = depth[there] - radius
    view.rim[there] = 0


def borders(identity: NDArray[np.integer[Any]]) -> NDArray[np.bool_]:
    """Pixels next to one with another identity, (h, w)."""
    edges = np.zeros(identity.shape, dtype=bool)
    across, down = identity[:, 1:] != identity[:, :-1], identity[1:] != identity[:-1]
    edges[:, 1:] |= across
    edges[1:] |= down
    return edges


def window_of(pose: Pose, balls: Balls, shape: tuple[int, int], margin: float = 0.0) -> Window:
    """Window of a picture that holds all balls, with a margin in radii of the largest."""
    circles = pose.circles(balls.local, balls.radii)
    reach = 1.12 * circles[:, 2] + 3 + margin * float(circles[:, 2].max(initial=0.0))
    left, top = ((circles[:, axis] - reach).min() for axis in (0, 1))
    right, bottom = ((circles[:, axis] + reach).max() for axis in (0, 1))
    x0, y0 = int(np.clip(left, 0, shape[1] - 1)), int(np.clip(top, 0, shape[0] - 1))
    x1, y1 = int(np.clip(right, x0 + 1, shape[1])), int(np.clip(bottom, y0 + 1, shape[0]))
    return Window(x0, y0, x1 - x0, y1 - y0)
