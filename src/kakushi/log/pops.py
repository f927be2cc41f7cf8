"""Chances to pop, learnt: kinds of balloons share what they have in common.

Each kind's chance p is drawn from a Beta with mean m and weight k that all kinds of one place share (a hierarchical
Beta-binomial model, as in Gelman et al., Bayesian Data Analysis, chapter 5). m and k are averaged over a grid, so that
a kind of which little is known has the width of not knowing them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from scipy.optimize import brentq
from scipy.special import betainc, betaln

from kakushi.model.arrays import Floats
from kakushi.model.log import LearntPops, PopCell
from kakushi.model.workshop import Handling

USUAL: Mapping[Handling, float] = {"indoors": 0.02, "outdoors": 0.04}
"""Share of balloons that pop before anything is counted. Assumed."""
_USUAL_SPREAD = 0.7
"""How far a studio's mean chance is from the usual one: standard deviation of its logarithm, a factor of 2. Assumed."""
_MEANS = np.geomspace(3e-4, 0.4, 48)
_WEIGHTS = np.geomspace(3.0, 300.0, 20)
"""Grid of the mean chance and of how alike kinds are: from hardly at all to very much."""
_LOW, _HIGH = 0.05, 0.95
"""Ends of the interval that is told."""


class PopsSeen(NamedTuple):
    """Balloons of a kind that were blown up, and how many of them popped."""

    cell: PopCell
    used: int
    popped: int


_COUNTS = 1e-4
"""Weight of a place of the grid, over the largest, below which it moves no end of an interval."""


def learnt_pops(seen: Sequence[PopsSeen]) -> tuple[list[LearntPops], tuple[tuple[Handling, float, float], ...]]:
    """What was learnt of each kind, and for each place with entries the Beta (a, b) of a kind not used there yet."""
    learnt: list[LearntPops] = []
    unseen: list[tuple[Handling, float, float]] = []
    for place in USUAL:
        here = [each for each in seen if each.cell[2] == place and each.used > 0]
        if not here:
            continue
        weights, a, b = _shared(here, place)
        mean, spread = _moments(weights, a, b)
        unseen.append((place, *_beta_of(mean, spread)))
        for each in here:
            own_a, own_b = a + each.popped, b + each.used - each.popped
            own = _moments(weights, own_a, own_b)
            low, high = (_quantile(share, weights, own_a, own_b) for share in (_LOW, _HIGH))
            own_beta = _beta_of(*own)
            nominal, finish, _, fill = each.cell
            learnt.append(
                LearntPops(
                    nominal_in=nominal, finish=finish, place=place, fill=fill, mean=own[0], low=low, high=high,
                    seen=each.used, popped=each.popped, a=own_beta[0], b=own_beta[1],
                )
            )  # fmt: skip
    return learnt, tuple(unseen)


def _shared(seen: Sequence[PopsSeen], place: Handling) -> tuple[Floats, Floats, Floats]:
    """Weights of the grid, and the Beta's a and b there, each (grid,)."""
    mean, weight = (each.ravel() for each in np.meshgrid(_MEANS, _WEIGHTS, indexing="ij"))
    a, b = mean * weight, (1 - mean) * weight
    logs = -0.5 * (np.log(mean / USUAL[place]) / _USUAL_SPREAD) ** 2
    for each in seen:
        logs = logs + betaln(a + each.popped, b + each.used - each.popped) - betaln(a, b)
    weights = np.exp(logs - logs.max())
    return weights / weights.sum(), a, b


def _moments(weights: Floats, a: Floats, b: Floats) -> tuple[float, float]:
    """Mean and variance of a mixture of Betas."""
    means = a / (a + b)
    mean = float(weights @ means)
    return mean, float(weights @ (means * (1 - means) / (a + b + 1) + (means - mean) ** 2))


def _beta_of(mean: float, variance: float) -> tuple[float, float]:
    """The Beta (a, b) of a mean and a variance."""
    size = mean * (1 - mean) / variance - 1
    return mean * size, (1 - mean) * size


def _quantile(share: float, weights: Floats, a: Floats, b: Floats) -> float:
    """The chance below which a share of a mixture of Betas lies."""
    kept = weights > _COUNTS * weights.max()
    weights, a, b = weights[kept] / weights[kept].sum(), a[kept], b[kept]
    return float(brentq(lambda chance: float(weights @ betainc(a, b, chance)) - share, 0.0, 1.0))
