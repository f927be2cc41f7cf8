"""Minutes for each kind of work and rises, learnt: logarithms of ratios, shrunk to what was assumed before.

The logarithm of what one of a kind takes is normal; its mean and spread are unknown (normal and inverse gamma, the
usual conjugate prior). What is told is the middle value, which half of all days stay below.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from scipy.special import stdtrit

from kakushi.model.log import WORK_KINDS, LearntMinutes, LearntRate, LearntRise
from kakushi.model.workshop import Rates

_PRIOR_WEIGHT = 0.2
"""Entries that what was assumed counts for: soon it is one's own figures that count."""
_SPREAD_WEIGHT = 1.5
"""Entries that the assumed spread counts for."""
_MINUTES_SPREAD, _RISE_SPREAD = 0.25, 0.015
"""Standard deviations of logarithms: of minutes between entries; of measured over planned height. Assumed."""
_LOW = 0.05
"""Share below the interval that is told, and above it."""


class LogSums(NamedTuple):
    """Sums over entries of the logarithm of something: how many, their sum, the sum of their squares."""

    entries: int
    total: float
    squares: float

    def and_more(self, other: LogSums) -> LogSums:
        """These and others."""
        return LogSums(self.entries + other.entries, self.total + other.total, self.squares + other.squares)


def minutes_assumed(rates: Rates) -> dict[str, float]:
    """Minutes for one of each kind of work that a studio assumes."""
    return {kind: max(float(getattr(rates, name)), 1.0) / 60 for kind, name in WORK_KINDS.items()}


def learnt_rate(sums: LogSums, usual: float | None, spread: float) -> LearntRate:
    """A middle value with its 90 % interval from sums of logarithms; `usual` before anything is known."""
    n = sums.entries
    mean = sums.total / n if n else math.log(usual or 1.0)
    prior = math.log(usual) if usual else mean
    weight = _PRIOR_WEIGHT if usual else 0.0
    middle = (weight * prior + n * mean) / (weight + n) if weight + n else mean
    scatter = max(sums.squares - n * mean**2, 0.0) if n else 0.0
    # How far entries lie off what was assumed is no scatter of theirs: only their own counts.
    freedom = _SPREAD_WEIGHT + max(n - 1, 0)
    variance = (_SPREAD_WEIGHT * spread**2 + scatter) / freedom
    error = math.sqrt(variance / (weight + n)) if weight + n else spread
    reach = float(stdtrit(freedom, 1 - _LOW)) * error
    return LearntRate(mean=math.exp(middle), low=math.exp(middle - reach), high=math.exp(middle + reach), seen=n)


def learnt_minutes(seen: Mapping[tuple[str, str], LogSums], rates: Rates) -> list[LearntMinutes]:
    """Minutes by kind of work, for everybody and for each person; a person's begin where everybody's are."""
    usual, kinds = minutes_assumed(rates), dict[str, LogSums]()
    for (kind, _), sums in sorted(seen.items()):
        kinds[kind] = kinds.get(kind, LogSums(0, 0.0, 0.0)).and_more(sums)
    learnt = []
    for kind, sums in kinds.items():
        of_all = learnt_rate(sums, usual.get(kind), _MINUTES_SPREAD)
        learnt.append(LearntMinutes(kind=kind, person="", **of_all.model_dump()))
        people = [(person, own) for (one, person), own in sorted(seen.items()) if one == kind and person]
        for person, own in people:
            rate = learnt_rate(own, of_all.mean, _MINUTES_SPREAD)
            learnt.append(LearntMinutes(kind=kind, person=person, **rate.model_dump()))
    return learnt


def learnt_rises(seen: Mapping[tuple[str, str], LogSums]) -> list[LearntRise]:
    """Measured over planned height by joint and packing."""
    return [
        LearntRise(joint=joint, packing=packing, **learnt_rate(sums, 1.0, _RISE_SPREAD).model_dump())
        for (joint, packing), sums in sorted(seen.items())
    ]


def learnt_shrink(sums: LogSums) -> LearntRate | None:
    """Height the next day over that of the day before; None where nothing was measured."""
    return learnt_rate(sums, None, _RISE_SPREAD) if sums.entries else None


def sums_of(ratios: Iterable[float]) -> LogSums:
    """Sums of the logarithms of ratios."""
    logs = [math.log(each) for each in ratios]
    return LogSums(len(logs), sum(logs), sum(each**2 for each in logs))
