"""How often what is told of a calibration holds: simulated hands measured by test stacks.

Run from the checkout: python benchmarks/calibrations.py [--hands N] [--stacks N]

A hand has a packing force τ from loose to tight and a factor on the neck slack. Each test stack is measured with a
tape's errors and balloons that are a little off; the height of a long column is then predicted and compared with the
true one.
"""

from __future__ import annotations

import argparse
from dataclasses import replace
from multiprocessing import Pool

import numpy as np

from kakushi.packing.calibration import LONG_ROWS, TestStack, calibrate_packing, stack_size
from kakushi.packing.stack import LOOSE, TIGHT

BAND_SDS = 1.645
"""Standard deviations, either way, of the band that holds nine of ten."""
SLACK_SD = 0.25
"""Log of the neck slack over the usual one, of the simulated hands."""
HEIGHT_SD, WIDTH_SD, DIAMETER_SD = 3.0, 4.0, 1.0
"""Errors of the simulated measures, mm."""


def measured(chance: np.random.Generator, tau: float, slack: float) -> TestStack:
    """A test stack of that hand, as it was measured."""
    told = TestStack(int(chance.integers(4, 9)), int(chance.choice([4, 4, 4, 5])), 11.0,
                     float(chance.uniform(165, 245)), 1.0, None, 12.5)  # fmt: skip
    height, width = stack_size(replace(told, diameter=told.diameter + chance.normal(0, DIAMETER_SD)), tau, slack)
    has_width = chance.random() < 0.5
    return replace(
        told,
        height=height + chance.normal(0, HEIGHT_SD),
        width=width + chance.normal(0, WIDTH_SD) if has_width else None,
    )


def one_hand(seed_and_stacks: tuple[int, int]) -> tuple[float, float, float]:
    """τ of a hand, error of the predicted height in percent, and the standard deviation that is told, in percent."""
    seed, stacks = seed_and_stacks
    chance = np.random.default_rng(seed)
    tau = float(np.exp(chance.uniform(np.log(LOOSE), np.log(TIGHT))))
    slack = float(np.exp(chance.normal(0, SLACK_SD)))
    found = calibrate_packing([measured(chance, tau, slack) for _ in range(stacks)])
    column = TestStack(LONG_ROWS, 4, 11.0, float(chance.uniform(180, 235)), 1.0, None, 12.5)
    true = stack_size(column, tau, slack)[0]
    return tau, 100 * (stack_size(column, found.tau, found.slack)[0] / true - 1), found.height_percent


def main() -> None:
    """Print the shares in the band, for all hands and for loose, snug and tight ones."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--hands", type=int, default=500)
    parser.add_argument("--stacks", type=int, nargs="*", default=[1, 2, 3])
    arguments = parser.parse_args()
    for stacks in arguments.stacks:
        with Pool() as pool:
            found = np.array(pool.map(one_hand, [(seed, stacks) for seed in range(arguments.hands)], chunksize=10))
        tau, error, sd = found.T
        inside = np.abs(error) <= BAND_SDS * sd
        terciles = np.quantile(tau, [1 / 3, 2 / 3])
        thirds = [inside[np.digitize(tau, terciles) == third].mean() for third in range(3)]
        print(
            f"{stacks} stacks: {inside.mean():.1%} in the band (loose {thirds[0]:.0%}, middle {thirds[1]:.0%}, "
            f"tight {thirds[2]:.0%}); error {np.abs(error).mean():.2f} % on average, {np.abs(error).max():.1f} % at "
            f"most; told ± {BAND_SDS * np.median(sd):.2f} %"
        )


if __name__ == "__main__":
    main()
