"""Least squares in which what is far off counts ever less."""

from __future__ import annotations

import numpy as np

from kakushi.model.arrays import Floats


def soft_least_squares(
    slopes: Floats,
    values: Floats,
    weights: Floats,
    width: float,
    prior: Floats,
    pull: Floats | float = 0.0,
    rounds: int = 1,
) -> Floats:
    """Parameters (m,) for which `slopes` (k, m) @ parameters is nearest to `values` (k,), by reweighted least squares.

    A value off by `width` counts half of its weight (k,): Cauchy's loss. `prior` (m, m) is the inverse covariance of
    the parameters, in the unit of the weights, and `pull` (m,) draws them to prior⁻¹ · pull. Begins at zero. Raises
    numpy.linalg.LinAlgError where the normal matrix is singular: never with a prior of full rank.
    """
    solution: Floats = np.zeros(slopes.shape[1])
    for _ in range(rounds):
        soft = weights / (1 + ((values - slopes @ solution) / width) ** 2)
        solution = np.linalg.solve(slopes.T @ (slopes * soft[:, None]) + prior, slopes.T @ (soft * values) + pull)
    return solution
