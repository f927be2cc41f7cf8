"""The fit against greedy choice and a general-purpose optimiser with ten times its time, on ten outlines.

Run: OPENBLAS_NUM_THREADS=1 .venv/bin/python benchmarks/compare_fits.py [--times 10]
Prints a Markdown table of settled match and height error. All three are judged alike.
"""

from __future__ import annotations

import argparse
import time

import numpy as np
from scipy.optimize import differential_evolution

from kakushi.model.catalogue import DEFAULT_NOMINALS, Studio
from kakushi.packing.stack import Packing
from kakushi.shape.choices import RowKinds, choices_for
from kakushi.shape.fit import fit
from kakushi.shape.judge import FitRequest, JudgedStack, judge
from kakushi.shape.presets import PRESETS, default_outline
from kakushi.shape.profile import Profile, profile_of
from kakushi.shape.row_programme import useful_kinds

SNUG = Packing(1.3, 12.5)
HEIGHT = 2000.0
SPARE_ROWS = 3
STEPPED = {
    "goblet": ([0, 0.05, 0.09, 0.45, 0.53, 0.68, 1.0], [310, 290, 80, 75, 220, 340, 310]),
    "mushroom": ([0, 0.62, 0.64, 0.74, 0.9, 1.0], [150, 120, 400, 440, 330, 120]),
    "pawn": ([0, 0.1, 0.13, 0.7, 0.72, 0.76, 0.78, 0.88, 0.98, 1], [340, 340, 240, 110, 200, 200, 115, 145, 80, 40]),
}  # fmt: skip


def outlines() -> dict[str, Profile]:
    """Seven presets and three stepped outlines, 2 m tall."""
    found = {p.name: profile_of(default_outline(p.name, HEIGHT), HEIGHT) for p in PRESETS}
    for name, (shares, halves) in STEPPED.items():
        found[name] = Profile(np.array(shares) * HEIGHT, np.array(halves, dtype=float), np.array(halves, dtype=float))
    return found


def greedy(request: FitRequest, choices: RowKinds) -> JudgedStack:
    """Match the width, go up."""
    kinds: list[int] = []
    z, d = 0.0, choices.diameters
    while True:
        heights = d / 2 if not kinds else z + choices.rise[kinds[-1]]
        wanted = request.profile.mean_half_width(np.minimum(heights, HEIGHT))
        best = int(np.argmin(np.abs(choices.half_width - wanted)))
        if kinds and heights[best] + d[best] / 2 > HEIGHT + 30:
            return judge(request, choices, tuple(kinds))
        kinds.append(best)
        z = float(heights[best])


def evolved(request: FitRequest, choices: RowKinds, rows: int, seconds: float) -> JudgedStack:
    """Differential evolution over the number of rows and the kind of each, for so long."""
    until = time.perf_counter() + seconds
    order = np.argsort(choices.diameters)
    best: list[JudgedStack] = []

    def cost(x: np.ndarray) -> float:
        if time.perf_counter() > until and best:
            return 1.0
        count = round(float(x[0]))
        kinds = tuple(int(order[min(int(share * len(order)), len(order) - 1)]) for share in x[1 : count + 1])
        judged = judge(request, choices, kinds)
        if not best or judged.score > best[0].score:
            best[:] = [judged]
        return -judged.score

    bounds = [(max(rows - SPARE_ROWS, 2), rows + SPARE_ROWS), *[(0.0, 1.0)] * (rows + SPARE_ROWS)]
    differential_evolution(
        cost, bounds, maxiter=10_000, popsize=4, seed=1, polish=False, callback=lambda *_: time.perf_counter() > until
    )
    return best[0]


def _shown(judged: JudgedStack) -> str:
    return f"{judged.match.mean:.3f} | {judged.span - HEIGHT:+.0f}"


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--times", type=float, default=10.0, help="time of the general optimiser over the fit's")
    times = parser.parse_args().times
    print("| outline | fit | mm | s | greedy | mm | general | mm |\n|---|---|---|---|---|---|---|---|")
    for name, profile in outlines().items():
        request = FitRequest(profile, DEFAULT_NOMINALS, Studio().sizer, SNUG)
        every = choices_for(4, DEFAULT_NOMINALS, request.sizer, SNUG)
        assert every is not None
        choices = every.subset(useful_kinds(every, profile))
        start = time.perf_counter()
        ours = fit(request)
        took = time.perf_counter() - start
        general = evolved(request, choices, len(ours.rows), times * took)
        print(
            f"| {name} | {ours.match.mean:.3f} | {ours.geometry.top - HEIGHT:+.0f} | {took:.2f} "
            f"| {_shown(greedy(request, choices))} | {_shown(general)} |",
            flush=True,
        )


if __name__ == "__main__":
    main()
