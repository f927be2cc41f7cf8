"""A ball: many balloons on one knot, pointing all ways."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.packing.law import LAW, neck, pair_stiffness, skin, spring

_ATTEMPTS = 4
_SEED = 3


@dataclass(frozen=True, slots=True, eq=False)
class BallGeometry:
    """Settled balloons of a ball about its knot at the origin: centres (n, 3), radii (n,), mm."""

    centres: Floats
    radii: Floats
    converged: bool

    def lifted(self, by: float) -> BallGeometry:
        """The same `by` mm higher."""
        return BallGeometry(self.centres + np.array([0.0, 0.0, by]), self.radii, self.converged)

    @property
    def bottom(self) -> float:
        """Lowest point below the knot, mm (negative)."""
        return float((self.centres[:, 2] - self.radii).min())

    @property
    def top(self) -> float:
        """Highest point above the knot, mm."""
        return float((self.centres[:, 2] + self.radii).max())


def settle_ball(diameters: Sequence[float], slacks: Sequence[float]) -> BallGeometry:
    """Balloons of `diameters` with neck slacks, both (n,) mm, on one knot, in slot order.

    The skins and necks of `packing.law`, with a weak pull to the knot that stands for the
    twisted necks. Started from points spread evenly over a sphere (Fibonacci lattice) and several
    turnings of them; the lowest energy wins. Then turned so that it stands on three balloons.
    """
    from scipy.optimize import minimize  # noqa: PLC0415 - large, and few jobs have a ball

    radii = np.asarray(diameters, dtype=float) / 2
    reach = radii + np.asarray(slacks, dtype=float)
    rng = np.random.default_rng(_SEED)
    best = None
    for attempt in range(_ATTEMPTS):
        order = np.arange(len(radii)) if attempt == 0 else rng.permutation(len(radii))
        start = _lattice(len(radii))[order] * reach[:, None]
        minimum = minimize(
            _energy,
            start.ravel(),
            (radii, reach),
            jac=True,
            method="L-BFGS-B",
            options={"maxiter": 4000, "ftol": 1e-15, "gtol": 1e-6},
        )
        if best is None or minimum.fun < best.fun - 1e-9 * abs(best.fun):
            best = minimum
    if best is None:
        return BallGeometry(np.zeros((0, 3)), radii, converged=True)
    gradient = _energy(best.x, radii, reach)[1]
    scale = float((radii**2).mean())
    centres = _standing(best.x.reshape(-1, 3))
    return BallGeometry(centres, radii, bool(np.abs(gradient).max() < 1e-4 * scale))


def _lattice(count: int) -> Floats:
    """Points spread over the unit sphere, (n, 3): the Fibonacci lattice."""
    index = np.arange(count) + 0.5
    z = 1 - 2 * index / count
    angle = np.pi * (1 + 5**0.5) * index
    across = np.sqrt(1 - z**2)
    return np.stack([across * np.cos(angle), across * np.sin(angle), z], axis=1)


_PULL = 0.02


def _energy(flat: Floats, radii: Floats, reach: Floats) -> tuple[float, Floats]:
    """Energy over p, mm^3, and its gradient (3 n,)."""
    centres = flat.reshape(-1, 3)
    out = np.maximum(np.linalg.norm(centres, axis=1), 1e-9)
    necks, pull = neck(LAW, out, reach, radii), spring(_PULL * np.pi * radii, out)
    gradient = ((necks.slope + pull.slope) / out)[:, None] * centres
    one, other = np.triu_indices(len(radii), 1)
    apart = centres[other] - centres[one]
    distance = np.maximum(np.linalg.norm(apart, axis=1), 1e-9)
    skins = skin(LAW, distance, radii[one] + radii[other], pair_stiffness(radii[one], radii[other]))
    push = (skins.slope / distance)[:, None] * apart
    np.add.at(gradient, other, push)
    np.add.at(gradient, one, -push)
    return float((necks.energy + pull.energy).sum() + skins.energy.sum()), gradient.ravel()


def _standing(centres: Floats) -> Floats:
    """The ball turned so that the plane under three of its balloons is level, steadiest first."""
    from scipy.spatial import ConvexHull  # noqa: PLC0415 - as above

    if len(centres) < 4:
        return centres
    hull = ConvexHull(centres)
    normals = hull.equations[:, :3]
    depth = (centres[hull.simplices] * normals[:, None, :]).sum(axis=2).mean(axis=1)
    areas = np.linalg.norm(
        np.cross(
            centres[hull.simplices[:, 1]] - centres[hull.simplices[:, 0]],
            centres[hull.simplices[:, 2]] - centres[hull.simplices[:, 0]],
        ),
        axis=1,
    )
    down = normals[int(np.lexsort((np.round(depth, 3), -np.round(areas, 1)))[0])]
    return np.asarray(centres @ _turning(down, np.array([0.0, 0.0, -1.0])).T)


def _turning(a: Floats, b: Floats) -> Floats:
    """Rotation matrix that takes unit vector a to b (Rodrigues)."""
    axis, cosine = np.cross(a, b), float(a @ b)
    if cosine < -1 + 1e-9:
        return np.diag([1.0, -1.0, -1.0])
    k = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    return np.asarray(np.eye(3) + k + k @ k / (1 + cosine))
