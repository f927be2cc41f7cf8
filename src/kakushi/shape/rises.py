"""Rises corrected by what settling showed: the row programme is only as good as its tables."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats, Ints
from kakushi.shape.choices import RowKinds
from kakushi.shape.judge import JudgedStack
from kakushi.shape.settings import RISE_CORRECTION, SCORE


@dataclass(frozen=True, slots=True)
class _SettledPairs:
    """Pairs of neighbouring rows in settled stacks, all (p,): kinds, settled over tabled rise, and which stack's."""

    low: Ints
    high: Ints
    ratio: Floats
    is_latest: NDArray[np.bool_]
    is_swallowed: NDArray[np.bool_]

    def only(self, which: NDArray[np.bool_]) -> _SettledPairs:
        """The pairs with `which`, (p,), true."""
        return _SettledPairs(
            self.low[which], self.high[which], self.ratio[which], self.is_latest[which], self.is_swallowed[which]
        )


def corrected_rises(choices: RowKinds, seen: Sequence[JudgedStack]) -> Floats:
    """The table of rises, (k, k) mm, scaled to the settled stacks in `seen`.

    Gentle changes of size (|ln ratio| below RISE_CORRECTION.steep) share one factor, that of the latest stack. Steep
    ones are told apart: each takes the factors of settled pairs near it in (ln low, ln high), weighted
    by a Gaussian kernel, since a big row on a small one settles where no sample stack predicts. Where a row was
    swallowed by its neighbour that pair and those near it are refused: no rise at all.
    """
    log_d = np.log(choices.diameters)
    pairs = _observed(choices, seen)
    sound = pairs.only(~pairs.is_swallowed)
    is_gentle = np.abs(log_d[sound.high] - log_d[sound.low]) < RISE_CORRECTION.steep
    of_latest = sound.ratio[is_gentle & sound.is_latest]
    usual = float(of_latest.mean()) if len(of_latest) else 1.0
    table = choices.rise * usual
    steep = sound.only(~is_gentle)
    if len(steep.low):
        at = np.nonzero(np.abs(log_d[None, :] - log_d[:, None]) >= RISE_CORRECTION.steep)
        weight = np.exp(-_squared_apart(log_d, at, steep) / (2 * RISE_CORRECTION.kernel**2))
        factor = (weight @ steep.ratio + RISE_CORRECTION.prior_weight * usual) / (
            weight.sum(axis=1) + RISE_CORRECTION.prior_weight
        )
        table[at] = choices.rise[at] * factor
    swallowed = pairs.only(pairs.is_swallowed)
    if len(swallowed.low):
        at = np.nonzero(np.ones_like(table))
        near = (_squared_apart(log_d, at, swallowed) < RISE_CORRECTION.refused_within**2).any(axis=1)
        table.ravel()[near] = 0.0
    return np.asarray(table)


def _squared_apart(log_d: Floats, at: tuple[Ints, ...], pairs: _SettledPairs) -> Floats:
    """How far entries `at` of the table are from pairs seen, squared, (entries, p)."""
    low, high = log_d[at[0]][:, None], log_d[at[1]][:, None]
    return np.asarray((low - log_d[pairs.low]) ** 2 + (high - log_d[pairs.high]) ** 2)


def _observed(choices: RowKinds, seen: Sequence[JudgedStack]) -> _SettledPairs:
    low = np.concatenate([np.array(j.kinds[:-1], dtype=int) for j in seen])
    high = np.concatenate([np.array(j.kinds[1:], dtype=int) for j in seen])
    rise = np.concatenate([j.geometry.frames.rises for j in seen])
    is_latest = np.concatenate([np.full(len(j.kinds) - 1, j is seen[-1]) for j in seen])
    least = SCORE.shallow_rise * np.minimum(choices.diameters[low], choices.diameters[high])
    return _SettledPairs(low, high, np.asarray(rise / choices.rise[low, high]), is_latest, rise <= least)
