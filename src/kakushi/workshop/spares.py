"""Spares by risk: pops are random, so spares are the number that is enough with a chosen confidence.

A balloon pops with a chance p that is itself uncertain: p ~ Beta(a, b), a prior per handling updated with what
the log counted for that nominal size. Balloons of one size share their p. A popped spare has to be replaced too,
so the pops before n good balloons follow a negative binomial law.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats
from kakushi.model.log import Learnt
from kakushi.model.workshop import Handling, PopRecord

PRIORS: dict[Handling, tuple[float, float]] = {"indoors": (1.0, 49.0), "outdoors": (2.0, 48.0)}
"""Prior pops and survivals (Beta) of a new studio: 2 % indoors, 4 % outdoors, both uncertain."""
_NODES, _NEGLIGIBLE = 64, 18.0
"""Nodes of the quadrature, and log-likelihood below the maximum beyond which nothing counts."""
_MAX_SPARES = 4000
"""Most spares of one kind; ends the search where losses are nearly certain."""


@dataclass(frozen=True, slots=True)
class PopRate:
    """Knowledge of the probability that a balloon pops: Beta(a, b)."""

    a: float
    b: float

    @property
    def mean(self) -> float:
        """Expected chance to pop."""
        return self.a / (self.a + self.b)


@dataclass(frozen=True, slots=True)
class Need:
    """Number of good balloons needed; all of one `kind` share one unknown pop probability, `rate`."""

    count: int
    rate: PopRate
    kind: Hashable = 0


@dataclass(frozen=True, slots=True)
class Spares:
    """Spares per need, and the chance that none of them runs out."""

    counts: tuple[int, ...]
    confidence: float


def pop_rate(
    nominal_in: float, handling: Handling, records: Iterable[PopRecord], learnt: Learnt | None = None, finish: str = ""
) -> PopRate:
    """What is known of a nominal size, finish and handling: what the log taught, else the prior, and what was counted.

    Of several fills in the log the one that was used most speaks for all.
    """
    a, b = PRIORS[handling]
    if learnt is not None and learnt.pops:
        a, b = next(((a, b) for place, a, b in learnt.unseen if place == handling), (a, b))
        own = [
            each for each in learnt.pops if (each.nominal_in, each.finish, each.place) == (nominal_in, finish, handling)
        ]
        if own:
            most = max(own, key=lambda each: each.seen)
            a, b = most.a, most.b
    for record in records:
        if (record.nominal_in, record.handling) == (nominal_in, handling):
            a, b = a + record.popped, b + record.used - record.popped
    return PopRate(a, b)


@lru_cache(maxsize=256)
def spares_for(needs: tuple[Need, ...], confidence: float) -> Spares:
    """The fewest spares found with which nothing runs out with at least `confidence` (below 1), all needs together.

    One spare at a time goes where it helps most; spares that turn out needless are taken back.
    """
    if not needs:
        return Spares((), 1.0)
    risk = _Risk(needs)
    counts = risk.alone(confidence)
    while risk.together(counts) < confidence and counts.max() < _MAX_SPARES:
        counts[int(np.argmax(risk.gains(counts)))] += 1
    for place in np.argsort(-counts):
        counts[place] -= 1
        if counts[place] < 0 or risk.together(counts) < confidence:
            counts[place] += 1
    return Spares(tuple(int(c) for c in counts), risk.together(counts))


class _Risk:
    """Chances that spares are enough: for every need a table (spares, nodes) of logs, nodes over its rate's Beta."""

    def __init__(self, needs: tuple[Need, ...]) -> None:
        sizes = list(dict.fromkeys((need.kind, need.rate) for need in needs))
        averages = [_beta_nodes(rate) for _, rate in sizes]
        chances, self._weights = [a[0] for a in averages], np.stack([a[1] for a in averages])
        self._group = np.array([sizes.index((need.kind, need.rate)) for need in needs])
        self._members = [np.flatnonzero(self._group == g) for g in range(len(sizes))]
        self._tables = [_log_enough(n.count, chances[g]) for n, g in zip(needs, self._group, strict=True)]

    def _logs(self, counts: NDArray[np.int64]) -> Floats:
        """Log chances (needs, nodes) that each need's spares are enough."""
        return np.stack([t[min(c, len(t) - 1)] for t, c in zip(self._tables, counts, strict=True)])

    def together(self, counts: NDArray[np.int64]) -> float:
        """Probability that no need runs out: needs of one size jointly, sizes independent."""
        logs = self._logs(counts)
        sums = np.stack([logs[members].sum(axis=0) for members in self._members])
        return float(np.prod((np.exp(sums) * self._weights).sum(axis=1)))

    def alone(self, confidence: float) -> NDArray[np.int64]:
        """Spares that cover each need by itself: jointly there are never fewer."""
        enough = [np.exp(t) @ self._weights[g] for t, g in zip(self._tables, self._group, strict=True)]
        return np.array([int(np.argmax(e >= confidence)) if e[-1] >= confidence else len(e) - 1 for e in enough])

    def gains(self, counts: NDArray[np.int64]) -> Floats:
        """Factor by which one more spare of each need raises the chance, array (needs,)."""
        logs, more = self._logs(counts), self._logs(counts + 1)
        sums = np.stack([logs[members].sum(axis=0) for members in self._members])
        before = (np.exp(sums) * self._weights).sum(axis=1)
        after = (np.exp(sums[self._group] + more - logs) * self._weights[self._group]).sum(axis=1)
        return np.asarray(after / before[self._group])


@lru_cache(maxsize=64)
def _beta_nodes(rate: PopRate) -> tuple[Floats, Floats]:
    """Chances and weights that average over a Beta: the trapezium rule over log(p / (1 - p))."""
    wide = np.linspace(-40.0, 20.0, 6001)
    logs = _log_beta(rate, wide)
    inside = wide[logs > logs.max() - _NEGLIGIBLE]
    x = np.linspace(inside[0], inside[-1], _NODES)
    weights = np.exp(_log_beta(rate, x) - logs.max())
    return 1 / (1 + np.exp(-x)), weights / weights.sum()


def _log_beta(rate: PopRate, logit: Floats) -> Floats:
    """Log density of Beta(a, b) over x = log(p / (1 - p)), less a constant: a·log p + b·log(1 - p)."""
    return np.asarray(-rate.a * np.logaddexp(0, -logit) - rate.b * np.logaddexp(0, logit))


def _log_enough(count: int, chances: Floats) -> Floats:
    """Log of the chance that s spares are enough for `count` good balloons, array (s, nodes).

    P(k pops) = C(n + k - 1, k) p^k (1 - p)^n.
    """
    p = chances
    usual = count * float(p.max()) / (1 - float(p.max()))
    most = min(int(usual + 8 * np.sqrt(usual / (1 - float(p.max())))) + 12, _MAX_SPARES)
    k = np.arange(1, most + 1)
    ways = np.concatenate([[0.0], np.cumsum(np.log((count + k - 1) / k))])
    logs = ways[:, None] + np.arange(most + 1)[:, None] * np.log(p) + count * np.log1p(-p)
    return np.asarray(np.minimum(np.logaddexp.accumulate(logs, axis=0), 0.0))
