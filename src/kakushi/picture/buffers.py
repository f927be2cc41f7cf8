"""Sphere impostors: which balloon every pixel shows, and how far away its skin is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.packing.stack import Geometry
from kakushi.picture.view import View

NOTHING, POLE = -1, -2


@dataclass(frozen=True, slots=True, eq=False)
class Pole:
    """An upright cylinder on the centreline, mm."""

    radius: float
    bottom: float
    top: float


@dataclass(frozen=True, slots=True, eq=False)
class Buffers:
    """What every pixel shows, arrays (height, width).

    `identity` of the balloon (or NOTHING, POLE), `depth` of its skin in mm (inf: nothing),
    `coverage` 0 to 1 (soft rim), and the unit normal's x and y (right, up); its third
    component points to the viewer.
    """

    view: View
    identity: NDArray[np.int32]
    depth: NDArray[np.float32]
    coverage: NDArray[np.float32]
    normal_x: NDArray[np.float32]
    normal_y: NDArray[np.float32]

    def pick(self, x: float, y: float) -> int | None:
        """Index of the balloon at a pixel, or None."""
        column, line = int(np.floor(x)), int(np.floor(y))
        if not (0 <= line < self.identity.shape[0] and 0 <= column < self.identity.shape[1]):
            return None
        found = int(self.identity[line, column])
        return found if found >= 0 else None


def draw_buffers(geometry: Geometry, view: View, pole: Pole | None = None) -> Buffers:
    """Draw the balloons of a geometry, and the pole behind and between them.

    Pixels are sampled at their centres; `coverage` fades over the outermost pixel of a
    sphere, so rims are smooth without drawing at a larger size.
    """
    shape = (view.height, view.width)
    buffers = Buffers(
        view,
        np.full(shape, NOTHING, dtype=np.int32),
        np.full(shape, np.inf, dtype=np.float32),
        np.zeros(shape, dtype=np.float32),
        np.zeros(shape, dtype=np.float32),
        np.zeros(shape, dtype=np.float32),
    )
    if pole is not None:
        _draw_pole(buffers, pole)
    if len(geometry.radii):
        placed = view.project(geometry.centres)
        # Nearest first: most of what lies behind is then never written.
        for index in np.argsort(placed[:, 2] - geometry.radii):
            _draw_sphere(buffers, int(index), placed[index], float(geometry.radii[index]))
    return buffers


def _draw_pole(buffers: Buffers, pole: Pole) -> None:
    view = buffers.view
    columns = np.arange(view.width) + 0.5
    across = (columns * view.mm_per_px + view.left) / pole.radius
    seen = np.flatnonzero(np.abs(across) < 1)
    first = int(np.clip(np.ceil(view.y_px(pole.top) - 0.5), 0, view.height))
    last = int(np.clip(np.ceil(view.y_px(pole.bottom) - 0.5), 0, view.height))
    if not len(seen) or first >= last:
        return
    area = np.s_[first:last, seen[0] : seen[-1] + 1]
    buffers.identity[area] = POLE
    buffers.depth[area] = -pole.radius * np.sqrt(1 - across[seen] ** 2)
    buffers.coverage[area] = 1.0
    buffers.normal_x[area] = across[seen]


def _draw_sphere(buffers: Buffers, index: int, centre: np.ndarray, radius_mm: float) -> None:
    view = buffers.view
    radius = radius_mm / view.mm_per_px
    x0, x1 = max(int(centre[0] - radius - 1), 0), min(int(centre[0] + radius + 2), view.width)
    y0, y1 = max(int(centre[1] - radius - 1), 0), min(int(centre[1] + radius + 2), view.height)
    if x0 >= x1 or y0 >= y1:
        return
    area = np.s_[y0:y1, x0:x1]
    dx = ((np.arange(x0, x1) + 0.5 - centre[0]) / radius).astype(np.float32)
    dy = ((np.arange(y0, y1) + 0.5 - centre[1]) / radius).astype(np.float32)
    outward = 1.0 - (dx * dx)[None, :] - (dy * dy)[:, None]
    skin = np.sqrt(np.maximum(outward, 0.0))
    depth = np.float32(centre[2]) - np.float32(radius_mm) * skin
    # Half a pixel outside the rim still shows faintly, where nothing else does.
    soft = np.clip(outward * np.float32(radius / 2) + 0.5, 0.0, 1.0)
    inside = (outward > 0) & (depth < buffers.depth[area])
    rim = (outward <= 0) & (soft > buffers.coverage[area]) & (buffers.identity[area] == NOTHING)
    taken = inside | rim
    np.copyto(buffers.identity[area], np.int32(index), where=inside)
    np.copyto(buffers.identity[area], np.int32(rim_code(index)), where=rim)
    np.copyto(buffers.depth[area], depth, where=inside)
    np.copyto(buffers.normal_x[area], dx[None, :], where=taken)
    np.copyto(buffers.normal_y[area], -dy[:, None], where=taken)
    np.maximum(buffers.coverage[area], soft, out=buffers.coverage[area])


def rim_code(index: int) -> int:
    """Identity of a soft rim pixel: it carries the balloon's colour but is no part of it; its own inverse."""
    return -3 - index
