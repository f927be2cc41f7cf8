"""What patterns need to know of a settled piece: where its balloons lie round it and what touches what."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats, Ints
from kakushi.model.memo import remembered
from kakushi.packing.contacts import TOUCHING, contacts
from kakushi.packing.stack import Geometry

UNLIKE = 1.08
"""Ratio from which an eye tells a large balloon from a small one beside it."""
NEARLY = 0.06
"""Balloons nearly touch where the gap between them is at most this share of a mean diameter."""


@dataclass(frozen=True, eq=False)
class Surface:
    """The balloons of all rows, foot first, in slot order; n balloons, m rows.

    `counts` per row; `turns` (m,) of slot 1 in whole steps (see `whole_steps`), radians anticlockwise from the front;
    `angles` (n,) where each balloon really lies, `rings` (n,) mm from the centreline, `heights` (n,) mm along the
    centreline from its lowest point; `diameters` (n,) mm sized; `tall` mm the whole length; `pairs` (c, 2) of touching
    balloons, lower first; `beside` (b, 2) of balloons that nearly touch.
    """

    counts: tuple[int, ...]
    turns: tuple[float, ...]
    angles: Floats
    rings: Floats
    heights: Floats
    diameters: Floats
    tall: float
    pairs: Ints
    beside: Ints

    @cached_property
    def firsts(self) -> tuple[int, ...]:
        """Index of slot 1 of every row, and the number of balloons last, (m + 1)."""
        return tuple(np.concatenate([[0], np.cumsum(self.counts)]).astype(int).tolist())

    @cached_property
    def row_of(self) -> Ints:
        """Row of every balloon, (n,)."""
        return np.repeat(np.arange(len(self.counts)), self.counts)

    @cached_property
    def is_mixed(self) -> tuple[bool, ...]:
        """For every row whether its balloons differ in size."""
        rows = (self.diameters[a:b] for a, b in pairwise(self.firsts))
        return tuple(bool(row.max() > row.min() * UNLIKE) for row in rows)

    @cached_property
    def is_large(self) -> NDArray[np.bool_]:
        """For every balloon whether it is one of the large ones, (n,).

        Of its own row where that is mixed, else of all rows; where all are alike they are large.
        """
        large = np.ones(len(self.diameters), dtype=bool)
        if not len(large):
            return large
        for (a, b), mixed in zip(pairwise(self.firsts), self.is_mixed, strict=True):
            among = self.diameters[a:b] if mixed else self.diameters
            if among.max() > among.min() * UNLIKE:
                large[a:b] = self.diameters[a:b] > math.sqrt(float(among.min() * among.max()))
        return large

    def slot_angle(self, row: int, slot: int) -> float:
        """Nominal angle of a slot, radians anticlockwise from the front."""
        return self.turns[row] + slot * 2 * math.pi / self.counts[row]


def whole_steps(counts: Sequence[int], turns: Sequence[float]) -> tuple[float, ...]:
    """Turns of the rows in which rows of one count lie an exact multiple of half a slot apart.

    A row of mixed sizes settles a few degrees off half a slot; colours count slots, and must not jump for that.
    """
    steps: list[float] = []
    for row, turn in enumerate(turns):
        if not row:
            steps.append(turn)
            continue
        step = turn - turns[row - 1]
        # Rows of different counts have no half slot in common; their turn is kept as it is.
        if counts[row] == counts[row - 1]:
            half = math.pi / counts[row]
            step = round(step / half) * half
        steps.append(steps[-1] + step)
    return tuple(steps)


@remembered(512, lambda geometry: len(geometry.radii))
def surface_of(geometry: Geometry, counts: tuple[int, ...]) -> Surface:
    """Surface of a settled piece, from the counts of its rows."""
    near = contacts(geometry, NEARLY * 2 * float(geometry.radii.mean()) if len(geometry.radii) else 0.0)
    # One search for both: pairs beyond touching are those that nearly touch.
    touching = near.overlap > TOUCHING
    local = geometry.local
    foot = float((local.along - geometry.shape_radii).min(initial=np.inf)) if len(geometry.radii) else 0.0
    return Surface(
        counts=counts,
        turns=whole_steps(counts, geometry.turns.tolist()),
        angles=local.angle,
        rings=local.out,
        heights=local.along - foot,
        diameters=2 * geometry.radii,
        tall=float((local.along + geometry.shape_radii).max(initial=0.0)) - foot,
        pairs=near.pairs[touching],
        beside=near.pairs[~touching],
    )
