"""What stands before the simulated camera, and how it is held."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from kakushi.model.arrays import Floats


@dataclass(frozen=True, slots=True, eq=False)
class Things:
    """What is photographed, as built: balloons (n, 3), (n,) mm, and their colours (n, 3) in linear light.

    `pole`: radius and top, mm, or None; the axis of the piece goes from `foot` in the direction `axis`, both (3,).
    """

    centres: Floats
    radii: Floats
    albedo: Floats
    gloss: Floats
    pole: tuple[float, float] | None
    foot: Floats = field(default_factory=lambda: np.zeros(3))
    axis: Floats = field(default_factory=lambda: np.array([0.0, 0.0, 1.0]))


@dataclass(frozen=True, slots=True)
class Shot:
    """Where the camera stands and what it is like.

    `azimuth`: radians anticlockwise from the front; `roll` clockwise, radians; `focal`: over the longer side of the
    picture; `aim` (across, up) of the picture's middle, mm, in the plane through the axis; `covered`: which share of
    the piece somebody hides who stands in front.
    """

    azimuth: float = 0.0
    distance_mm: float = 4000.0
    eye_mm: float = 1500.0
    roll: float = 0.0
    focal: float = 0.80
    aim: tuple[float, float] = (0.0, 1000.0)
    size: tuple[int, int] = (900, 1200)
    outdoors: bool = False
    clutter: float = 1.0
    tint: float = 1.0
    covered: float = 0.0
    quality: int = 88
    distortion: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Lens:
    """Axes of the camera (right, down, ahead) as rows (3, 3), where it stands (3,), focal length px, the middle px."""

    axes: Floats
    place: Floats
    focal: float
    middle: tuple[float, float]
    distortion: float

    def rays(self, size: tuple[int, int]) -> Floats:
        """Directions (h, w, 3), ahead being 1."""
        width, height = size
        x = (np.arange(width) + 0.5 - self.middle[0]) / self.focal
        y = (np.arange(height) + 0.5 - self.middle[1]) / self.focal
        x, y = np.meshgrid(x, y)
        bent = 1 + self.distortion * (x * x + y * y)
        return np.asarray(np.stack([x * bent, y * bent, np.ones_like(x)], axis=-1) @ self.axes)

    def pixels(self, points: Floats) -> Floats:
        """Where points (n, 3) are seen, (n, 3): px right, px down, mm ahead."""
        local = (points - self.place) @ self.axes.T
        flat = local[:, :2] / local[:, 2:]
        seen = flat.copy()
        for _ in range(8):
            seen = flat / (1 + self.distortion * (seen**2).sum(axis=1, keepdims=True))
        return np.column_stack([seen * self.focal + np.array(self.middle), local[:, 2]])


def leaned(things: Things, sideways: float, shot: Shot) -> Things:
    """The same leaning to the right as seen by the camera, about its foot; radians."""
    c, s = math.cos(shot.azimuth), math.sin(shot.azimuth)
    across, ahead, up = np.array([c, s, 0.0]), np.array([-s, c, 0.0]), np.array([0.0, 0.0, 1.0])
    lean_c, lean_s = math.cos(sideways), math.sin(sideways)

    def turned(points: Floats) -> Floats:
        a, d, z = points @ across, points @ ahead, points @ up
        a, z = a * lean_c + z * lean_s, z * lean_c - a * lean_s
        return np.asarray(a[..., None] * across + d[..., None] * ahead + z[..., None] * up)

    return Things(
        turned(things.centres - things.foot) + things.foot,
        things.radii,
        things.albedo,
        things.gloss,
        things.pole,
        things.foot,
        turned(things.axis),
    )


def lens_of(shot: Shot) -> Lens:
    """The lens of a shot: where it is and which way it looks."""
    c, s = math.cos(shot.azimuth), math.sin(shot.azimuth)
    place = np.array([shot.distance_mm * s, -shot.distance_mm * c, shot.eye_mm])
    across, up = shot.aim
    aim = np.array([across * c, across * s, up])
    ahead = (aim - place) / np.linalg.norm(aim - place)
    right = np.cross(ahead, np.array([0.0, 0.0, 1.0]))
    right /= np.linalg.norm(right)
    down = np.cross(ahead, right)
    rc, rs = math.cos(shot.roll), math.sin(shot.roll)
    right, down = right * rc + down * rs, down * rc - right * rs
    width, height = shot.size
    return Lens(
        np.stack([right, down, ahead]), place, shot.focal * max(shot.size), (width / 2, height / 2), shot.distortion
    )
