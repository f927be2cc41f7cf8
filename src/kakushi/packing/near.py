"""Which balloons lie near each other: a column is long and thin, so few of them do."""

from __future__ import annotations

import numpy as np

from kakushi.model.arrays import Floats, Ints


def pairs_near_in_height(heights: Floats, within: float) -> Ints:
    """Every two balloons whose `heights` (n,) differ by at most `within` mm, (p, 2), the lower index first.

    A window over the sorted heights finds them all.
    """
    order = np.argsort(heights, kind="stable")
    ends = np.searchsorted(heights[order], heights[order] + within, side="right")
    following = ends - np.arange(len(order)) - 1
    low = np.repeat(np.arange(len(order)), following)
    high = low + 1 + np.arange(len(low)) - np.repeat(np.cumsum(following) - following, following)
    return np.sort(np.stack([order[low], order[high]], axis=1), axis=1)
