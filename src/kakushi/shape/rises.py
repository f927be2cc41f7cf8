"""Rises corrected by what settling showed: the programme is only as good as its tables."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from kakushi.packing.stack import Floats
from kakushi.shape.choices import Choices
from kakushi.shape.judge import Judged

STEEP = 0.2
KERNEL = 0.12
PRIOR_WEIGHT = 0.15


def corrected_rises(choices: Choices, seen: Sequence[Judged]) -> Floats:
    """The table of rises, (k, k) mm, scaled to the settled stacks in `seen`.

    Gentle changes of size (|ln ratio| below STEEP) share one factor, that of the latest stack. Steep
    ones are told apart: each takes the factors of settled pairs near it in (ln low, ln high), weighted
    by a Gaussian kernel, since a big row on a small one settles where no sample stack predicts.
    """
    log_d = np.log(choices.diameters)
    low, high, ratio, is_latest = _observed(choices, seen)
    gentle = np.abs(log_d[high] - log_d[low]) < STEEP
    of_latest = ratio[gentle & is_latest]
    usual = float(of_latest.mean()) if len(of_latest) else 1.0
    table = choices.rise * usual
    if gentle.all():
        return np.asarray(table)
    low, high, ratio = low[~gentle], high[~gentle], ratio[~gentle]
    steep_low, steep_high = np.nonzero(np.abs(log_d[None, :] - log_d[:, None]) >= STEEP)
    apart = (log_d[steep_low][:, None] - log_d[low]) ** 2 + (log_d[steep_high][:, None] - log_d[high]) ** 2
    weight = np.exp(-apart / (2 * KERNEL**2))
    factor = (weight @ ratio + PRIOR_WEIGHT * usual) / (weight.sum(axis=1) + PRIOR_WEIGHT)
    table[steep_low, steep_high] = choices.rise[steep_low, steep_high] * factor
    return np.asarray(table)


def _observed(choices: Choices, seen: Sequence[Judged]) -> tuple[np.ndarray, np.ndarray, Floats, np.ndarray]:
    low = np.concatenate([np.array(j.kinds[:-1], dtype=int) for j in seen])
    high = np.concatenate([np.array(j.kinds[1:], dtype=int) for j in seen])
    rise = np.concatenate([np.diff(j.geometry.knots) for j in seen])
    is_latest = np.concatenate([np.full(len(j.kinds) - 1, j is seen[-1]) for j in seen])
    return low, high, np.asarray(rise / choices.rise[low, high]), is_latest
