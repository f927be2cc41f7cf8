"""Local search on the settled score: single rows a size up or down, until the height is close."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from kakushi.model.errors import Cancelled
from kakushi.shape.choices import Choices
from kakushi.shape.judge import HEIGHT_DEAD_BAND_MM, FitRequest, Judged, judge

CLOSE_ENOUGH_MM = 3.0
ROUNDS, TRIES = 3, 4
WORK = 120
MORE_ROUNDS = 7
REACH, FAR_REACH = 0.09, 0.25
_MOST_PAIRED = 40

SMALL_ROWS, SMALL_TRIES, SMALL_SPAN = 7, 50, 0.15

Kinds = tuple[int, ...]


def tuned(
    request: FitRequest, choices: Choices, best: Judged, cancelled: Callable[[], bool] = lambda: False
) -> list[Judged]:
    """What came of nudging rows of `best`: the better stack, settled afresh, or nothing.

    Nudged stacks are settled from where the best one lies. Raises Cancelled when `cancelled()` is true.
    """
    first, spent = best, 0
    seen = {best.kinds}
    for turn in range(ROUNDS + MORE_ROUNDS):
        off = request.profile.height - best.span
        # Counted in the solver's iterations, so that the answer does not depend on the machine.
        enough = turn >= ROUNDS or spent > WORK
        if abs(off) <= CLOSE_ENOUGH_MM or (enough and abs(off) <= HEIGHT_DEAD_BAND_MM):
            break
        if cancelled():
            raise Cancelled
        candidates = [k for k in _candidates(request, choices, best.kinds, off) if k not in seen][:TRIES]
        seen.update(candidates)
        judged = [judge(request, choices, kinds, near=best) for kinds in candidates]
        spent += sum(j.geometry.report.iterations for j in judged)
        better = max(judged, key=lambda j: j.score, default=best)
        if better.score > best.score:
            best = better
        elif turn >= ROUNDS or not candidates:
            break
    return [] if best is first else [judge(request, choices, best.kinds)]


def searched_small(
    request: FitRequest, choices: Choices, best: Judged, cancelled: Callable[[], bool] = lambda: False
) -> list[Judged]:
    """For short stacks: everything near `best` settled, up to two rows changed and one more or fewer.

    Short columns have few neighbours and a row's change shows most in them. Longer ones return nothing.
    Raises Cancelled when `cancelled()` is true.
    """
    free = len(choices.diameters) - len(request.pinned)
    if len(best.kinds) > SMALL_ROWS or request.pinned or request.row_count is not None:
        return []
    single = {k for base in _one_more_or_fewer(best.kinds, free) for k in _exchanged(base, free)}
    near = {k for once in single if len(once) == len(best.kinds) for k in _exchanged(once, free)} | single
    wanted = request.profile.height
    within = [k for k in near if abs(predicted_span(choices, k) - wanted) < SMALL_SPAN * wanted and k != best.kinds]
    within.sort(key=lambda k: (abs(predicted_span(choices, k) - wanted), k))
    judged = []
    for kinds in within[:SMALL_TRIES]:
        if cancelled():
            raise Cancelled
        judged.append(judge(request, choices, kinds))
    return judged


def _one_more_or_fewer(kinds: Kinds, free: int) -> list[Kinds]:
    fewer = [kinds[:i] + kinds[i + 1 :] for i in range(len(kinds))] if len(kinds) > 1 else []
    more = [(*kinds[:i], kind, *kinds[i:]) for i in range(len(kinds) + 1) for kind in range(free)]
    return [kinds, *fewer, *more]


def _exchanged(kinds: Kinds, free: int) -> list[Kinds]:
    return [(*kinds[:i], kind, *kinds[i + 1 :]) for i in range(len(kinds)) for kind in range(free)]


def _candidates(request: FitRequest, choices: Choices, kinds: Kinds, off: float) -> list[Kinds]:
    """Nearby stacks, those that should close the gap `off` (mm) best first."""
    far = abs(off) > HEIGHT_DEAD_BAND_MM
    free = len(choices.diameters) - len(request.pinned)
    nudged = _nudges(choices, kinds, free, FAR_REACH if far else REACH)
    before = predicted_span(choices, kinds)
    nudged.sort(key=lambda k: abs(off - (predicted_span(choices, k) - before)))
    if far:
        paired = [twice for once in nudged[:_MOST_PAIRED] for twice in _nudges(choices, once, free, REACH)[::3]]
        paired.sort(key=lambda k: abs(off - (predicted_span(choices, k) - before)))
        half = TRIES // 2
        nudged = [*nudged[:half], *paired[:TRIES]]
    return nudged


def _nudges(choices: Choices, kinds: Kinds, free: int, reach: float) -> list[Kinds]:
    """Stacks with one row of a slightly different diameter; pinned rows stay."""
    d, nominal = choices.diameters, choices.nominals
    return [
        (*kinds[:row], int(other), *kinds[row + 1 :])
        for row, kind in enumerate(kinds)
        if kind < free
        for other in np.flatnonzero((nominal[:free] == nominal[kind]) & (np.abs(d[:free] - d[kind]) <= reach * d[kind]))
        if other != kind
    ]


def predicted_span(choices: Choices, kinds: Kinds) -> float:
    """Height, mm, that the tables of `choices` expect of a stack."""
    ends = (choices.diameters[kinds[0]] + choices.diameters[kinds[-1]]) / 2
    return float(choices.rise[list(kinds[:-1]), list(kinds[1:])].sum() + ends)
