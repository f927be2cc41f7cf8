"""Probability that each balloon is there in its planned size, in another one, or not at all.

What is measured of a balloon is weighed by a multinomial logistic law. Its weights were fitted to balloons of simulated
photographs of made-up pieces (`benchmarks/fit_presence.py`; none of them is among those that the accuracy is told of).
"""

from __future__ import annotations

import numpy as np

from kakushi.check.circles import RADII
from kakushi.check.light import JudgedColours, SampledBalls
from kakushi.check.places import SIZES, PlaceEvidence
from kakushi.model.arrays import Floats

PLANNED, OTHER_SIZE, MISSING = 0, 1, 2
_SMALLER, _LARGER = (0.6, 0.8), 1.2
"""Range of sizes that count as smaller, and the size from which a balloon counts as larger; multiples of the
planned."""
_TELLS = 30.0
"""Log-likelihood up to which evidence counts in proportion; beyond it ever less."""
_FARTHEST = 8.0
"""Largest distance from the planned colour that counts, in standard deviations."""
_LAW = {
    "constant": (-4.548, -6.988),
    "rim": (-9.711, -7.103),
    "other size": (0.568, 0.126),
    "smaller": (0.449, 0.288),
    "larger": (0.350, -0.583),
    "smaller over missing": (0.743, -0.216),
    "smaller over tiny": (0.129, -0.544),
    "dim": (-0.434, -1.230),
    "mixed": (-3.195, -3.367),
    "far": (-0.159, 0.216),
    "share": (5.636, 4.148),
    "moved": (22.634, 15.333),
    "strange": (1.488, -0.375),
    "smaller circle": (8.483, -4.984),
    "planned circle": (-5.704, -0.488),
    "larger circle": (4.705, -0.410),
    "rough": (4.642, -0.882),
    "revealed": (0.928, 8.984),
}
"""Weight of each feature in the log-odds of OTHER_SIZE and of MISSING against PLANNED."""
FEATURES = tuple(_LAW)[1:]
_WEIGHTS = np.column_stack([np.zeros(len(_LAW)), np.array(list(_LAW.values()))]).T


def features(
    places: PlaceEvidence, closes: Floats, rims: Floats, moved: Floats, sample: SampledBalls, judged: JudgedColours
) -> Floats:
    """Measure the features of the presence classifier, (n, 17); NaN where a ball was not judged.

    `closes` (n, radii): how well circles of the radii of `circles` close. `rims` (n,): how strong edges are along the
    rim where it was fitted. `moved` (n,): how far it was moved to get there, over its radius.
    """
    radii = np.array(RADII)
    closed = np.where(np.isfinite(closes), closes, 0.0)
    light = sample.light - judged.means[judged.seen, 2]
    known = np.isfinite(light)
    dim = np.clip(light - (np.median(light[known]) if known.any() else 0.0), -2.0, 0.5)
    smaller, larger = places.best(*_SMALLER), places.best(_LARGER, np.inf)
    return np.column_stack(
        [
            np.where(np.isfinite(rims), rims, 0.8),
            *(
                np.arcsinh(told / _TELLS)
                for told in (
                    places.other_size, smaller, larger,
                    smaller - places.best(0.0, 0.0), smaller - places.best(SIZES[1], SIZES[1]),
                )
            ),
            np.where(np.isfinite(dim), dim, 0.0),
            np.clip(np.nan_to_num(sample.mixed), 0.0, 0.6),
            np.minimum(judged.far, _FARTHEST),
            sample.share,
            moved,
            judged.strange.astype(float),
            closed[:, (radii >= _SMALLER[0]) & (radii <= _SMALLER[1])].max(axis=1),
            closed[:, (radii > _SMALLER[1]) & (radii < _LARGER)].max(axis=1),
            closed[:, radii >= _LARGER].max(axis=1),
            places.rough,
            places.revealed,
        ]
    )  # fmt: skip


def presence(measured: Floats) -> Floats:
    """How likely each ball is there as planned, in another size, or missing, (n, 3); NaN where it was not looked at."""
    known = np.isfinite(measured).all(axis=1)
    evidence = np.full((len(measured), 3), np.nan)
    logs = np.column_stack([np.ones(int(known.sum())), measured[known]]) @ _WEIGHTS.T
    likely = np.exp(logs - logs.max(axis=1, keepdims=True))
    evidence[known] = likely / likely.sum(axis=1, keepdims=True)
    return evidence
