"""How likely each balloon is there in its planned size, in another one, or not there at all.

What is measured of a balloon is weighed by a multinomial logistic law. Its weights were fitted to balloons of simulated
photographs of made-up pieces (`benchmarks/fit_presence.py`; none of them is among those that the accuracy is told of).
"""

from __future__ import annotations

import numpy as np

from kakushi.check.light import Judged, Sample
from kakushi.check.places import SIZES, Places
from kakushi.check.subject import Subject
from kakushi.model.arrays import Floats

FEATURES = (
    "rim", "usual rim", "smaller rim", "larger rim", "other size", "missing", "could", "dim", "mixed", "other colour",
)  # fmt: skip
PLANNED, OTHER_SIZE, MISSING = 0, 1, 2
_WEIGHTS = np.array(
    [
        [0.000, 0.000, 0.000, 0.000, 0.000, 0.000, 0.000, 0.000, 0.000, 0.000, 0.000],
        [2.326, -12.436, -8.829, 9.058, 4.073, 0.739, -0.219, 0.057, -0.411, -0.042, 1.339],
        [4.487, -11.246, 2.795, 1.612, -2.912, 0.553, 0.692, 0.077, -1.430, 0.860, 1.477],
    ]
)
"""One line to each of PLANNED, OTHER_SIZE and MISSING: a constant, then one weight to a feature."""


def features(places: Places, sample: Sample, judged: Judged, subject: Subject, rims: Floats) -> Floats:
    """What is measured of each ball, (n, 10), NaN where it was not looked at.

    `rims` (n,): how strong edges are along the rim where it was fitted.
    """
    sizes = np.array(SIZES)
    usual, smaller, larger = (sizes >= 0.94) & (sizes <= 1.06), (sizes >= 0.6) & (sizes <= 0.8), sizes >= 1.2
    along = np.where(np.isfinite(places.rims), places.rims, 0.0)
    light = sample.light - judged.means[judged.seen, 2]
    known = np.isfinite(light)
    dim = np.clip(light - (np.median(light[known]) if known.any() else 0.0), -2.0, 0.5)
    return np.column_stack(
        [
            np.where(np.isfinite(rims), rims, 0.8),
            *(along[:, which].max(axis=1) for which in (usual, smaller, larger)),
            np.arcsinh(places.other_size / 30),
            np.arcsinh(places.missing / 30),
            np.arcsinh(places.could / 100),
            np.where(np.isfinite(dim), dim, 0.0),
            np.clip(np.nan_to_num(sample.mixed), 0.0, 0.6),
            (judged.seen != subject.colours).astype(float),
        ]
    )


def presence(measured: Floats) -> Floats:
    """How likely each ball is there as planned, in another size, or missing, (n, 3); NaN where it was not looked at."""
    known = np.isfinite(measured).all(axis=1)
    found = np.full((len(measured), 3), np.nan)
    logs = np.column_stack([np.ones(int(known.sum())), measured[known]]) @ _WEIGHTS.T
    likely = np.exp(logs - logs.max(axis=1, keepdims=True))
    found[known] = likely / likely.sum(axis=1, keepdims=True)
    return found
