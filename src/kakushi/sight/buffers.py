"""Sphere impostors: which balloon every pixel shows, and how far away its skin is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.packing.stack import Geometry
from kakushi.sight.view import View

NOTHING, POLE = -1, -2
"""Identities of pixels that show nothing, and the pole."""
_SMALL_PX, _BLOCK = 6, 1000
"""Radius below which balloons are drawn many at once, and how many: some 10 MB. Larger ones take longer that way."""


@dataclass(frozen=True, slots=True, eq=False)
class Pole:
    """An upright cylinder on the centreline, mm."""

    radius: float
    bottom: float
    top: float


@dataclass(frozen=True, slots=True, eq=False)
class Buffers:
    """What every pixel shows, arrays (height, width).

    `identity` of the balloon (or NOTHING, POLE) and `depth` of its skin in mm (inf: nothing). A
    balloon's pixels reach half a pixel beyond its rim; `shade` fades those. `placed` (n, 3) are the
    centres in px and mm of depth, `radii` (n,) px; `pole` is the pole that was drawn.
    """

    view: View
    identity: NDArray[np.int32]
    depth: NDArray[np.float32]
    placed: NDArray[np.float32]
    radii: NDArray[np.float32]
    pole: Pole | None

    def pick(self, x: float, y: float) -> int | None:
        """Index of the balloon at a pixel, or None."""
        column, line = int(np.floor(x)), int(np.floor(y))
        if not (0 <= line < self.identity.shape[0] and 0 <= column < self.identity.shape[1]):
            return None
        index = int(self.identity[line, column])
        return index if index >= 0 else None

    @property
    def usual_radius(self) -> float:
        """Radius of the balloons weighted by their area, px: the same for every part of a picture."""
        area = self.radii**2
        return float((self.radii * area).sum() / max(float(area.sum()), 1e-9))

    def again(self, which: NDArray[np.bool_]) -> Buffers:
        """The same view of only some of the balloons, by their indices (k,) or a mask (balloons,)."""
        return _drawn(self.view, self.placed, self.radii, self.pole, np.flatnonzero(which))


def draw_buffers(geometry: Geometry, view: View, pole: Pole | None = None) -> Buffers:
    """Draw the balloons of a geometry, and the pole behind and between them.

    Pixels are sampled at their centres.
    """
    placed = view.project(geometry.centres).astype(np.float32)
    radii = (geometry.shape_radii / view.mm_per_px).astype(np.float32)
    return _drawn(view, placed, radii, pole, np.arange(len(radii)))


def _drawn(
    view: View, placed: NDArray[np.float32], radii: NDArray[np.float32], pole: Pole | None, which: NDArray[np.int64]
) -> Buffers:
    shape = (view.height, view.width)
    identity, depth = np.full(shape, NOTHING, dtype=np.int32), np.full(shape, np.inf, dtype=np.float32)
    buffers = Buffers(view, identity, depth, placed, radii, pole)
    if pole is not None:
        _draw_pole(buffers, pole)
    is_small = radii[which] < _SMALL_PX
    _draw_small(buffers, which[is_small])
    for index in which[~is_small].tolist():
        _draw_sphere(buffers, index)
    return buffers


def pole_across(view: View, pole: Pole, column: NDArray[np.int64]) -> NDArray[np.float32]:
    """Position of pixel columns (k,) across the pole: −1 and 1 are its edges."""
    return np.asarray(((column + 0.5) * view.mm_per_px + view.left) / pole.radius, dtype=np.float32)


def _draw_pole(buffers: Buffers, pole: Pole) -> None:
    view = buffers.view
    across = pole_across(view, pole, np.arange(view.width))
    seen = np.flatnonzero(np.abs(across) < 1)
    if not len(seen):
        # Thinner than a pixel it is still drawn: a ball on a pipe does not float.
        seen = np.array([int(np.abs(across).argmin())])
    first = int(np.clip(np.ceil(view.y_px(pole.top) - 0.5), 0, view.height))
    last = int(np.clip(np.ceil(view.y_px(pole.bottom) - 0.5), 0, view.height))
    if not len(seen) or first >= last:
        return
    area = np.s_[first:last, seen[0] : seen[-1] + 1]
    buffers.identity[area] = POLE
    buffers.depth[area] = -pole.radius * np.sqrt(np.maximum(1 - across[seen] ** 2, 0.0))


def _draw_small(buffers: Buffers, which: NDArray[np.int64]) -> None:
    """Balloons of a few pixels, many at once, in blocks: as `_draw_sphere` draws each."""
    side = 2 * _SMALL_PX + 3
    for begin in range(0, len(which), _BLOCK):
        block = which[begin : begin + _BLOCK]
        (x, y, centre_depth), radius = buffers.placed[block].T, buffers.radii[block]
        columns, dx = _across(x, radius, side)
        lines, dy = _across(y, radius, side)
        inward = (radius * radius)[:, None, None] - (dx * dx)[:, None, :] - (dy * dy)[:, :, None]
        depth = centre_depth[:, None, None] - np.float32(buffers.view.mm_per_px) * np.sqrt(np.maximum(inward, 0))
        within = [(at >= 0) & (at < most) for at, most in ((columns, buffers.view.width), (lines, buffers.view.height))]
        drawn = within[0][:, None, :] & within[1][:, :, None] & (inward > -(radius + 0.25)[:, None, None])
        balloon, line, column = np.nonzero(drawn)
        at, depth = lines[balloon, line] * buffers.view.width + columns[balloon, column], depth[drawn]
        # The nearest is written last; of equals the first balloon.
        order = np.lexsort((-balloon, -depth))
        order = order[depth[order] < buffers.depth.ravel()[at[order]]]
        buffers.depth.reshape(-1)[at[order]] = depth[order]
        buffers.identity.reshape(-1)[at[order]] = block[balloon[order]]


def _across(
    middle: NDArray[np.float32], radius: NDArray[np.float32], side: int
) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """Pixels around the middles of balloons, (n, side), and how far their centres lie from them, px."""
    pixels = np.trunc(middle - radius - 1).astype(np.int64)[:, None] + np.arange(side)
    return pixels, pixels.astype(np.float32) + (0.5 - middle.astype(np.float64)).astype(np.float32)[:, None]


def _draw_sphere(buffers: Buffers, index: int) -> None:
    view, radius = buffers.view, float(buffers.radii[index])
    x, y, centre_depth = (float(v) for v in buffers.placed[index])
    x0, x1 = max(int(x - radius - 1), 0), min(int(x + radius + 2), view.width)
    y0, y1 = max(int(y - radius - 1), 0), min(int(y + radius + 2), view.height)
    if x0 >= x1 or y0 >= y1:
        return
    dx = np.arange(x0, x1, dtype=np.float32) + np.float32(0.5 - x)
    dy = np.arange(y0, y1, dtype=np.float32) + np.float32(0.5 - y)
    inward = np.subtract((np.float32(radius**2) - dx * dx)[None, :], (dy * dy)[:, None])
    # Half a pixel beyond the rim, (r + 1/2)^2 - r^2 = r + 1/4.
    nearer = inward > -(radius + 0.25)
    # In place: what is left of the time goes into new arrays.
    depth = np.sqrt(np.maximum(inward, 0, out=inward), out=inward)
    depth *= np.float32(-view.mm_per_px)
    depth += np.float32(centre_depth)
    kept = buffers.depth[y0:y1, x0:x1]
    nearer &= depth < kept
    np.copyto(kept, depth, where=nearer)
    np.copyto(buffers.identity[y0:y1, x0:x1], np.int32(index), where=nearer)
