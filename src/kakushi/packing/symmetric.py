"""Rows that are alike all round: one balloon of each stands for its whole row.

Rows of one count and of equal balloons nest about half a slot round, so the energy of `packing.energy` has a
balance in which every balloon of a row lies equally far out and equally high. Looking for it takes four
unknowns a row instead of one and three for each balloon: the knot's height, the distance of the centres from the
centreline, how far they went round from half a slot (along the ring), their height; mm. Whether the balance
also holds against uneven motion is for the whole problem to say (see `settle`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.law import Law, Response, joint, neck, pole, skin, spring
from kakushi.packing.newton import Descent, descend
from kakushi.packing.problem import ROWS_IN_REACH, Problem, joint_diameters, joint_pull
from kakushi.packing.settings import NEWTON
from kakushi.packing.stack import Packing, StackRow, place, ring_radii, rises_for_turns

# Unknowns of a row: knot, ring, way round, height.
_PER_ROW = 4
# Rows of two lean over instead of nesting.
_FEWEST = 3
# Of the ring: so far off the symmetric point a row on a saddle finds its way down.
_OFF_SYMMETRY = 0.01
# The same start every time.
_SEED = 5


def are_alike(rows: Sequence[StackRow]) -> bool:
    """Whether all rows have one count (three or more), equal balloons and no pinned turn."""
    return (
        rows[0].count >= _FEWEST
        and all(row.is_uniform and row.count == rows[0].count for row in rows)
        and all(row.turn is None for row in rows[1:])
    )


@dataclass(frozen=True, slots=True)
class _Contacts:
    """Kinds of contact: balloons of rows `low` and `high` (t,), an angle apart, `weight` of them each."""

    low: Ints
    high: Ints
    angle: Floats
    weight: Floats
    reach: Floats
    stiffness: Floats


@dataclass(frozen=True, slots=True)
class AlikeRows:
    """Such rows laid out for the solver: a landscape of `newton.descend`.

    Unknowns per row: knot, ring, way round, height.
    """

    count: int
    radii: Floats
    neck_rest: Floats
    contacts: _Contacts
    pull: Floats
    joint_diameter: Floats
    hold: Floats
    pole_radius: float
    law: Law

    @property
    def diameter(self) -> float:
        """Mean diameter, mm."""
        return float(2 * self.radii.mean())

    @property
    def _band(self) -> int:
        return _PER_ROW * (ROWS_IN_REACH + 1) - 1

    def energy(self, state: Floats) -> float:
        """Energy of the whole stack in units of p * mm^3; as `packing.energy.energy`."""
        knots, rings, ways, heights = state.reshape(-1, _PER_ROW).T
        c = self.contacts
        skins = skin(self.law, _distances(*self._between(rings, ways, heights)), c.reach, c.stiffness)
        drop = heights - knots
        own = neck(self.law, np.hypot(rings, drop), self.neck_rest, self.radii).energy
        own = own + pole(self.law, rings, self.pole_radius, self.radii).energy + self._level(drop).energy
        joints = joint(self.law, np.diff(knots), self.pull, self.joint_diameter, self.hold).energy
        ground = spring(np.array([self.diameter]), knots[:1]).energy
        return float((c.weight * skins.energy).sum() + self.count * own.sum() + joints.sum() + ground.sum())

    def _level(self, drop: Floats) -> Response:
        return spring(self.law.level * np.pi * self.radii, drop)

    def _between(self, rings: Floats, ways: Floats, heights: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        """Of every kind of contact: ring of the low one, of the high one, angle between them, height between them."""
        c = self.contacts
        turned = ways / self.neck_rest
        return (
            rings[c.low],
            rings[c.high],
            c.angle + turned[c.high] - turned[c.low],
            heights[c.high] - heights[c.low],
        )

    def gradient_and_hessian(self, state: Floats) -> tuple[Floats, Floats]:
        """Gradient (n,) and upper banded Hessian (band + 1, n)."""
        gradient = np.zeros(len(state))
        flat = np.zeros((self._band + 1) * len(state))
        self._add_contacts(state, gradient, flat)
        self._add_own(state, gradient, flat)
        knots = state[::_PER_ROW]
        at = np.arange(len(knots)) * _PER_ROW
        joints = joint(self.law, np.diff(knots), self.pull, self.joint_diameter, self.hold)
        gradient[at[1:]] += joints.slope
        gradient[at[:-1]] -= joints.slope
        self._add_springs(flat, at[:-1], at[1:], joints.curvature)
        ground = spring(np.array([self.diameter]), knots[:1])
        gradient[:1] += ground.slope
        flat[self._band * len(state)] += float(ground.curvature[0])
        return gradient, flat.reshape(self._band + 1, len(state))

    def _add_contacts(self, state: Floats, gradient: Floats, flat: Floats) -> None:
        _, rings, ways, heights = state.reshape(-1, _PER_ROW).T
        c = self.contacts
        a, b, angles, up = self._between(rings, ways, heights)
        distance = _distances(a, b, angles, up)
        near = np.flatnonzero(distance < c.reach)
        a, b, angles, up, distance = a[near], b[near], angles[near], up[near], distance[near]
        low, high, reach = c.low[near], c.high[near], c.reach[near]
        skins = skin(self.law, distance, reach, c.stiffness[near])
        slope, curve = c.weight[near] * skins.slope, c.weight[near] * skins.curvature
        # Half the squared distance, (a^2 + b^2 + up^2) / 2 - a b cos, by ring, way round and height, low and high.
        cosine, sine = np.cos(angles), np.sin(angles)
        lever_low, lever_high = 1 / self.neck_rest[low], 1 / self.neck_rest[high]
        round_low, round_high = -a * b * sine * lever_low, a * b * sine * lever_high
        first = np.stack([a - b * cosine, round_low, -up, b - a * cosine, round_high, up], axis=1) / distance[:, None]
        second = np.zeros((len(near), 6, 6))
        for i, j, value in (
            (0, 0, 1.0),
            (3, 3, 1.0),
            (0, 3, -cosine),
            (2, 2, 1.0),
            (5, 5, 1.0),
            (2, 5, -1.0),
            (0, 1, -b * sine * lever_low),
            (0, 4, b * sine * lever_high),
            (3, 1, -a * sine * lever_low),
            (3, 4, a * sine * lever_high),
            (1, 1, a * b * cosine * lever_low**2),
            (4, 4, a * b * cosine * lever_high**2),
            (1, 4, -a * b * cosine * lever_low * lever_high),
        ):
            second[:, i, j] = second[:, j, i] = value
        second = (second - first[:, :, None] * first[:, None, :]) / distance[:, None, None]
        block = curve[:, None, None] * first[:, :, None] * first[:, None, :] + slope[:, None, None] * second
        at = np.stack([low, low, low, high, high, high], axis=1) * _PER_ROW + np.array([1, 2, 3, 1, 2, 3])
        self._add(gradient, flat, at, slope[:, None] * first, block)

    def _add_own(self, state: Floats, gradient: Floats, flat: Floats) -> None:
        """Neck, pole and level spring of every row, by knot, ring and height."""
        knots, rings, _, heights = state.reshape(-1, _PER_ROW).T
        drop = heights - knots
        distance = np.maximum(np.hypot(rings, drop), 1e-9)
        necks = neck(self.law, distance, self.neck_rest, self.radii)
        direction = np.stack([-drop, rings, drop], axis=1) / distance[:, None]
        outer = direction[:, :, None] * direction[:, None, :]
        flatness = np.array([[1.0, 0.0, -1.0], [0.0, 1.0, 0.0], [-1.0, 0.0, 1.0]])
        across = necks.slope / distance
        force = necks.slope[:, None] * direction
        block = necks.curvature[:, None, None] * outer + across[:, None, None] * (flatness - outer)
        level = self._level(drop)
        force += level.slope[:, None] * np.array([-1.0, 0.0, 1.0])
        block += level.curvature[:, None, None] * np.array([[1.0, 0.0, -1.0], [0.0, 0.0, 0.0], [-1.0, 0.0, 1.0]])
        wall = pole(self.law, rings, self.pole_radius, self.radii)
        force[:, 1] += wall.slope
        block[:, 1, 1] += wall.curvature
        at = np.arange(len(state)).reshape(-1, _PER_ROW)[:, [0, 1, 3]]
        self._add(gradient, flat, at, self.count * force, self.count * block)

    def _add(self, gradient: Floats, flat: Floats, at: Ints, force: Floats, block: Floats) -> None:
        """Add forces (t, k) and blocks (t, k, k) at the unknowns `at` (t, k)."""
        size = len(gradient)
        gradient += np.bincount(at.ravel(), force.ravel(), size)
        rows, columns = np.broadcast_arrays(at[:, :, None], at[:, None, :])
        use = rows <= columns
        places = (self._band + rows[use] - columns[use]) * size + columns[use]
        flat += np.bincount(places, block[use], len(flat))

    def _add_springs(self, flat: Floats, low: Ints, high: Ints, stiffness: Floats) -> None:
        size = len(flat) // (self._band + 1)
        np.add.at(flat, self._band * size + low, stiffness)
        np.add.at(flat, self._band * size + high, stiffness)
        np.add.at(flat, (self._band + low - high) * size + high, -stiffness)

    def springs(self) -> Floats:
        """Band of unit springs ring-centreline, tangential, height-knot and knot-knot: damping acts there."""
        size = _PER_ROW * len(self.radii)
        flat = np.zeros((self._band + 1) * size)
        knots = np.arange(len(self.radii)) * _PER_ROW
        flat[self._band * size + knots + 1] = flat[self._band * size + knots + 2] = 1.0
        self._add_springs(flat, knots, knots + 3, np.ones(len(knots)))
        self._add_springs(flat, knots[:-1], knots[1:], np.ones(len(knots) - 1))
        return flat.reshape(self._band + 1, size)

    def capped(self, step: Floats, most: float) -> Floats:
        """A step (n,) in which no balloon moves over `most` mm against its knot, no knot against the one below."""
        knots, rings, ways, heights = step.reshape(-1, _PER_ROW).T
        moved = np.cumsum(np.clip(np.diff(knots, prepend=0.0), -most, most))
        own = np.stack([rings, ways, heights - knots])
        own = own * np.minimum(1.0, most / np.maximum(np.sqrt((own**2).sum(axis=0)), 1e-12))
        return np.stack([moved, own[0], own[1], moved + own[2]], axis=1).ravel()


def _distances(a: Floats, b: Floats, angles: Floats, up: Floats) -> Floats:
    return np.asarray(np.sqrt(np.maximum(a**2 + b**2 - 2 * a * b * np.cos(angles) + up**2, 1e-18)))


def alike_rows(rows: Sequence[StackRow], packing: Packing) -> AlikeRows:
    """Lay out rows that `are_alike`."""
    count = rows[0].count
    radii = alike_radii(rows)
    joints = joint_diameters(2 * radii)
    return AlikeRows(
        count=count,
        radii=radii,
        neck_rest=radii + np.array([row.slacks[0] for row in rows]),
        contacts=_contacts(count, radii),
        pull=joint_pull(packing, joints, count) * np.array([row.packing for row in rows[1:]]),
        joint_diameter=joints,
        hold=np.array([row.hold for row in rows[1:]]),
        pole_radius=packing.pole_radius,
        law=packing.law,
    )


def _contacts(count: int, radii: Floats) -> _Contacts:
    kinds = [
        (k, k, 2 * np.pi * j / count, count if 2 * j < count else count / 2)
        for k in range(len(radii))
        for j in range(1, count // 2 + 1)
    ]
    kinds += [
        (k, k + up, 2 * np.pi * (j + up / 2) / count, count)
        for up in range(1, ROWS_IN_REACH + 1)
        for k in range(len(radii) - up)
        for j in range(count)
    ]
    low = np.array([kind[0] for kind in kinds])
    high = np.array([kind[1] for kind in kinds])
    r, s = radii[low], radii[high]
    return _Contacts(
        low,
        high,
        np.array([kind[2] for kind in kinds]),
        np.array([kind[3] for kind in kinds], dtype=float),
        r + s,
        2 * np.pi * r * s / (r + s),
    )


def alike_radii(rows: Sequence[StackRow]) -> Floats:
    """Radius of the balloons of each row, (m,) mm, of rows that `are_alike`."""
    return np.array([row.diameters[0] for row in rows]) / 2


def settled_alike(
    rows: Sequence[StackRow], packing: Packing, tolerance: float = NEWTON.tolerance, near: Floats | None = None
) -> tuple[Floats, Descent]:
    """The balance of rows that `are_alike`, and how it was found; from `near` (m, 4), that of rows much like them.

    Knot, ring, angle gone round from half a slot (radians), height of each row, (m, 4), mm.
    """
    landscape = alike_rows(rows, packing)
    if near is not None:
        begun = near.copy()
        begun[:, 2] *= landscape.neck_rest
        return _as_balance(landscape, descend(landscape, begun.ravel(), tolerance))
    half_slot = np.array([np.pi / rows[0].count])
    rises = [float(rises_for_turns(low, high, half_slot, packing.pole_radius)[0]) for low, high in pairwise(rows)]
    knots = np.concatenate([[0.0], np.cumsum(np.maximum(rises, 4 * landscape.law.stop_gap * landscape.joint_diameter))])
    rings = np.array([ring_radii(row, packing.pole_radius)[0] for row in rows])
    # Off the symmetric point, where a row that wants to go round would rest on a saddle.
    ways = np.random.default_rng(_SEED).normal(0, _OFF_SYMMETRY, len(rows)) * rings
    return _as_balance(landscape, descend(landscape, np.stack([knots, rings, ways, knots], axis=1).ravel(), tolerance))


def _as_balance(landscape: AlikeRows, outcome: tuple[Floats, Descent]) -> tuple[Floats, Descent]:
    """What descending found, with angles in place of ways along the ring."""
    balance = outcome[0].reshape(-1, _PER_ROW)
    balance[:, 2] = balance[:, 2] / landscape.neck_rest
    return balance, outcome[1]


def spread_out(problem: Problem, balance: Floats, turns: Floats) -> Floats:
    """The balance (m, 4) as unknowns of the whole problem, rows half a slot round at `turns` (m,) radians."""
    state = np.zeros(problem.size)
    counts = np.bincount(problem.row_of)
    _, rings, ways, heights = balance[problem.row_of].T
    angles = turns[problem.row_of] + ways + problem.slot_of * 2 * np.pi / counts[problem.row_of]
    at = problem.balloon_at
    state[problem.knot_at] = balance[:, 0]
    state[at], state[at + 1] = place(rings, angles)
    state[at + 2] = heights
    return state
