"""Frames of rows: where each row sits, which way its centreline runs and where its front is.

A straight column is the case in which every tangent is vertical and every normal faces the viewer; a strand lays its
rows along a path. What lies round, along and out from a row is read from its frame, never from heights.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from kakushi.model.arrays import Floats, Ints

UP, FRONT = (0.0, 0.0, 1.0), (0.0, -1.0, 0.0)
"""Axes: x right, y away from the viewer, z up."""


class Local(NamedTuple):
    """Balloons seen from the frames of their rows, each (n,).

    `angle`: round the centreline, radians anticlockwise from the front seen along the tangent's back; `out`: distance
    of the centre from the centreline, mm; `along`: place along the centreline from its foot, mm.
    """

    angle: Floats
    out: Floats
    along: Floats


@dataclass(frozen=True, slots=True, eq=False)
class Frames:
    """One frame per row, foot first, m rows.

    origins (m, 3) the knots, mm; tangents (m, 3) unit vectors along the centreline towards the next row; normals
    (m, 3) unit vectors across it towards the front; along (m,) the knots' places on the centreline from its foot, mm.
    """

    origins: Floats
    tangents: Floats
    normals: Floats
    along: Floats

    def __len__(self) -> int:
        return len(self.along)

    @property
    def heights(self) -> Floats:
        """Heights of the knots above the floor, (m,) mm."""
        return np.asarray(self.origins[:, 2])

    @property
    def rises(self) -> Floats:
        """Along the centreline from knot to knot, (m - 1,) mm."""
        return np.diff(self.along)

    def around(self, row: int, angle: Floats, out: Floats | float) -> Floats:
        """Places round a row's knot, (k, 3) mm: at angles (k,) anticlockwise from the front, so far out."""
        tangent, normal = self.tangents[row], self.normals[row]
        across = np.cross(tangent, normal)
        c, s = np.cos(angle)[:, None], np.sin(angle)[:, None]
        return np.asarray(self.origins[row] + np.reshape(out, (-1, 1)) * (c * normal + s * across))

    def nearest(self, points: Floats) -> Ints:
        """The row (k,) that each of points (k, 3), mm, lies at: by height where they are upright, else by distance."""
        if self.is_upright:
            return np.asarray(np.searchsorted((self.heights[1:] + self.heights[:-1]) / 2, points[:, 2]))
        from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second to load, and few pieces need it

        return np.asarray(cKDTree(self.origins).query(points)[1])

    def lifted(self, by: float) -> Frames:
        """These frames `by` mm higher; a straight column is measured along from the floor, a strand from its end."""
        along = self.along + by if self.is_upright else self.along
        return Frames(self.origins + np.array([0.0, 0.0, by]), self.tangents, self.normals, along)

    @property
    def is_upright(self) -> bool:
        """Whether they are those of a straight column."""
        return bool((self.tangents == UP).all())

    def local(self, centres: Floats, row_of: Ints) -> Local:
        """Balloons with `centres` (n, 3), mm, of rows `row_of` (n,), seen from their rows' frames."""
        offsets = centres - self.origins[row_of]
        tangents, normals = self.tangents[row_of], self.normals[row_of]
        ahead = (offsets * tangents).sum(axis=1)
        forward = (offsets * normals).sum(axis=1)
        aside = (offsets * np.cross(tangents, normals)).sum(axis=1)
        return Local(np.arctan2(aside, forward), np.hypot(aside, forward), self.along[row_of] + ahead)


def upright(heights: Floats) -> Frames:
    """Frames of a straight column with its knots at `heights` (m,), mm, over the origin."""
    origins = np.zeros((len(heights), 3))
    origins[:, 2] = heights
    return Frames(origins, np.tile(UP, (len(heights), 1)), np.tile(FRONT, (len(heights), 1)), np.asarray(heights))


def joined_frames(parts: Sequence[Frames]) -> Frames:
    """The frames of several parts (at least one), one after the other."""
    return Frames(
        np.concatenate([part.origins for part in parts]),
        np.concatenate([part.tangents for part in parts]),
        np.concatenate([part.normals for part in parts]),
        np.concatenate([part.along for part in parts]),
    )
