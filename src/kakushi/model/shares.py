"""Whole things shared out by size."""

from __future__ import annotations

from collections.abc import Sequence

# A quota this near above a whole number is that number: rounding of a quotient, not a share.
_ROUNDING = 1e-9


def largest_remainder(total: int, weights: Sequence[float]) -> list[int]:
    """`total` things shared out in proportion to `weights`, largest remainders first; adds up exactly.

    Equal remainders go to the first. All zero where the weights add up to nothing. The method of Hamilton.
    """
    whole = sum(weights)
    if not whole:
        return [0 for _ in weights]
    quotas = [total * weight / whole for weight in weights]
    shares = [int(quota + _ROUNDING) for quota in quotas]
    by_remainder = sorted(range(len(weights)), key=lambda i: (shares[i] - quotas[i], i))
    for i in by_remainder[: total - sum(shares)]:
        shares[i] += 1
    return shares
