"""Rays of the eyes that end on something that shows, and which of them clusters cut off."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np

from kakushi.dress.shows import Visible
from kakushi.model.arrays import Floats, Ints
from kakushi.model.memo import Cancelled, stop_if

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

_MOST_RAYS = 20_000
"""Most rays to what shows; more are thinned out evenly."""
_RAYS_AT_ONCE, _SPHERES_AT_ONCE = 4000, 500
"""Rays and spheres tested against each other at once: a block of about 16 MB."""

Progress = Callable[[float], None]


class Rays:
    """The rays of all eyes that end on something that shows."""

    def __init__(self, visible: Sequence[Visible]) -> None:
        self.eyes = len(visible)
        parts = [part for part in visible if len(part.weights)]
        self.origins = _joined([np.broadcast_to(part.origin, part.rays.shape) for part in parts], 3)
        self.rays = _joined([part.rays for part in parts], 3)
        self.ends = _joined([part.ends for part in parts])
        self.weights = _joined([part.weights for part in parts])
        if len(self.weights) > _MOST_RAYS:
            every = np.linspace(0, len(self.weights) - 1, _MOST_RAYS).astype(int)
            whole = self.weights.sum()
            self.origins, self.rays, self.ends = self.origins[every], self.rays[every], self.ends[every]
            self.weights = self.weights[every]
            self.weights = self.weights * (whole / self.weights.sum())

    def hidden_by(
        self, balloons: Sequence[Floats], radii: Sequence[Floats], cancelled: Cancelled, progress: Progress
    ) -> csr_matrix:
        """Which rays each cluster cuts off, (clusters, rays)."""
        owner = np.repeat(np.arange(len(balloons)), [len(each) for each in radii])
        centres = np.concatenate([np.zeros((0, 3)), *balloons])
        reach = np.concatenate([np.zeros(0), *radii])
        rows, columns = [], []
        square = (self.rays**2).sum(axis=1)
        # A ray that passes nearer than the radius to the middle of a balloon, before its end.
        for begin in range(0, len(self.weights), _RAYS_AT_ONCE):
            stop_if(cancelled)
            part = slice(begin, begin + _RAYS_AT_ONCE)
            for first in range(0, len(reach), _SPHERES_AT_ONCE):
                block = slice(first, first + _SPHERES_AT_ONCE)
                ray, sphere = self._met(part, centres[block], reach[block], square[part])
                rows.append(owner[sphere + first])
                columns.append(ray + begin)
            progress(min(begin + _RAYS_AT_ONCE, len(self.weights)) / len(self.weights))
        where = (np.concatenate([np.zeros(0, int), *rows]), np.concatenate([np.zeros(0, int), *columns]))
        from scipy.sparse import csr_matrix  # noqa: PLC0415 - takes half a second, and few pieces need it

        matrix = csr_matrix((np.ones(len(where[0])), where), shape=(len(balloons), len(self.weights)))
        # A ray that two balloons of one cluster cut off is cut off once.
        matrix.data[:] = 1.0
        return matrix

    def _met(self, part: slice, centres: Floats, reach: Floats, square: Floats) -> tuple[Ints, Ints]:
        rays, origins = self.rays[part], self.origins[part]
        along = (rays @ centres.T - (rays * origins).sum(axis=1)[:, None]) / square[:, None]
        away = (origins**2).sum(axis=1)[:, None] - 2 * origins @ centres.T + (centres**2).sum(axis=1)[None]
        # Squared distance of the middle from the ray, and how far before it the skin begins.
        inside = reach[None] ** 2 - (away - along**2 * square[:, None])
        enters = along - np.sqrt(np.maximum(inside, 0.0) / square[:, None])
        ray, sphere = np.nonzero((inside > 0) & (enters > 0) & (enters < self.ends[part][:, None]))
        return np.asarray(ray), np.asarray(sphere)


def _joined(parts: Sequence[Floats], wide: int = 0) -> Floats:
    return np.concatenate([np.zeros((0, wide) if wide else 0), *parts])
