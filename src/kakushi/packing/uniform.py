"""The endless stack of equal rows, solved for many kinds of row at once.

By symmetry two numbers describe it, ring radius and rise; Newton on those two gives for
every kind what a long settled sample stack has in its middle.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.joints import JOINTS
from kakushi.packing.law import Response, joint, neck, pair_stiffness, pole, skin
from kakushi.packing.problem import joint_pull
from kakushi.packing.stack import Packing, place
from kakushi.packing.swelling import swollen_radii

# Rows up and down that a balloon may touch.
_ROWS_IN_TOUCH = 2
# Newton steps at most, over two unknowns for every kind of row at once.
_ITERATIONS = 60


@dataclass(frozen=True, slots=True)
class Uniform:
    """Per kind of row, (k,) mm: ring radius, rise per row, overlap with the next row, radius of the swollen balloon."""

    ring: Floats
    rise: Floats
    overlap: Floats
    shape_radii: Floats

    def of(self, which: Ints) -> Uniform:
        """Only the kinds at the indices `which`, (k,)."""
        return Uniform(self.ring[which], self.rise[which], self.overlap[which], self.shape_radii[which])


def uniform_stacks(count: int, diameters: Floats, slacks: Floats, packing: Packing) -> Uniform:
    """Ring radius and rise of endless stacks, rows of `count` balloons of diameters (k,) mm.

    The law of `packing.law`; agrees with `settle` within 0.2 % in the middle of a stack (tests).
    """
    radius = diameters / 2
    rest = radius + slacks
    ring = np.maximum(rest, packing.pole_radius + radius)
    across = 2 * np.sin(np.pi / (2 * count))
    rise = np.sqrt(np.maximum(diameters**2 - (across * ring) ** 2, (0.2 * diameters) ** 2))
    damping = np.full_like(ring, 1e-3)
    energy, gradient, hessian = _energy(count, radius, rest, packing, ring, rise)
    for _ in range(_ITERATIONS):
        damped = hessian + (damping * radius)[:, None, None] * np.eye(2)
        step = -np.linalg.solve(damped, gradient[:, :, None])[:, :, 0]
        most = 0.2 * radius[:, None]
        step = np.clip(step, -most, most)
        new_ring, new_rise = ring + step[:, 0], np.maximum(rise + step[:, 1], 0.05 * radius)
        trial = _energy(count, radius, rest, packing, new_ring, new_rise)
        better = trial[0] <= energy + 1e-12 * np.abs(energy)
        ring, rise = np.where(better, new_ring, ring), np.where(better, new_rise, rise)
        energy = np.where(better, trial[0], energy)
        gradient = np.where(better[:, None], trial[1], gradient)
        hessian = np.where(better[:, None, None], trial[2], hessian)
        damping = np.where(better, damping / 10, np.maximum(damping * 10, 1e-6))
        if (np.abs(gradient).max(axis=1) < 1e-10 * radius**2).all():
            break
    return Uniform(ring, rise, diameters - np.hypot(rise, across * ring), _swollen(count, radius, ring, rise))


def _swollen(count: int, radius: Floats, ring: Floats, rise: Floats) -> Floats:
    """Radii of the swollen balloons of endless stacks, (k,) mm: of one balloon of a middle row for each kind."""
    up = np.arange(-_ROWS_IN_TOUCH, _ROWS_IN_TOUCH + 1)
    # The middle row comes first: its first balloon is worked out and stands for all.
    up = up[np.argsort(np.abs(up), kind="stable")]
    angle = (np.arange(count)[None, :] + up[:, None] / 2) * 2 * np.pi / count
    x, y = place(ring[:, None, None], angle[None])
    z = np.broadcast_to(rise[:, None, None] * up[None, :, None], x.shape)
    each = len(up) * count
    centres = np.stack([x, y, z], axis=3).reshape(-1, 3)
    one, other = np.triu_indices(each, 1)
    touched = one == 0
    pairs = np.stack([one[touched], other[touched]], axis=1)[None] + each * np.arange(len(radius))[:, None, None]
    kinds = np.repeat(np.arange(len(radius)), each)
    return swollen_radii(centres, radius[kinds], pairs.reshape(-1, 2), kinds)[::each]


def _energy(
    count: int, radius: Floats, rest: Floats, packing: Packing, ring: Floats, rise: Floats
) -> tuple[Floats, Floats, Floats]:
    """Energy per balloon with gradient (k, 2) and Hessian (k, 2, 2) in (ring, rise)."""
    zero, one = np.zeros_like(ring), np.ones_like(ring)
    law, reach, stiffness = packing.law, 2 * radius, pair_stiffness(radius, radius)
    across = 2 * np.sin(np.pi / count)
    next_row = _chord(2 * np.sin(np.pi / (2 * count)), ring, rise)
    beside = (across * ring, across * one, zero, zero, zero, zero)
    row_after = (2 * rise, zero, 2 * one, zero, zero, zero)
    out = (ring, one, zero, zero, zero, zero)
    # Per balloon: two balloons of the next row, one beside it, the one two rows up, its neck, the pole.
    terms: tuple[tuple[float, tuple[Floats, ...], Response], ...] = (
        (2.0, next_row, skin(law, next_row[0], reach, stiffness)),
        (1.0, beside, skin(law, beside[0], reach, stiffness)),
        (1.0, row_after, skin(law, row_after[0], reach, stiffness)),
        (1.0, out, neck(law, ring, rest, radius)),
        (1.0, out, pole(law, ring, packing.pole_radius, radius)),
    )
    own = joint(law, rise, joint_pull(packing, reach, count), reach, np.full_like(rise, JOINTS[packing.joint].hold))
    total = own.energy / count
    gradient = np.stack([zero, own.slope / count], axis=1)
    hessian = np.zeros((len(ring), 2, 2))
    hessian[:, 1, 1] = own.curvature / count
    for weight, (_, q_ring, q_rise, q_rr, q_rz, q_zz), response in terms:
        total = total + weight * response.energy
        first = np.stack([q_ring, q_rise], axis=1)
        gradient = gradient + weight * response.slope[:, None] * first
        second = np.stack([np.stack([q_rr, q_rz], axis=1), np.stack([q_rz, q_zz], axis=1)], axis=1)
        outer = first[:, :, None] * first[:, None, :]
        hessian += weight * (response.curvature[:, None, None] * outer + response.slope[:, None, None] * second)
    # Where the balance is not convex yet, keep the step a descent.
    floor = np.minimum(np.linalg.eigvalsh(hessian)[:, 0], 0.0)
    hessian += (1e-6 * stiffness - 1.1 * floor)[:, None, None] * np.eye(2)
    return np.asarray(total), gradient, hessian


def _chord(across: float, ring: Floats, rise: Floats) -> tuple[Floats, ...]:
    """Length sqrt(rise^2 + (across ring)^2) with first and second derivatives."""
    k = across**2
    length = np.sqrt(rise**2 + k * ring**2)
    cube = length**3
    return (
        length,
        k * ring / length,
        rise / length,
        k / length - (k * ring) ** 2 / cube,
        -k * ring * rise / cube,
        1 / length - rise**2 / cube,
    )
