"""Where a photograph was taken from: a pinhole camera before a piece that stands upright on its axis."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from kakushi.model.arrays import Floats

Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Ends:
    """Foot and top of the axis: where they are seen, px, and their heights, mm."""

    foot: Point
    top: Point
    foot_mm: float
    top_mm: float

    @property
    def long_px(self) -> float:
        """Distance from foot to top in the picture, px."""
        return math.dist(self.foot, self.top)

    def scaled(self, by: float) -> Ends:
        """The same in a picture `by` times as large."""
        return replace(self, foot=(self.foot[0] * by, self.foot[1] * by), top=(self.top[0] * by, self.top[1] * by))


@dataclass(frozen=True, slots=True, eq=False)
class Pose:
    """A camera: direction from the axis (radians, anticlockwise from the front), distance and height of the eye, mm.

    `focal` px; `middle` of the picture, px; `turn` (3, 3) takes (right, away, up) of the eye to (right, down, ahead) of
    the camera.
    """

    azimuth: float
    distance: float
    eye: float
    focal: float
    middle: Point
    turn: Floats

    def local(self, points: Floats) -> Floats:
        """Points (n, 3) of the piece in the axes of the camera, (n, 3): right, down, ahead; mm."""
        c, s = math.cos(self.azimuth), math.sin(self.azimuth)
        x, y = points[:, 0], points[:, 1]
        seen = np.stack([x * c + y * s, y * c - x * s + self.distance, points[:, 2] - self.eye], axis=1)
        return np.asarray(seen @ self.turn.T)

    def pixels(self, local: Floats) -> Floats:
        """Project points in the axes of the camera, (n, 3), to pixels, (n, 2)."""
        return np.asarray(self.focal * local[:, :2] / np.maximum(local[:, 2:], 1.0) + np.array(self.middle))

    def circles(self, local: Floats, radii: Floats) -> Floats:
        """Circles of balls at `local`, (n, 3) px: centres, and radii across the direction to the picture's middle."""
        deep = np.sqrt(np.maximum((local**2).sum(axis=1) - radii**2, 1.0))
        away = np.linalg.norm(local, axis=1)
        scale = self.focal / np.maximum(local[:, 2], 1.0)
        return np.column_stack([self.pixels(local), radii * scale * away / deep])

    @property
    def roll(self) -> float:
        """Roll of the camera, radians clockwise, if the axis of the piece is upright."""
        up = self.turn[:, 2]
        return math.atan2(-up[0], -up[1])

    def on_axis_plane(self, point: Point) -> Floats:
        """Point where a pixel's ray meets the upright plane through the axis: right, away, up of the eye, (3,) mm."""
        x, y = point
        ray = np.array([(x - self.middle[0]) / self.focal, (y - self.middle[1]) / self.focal, 1.0]) @ self.turn
        return np.asarray(ray / ray[1] * self.distance)

    def upright_at(self, pixels: Floats) -> Floats:
        """Directions (n, 2) in which upright edges run at pixels (n, 2), unit, upwards."""
        flat = (pixels - np.array(self.middle)) / self.focal
        up = self.turn[:, 2]
        direction = up[None, :2] - flat * up[2]
        return np.asarray(direction / np.maximum(np.linalg.norm(direction, axis=1, keepdims=True), 1e-9))

    def scaled(self, by: float) -> Pose:
        """The same camera with a picture `by` times as large."""
        return replace(self, focal=self.focal * by, middle=(self.middle[0] * by, self.middle[1] * by))


def pose_of_ends(azimuth: float, distance: float, eye: float, ends: Ends, middle: Point) -> Pose | None:
    """Find the camera at a place that sees foot and top where they are; None where no lens does.

    Focal length and turn follow in closed form: the angle between the two rays is known, and with c its cosine,
    a and b the squared distances of foot and top from the middle and d their product,
    (1 - c²) F² + (2 d - c² (a + b)) F + d² - c² a b = 0 for F, the square of the focal length.
    """
    foot, top = (np.array([0.0, distance, high - eye]) for high in (ends.foot_mm, ends.top_mm))
    p, q = np.array(ends.foot) - np.array(middle), np.array(ends.top) - np.array(middle)
    c = float(foot @ top / np.linalg.norm(foot) / np.linalg.norm(top))
    a, b, d = float(p @ p), float(q @ q), float(p @ q)
    first, second, third = 1 - c * c, 2 * d - c * c * (a + b), d * d - c * c * a * b
    inside = second**2 - 4 * first * third
    if inside < 0 or first < 1e-12:
        return None
    # Both roots may be positive; the one whose rays have that angle, and not its opposite, is the camera.
    for square in ((-second + math.sqrt(inside)) / (2 * first), (-second - math.sqrt(inside)) / (2 * first)):
        if square > 0 and (d + square) * c > 0:
            focal = math.sqrt(square)
            rays = (np.append(p, focal), np.append(q, focal))
            turn = _triad(rays[0], rays[1]) @ _triad(foot, top).T
            return Pose(azimuth, distance, eye, focal, middle, turn)
    return None


def _triad(first: Floats, second: Floats) -> Floats:
    """Three axes as columns: along the first, square to both, and square to these."""
    one = first / np.linalg.norm(first)
    three = np.cross(one, second)
    three /= np.linalg.norm(three)
    return np.stack([one, three, np.cross(one, three)], axis=1)
