"""The balloons of a ball coloured so that no two alike touch."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from kakushi.packing.ball import BallGeometry

_NEAR = 1.03
"""Distance of two balloons, as a multiple of the sum of their radii, below which they touch once somebody leans on
them."""
_STARTS, _SEED = 12, 5
"""Number of random starting orders for the exchanges, and their seed, so that the answer is the same every time."""


def touching(ball: BallGeometry) -> list[tuple[int, int]]:
    """Pairs of balloons of a ball that touch."""
    away = np.linalg.norm(ball.centres[:, None] - ball.centres[None], axis=2)
    reach = (ball.shape_radii[:, None] + ball.shape_radii[None]) * _NEAR
    return [(a, b) for a, b in np.argwhere(away < reach).tolist() if a < b]


def alike(colours: Sequence[str], pairs: Sequence[tuple[int, int]]) -> int:
    """Touching pairs of one colour."""
    return sum(colours[a] == colours[b] for a, b in pairs)


def colours_apart(colours: Sequence[str], pairs: Sequence[tuple[int, int]]) -> tuple[str, ...]:
    """The same colours, as many of each, exchanged until as few as can be touch their own."""
    rng, best = np.random.default_rng(_SEED), list(colours)
    for start in range(_STARTS):
        if alike(best, pairs) == 0:
            break
        order = list(colours) if start == 0 else [colours[i] for i in rng.permutation(len(colours))]
        _exchange(order, pairs)
        best = min(best, order, key=lambda each: alike(each, pairs))
    return tuple(best)


def _exchange(colours: list[str], pairs: Sequence[tuple[int, int]]) -> None:
    """Exchange two balloons, the best two first, while that helps."""
    now = alike(colours, pairs)
    while now:
        best: tuple[int, int, int] | None = None
        for a in range(len(colours)):
            for b in range(a):
                if colours[a] == colours[b]:
                    continue
                colours[a], colours[b] = colours[b], colours[a]
                count = alike(colours, pairs)
                colours[a], colours[b] = colours[b], colours[a]
                if count < now and (best is None or count < best[0]):
                    best = count, a, b
        if best is None:
            return
        now, a, b = best
        colours[a], colours[b] = colours[b], colours[a]
