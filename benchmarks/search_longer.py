"""How near the fit comes to what a search of minutes finds under the same physics, on outlines made up from seeds.

Run: OPENBLAS_NUM_THREADS=1 .venv/bin/python benchmarks/search_longer.py [--outlines N] [--seconds S] [--fit-only]
Prints for every outline the match of the fit and of the search, without a limit and with no more sizes, and CPU time.
"""

from __future__ import annotations

import argparse
import time
from multiprocessing import Pool

import numpy as np
from scipy.interpolate import PchipInterpolator

from kakushi.model.arrays import Floats
from kakushi.model.catalogue import DEFAULT_NOMINALS, Studio
from kakushi.packing.stack import Packing
from kakushi.shape.choices import RowKinds, choices_for
from kakushi.shape.fit import fit
from kakushi.shape.judge import FitRequest, JudgedStack, judge
from kakushi.shape.profile import Profile

SNUG = Packing(1.3, 12.5)
KNOTS = 6
"""Points of an outline between which it runs smoothly."""


def outline(seed: int) -> Profile:
    """A smooth outline, 1.2 to 2.3 m tall and 24 to 70 cm wide."""
    chance = np.random.default_rng(seed)
    height = float(chance.uniform(1200, 2300))
    halves = chance.uniform(130, 330, KNOTS)
    # Neighbours that differ wildly are no outline anybody draws.
    halves = (halves + np.roll(halves, 1)) / 2
    heights = np.linspace(0, height, 121)
    right = PchipInterpolator(np.linspace(0, height, KNOTS), halves)(heights)
    return Profile(heights, right, right)


def searched(request: FitRequest, choices: RowKinds, start: tuple[int, ...], seconds: float, most: int | None) -> float:
    """The best match of stacks that `judge` scores highest, found by disturbing and descending again; CPU seconds."""
    chance, until = np.random.default_rng(1), time.process_time() + seconds
    order = np.argsort(choices.diameters, kind="stable")
    rank = np.argsort(order)

    def moved(kinds: tuple[int, ...], row: int, by: int) -> tuple[int, ...] | None:
        at = int(rank[kinds[row]]) + by
        if not 0 <= at < len(order):
            return None
        return (*kinds[:row], int(order[at]), *kinds[row + 1 :])

    def scored(kinds: tuple[int, ...]) -> JudgedStack | None:
        judged = judge(request, choices, kinds)
        return judged if most is None or judged.size_count <= most else None

    best = judge(request, choices, start)
    around = best
    while time.process_time() < until:
        improved = False
        tried = [(row, by) for row in range(len(around.kinds)) for by in (-3, -2, -1, 1, 2, 3)]
        for index in chance.permutation(len(tried)):
            kinds = moved(around.kinds, *tried[index])
            now = scored(kinds) if kinds else None
            if now is not None and now.score > around.score:
                around, improved = now, True
            if time.process_time() > until:
                break
        if around.score > best.score:
            best = around
        if not improved:
            kinds = best.kinds
            for _ in range(int(chance.integers(2, 5))):
                kinds = moved(kinds, int(chance.integers(len(kinds))), int(chance.integers(-4, 5))) or kinds
            if chance.random() < 0.2:
                row = int(chance.integers(len(kinds)))
                kinds = (
                    kinds[:row] + kinds[row + 1 :]
                    if chance.random() < 0.5
                    else (*kinds[:row], kinds[row], *kinds[row:])
                )
            around = judge(request, choices, kinds)
    return best.match.mean


def compared(job: tuple[int, float]) -> tuple[int, Floats]:
    """Of one outline: the fit's match, its CPU seconds, its sizes; the search's match without and with its sizes."""
    seed, seconds = job
    studio = Studio()
    request = FitRequest(outline(seed), DEFAULT_NOMINALS, studio.sizer, SNUG)
    choices = choices_for(4, request.nominals, request.sizer, request.packing, ())
    assert choices is not None
    fit(FitRequest(outline(1), DEFAULT_NOMINALS, studio.sizer, SNUG))
    begun = time.process_time()
    found = fit(request)
    took = time.process_time() - begun
    by_size = {
        (float(n), round(float(d), 3)): k
        for k, (n, d) in enumerate(zip(choices.nominals, choices.diameters, strict=True))
    }
    start = tuple(by_size[row.slots[0].nominal_in, round(row.slots[0].diameter_mm, 3)] for row in found.rows)
    sizes = len(set(start))
    free = searched(request, choices, start, seconds, None) if seconds else np.nan
    kept = searched(request, choices, start, seconds, sizes) if seconds else np.nan
    return seed, np.array([found.match.mean, took, sizes, free, kept])


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--outlines", type=int, default=10)
    parser.add_argument("--seconds", type=float, default=60.0)
    parser.add_argument("--fit-only", action="store_true")
    arguments = parser.parse_args()
    jobs = [(seed, 0.0 if arguments.fit_only else arguments.seconds) for seed in range(100, 100 + arguments.outlines)]
    print("| outline | fit | sizes | CPU s | of the search | with no more sizes |\n|---|---|---|---|---|---|")
    with Pool() as pool:
        for seed, (match, took, sizes, free, kept) in pool.imap(compared, jobs):
            print(
                f"| {seed} | {match:.4f} | {sizes:.0f} | {took:.2f} | {match / free:.2%} | {match / kept:.2%} |",
                flush=True,
            )


if __name__ == "__main__":
    main()
