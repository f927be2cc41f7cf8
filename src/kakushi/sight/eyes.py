"""What somebody sees who stands or sits before a piece: which balloon or which part of its mechanics a ray meets first.

Unlike `buffers` this is a look in perspective, from an eye at a height and a distance; it measures, nobody looks at it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats
from kakushi.sight.spheres import NOTHING, Canvas, draw_spheres

PIXEL_MM = 2.5
"""A pole of 25 mm is ten pixels wide: its share of what is seen comes out within half a per cent."""


@dataclass(frozen=True, slots=True)
class Eye:
    """An eye: direction from the pole (radians, anticlockwise from the front), height and distance, mm."""

    azimuth: float
    height_mm: float
    distance_mm: float

    @property
    def place(self) -> Floats:
        """The eye in the axes of the piece, (3,) mm."""
        across = self.distance_mm
        return np.array([across * math.sin(self.azimuth), -across * math.cos(self.azimuth), self.height_mm])

    def local(self, points: Floats) -> Floats:
        """Points (n, 3) as seen from the eye: to the right, away from it, above it; mm."""
        c, s = math.cos(self.azimuth), math.sin(self.azimuth)
        x, y = points[:, 0], points[:, 1]
        return np.stack([x * c + y * s, y * c - x * s + self.distance_mm, points[:, 2] - self.height_mm], axis=1)

    def world(self, local: Floats) -> Floats:
        """World directions or points (…, 3) from those of the eye; the inverse of `local`."""
        c, s = math.cos(self.azimuth), math.sin(self.azimuth)
        right, away = local[:, 0], local[:, 1] - self.distance_mm
        return np.stack([right * c - away * s, right * s + away * c, local[:, 2] + self.height_mm], axis=1)


@dataclass(frozen=True, slots=True)
class Tube:
    """An upright cylinder about the pole's line, mm: pole, line, base."""

    radius: float
    bottom: float
    top: float


@dataclass(frozen=True, slots=True, eq=False)
class Sight:
    """What an eye sees of spheres and tubes on a plane through the pole's line, pixel by pixel.

    `identity` (h, w): index of the sphere, the tubes counted on from the last sphere, or NOTHING. `distance` (h, w):
    how far along the pixel's ray, in units of `rays` (whose second entry is the eye's distance); inf for nothing.
    `rays` (h, w, 3): to the right, away, up. `pixel`: width and height on the plane, mm.
    """

    eye: Eye
    identity: NDArray[np.int32]
    distance: Floats
    rays: Floats
    pixel: tuple[float, float]

    def areas(self) -> Floats:
        """Area of each pixel where its ray hits, (h, w) mm²; 0 where it hits nothing."""
        met = np.isfinite(self.distance)
        return np.asarray(self.pixel[0] * self.pixel[1] * np.where(met, self.distance, 0.0) ** 2)

    def behind(self, centres: Floats, radii: Floats, first: int) -> Sight:
        """The same with more spheres (n, 3), (n,), whose identities count from `first`."""
        seen = replace(self, identity=self.identity.copy(), distance=self.distance.copy())
        _draw_spheres(seen, centres, radii, first)
        return seen

    def points(self, pixels: NDArray[np.bool_]) -> Floats:
        """Points that the rays of some pixels hit, in the axes of the piece, (k, 3) mm."""
        return self.eye.world(self.rays[pixels] * self.distance[pixels][:, None])


def sight(
    eye: Eye, centres: Floats, radii: Floats, tubes: Sequence[Tube], window: tuple[float, float, float], pixel: float
) -> Sight:
    """What `eye` sees of spheres (n, 3), (n,) and tubes in a `window`: half width, bottom and top on the plane, mm.

    Pixels are as narrow as makes a whole number of them over the first tube, about `pixel` mm wide and high.
    """
    half, bottom, top = window
    edge = _half_width(tubes[0].radius, eye.distance_mm) if tubes else pixel
    wide = edge / max(round(edge / pixel), 1)
    beside = max(math.ceil(half / wide), 1)
    half = beside * wide
    lines = max(round((top - bottom) / pixel), 1)
    right = (np.arange(2 * beside) + 0.5) * wide - half
    columns = len(right)
    up = top - (np.arange(lines) + 0.5) * pixel - eye.height_mm
    rays = np.empty((lines, columns, 3))
    rays[..., 0], rays[..., 1], rays[..., 2] = right[None, :], eye.distance_mm, up[:, None]
    seen = Sight(
        eye,
        np.full((lines, columns), NOTHING, np.int32),
        np.full((lines, columns), np.inf),
        rays,
        (wide, pixel),
    )
    _draw_spheres(seen, centres, radii, 0)
    for place, tube in enumerate(tubes):
        _draw_tube(seen, tube, len(radii) + place)
    return seen


def _draw_spheres(seen: Sight, centres: Floats, radii: Floats, first: int) -> None:
    far = seen.eye.distance_mm
    # Rays are (right, away, up) with the eye's distance as their second entry; the canvas has (right, down, ahead).
    local = seen.eye.local(centres)[:, [0, 2, 1]] * np.array([1.0, -1.0, 1.0])
    depth = seen.distance * far
    canvas = Canvas(seen.rays[0, :, 0] / far, -seen.rays[:, 0, 2] / far, seen.identity, depth)
    draw_spheres(canvas, local, radii, np.arange(len(radii)), first)
    np.divide(depth, far, out=seen.distance)


def _half_width(radius: float, far: float) -> float:
    """Half width of an upright cylinder on the plane through its line at `far`, by its tangent from the eye, mm."""
    return far * math.tan(math.asin(min(radius / far, 1.0)))


def _draw_tube(seen: Sight, tube: Tube, index: int) -> None:
    far = seen.eye.distance_mm
    right, up = seen.rays[0, :, 0], seen.rays[:, 0, 2]
    # In the plan: rays (right, far) from the eye meet the circle about (0, far).
    square = right**2 + far**2
    inside = far**4 - square * (far**2 - tube.radius**2)
    columns = np.flatnonzero(inside > 0)
    if not len(columns):
        return
    distance = (far**2 - np.sqrt(inside[columns])) / square[columns]
    heights = seen.eye.height_mm + up[:, None] * distance[None, :]
    area = np.s_[:, columns[0] : columns[-1] + 1]
    nearer = (heights >= tube.bottom) & (heights <= tube.top) & (distance[None, :] < seen.distance[area])
    np.copyto(seen.distance[area], np.broadcast_to(distance, heights.shape), where=nearer)
    np.copyto(seen.identity[area], np.int32(index), where=nearer)
