"""Fit the weights of `kakushi.check.presence` to simulated photographs: some as usual, more with many faults.

.venv/bin/python benchmarks/fit_presence.py --folder /tmp/photos
"""

from __future__ import annotations

import argparse
import math
import pickle
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from check_photos import WELL_SEEN, made_up, photograph, request_of
from scipy.optimize import minimize

from kakushi.check.alignment import aligned
from kakushi.check.check import poses
from kakushi.check.evidence import presence_features, sampled_photo
from kakushi.check.image import linear_of
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.practice import Practice, practise, usual_shot
from kakushi.check.presence import FEATURES

USUAL, MANY = range(1000, 1060), range(2000, 2080)
"""Numbers of photographs with up to four faults, and with six; others than those that the accuracy is told of."""
RIDGE = 0.02
"""Of the weights, so that none grows beyond what so many balloons can tell."""
KINDS = {"": 0, "colour": 0, "size": 1, "missing": 2}


def with_many_faults(number: int, folder: Path) -> tuple[ModelSpheres, Practice]:
    """The piece and the photograph of that number, taken once."""
    model, path = made_up(number), folder / f"{number}.photo"
    if path.exists():
        return model, pickle.loads(path.read_bytes())
    chance = np.random.default_rng(10_000 + number)
    shot = usual_shot(model, math.radians(chance.uniform(-12, 12)), chance)
    lean = math.radians(float(chance.choice([0, 0, 0, 4.5, -6])))
    many = min(6, len(model) // 8)
    kinds = [str(kind) for kind in chance.choice(["missing", "size", "missing", "size", "colour"], size=many)]
    taken = practise(model, shot, 20_000 + number, kinds, lean)
    path.write_bytes(pickle.dumps(taken))
    return model, taken


def measured(number: int, folder: Path) -> list[tuple[int, np.ndarray]]:
    """What is measured of the well-seen balloons of a photograph, and what is wrong with each."""
    path = folder / f"{number}.measured"
    if path.exists():
        return pickle.loads(path.read_bytes())
    model, taken = photograph(number, folder) if number in USUAL else with_many_faults(number, folder)
    request, linear = request_of(number, model, taken), linear_of(taken.photograph.pixels)
    found = []
    fits = poses(model, linear, request, lambda _: None, lambda: False)
    if fits and abs((fits[0].pose.azimuth - taken.shot.azimuth + np.pi) % (2 * np.pi) - np.pi) < 0.15:
        photo = aligned(model, linear, request, fits[0], lambda: False)
        colours = sampled_photo(model, photo, None)
        values = presence_features(model, photo, colours, lambda: False)
        made = {(fault.row, fault.slot): fault.kind for fault in taken.made}
        seen = {(row, slot): share for row, slot, share in taken.seen}
        for ball in np.flatnonzero(np.isfinite(values).all(axis=1) & (model.rows >= 0)).tolist():
            place = int(model.rows[ball]), int(model.slots[ball])
            if seen.get(place, 0) >= WELL_SEEN - 0.1 and not colours.in_front[ball]:
                found.append((KINDS[made.get(place, "")], values[ball]))
    path.write_bytes(pickle.dumps(found))
    return found


def main() -> None:
    """Measure and fit."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--workers", type=int, default=2)
    arguments = parser.parse_args()
    arguments.folder.mkdir(parents=True, exist_ok=True)
    numbers = [*USUAL, *MANY]
    with ProcessPoolExecutor(arguments.workers) as pool:
        every = [each for found in pool.map(measured, numbers, [arguments.folder] * len(numbers)) for each in found]
    kinds, values = np.array([kind for kind, _ in every]), np.array([value for _, value in every])
    print(f"{len(kinds)} balloons: {np.bincount(kinds, minlength=3).tolist()} as planned, of another size, missing")
    mean, spread = values.mean(axis=0), values.std(axis=0) + 1e-9
    design = np.column_stack([np.ones(len(values)), (values - mean) / spread])

    def cost(flat: np.ndarray) -> tuple[float, np.ndarray]:
        weights = np.vstack([np.zeros(design.shape[1]), flat.reshape(2, -1)])
        logs = design @ weights.T
        logs -= logs.max(axis=1, keepdims=True)
        likely = np.exp(logs) / np.exp(logs).sum(axis=1, keepdims=True)
        wanted = np.eye(3)[kinds]
        ridge = weights.copy()
        ridge[:, 0] = 0
        slope = ((likely - wanted).T @ design / 10 + RIDGE * ridge * 10)[1:]
        value = -np.log(likely[np.arange(len(kinds)), kinds] + 1e-12).sum() / 10 + RIDGE * 5 * (ridge**2).sum()
        return float(value), slope.ravel()

    best = minimize(cost, np.zeros(2 * design.shape[1]), jac=True, method="L-BFGS-B").x.reshape(2, -1)
    weights = np.vstack([np.zeros(design.shape[1]), best])
    weights[:, 1:] /= spread
    weights[:, 0] -= weights[:, 1:] @ mean
    likely = np.exp(np.column_stack([np.ones(len(values)), values]) @ weights.T)
    likely /= likely.sum(axis=1, keepdims=True)
    for kind, name in enumerate(("as planned", "other size", "missing")):
        mine = kinds == kind
        told = likely[mine].argmax(axis=1)
        print(f"{name}: told as {np.bincount(told, minlength=3).tolist()}")
    for name, (size, missing) in zip(("constant", *FEATURES), weights[1:].T, strict=True):
        print(f'    "{name}": ({size:.3f}, {missing:.3f}),')


if __name__ == "__main__":
    main()
