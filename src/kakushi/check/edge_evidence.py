"""Evidence of edges for where things end, with a balloon in front of them or without it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kakushi.sight.expected import borders

_TO_ONE = 5.0
"""Pixels of an edge that count as one observation: neighbours are not independent."""
_WORTH, _LEVEL = 4.0, 0.36
"""An edge of strength e adds worth × (e − level) to the log-likelihood that something ends there."""
_BEHIND_OFF, _BEHIND_LEVEL = 0.06, 0.50
"""Tolerance, in radii, for where a balloon behind ends (nobody fitted it), and the level of edges there."""
_INNER = 0.15
"""Distance from the rim, in radii, up to which a pixel does not count as inside."""
_LEAST_ENDS = 5
"""Least pixels where things end for their edges to be measured by themselves."""


class EdgeEvidence:
    """Evidence of the `edges` (h, w) 0 to 1 around a balloon of some radius, px.

    `behind` (h, w): what shows without the balloon; `use` (h, w): pixels that count.
    """

    def __init__(
        self, edges: NDArray[np.float32], behind: NDArray[np.int64], use: NDArray[np.bool_], radius: float
    ) -> None:
        from scipy.ndimage import maximum_filter  # noqa: PLC0415 - large, and only needed here

        self._edges, self._use = edges, use
        self._wide = maximum_filter(edges, 2 * max(round(_BEHIND_OFF * radius), 1) + 1)
        self._changes = borders(behind)
        self._margin = max(round(_INNER * radius), 2)
        across, down = use[:, 1:] & use[:, :-1], use[1:] & use[:-1]
        # An edge lies between two pixels: the stronger of both.
        self._own = (
            np.where(across, _worth(np.maximum(edges[:, 1:], edges[:, :-1]), _LEVEL), 0.0),
            np.where(down, _worth(np.maximum(edges[1:], edges[:-1]), _LEVEL), 0.0),
        )
        wide = self._wide
        across, down = across & (behind[:, 1:] != behind[:, :-1]), down & (behind[1:] != behind[:-1])
        self._behind = (
            np.where(across, _worth(np.maximum(wide[:, 1:], wide[:, :-1]), _BEHIND_LEVEL), 0.0),
            np.where(down, _worth(np.maximum(wide[1:], wide[:-1]), _BEHIND_LEVEL), 0.0),
        )
        self.rest = float(self._behind[0].sum() + self._behind[1].sum())
        """What they say without the balloon, logarithm of how likely."""

    def with_front(self, area: tuple[slice, slice], front: NDArray[np.bool_]) -> float:
        """Log-likelihood with the balloon showing where the mask `front` is true, and what is behind it elsewhere."""
        lines, columns = area
        total = self.rest
        for own, behind, one, other in (
            (self._own[0], self._behind[0], front[:, 1:], front[:, :-1]),
            (self._own[1], self._behind[1], front[1:], front[:-1]),
        ):
            part = np.s_[lines.start : lines.start + one.shape[0], columns.start : columns.start + one.shape[1]]
            total += float(own[part][one ^ other].sum() - behind[part][one | other].sum())
        return total

    def within(self, front: NDArray[np.bool_]) -> tuple[float, float]:
        """Mean strength of edges inside the balloon, and where things end that it should hide; 0 to 1."""
        from scipy.ndimage import binary_erosion  # noqa: PLC0415 - large, and only needed here

        inner = binary_erosion(front, iterations=self._margin) & self._use
        if not inner.any():
            return 0.0, 0.0
        rough, hidden = float(self._edges[inner].mean()), self._changes & inner
        return rough, float(self._wide[hidden].mean()) if hidden.sum() >= _LEAST_ENDS else rough


def _worth(edges: NDArray[np.float32], level: float) -> NDArray[np.float64]:
    return np.asarray(_WORTH * (edges - level) / _TO_ONE, dtype=float)
