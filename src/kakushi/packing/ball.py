"""A ball: many balloons on one knot, pointing all ways."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.law import LAW, Response, neck, pair_stiffness, skin, spring
from kakushi.packing.newton import Descent, descend
from kakushi.packing.swelling import swollen_radii

# Orders of the balloons tried: a ball of unequal ones has several balances.
_ATTEMPTS = 4
# The same orders every time.
_SEED = 3


@dataclass(frozen=True, slots=True, eq=False)
class BallGeometry:
    """Settled balloons of a ball about its knot at the origin: centres (n, 3), sized and swollen radii (n,), mm."""

    centres: Floats
    radii: Floats
    shape_radii: Floats
    converged: bool

    def lifted(self, by: float) -> BallGeometry:
        """This ball `by` mm higher."""
        return replace(self, centres=self.centres + np.array([0.0, 0.0, by]))

    @property
    def bottom(self) -> float:
        """Lowest point below the knot, mm (negative)."""
        return float((self.centres[:, 2] - self.shape_radii).min())

    @property
    def top(self) -> float:
        """Highest point above the knot, mm."""
        return float((self.centres[:, 2] + self.shape_radii).max())


def settle_ball(diameters: Sequence[float], slacks: Sequence[float]) -> BallGeometry:
    """Balloons of `diameters` with neck slacks, both (n,) mm, on one knot, in slot order.

    The skins and necks of `packing.law`, with a weak pull to the knot that stands for the
    twisted necks. Started from points spread evenly over a sphere (Fibonacci lattice) and several
    turnings of them; the lowest energy wins. Then turned so that it stands on three balloons.
    """
    radii = np.asarray(diameters, dtype=float) / 2
    if not len(radii):
        return BallGeometry(np.zeros((0, 3)), radii, radii, converged=True)
    ball = _Ball(radii, radii + np.asarray(slacks, dtype=float))
    rng = np.random.default_rng(_SEED)
    balances: list[tuple[Floats, Descent]] = []
    for attempt in range(_ATTEMPTS):
        order = np.arange(len(radii)) if attempt == 0 else rng.permutation(len(radii))
        balances.append(descend(ball, (_lattice(len(radii))[order] * ball.reach[:, None]).ravel()))
    # Rounded, so that equal energies tie and the first of them is taken.
    state, how = min(balances, key=lambda balance: round(balance[1].energy / ball.diameter**3, 9))
    centres = _standing(state.reshape(-1, 3))
    pairs = np.stack(np.triu_indices(len(radii), 1), axis=1)
    return BallGeometry(centres, radii, swollen_radii(centres, radii, pairs), how.converged)


def _lattice(count: int) -> Floats:
    """Points spread over the unit sphere, (n, 3): the Fibonacci lattice."""
    index = np.arange(count) + 0.5
    z = 1 - 2 * index / count
    angle = np.pi * (1 + 5**0.5) * index
    across = np.sqrt(1 - z**2)
    return np.stack([across * np.cos(angle), across * np.sin(angle), z], axis=1)


_PULL = 0.02
"""Pull of the twisted necks, in units of π·p·r: too weak to move a skin visibly. Assumed."""
_ON_PLANE = 1e-9
"""Distance from a plane, as a share of the ball's size, at which a balloon lies on it."""
_THIN = 1e-6
"""Area, as a share of the largest triangle's, below which a triangle has no direction."""


@dataclass(frozen=True, slots=True)
class _Ball:
    """Balloons on one knot at the origin, as a landscape of `newton.descend`: x, y, z of each, mm."""

    radii: Floats
    reach: Floats

    @property
    def diameter(self) -> float:
        return float(2 * self.radii.mean())

    def energy(self, state: Floats) -> float:
        _, out, necks = self._necks(state)
        _, _, _, skins = self._skins(state)
        return float((necks.energy + self._pull(out).energy).sum() + skins.energy.sum())

    def _necks(self, state: Floats) -> tuple[Floats, Floats, Response]:
        centres = state.reshape(-1, 3)
        out = np.maximum(np.linalg.norm(centres, axis=1), 1e-9)
        return centres, out, neck(LAW, out, self.reach, self.radii)

    def _pull(self, out: Floats) -> Response:
        return spring(_PULL * np.pi * self.radii, out)

    def _skins(self, state: Floats) -> tuple[Ints, Ints, Floats, Response]:
        one, other = np.triu_indices(len(self.radii), 1)
        centres = state.reshape(-1, 3)
        apart = centres[other] - centres[one]
        r, s = self.radii[one], self.radii[other]
        distance = np.maximum(np.linalg.norm(apart, axis=1), 1e-9)
        return one, other, apart, skin(LAW, distance, r + s, pair_stiffness(r, s))

    def gradient_and_hessian(self, state: Floats) -> tuple[Floats, Floats]:
        centres, out, necks = self._necks(state)
        pull = self._pull(out)
        count = len(self.radii)
        gradient = np.zeros((count, 3))
        hessian = np.zeros((count, 3, count, 3))
        each, axes = np.arange(count), np.arange(3)
        force, block = _central(centres, necks.slope + pull.slope, necks.curvature + pull.curvature)
        gradient += force
        hessian[each, :, each, :] += block
        one, other, apart, skins = self._skins(state)
        force, block = _central(apart, skins.slope, skins.curvature)
        np.add.at(gradient, other, force)
        np.add.at(gradient, one, -force)
        for a, b, sign in ((one, one, 1.0), (other, other, 1.0), (one, other, -1.0), (other, one, -1.0)):
            at = (a[:, None, None], axes[:, None], b[:, None, None], axes)
            np.add.at(hessian, at, sign * block)
        return gradient.ravel(), _as_band(hessian.reshape(3 * count, 3 * count))

    def springs(self) -> Floats:
        return _as_band(np.eye(3 * len(self.radii)))

    def capped(self, step: Floats, most: float) -> Floats:
        moves = step.reshape(-1, 3)
        far = np.linalg.norm(moves, axis=1, keepdims=True)
        return np.asarray((moves * np.minimum(1.0, most / np.maximum(far, 1e-12))).ravel())


def _central(apart: Floats, slope: Floats, curvature: Floats) -> tuple[Floats, Floats]:
    """Forces (t, 3) and blocks (t, 3, 3) of central terms between points `apart` (t, 3), see `packing.law`."""
    distance = np.maximum(np.linalg.norm(apart, axis=1), 1e-9)
    direction = apart / distance[:, None]
    outer = direction[:, :, None] * direction[:, None, :]
    across = (slope / distance)[:, None, None]
    return slope[:, None] * direction, curvature[:, None, None] * outer + across * (np.eye(3) - outer)


def _as_band(matrix: Floats) -> Floats:
    """A symmetric matrix (n, n) as an upper band of full width (n, n)."""
    size = len(matrix)
    band = np.zeros((size, size))
    row, column = np.triu_indices(size)
    band[size - 1 + row - column, column] = matrix[row, column]
    return band


def _standing(centres: Floats) -> Floats:
    """The ball turned so that the plane under three of its balloons is level, steadiest first."""
    if len(centres) < 4:
        return centres
    corners = np.array(list(combinations(range(len(centres)), 3)))
    normals = np.cross(centres[corners[:, 1]] - centres[corners[:, 0]], centres[corners[:, 2]] - centres[corners[:, 0]])
    areas = np.linalg.norm(normals, axis=1)
    # Three balloons carry the ball when all others lie on one side of their plane.
    heights = normals @ centres.T - (normals * centres[corners[:, 0]]).sum(axis=1)[:, None]
    flat = _ON_PLANE * areas * np.abs(centres).max()
    outside = np.where(
        (heights <= flat[:, None]).all(axis=1), 1.0, np.where((heights >= -flat[:, None]).all(axis=1), -1.0, 0.0)
    )
    carries = np.flatnonzero((outside != 0) & (areas > _THIN * areas.max()))
    units = normals[carries] * (outside[carries] / areas[carries])[:, None]
    depth = (centres[corners[carries, 0]] * units).sum(axis=1)
    down = units[int(np.lexsort((np.round(depth, 3), -np.round(areas[carries], 1)))[0])]
    return np.asarray(centres @ _turning(down, np.array([0.0, 0.0, -1.0])).T)


def _turning(a: Floats, b: Floats) -> Floats:
    """Rotation matrix that takes unit vector a to b (Rodrigues)."""
    axis, cosine = np.cross(a, b), float(a @ b)
    if cosine < -1 + 1e-9:
        return np.diag([1.0, -1.0, -1.0])
    k = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    return np.asarray(np.eye(3) + k + k @ k / (1 + cosine))
