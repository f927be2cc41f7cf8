"""Whole bags: what to buy of one kind of balloon, exactly cheapest or with the fewest left over."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from kakushi.model.wishes import Aim
from kakushi.model.workshop import Bag

MAX_BALLOONS = 200_000
"""Most balloons of one kind that bags are chosen for exactly."""


@dataclass(frozen=True, slots=True)
class Purchase:
    """Bags to buy (balloons per bag, price, how many) for `short` balloons; what they cost and leave over."""

    short: int
    bags: tuple[tuple[int, float, int], ...]

    @property
    def bought(self) -> int:
        """Balloons in the bags."""
        return sum(size * count for size, _, count in self.bags)

    @property
    def cost(self) -> float:
        """Price of the bags."""
        return sum(price * count for _, price, count in self.bags)

    @property
    def left(self) -> int:
        """Balloons over."""
        return self.bought - self.short


def bags_for(nominal_in: float, colour: str, bags: Sequence[Bag]) -> tuple[tuple[int, float], ...]:
    """Bags sold of a nominal size in a colour: size and price. Bags of that very colour replace those of any."""
    of_size = [bag for bag in bags if bag.nominal_in == nominal_in]
    own = [bag for bag in of_size if bag.colour == colour]
    return tuple(sorted({(bag.balloons, bag.price) for bag in own or of_size if bag.colour in (colour, "")}))


@lru_cache(maxsize=4096)
def purchase(short: int, bags: tuple[tuple[int, float], ...], aim: Aim = "cheapest") -> Purchase | None:
    """The bags (size, price) for at least `short` balloons; None where none are sold or it is beyond reason.

    Ties go to fewest left over (or cheapest), then to fewest bags. Dynamic programme over the balloons bought.
    """
    if short <= 0:
        return Purchase(0, ())
    if not bags or short > MAX_BALLOONS:
        return None
    largest = max(size for size, _ in bags)
    # best[n]: cost, bags and last bag to buy exactly n; no best answer overshoots by a whole largest bag.
    reach = short + largest
    cost: list[float | None] = [None] * (reach + 1)
    counts, last = [0] * (reach + 1), [-1] * (reach + 1)
    cost[0] = 0.0
    for total in range(1, reach + 1):
        for index, (size, price) in enumerate(bags):
            before = cost[total - size] if size <= total else None
            if before is None:
                continue
            offered = (round(before + price, 6), counts[total - size] + 1)
            now = cost[total]
            if now is None or offered < (now, counts[total]):
                cost[total], counts[total], last[total] = offered[0], offered[1], index
    sums = [(c, total) for total, c in enumerate(cost) if c is not None and total >= short]
    if aim == "cheapest":
        _, best = min(sums)
    else:
        _, best = min((total, total) for _, total in sums)
    return Purchase(short, _taken(best, bags, last))


def _taken(total: int, bags: tuple[tuple[int, float], ...], last: list[int]) -> tuple[tuple[int, float, int], ...]:
    used: Counter[tuple[int, float]] = Counter()
    while total > 0:
        bag = bags[last[total]]
        used[bag] += 1
        total -= bag[0]
    return tuple((size, price, count) for (size, price), count in sorted(used.items(), reverse=True))
