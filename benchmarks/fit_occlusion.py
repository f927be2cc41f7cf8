"""Fit the weights of `kakushi.check.occlusion` to simulated photographs, most of them with something in front.

.venv/bin/python benchmarks/fit_occlusion.py --folder /tmp/photos
"""

from __future__ import annotations

import argparse
import pickle
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from check_occluded import with_occluder
from check_photos import photograph, request_of
from fit_presence import with_many_faults
from scipy.optimize import minimize

from kakushi.check.alignment import aligned
from kakushi.check.check import poses
from kakushi.check.evidence import sampled_photo
from kakushi.check.image import linear_of
from kakushi.check.occlusion import features, occluder_pixels

OCCLUDED, FAULTY, USUAL = range(3000, 3060), range(2000, 2016), range(1000, 1040)
"""Numbers of photographs with something in front; with six faults, and up to four, and nothing in front."""
FAULTS_COUNT = 3
"""Weight of a balloon with a fault: one that is not told is worse than one behind something that is checked."""
COVERED, FREE = 0.08, 0.02
"""Shares of a balloon's disc from which it counts as covered, and up to which it does not."""
RIDGE = 0.02
"""Of the weights, so that none grows beyond what so many balloons can tell."""


def measured(number: int, folder: Path) -> list[tuple[float, np.ndarray, str]]:
    """Of the balloons of a photograph: how much of each is covered, what is measured, and what is wrong with it."""
    path = folder / f"{number}.occlusion"
    if path.exists():
        return pickle.loads(path.read_bytes())
    model, taken = (with_many_faults if number in FAULTY else photograph)(number, folder)
    if number in OCCLUDED:
        pixels, mask = with_occluder(number, taken)
    else:
        pixels, mask = taken.photograph.pixels, np.zeros(taken.photograph.pixels.shape[:2], dtype=bool)
    request, linear = request_of(number, model, taken), linear_of(pixels)
    found = []
    fits = poses(model, linear, request, lambda _: None, lambda: False)
    if fits and abs((fits[0].pose.azimuth - taken.shot.azimuth + np.pi) % (2 * np.pi) - np.pi) < 0.15:
        photo = aligned(model, linear, request, fits[0], lambda: False)
        seen = sampled_photo(model, photo, None)
        values = features(photo, occluder_pixels(photo, seen.colours, model), seen.sample, seen.colours, model)
        made = {(fault.row, fault.slot): fault.kind for fault in taken.made}
        y, x = np.mgrid[: mask.shape[0], : mask.shape[1]]
        for ball in np.flatnonzero((model.rows >= 0) & (seen.sample.share > 0.25) & np.isfinite(values).all(axis=1)):
            cx, cy, radius = photo.circles[ball] / photo.image.scale
            disc = (x - cx) ** 2 + (y - cy) ** 2 < radius**2
            kind = made.get((int(model.rows[ball]), int(model.slots[ball])), "")
            found.append((float(mask[disc].mean()) if disc.any() else 0.0, values[ball], kind))
    path.write_bytes(pickle.dumps(found))
    return found


def fitted(values: np.ndarray, covered: np.ndarray, counts: np.ndarray) -> np.ndarray:
    """Weights (k,) of a logistic law, the constant first; `counts` (n,): how much each balloon counts."""

    def cost(weights: np.ndarray) -> tuple[float, np.ndarray]:
        score = values @ weights
        likely = 1 / (1 + np.exp(-score))
        rest = weights[1:]
        loss = (counts * np.logaddexp(0, np.where(covered, -score, score))).sum() + RIDGE * float(rest @ rest)
        slope = values.T @ (counts * (likely - covered))
        slope[1:] += 2 * RIDGE * rest
        return float(loss), slope

    return minimize(cost, np.zeros(values.shape[1]), jac=True, method="L-BFGS-B", options={"maxiter": 2000}).x


def main() -> None:
    """Measure, fit and print the weights."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--workers", type=int, default=2)
    arguments = parser.parse_args()
    arguments.folder.mkdir(parents=True, exist_ok=True)
    numbers = [*OCCLUDED, *FAULTY, *USUAL]
    with ProcessPoolExecutor(arguments.workers) as pool:
        found = [each for one in pool.map(measured, numbers, [arguments.folder] * len(numbers)) for each in one]
    found = [each for each in found if each[0] > COVERED or each[0] < FREE]
    covered = np.array([share > COVERED for share, _, _ in found])
    values = np.column_stack([np.ones(len(found)), np.array([value for _, value, _ in found])])
    is_faulty = np.array([kind != "" for _, _, kind in found])
    weights = fitted(values, covered, np.where(is_faulty, FAULTS_COUNT, 1))
    score = values @ weights
    print(np.round(weights, 3).tolist())
    for limit in (0.3, 0.5, 0.7, 0.9):
        told = score > np.log(limit / (1 - limit))
        for name, which in (("covered", covered), ("free", ~covered & ~is_faulty), ("faulty", ~covered & is_faulty)):
            print(f"from {limit}: of {which.sum()} {name} ones {told[which].mean():.2%}")


if __name__ == "__main__":
    main()
