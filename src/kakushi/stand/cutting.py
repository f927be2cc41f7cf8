"""Cutting lengths from stock with a kerf, with the least bought: exact by whole patterns where these are few."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from kakushi.model.errors import BadInput, Length

MAX_PATTERNS = 20_000
"""Patterns up to which the whole-number programme is solved: seconds, and far more than a job of columns has."""
MAX_CUTS = 20_000
"""Pieces of one list: 500 copies of many sections."""
_HAIR_MM = 1e-6
"""Tolerance for lengths that add up exactly, mm: rounding only."""


@dataclass(frozen=True, slots=True)
class Bar:
    """One stock length and its cuts, longest first, mm; `offcut` is the rest."""

    stock: float
    cuts: tuple[float, ...]
    offcut: float


@dataclass(frozen=True, slots=True)
class CutList:
    """Bars to buy and cut. `exact`: no other list buys less; else it is a good one, not proved."""

    bars: tuple[Bar, ...]
    exact: bool

    @property
    def bought(self) -> float:
        """Length bought, mm."""
        return sum(bar.stock for bar in self.bars)


def cut_list(wanted: Mapping[float, int], stock: Sequence[float], kerf: float) -> CutList:
    """Cut `wanted` (length mm: pieces) from stock lengths, each as often as needed, buying the least length.

    n cuts take n - 1 kerfs, and one more where an offcut is left. Raises BadInput for a piece longer than all
    stock, or where there is nothing to cut from.
    """
    wishes = tuple(sorted(((float(length), int(n)) for length, n in wanted.items() if n > 0), reverse=True))
    lengths = tuple(sorted({float(s) for s in stock if s > 0}, reverse=True))
    if not wishes:
        return CutList((), True)
    if not lengths or wishes[0][0] > lengths[0] + _HAIR_MM:
        if not lengths:
            raise BadInput("There is no stock length to cut from.", "stock")
        raise BadInput(
            "A piece of {wanted} cannot be cut: the longest stock is {longest}.",
            "stock",
            wanted=Length(wishes[0][0]),
            longest=Length(lengths[0]),
        )
    # A piece of no length would be cut for ever.
    if wishes[-1][0] <= 0 or sum(n for _, n in wishes) > MAX_CUTS:
        raise BadInput(f"A cut list takes 1 to {MAX_CUTS} pieces longer than nothing.", "pieces")
    return _cut(wishes, lengths, kerf)


@lru_cache(maxsize=64)
def _cut(wishes: tuple[tuple[float, int], ...], lengths: tuple[float, ...], kerf: float) -> CutList:
    first_fit = _first_fit(wishes, lengths, kerf)
    # Proved without any search: most lists of a job are.
    if sum(stock for stock, _ in first_fit) <= _least_total(wishes, lengths) + _HAIR_MM:
        return CutList(_bars(first_fit, kerf), exact=True)
    patterns = _patterns(wishes, lengths, kerf)
    if patterns is None:
        return CutList(_bars(first_fit, kerf), exact=False)
    chosen = _fewest(patterns, wishes)
    if chosen is None:
        return CutList(_bars(first_fit, kerf), exact=False)
    return CutList(_bars(_trimmed(chosen, wishes), kerf), exact=True)


def _least_total(wishes: tuple[tuple[float, int], ...], lengths: tuple[float, ...]) -> float:
    """The least sum of stock lengths that is no shorter than all pieces together, mm: no list can buy less.

    0, which proves nothing, where there are too many sums to look through.
    """
    needed = sum(length * count for length, count in wishes)
    short, enough = {0.0}, math.inf
    looked = 0
    while short and looked < MAX_PATTERNS:
        sums = {round(total + length, 6) for total in short for length in lengths}
        looked += len(sums)
        enough = min([enough, *(total for total in sums if total >= needed - _HAIR_MM)])
        short = {total for total in sums if total < needed - _HAIR_MM}
    return 0.0 if short else enough


Pattern = tuple[float, tuple[int, ...]]


def _patterns(wishes: tuple[tuple[float, int], ...], lengths: tuple[float, ...], kerf: float) -> list[Pattern] | None:
    """All maximal cutting patterns of every stock length; None where there are too many."""
    patterns: list[Pattern] = []
    for stock in lengths:
        open_ways: list[tuple[tuple[int, ...], float]] = [((), stock + kerf)]
        for place, (length, needed) in enumerate(wishes):
            last = place == len(wishes) - 1
            nxt = []
            for counts, room in open_ways:
                most = min(needed, int((room + _HAIR_MM) // (length + kerf)))
                for count in [most] if last else range(most + 1):
                    nxt.append(((*counts, count), room - count * (length + kerf)))
            open_ways = nxt
            if len(open_ways) > MAX_PATTERNS:
                return None
        patterns += [(stock, counts) for counts, _ in open_ways if any(counts)]
    return patterns if len(patterns) <= MAX_PATTERNS else None


def _fewest(patterns: list[Pattern], wishes: tuple[tuple[float, int], ...]) -> list[Pattern] | None:
    """How often each pattern is cut so that the least length is bought (a whole-number programme)."""
    from scipy.optimize import Bounds, LinearConstraint, milp  # noqa: PLC0415 - large, and only needed here
    from scipy.sparse import csr_array  # noqa: PLC0415 - as above

    needs = np.array([count for _, count in wishes], dtype=float)
    columns = csr_array(np.array([counts for _, counts in patterns], dtype=float).T)
    answer = milp(
        np.array([stock for stock, _ in patterns]),
        constraints=LinearConstraint(columns, lb=needs, ub=np.full(len(needs), np.inf)),
        integrality=np.ones(len(patterns)),
        bounds=Bounds(0, np.inf),
        options={"time_limit": 5.0, "mip_rel_gap": 0.0},
    )
    if not answer.success:
        return None
    return [p for p, often in zip(patterns, np.rint(answer.x).astype(int), strict=True) for _ in range(often)]


def _trimmed(chosen: list[Pattern], wishes: tuple[tuple[float, int], ...]) -> list[tuple[float, list[float]]]:
    """Turn patterns into cuts, leaving out surplus pieces."""
    left = [needed for _, needed in wishes]
    bars = []
    for stock, counts in chosen:
        cuts = []
        for place, count in enumerate(counts):
            taken = min(count, left[place])
            # Patterns are maximal: the last bars would hold pieces that nobody asked for.
            left[place] -= taken
            cuts += [wishes[place][0]] * taken
        bars.append((stock, cuts))
    return bars


def _first_fit(
    wishes: tuple[tuple[float, int], ...], lengths: tuple[float, ...], kerf: float
) -> list[tuple[float, list[float]]]:
    """Longest first into the first bar with room; then every bar becomes the shortest stock that still does."""
    bars: list[list[float]] = []
    room: list[float] = []
    for length, count in wishes:
        for _ in range(count):
            place = next((i for i, r in enumerate(room) if r + _HAIR_MM >= length + kerf), None)
            if place is None:
                bars.append([])
                room.append(lengths[0] + kerf)
                place = len(bars) - 1
            bars[place].append(length)
            room[place] -= length + kerf
    return [(_shortest(cuts, lengths, kerf), cuts) for cuts in bars]


def _shortest(cuts: list[float], lengths: tuple[float, ...], kerf: float) -> float:
    needed = sum(cuts) + kerf * (len(cuts) - 1)
    return min(stock for stock in lengths if stock + _HAIR_MM >= needed)


def _bars(cut: Sequence[tuple[float, Sequence[float]]], kerf: float) -> tuple[Bar, ...]:
    bars = [
        Bar(stock, tuple(sorted(cuts, reverse=True)), max(stock - sum(cuts) - kerf * len(cuts), 0.0))
        for stock, cuts in cut
        if cuts
    ]
    return tuple(sorted(bars, key=lambda bar: (-bar.stock, [-c for c in bar.cuts])))


def same_bars(bars: Sequence[Bar]) -> list[tuple[Bar, int]]:
    """Bars that are cut alike, counted."""
    return list(Counter(bars).items())
