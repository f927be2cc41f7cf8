"""Simulated lives of studios, of forty jobs each: intervals of learnt chances, and how sure spares are.

Run: python benchmarks/log_lives.py [lives]. Prints, for each way to draw the true chances, the share of 90 % intervals
that hold the truth, and how often spares computed from what was learnt were enough where 95 % was asked for.
"""

from __future__ import annotations

import sys

import numpy as np

from kakushi.log.pops import PopsSeen, learnt_pops
from kakushi.model.log import Learnt
from kakushi.workshop.spares import Need, pop_rate, spares_for

JOBS, SURE = 40, 0.95
CELLS = [(size, finish, "indoors", "usual") for size in (5.0, 9.0, 11.0, 16.0) for finish in ("plain", "mirror")]


def true_chance(draw: str, size: float, chance: np.random.Generator) -> float:
    """The chance to pop of one kind of balloon, drawn in one of four ways."""
    match draw:
        case "beta":
            return float(chance.beta(2, 98))
        case "by size":
            return 0.3 / size
        case "even":
            return float(chance.uniform(0.005, 0.06))
        case _:
            return float(min(0.02 * chance.lognormal(0, 0.6), 0.5))


def life(draw: str, chance: np.random.Generator) -> tuple[list[bool], list[bool]]:
    """One studio: which intervals hold the truth, and which spares of its next job are enough."""
    true = {cell: true_chance(draw, cell[0], chance) for cell in CELLS}
    seen = []
    for cell in CELLS:
        used = int((chance.integers(5, 80, JOBS) * (chance.random(JOBS) < 0.5)).sum())
        seen.append(PopsSeen(cell, used, int(chance.binomial(used, true[cell]))))
    rates, unseen = learnt_pops(seen)
    learnt = Learnt(pops=tuple(rates), unseen=unseen)
    held = [each.low <= true[each.nominal_in, each.finish, each.place, each.fill] <= each.high for each in rates]
    enough = []
    for cell in CELLS:
        needed = int(chance.integers(20, 200))
        rate = pop_rate(cell[0], "indoors", (), learnt, cell[1])
        (spares,) = spares_for((Need(needed, rate),), SURE).counts
        enough.append(bool(chance.negative_binomial(needed, 1 - true[cell]) <= spares))
    return held, enough


def main() -> None:
    """Run the lives."""
    lives = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    for draw in ("beta", "by size", "even", "log-normal"):
        chance = np.random.default_rng(20)
        held, enough = list[bool](), list[bool]()
        for _ in range(lives):
            one, two = life(draw, chance)
            held += one
            enough += two
        print(f"{draw:>10}: {np.mean(held):.1%} of {len(held)} intervals hold the truth; "
              f"spares enough in {np.mean(enough):.1%}, {SURE:.0%} asked for", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
