"""How likely each balloon is there in its planned size, in another one, or not there at all.

What is measured of a balloon is weighed by a multinomial logistic law. Its weights were fitted to balloons of simulated
photographs of made-up pieces (`benchmarks/fit_presence.py`; none of them is among those that the accuracy is told of).
"""

from __future__ import annotations

import numpy as np

from kakushi.check.circles import RADII
from kakushi.check.light import Judged, Sample
from kakushi.check.places import SIZES, Places
from kakushi.model.arrays import Floats

FEATURES = (
    "rim", "other size", "smaller", "larger", "smaller over missing", "smaller over tiny", "dim", "mixed", "far",
    "share", "moved", "strange", "smaller circle", "planned circle", "larger circle", "rough", "revealed",
)  # fmt: skip
PLANNED, OTHER_SIZE, MISSING = 0, 1, 2
_SMALLER, _LARGER = (0.6, 0.8), 1.2
"""Sizes over the planned that count as smaller, and from which on as larger."""
_TELLS = 30.0
"""Logarithms of likelihoods up to about that count in proportion, larger ones ever less."""
_FARTHEST = 8.0
_WEIGHTS = np.array(
    [
        [
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
            0.000,
        ],
        [
            -4.548,
            -9.711,
            0.568,
            0.449,
            0.350,
            0.743,
            0.129,
            -0.434,
            -3.195,
            -0.159,
            5.636,
            22.634,
            1.488,
            8.483,
            -5.704,
            4.705,
            4.642,
            0.928,
        ],
        [
            -6.988,
            -7.103,
            0.126,
            0.288,
            -0.583,
            -0.216,
            -0.544,
            -1.230,
            -3.367,
            0.216,
            4.148,
            15.333,
            -0.375,
            -4.984,
            -0.488,
            -0.410,
            -0.882,
            8.984,
        ],
    ]
)
"""One line to each of PLANNED, OTHER_SIZE and MISSING: a constant, then one weight to a feature."""


def features(places: Places, closes: Floats, rims: Floats, moved: Floats, sample: Sample, judged: Judged) -> Floats:
    """What is measured of each ball, (n, 17), NaN where it was not looked at.

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
    found = np.full((len(measured), 3), np.nan)
    logs = np.column_stack([np.ones(int(known.sum())), measured[known]]) @ _WEIGHTS.T
    likely = np.exp(logs - logs.max(axis=1, keepdims=True))
    found[known] = likely / likely.sum(axis=1, keepdims=True)
    return found
