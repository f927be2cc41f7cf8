"""Clusters chosen one by one: each where it hides most of what is left or, scattered, farthest from the others."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from kakushi.dress.rays import Rays
from kakushi.dress.shows import Visible
from kakushi.model.arrays import Floats, Ints
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.parts import FillerLook, Fillers

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

_NEARLY = {FillerLook.CLOUD: 0.5, FillerLook.ORGANIC: 0.5}
"""Of the most that can be hidden: those are as good as each other, 0.95 where the look is not to be full and loose."""
_NOTHING_MM2 = {FillerLook.CLOUD: 30.0, FillerLook.ORGANIC: 30.0}
"""What is not worth a cluster, to one eye: 2 mm², a pin's head, where the look does not want volume anyway."""
_TOUCH = 0.02
"""Overlap of two clusters, as a share of the sum of radii, that is allowed: less than in a column."""
_COVERED = 0.019
"""Share of a main thing that clusters together may cover from an eye: its edge, and not what it is."""


def covers(
    looks: Sequence[Visible], balloons: Sequence[Floats], radii: Sequence[Floats], cancelled: Cancelled
) -> list[tuple[csr_matrix, Floats]]:
    """For each look which of its rays each cluster cuts off, (clusters, rays), and the weights of the rays."""
    each = [Rays([look]) for look in looks]
    return [(rays.hidden_by(balloons, radii, cancelled, lambda _: None), rays.weights) for rays in each]


def in_the_way(balloons: Sequence[Floats], radii: Sequence[Floats], beside: tuple[Floats, Floats]) -> NDArray[np.bool_]:
    """Which clusters would lie in something that is on the piece already, (clusters,)."""
    pressed = np.zeros(len(balloons), dtype=bool)
    if not len(beside[1]) or not len(balloons):
        return pressed
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second, and few pieces need it

    tree, reach = cKDTree(beside[0]), float(beside[1].max())
    for place, (centres, own) in enumerate(zip(balloons, radii, strict=True)):
        for centre, radius in zip(centres, own.tolist(), strict=True):
            near = tree.query_ball_point(centre, radius + reach)
            away = np.linalg.norm(beside[0][near] - centre, axis=1)
            if (away < (1 - _TOUCH) * (radius + beside[1][near])).any():
                pressed[place] = True
                break
    return pressed


def quarter_of(azimuths: Floats) -> Ints:
    """Quarters of the piece in which directions (radians from the front) lie: 0 the front, on anticlockwise."""
    return np.asarray(np.round(azimuths / (math.pi / 2)).astype(int) % 4)


class Choice:
    """Clusters taken one by one."""

    def __init__(
        self,
        part: Fillers,
        hides: csr_matrix,
        rays: Rays,
        balloons: Sequence[Floats],
        radii: Sequence[Floats],
        covers: Sequence[tuple[csr_matrix, Floats]] = (),
    ) -> None:
        weights, eyes = rays.weights, rays.eyes
        self._look, self._hides, self._left_over = part.look, hides, weights.copy()
        self._nearly = _NEARLY.get(part.look, 0.95)
        self._nothing = _NOTHING_MM2.get(part.look, 2.0) * eyes
        self._whole = float(weights.sum())
        self._middles = np.array([each.mean(axis=0) for each in balloons]).reshape(-1, 3)
        self._clash = _clashes(balloons, radii)
        self._free: NDArray[np.bool_] = np.ones(len(balloons), dtype=bool)
        self._nearest = np.full(len(balloons), np.inf)
        self._aside = 0.0
        self._covers = [(hidden, weights.copy()) for hidden, weights in covers]
        self._sides = quarter_of(np.arctan2(self._middles[:, 0], -self._middles[:, 1]))
        self._shares = np.array(part.shares.anticlockwise, dtype=float)
        self.taken: list[int] = []
        self.hidden = [0.0]

    def best(self) -> int | None:
        """The cluster to take next; None where there is no place left."""
        free = self._free & self._keeps_in_sight()
        if not free.any():
            return None
        if self._look is FillerLook.SCATTERED:
            return self._farthest(self._on_neediest_side(np.flatnonzero(free)))
        gains = np.where(free, self._hides @ self._left_over, -1.0)
        most = float(gains.max())
        good = np.flatnonzero(gains >= (most * self._nearly if most > self._nothing else 0.0))
        good = good[free[good]]
        # Of equally good ones: what balances left and right, and lies farthest from those that are there.
        x = self._middles[good, 0]
        apart = np.minimum(self._nearest[good], 4 * self._span)
        if self._look is FillerLook.DRIP and self.taken:
            apart = -self._below(good)
        balance = np.abs(self._aside + np.sign(np.round(x, 3)))
        return int(good[np.lexsort((good, -apart, balance if self._look is not FillerLook.DRIP else 0 * apart))[0]])

    def _keeps_in_sight(self) -> NDArray[np.bool_]:
        """Places from which no main thing is covered by more than it may be."""
        kept: NDArray[np.bool_] = np.ones(len(self._free), dtype=bool)
        for hidden, left in self._covers:
            # What is covered by now, and what each would cover more.
            kept &= 1 - left.sum() + hidden @ left <= _COVERED
        return kept

    def leave_out(self, places: NDArray[np.bool_]) -> None:
        """Take no cluster at these places, (clusters,) bool."""
        self._free &= ~places

    def take_best(self, wanted: int, cancelled: Cancelled = never) -> None:
        """Take the best one after the other until `wanted` are taken, or no place is left."""
        while len(self.taken) < wanted and (best := self.best()) is not None:
            stop_if(cancelled)
            self.take(best)

    def _on_neediest_side(self, free: Ints) -> Ints:
        """Those of the free places that lie where most is missing to the wanted shares: all without shares."""
        if self._look is not FillerLook.SCATTERED or not self._shares.any():
            return free
        taken = np.bincount(self._sides[self.taken], minlength=len(self._shares))
        # The side that has least for its share takes the next one (Webster's rule).
        need = self._shares / (taken + 0.5)
        has_room = np.isin(np.arange(len(self._shares)), self._sides[free])
        side = int(np.where(has_room, need, -1.0).argmax())
        return np.asarray(free[self._sides[free] == side])

    def _farthest(self, free: Ints) -> int:
        """The place farthest from all that are taken: they lie evenly over what is seen, the first in the middle.

        Farthest-point sampling (Gonzalez 1985): no two lie nearer than half of what could be at best.
        """
        if not self.taken:
            middle = self._middles[free].mean(axis=0)
            return int(free[np.argmin(np.linalg.norm(self._middles[free] - middle, axis=1))])
        return int(free[np.argmax(np.round(self._nearest[free], 1))])

    @property
    def _span(self) -> float:
        return float(np.ptp(self._middles[:, 2])) + 1.0

    def _below(self, places: Ints) -> Floats:
        """How far places are from where the next drop would hang: straight under the last one."""
        last = self._middles[self.taken[-1]]
        down = last[2] - self._middles[places, 2]
        aside = np.linalg.norm(self._middles[places, :2] - last[:2], axis=1)
        return np.asarray(np.where(down > 0, down, self._span) + 3 * aside)

    def take(self, place: int) -> None:
        """Take a cluster, and what it hides."""
        self.taken.append(place)
        self._free[place] = False
        self._free[self._clash[place].indices] = False
        self._left_over[self._hides[place].indices] = 0.0
        for hidden, left in self._covers:
            left[hidden[place].indices] = 0.0
        self._nearest = np.minimum(self._nearest, np.linalg.norm(self._middles - self._middles[place], axis=1))
        self._aside += float(np.sign(np.round(self._middles[place, 0], 3)))
        gone = self._whole - float(self._left_over.sum())
        self.hidden.append(gone / self._whole if self._whole else 0.0)


def _clashes(balloons: Sequence[Floats], radii: Sequence[Floats]) -> csr_matrix:
    """Which clusters would press into each other."""
    from scipy.sparse import csr_matrix  # noqa: PLC0415 - large, and only needed here
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second, and few pieces need it

    count = len(balloons)
    centres = np.concatenate([np.zeros((0, 3)), *balloons])
    reach = np.concatenate([np.zeros(0), *radii])
    owner = np.repeat(np.arange(count), [len(each) for each in radii])
    if not len(reach):
        return csr_matrix((count, count))
    pairs = cKDTree(centres).query_pairs(2 * float(reach.max()), output_type="ndarray")
    away = np.linalg.norm(centres[pairs[:, 0]] - centres[pairs[:, 1]], axis=1)
    pressed = away < (1 - _TOUCH) * (reach[pairs[:, 0]] + reach[pairs[:, 1]])
    a, b = owner[pairs[pressed, 0]], owner[pairs[pressed, 1]]
    return csr_matrix((np.ones(2 * len(a)), (np.append(a, b), np.append(b, a))), shape=(count, count))
