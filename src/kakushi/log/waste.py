"""Learnt from the log: material wasted, how far sizing scatters, pops of balloons blown softer for the sun."""

from __future__ import annotations

import math
from collections.abc import Mapping

from scipy.stats import beta, chi2

from kakushi.log.minutes import LogSums, learnt_rate
from kakushi.model.log import LearntRate, LearntSoft, LearntWaste

_WASTE_SPREAD = 0.2
"""Assumed standard deviation of the logarithm of what a job uses of a material over what was planned."""
_FEWEST = 5
"""Balloons measured again from which a scatter is told: of fewer it may be anything."""
_LOW = 0.05
"""Share below the interval that is told, and above it."""
_HEAT_PRIOR = 1.0, 24.0
"""Pops by heat and survivals (Beta) that are assumed outdoors before anything was counted: one in 25."""


def learnt_waste(seen: Mapping[tuple[str, str], LogSums]) -> list[LearntWaste]:
    """Used over planned, by item; what was planned counts as before anything was measured."""
    return [
        LearntWaste(item=item, **learnt_rate(sums, 1.0, _WASTE_SPREAD).model_dump())
        for (item, _), sums in sorted(seen.items())
    ]


def learnt_scatter(sums: LogSums) -> LearntRate | None:
    """Standard deviation of sized balloons, mm, from sums of how far they were off; None of a few.

    How far they are off on average is an error of the setting, not their scatter. The interval is that of chi-square.
    """
    freedom = sums.entries - 1
    if sums.entries < _FEWEST:
        return None
    squares = max(sums.squares - sums.total**2 / sums.entries, 0.0)
    low, high = (math.sqrt(squares / float(chi2.ppf(share, freedom))) for share in (1 - _LOW, _LOW))
    return LearntRate(mean=math.sqrt(squares / freedom), low=low, high=high, seen=sums.entries)


def learnt_soft(seen: Mapping[tuple[str, str], LogSums]) -> list[LearntSoft]:
    """Chance of popping in the heat, by how much softer balloons were blown; sums count 1 for each that popped."""
    learnt = []
    for (soft, _), sums in sorted(seen.items()):
        a, b = _HEAT_PRIOR[0] + sums.total, _HEAT_PRIOR[1] + sums.entries - sums.total
        low, high = (float(beta.ppf(share, a, b)) for share in (_LOW, 1 - _LOW))
        learnt.append(
            LearntSoft(soft=soft, popped=round(sums.total), mean=a / (a + b), low=low, high=high, seen=sums.entries)
        )
    return learnt
