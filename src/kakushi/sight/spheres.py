"""The one rasteriser of spheres in perspective: rays from an eye, and on each the sphere that it meets first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats, Ints

Numbers = NDArray[np.floating[Any]]
"""Single or double precision."""
NOTHING = -1
"""Identity of a pixel that shows no sphere."""
_SMALL_PX = 40
"""Width of the box about a sphere up to which many are drawn at once; larger ones pay for their own array calls."""
_NEAREST_MM = 10.0
"""Spheres nearer to the eye's plane than that are behind it, or all around it, and are not drawn."""


@dataclass(frozen=True, slots=True, eq=False)
class Canvas:
    """Rays (x, y, 1) through the pixels, `x` (w,) to the right and `y` (h,) downwards, both ascending; what they meet.

    `identity` (h, w): index of the sphere or NOTHING. `depth` (h, w): how far ahead it is met, mm, inf for nothing.
    `rim` (h, w): how far out on the sphere's disc, 0 in the middle, 1 at the rim; None where nobody asks.
    """

    x: Numbers
    y: Numbers
    identity: NDArray[np.int32]
    depth: Numbers
    rim: Numbers | None = None

    @classmethod
    def empty(cls, x: Numbers, y: Numbers, has_rim: bool = False) -> Canvas:
        """A canvas that shows nothing yet; its numbers are of the type of `x`."""
        shape = len(y), len(x)
        return cls(
            x,
            y,
            np.full(shape, NOTHING, dtype=np.int32),
            np.full(shape, np.inf, dtype=x.dtype),
            np.ones(shape, dtype=x.dtype) if has_rim else None,
        )


def draw_spheres(canvas: Canvas, local: Floats, radii: Floats, which: Ints, first: int = 0) -> None:
    """Draw some (`which`) of the spheres at `local` (n, 3) mm: right, down, ahead; identities count from `first`.

    Spheres interpenetrate, so that pixels are compared and not spheres. Of two at the same depth the first is seen.
    """
    which = which[local[which, 2] > radii[which] + _NEAREST_MM]
    left, right = (np.searchsorted(canvas.x, edge) for edge in _extents(local[which, 0], local[which, 2], radii[which]))
    top, bottom = (np.searchsorted(canvas.y, edge) for edge in _extents(local[which, 1], local[which, 2], radii[which]))
    is_seen = (left < right) & (top < bottom)
    is_small = is_seen & (np.maximum(right - left, bottom - top) <= _SMALL_PX)
    if is_small.any():
        _draw_small(canvas, local, radii, which[is_small], (left[is_small], top[is_small]), first)
    for place in np.flatnonzero(is_seen & ~is_small).tolist():
        ball = int(which[place])
        area = np.s_[top[place] : bottom[place], left[place] : right[place]]
        depth, rim = sphere_depth(canvas.x[area[1]], canvas.y[area[0]], local[ball], float(radii[ball]))
        nearer = depth < canvas.depth[area]
        np.copyto(canvas.depth[area], depth, where=nearer)
        np.copyto(canvas.identity[area], np.int32(first + ball), where=nearer)
        if canvas.rim is not None:
            np.copyto(canvas.rim[area], rim, where=nearer)


def sphere_depth(x: Numbers, y: Numbers, middle: Floats, radius: float) -> tuple[Numbers, Numbers]:
    """How far ahead rays (x, y, 1) meet a sphere, (h, w) mm, inf for never; and how far out on its disc, 0 to 1.

    The nearer root of |t·ray − middle| = radius.
    """
    kind = x.dtype.type
    right, down, ahead = (kind(each) for each in middle.tolist())
    along = (x * right)[None, :] + (y * down + ahead)[:, None]
    square = (x * x)[None, :] + (y * y + kind(1))[:, None]
    inward = along * along - square * kind(middle @ middle - radius * radius)
    met = inward > 0
    root = np.sqrt(np.where(met, inward, 0))
    depth = np.where(met, (along - root) / square, kind(np.inf))
    return depth, _rim(root, square, kind(radius * radius))


def _rim(root: Numbers, square: Numbers, radius_2: Any) -> Numbers:
    # In the middle of the disc the root is the radius times the ray's length.
    return np.asarray(np.sqrt(np.maximum(1 - (root * root) / (square * radius_2), 0)))


def _draw_small(
    canvas: Canvas, local: Floats, radii: Floats, which: Ints, corner: tuple[Ints, Ints], first: int
) -> None:
    """Draw spheres that all lie within boxes of _SMALL_PX, from their left upper `corner`."""
    kind = canvas.x.dtype.type
    height, width = canvas.identity.shape
    columns = corner[0][:, None] + np.arange(_box(canvas.x, local[which, 0], local[which, 2], radii[which]))
    lines = corner[1][:, None] + np.arange(_box(canvas.y, local[which, 1], local[which, 2], radii[which]))
    inside = (lines < height)[:, :, None] & (columns < width)[:, None, :]
    x = canvas.x[np.minimum(columns, width - 1)][:, None, :]
    y = canvas.y[np.minimum(lines, height - 1)][:, :, None]
    right, down, ahead = (each[:, None, None].astype(kind) for each in local[which].T)
    radius_2 = radii[which] ** 2
    along = x * right + (y * down + ahead)
    square = x * x + (y * y + kind(1))
    inward = along * along - square * ((local[which] ** 2).sum(axis=1) - radius_2)[:, None, None].astype(kind)
    met = np.nonzero((inward > 0) & inside)
    root = np.sqrt(inward[met])
    squares = np.broadcast_to(square, inward.shape)[met]
    depth = (along[met] - root) / squares
    ball = met[0]
    at = lines[ball, met[1]] * width + columns[ball, met[2]]
    deep = canvas.depth.reshape(-1)
    before = deep[at]
    np.minimum.at(deep, at, depth)
    wins = (deep[at] == depth) & (depth < before)
    # The first of those at the same depth is written last.
    at, ball, root, squares = (each[wins][::-1] for each in (at, ball, root, squares))
    canvas.identity.reshape(-1)[at] = first + which[ball]
    if canvas.rim is not None:
        canvas.rim.reshape(-1)[at] = _rim(root, squares, radius_2[ball].astype(kind))


def _extents(aside: Floats, ahead: Floats, radii: Floats) -> tuple[Floats, Floats]:
    """Lower and upper extents of spheres along one axis of the rays, by their tangents from the eye, (n,) each."""
    angle, half = np.arctan2(aside, ahead), np.arcsin(np.minimum(radii / np.hypot(aside, ahead), 1.0))
    limit = np.pi / 2 - 1e-3
    return np.tan(np.maximum(angle - half, -limit)), np.tan(np.minimum(angle + half, limit))


def _box(rays: Numbers, aside: Floats, ahead: Floats, radii: Floats) -> int:
    """Number of pixels along one axis that hold the widest of some spheres."""
    low, high = _extents(aside, ahead, radii)
    pitch = float(rays[1] - rays[0]) if len(rays) > 1 else 1.0
    return min(int(float((high - low).max()) / pitch) + 2, len(rays))
