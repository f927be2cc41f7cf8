"""A stack laid out for the solver.

Unknowns per row: the knot's height, then x, y, z of each balloon, mm; so rows that touch are near in memory and
the Hessian is a band.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.law import Law, pair_stiffness
from kakushi.packing.stack import Packing, StackRow

# Rows this far apart may touch: over two small rows a large one can reach the third.
ROWS_IN_REACH = 3
_DUPLET = 2
# Exponent of the power mean: of rows of 0.4 and 1 it makes 0.44, where the smaller one gives first.
_SMALLER = 8.0
# Rows of so many balloons and more are pressed alike.
_PRESSED_ALIKE = 4


@dataclass(frozen=True, slots=True)
class Problem:
    """A stack laid out for the solver. Index arrays point into the vector of unknowns."""

    size: int
    band: int
    diameter: float
    balloon_at: Ints
    knot_at: Ints
    ground: Ints
    row_of: Ints
    slot_of: Ints
    radii: Floats
    neck_rest: Floats
    pairs: Ints
    pair_reach: Floats
    pair_stiffness: Floats
    joints: Ints
    may_cross: NDArray[np.bool_]
    pull: Floats
    joint_diameter: Floats
    hold: Floats
    pole_radius: float
    level: Floats
    held: Ints
    tangents: Floats
    law: Law

    @property
    def gap(self) -> Floats:
        """The least rise from knot to knot that the stop leaves, (j,) mm."""
        return self.law.stop_gap * self.joint_diameter


_ARRAYS = (
    "balloon_at", "knot_at", "ground", "row_of", "slot_of", "radii", "neck_rest", "pairs", "pair_reach",
    "pair_stiffness", "joints", "may_cross", "pull", "joint_diameter", "hold", "level", "held", "tangents",
)  # fmt: skip


def build_problem(
    rows: Sequence[StackRow], packing: Packing, turns: Floats | None = None, released: bool = False
) -> Problem:
    """Lay out `rows` (at least one) for the solver.

    `turns` (m,) radians, slot 1 of each row from the front: rows with a pinned turn are held there. `released`: no
    hand holds the rows level, only their crossed necks.
    """
    counts = np.array([row.count for row in rows])
    row_of = np.repeat(np.arange(len(rows)), counts)
    first_balloon = np.concatenate([[0], np.cumsum(counts)[:-1]])
    knot_at = np.concatenate([[0], np.cumsum(1 + 3 * counts)[:-1]])
    slot_of = np.arange(len(row_of)) - first_balloon[row_of]
    radii = np.concatenate([row.diameters for row in rows]) / 2
    slacks = np.concatenate([row.slacks for row in rows])
    means = np.array([row.mean_diameter for row in rows])
    joints = joint_diameters(means)
    few = np.minimum(counts[1:], counts[:-1])
    pairs = _pairs_in_reach(tuple(counts.tolist()))
    low, high = radii[pairs[:, 0]], radii[pairs[:, 1]]
    # Slot 1 of a row is held: the others of unequal balloons find their own places round it.
    held = first_balloon[_held_rows(rows)] if turns is not None else np.zeros(0, dtype=int)
    angles = (turns if turns is not None else means)[row_of[held]]
    in_reach = np.convolve(1 + 3 * counts, np.ones(ROWS_IN_REACH + 1, dtype=int))
    return Problem(
        size=int((1 + 3 * counts).sum()),
        band=int(in_reach.max()) - 1,
        diameter=float(means.mean()),
        balloon_at=knot_at[row_of] + 1 + 3 * slot_of,
        knot_at=knot_at,
        ground=knot_at[:1],
        row_of=row_of,
        slot_of=slot_of,
        radii=radii,
        neck_rest=radii + slacks,
        pairs=pairs,
        pair_reach=low + high,
        pair_stiffness=pair_stiffness(low, high),
        joints=np.arange(len(rows) - 1),
        # Two duplets crossed on one knot are a quad.
        may_cross=np.asarray((counts[1:] == _DUPLET) & (counts[:-1] == _DUPLET)),
        pull=joint_pull(packing, joints, few) * np.array([row.packing for row in rows[1:]]),
        joint_diameter=joints,
        hold=np.array([row.hold for row in rows[1:]]),
        pole_radius=packing.pole_radius,
        level=(released_level(packing.law, counts) if released else np.full(len(counts), packing.law.level))[row_of],
        held=held,
        # Sideways at an angle from the front, anticlockwise.
        tangents=np.stack([np.cos(angles), np.sin(angles), np.zeros_like(angles)], axis=1),
        law=packing.law,
    )


def joint_diameters(means: Floats) -> Floats:
    """Effective diameter of every joint between rows of mean diameters (m,), (m - 1,) mm: close to the smaller row's.

    A power mean, so that a hair more or less of either row does half as much.
    """
    low, high = means[:-1], means[1:]
    return np.asarray(((low**-_SMALLER + high**-_SMALLER) / 2) ** (-1 / _SMALLER))


def joint_pull(packing: Packing, diameters: Floats, counts: Ints | int) -> Floats:
    """Packing force over p, (j,) mm²: τ·D², of rows of fewer than four balloons less by (n / 4)².

    D and n are those of the smaller row. Fewer balloons give way sooner, so hands press them less. Assumed.
    """
    return np.asarray(packing.tau * diameters**2 * np.minimum(np.asarray(counts) / _PRESSED_ALIKE, 1.0) ** 2)


def released_level(law: Law, counts: Ints) -> Floats:
    """What holds each balloon of rows of `counts` (m,) level when hands let go, over π·p·r, (m,)."""
    return np.asarray(law.knot / counts)


def _held_rows(rows: Sequence[StackRow]) -> np.ndarray:
    """Rows with a pinned turn and the rows those are turned on, (m,) bool."""
    pinned = np.array([index > 0 and row.turn is not None for index, row in enumerate(rows)])
    return np.asarray(pinned | np.append(pinned[1:], False))


@lru_cache(maxsize=64)
def _pairs_in_reach(counts: tuple[int, ...]) -> Ints:
    """All pairs of balloons up to ROWS_IN_REACH rows apart, (p, 2), from the counts of the rows."""
    ends = np.cumsum(counts)
    blocks = []
    for row, count in enumerate(counts):
        in_row = np.arange(ends[row] - count, ends[row])
        others = np.arange(ends[row] - count, ends[min(row + ROWS_IN_REACH, len(counts) - 1)])
        a, b = np.meshgrid(in_row, others, indexing="ij")
        blocks.append(np.stack([a[b > a], b[b > a]], axis=1))
    return np.concatenate(blocks)


def side_by_side(problems: Sequence[Problem]) -> Problem:
    """Stacks of one layout (at least one) that do not touch one another, the unknowns of each after the last one's."""
    first = problems[0]
    balloons, rows = len(first.radii), len(first.knot_at)
    steps = {
        "balloon_at": first.size,
        "knot_at": first.size,
        "ground": first.size,
        "row_of": rows,
        "joints": rows,
        "pairs": balloons,
        "held": balloons,
    }
    joined: dict[str, Any] = {
        name: np.concatenate([getattr(problem, name) + steps.get(name, 0) * k for k, problem in enumerate(problems)])
        for name in _ARRAYS
    }
    return replace(first, size=first.size * len(problems), **joined)
