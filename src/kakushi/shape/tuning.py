"""Local search on the settled score: what each row's next sizes do is measured, and the best few changes are made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import product

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.errors import Cancelled
from kakushi.packing.settle import settled_about
from kakushi.packing.stack import stack_row
from kakushi.shape.choices import RowKinds
from kakushi.shape.judge import FitRequest, JudgedStack, height_penalty, judge, rows_of
from kakushi.shape.match import match_of
from kakushi.shape.row_programme import stack_cost
from kakushi.shape.settings import SCORE, TUNING

Kinds = tuple[int, ...]


@dataclass(frozen=True, slots=True)
class _Change:
    """Rows given another kind: what that adds to the match and to the height, mm."""

    rows: tuple[int, ...]
    kind: int
    match: float
    height: float


def tuned(
    request: FitRequest,
    choices: RowKinds,
    penalties: Floats,
    best: JudgedStack,
    cancelled: Callable[[], bool] = lambda: False,
    whole_sizes: bool = False,
) -> list[JudgedStack]:
    """What came of changing rows of `best` by a size: the better stack, settled afresh, or nothing.

    In each round every row, or with `whole_sizes` all rows of a kind together, is tried a size up and down, settled
    about; changes that together promise the best score, less the `penalties` (k, k) for what follows what, are settled
    from where the best stack lies. More rounds while the height is far off. Raises Cancelled when `cancelled()` is
    true.
    """
    first = best
    worth = _worth(best, penalties)
    for done in range(TUNING.rounds + TUNING.more_rounds):
        is_far = abs(request.profile.height - best.span) > SCORE.free_height_mm
        if done >= TUNING.rounds and not is_far:
            break
        if cancelled():
            raise Cancelled
        promising = _combined(request, best, _measured(request, choices, best, whole_sizes), penalties)
        # Changes may not add up; where that leaves the height far off, single ones are tried too.
        alone = [kinds for kinds in promising[TUNING.tries :] if _differing(kinds, best.kinds) == 1] if is_far else []
        judged = [
            judge(request, choices, kinds, near=best) for kinds in promising[: TUNING.tries] + alone[: TUNING.tries]
        ]
        tuned_stack = max(judged, key=lambda j: _worth(j, penalties), default=best)
        if not _worth(tuned_stack, penalties) > worth:
            break
        best, worth = tuned_stack, _worth(tuned_stack, penalties)
    return [] if best is first else [judge(request, choices, best.kinds)]


def _differing(kinds: Kinds, others: Kinds) -> int:
    return sum(a != b for a, b in zip(kinds, others, strict=True))


def _worth(judged: JudgedStack, penalties: Floats) -> float:
    return judged.score - _penalised(judged.kinds, penalties)


def _penalised(kinds: Kinds, penalties: Floats) -> float:
    return float(penalties[list(kinds[:-1]), list(kinds[1:])].sum())


def _measured(request: FitRequest, choices: RowKinds, best: JudgedStack, whole_sizes: bool) -> list[_Change]:
    """Every row, or every kind of row, a size up and down; pinned rows are left as they are."""
    free = len(choices.diameters) - len(request.pinned)
    kinds = np.array(best.kinds)
    together = [np.flatnonzero(kinds == k) for k in np.unique(kinds)] if whole_sizes else np.arange(len(kinds))[:, None]
    places = [
        (tuple(rows.tolist()), kind)
        for rows in together
        if kinds[rows[0]] < free
        for kind in _next_sizes(choices, int(kinds[rows[0]]), free)
    ]
    if not places:
        return []
    stacks = [
        [stack_row(row, request.packing, request.joint) for row in rows_of(request, choices, _with(best.kinds, place))]
        for place in places
    ]
    before = match_of(best.geometry, request.profile, sides=TUNING.few_sides, worst_searched=False).mean
    changes = []
    for (rows, kind), geometry in zip(places, settled_about(stacks, request.packing, best.geometry), strict=True):
        match = match_of(geometry, request.profile, sides=TUNING.few_sides, worst_searched=False).mean
        changes.append(_Change(rows, kind, match - before, geometry.top - best.span))
    return changes


def _with(kinds: Kinds, *places: tuple[tuple[int, ...], int]) -> Kinds:
    """`kinds` with other kinds at some rows, as (rows, kind) pairs."""
    changed = list(kinds)
    for rows, kind in places:
        for row in rows:
            changed[row] = kind
    return tuple(changed)


def _next_sizes(choices: RowKinds, kind: int, free: int) -> list[int]:
    """The kinds a size smaller and larger, of the same nominal size where it reaches so far, else of the fullest."""
    d, nominal = np.round(choices.diameters[:free], 3), choices.nominals[:free]
    now = round(float(choices.diameters[kind]), 3)
    smaller, larger = np.unique(d[d < now])[::-1], np.unique(d[d > now])
    near = [*smaller[: TUNING.sizes_each_way], *larger[: TUNING.sizes_each_way]]
    sizes = []
    for diameter in near:
        if abs(diameter - now) <= TUNING.reach * now:
            same = np.flatnonzero(d == diameter)
            sizes.append(int(same[np.lexsort([-choices.fill[same], nominal[same] != nominal[kind]])[0]]))
    return sizes


def _combined(request: FitRequest, best: JudgedStack, changes: list[_Change], penalties: Floats) -> list[Kinds]:
    """Stacks with up to MOST_CHANGED changes, as if they added up; those that promise the best score first."""
    error = best.span - request.profile.height
    # The best match for every number of changes and height gained, rows taken one after another.
    ways: dict[tuple[int, int], tuple[float, float, tuple[_Change, ...]]] = {(0, 0): (0.0, 0.0, ())}
    for row in range(len(best.kinds)):
        of_row = [change for change in changes if change.rows[0] == row]
        for match, height, made in list(ways.values()):
            if len(made) == TUNING.max_changed:
                continue
            for change in of_row:
                reached = (match + change.match, height + change.height, (*made, change))
                key = (len(made) + 1, round(reached[1] / TUNING.alike_mm))
                if key not in ways or ways[key][0] < reached[0]:
                    ways[key] = reached
    ranked = sorted(ways.values(), key=lambda option: height_penalty(error + option[1]) - option[0])[: TUNING.ranked]
    promised = [
        (match - height_penalty(error + height) - _penalised(kinds, penalties), kinds)
        for match, height, made in ranked
        if made and (kinds := _with(best.kinds, *((change.rows, change.kind) for change in made)))
    ]
    # What changes promise is only so sure: those that promise a little less are settled too.
    least = -height_penalty(error) - _penalised(best.kinds, penalties) - TUNING.unsure
    return [kinds for promise, kinds in sorted(promised, key=lambda pair: -pair[0]) if promise > least]


def searched_small(
    request: FitRequest, choices: RowKinds, best: JudgedStack, cancelled: Callable[[], bool] = lambda: False
) -> list[JudgedStack]:
    """Search short stacks: settle the most promising neighbours of `best`, then those of the best one found.

    Short columns have few neighbours and a row's change shows most in them. Longer ones return nothing. The rises of
    `choices` are those to reckon with. Raises Cancelled when `cancelled()` is true.
    """
    free = len(choices.diameters) - len(request.pinned)
    if len(best.kinds) > TUNING.small_rows or request.pinned or request.row_count is not None:
        return []
    judged = [best]
    for _ in range(TUNING.small_rounds):
        around = max(judged, key=lambda j: j.score)
        seen = {j.kinds for j in judged}
        for kinds in _near(request, choices, around.kinds, free, seen)[: TUNING.small_tries]:
            if cancelled():
                raise Cancelled
            judged.append(judge(request, choices, kinds))
    return judged[1:]


def _near(request: FitRequest, choices: RowKinds, kinds: Kinds, free: int, seen: set[Kinds]) -> list[Kinds]:
    """Stacks of about as many rows, not `seen`, what should cost least first: all of them where there are few.

    Else those up to two rows changed and one more or fewer from `kinds`.
    """
    rows = len(kinds)
    if free ** (rows + 1) <= TUNING.small_all:
        near = {k for n in range(max(rows - 1, 1), rows + 2) for k in product(range(free), repeat=n)}
    else:
        single = {k for base in _one_more_or_fewer(kinds, free) for k in _exchanged(base, free)}
        near = {k for once in single if len(once) == rows for k in _exchanged(once, free)} | single
    wanted = request.profile.height
    within = [k for k in near - seen if abs(predicted_span(choices, k) - wanted) < TUNING.small_span * wanted]
    return sorted(within, key=lambda k: (stack_cost(choices, request.profile, k), k))


def _one_more_or_fewer(kinds: Kinds, free: int) -> list[Kinds]:
    fewer = [kinds[:i] + kinds[i + 1 :] for i in range(len(kinds))] if len(kinds) > 1 else []
    more = [(*kinds[:i], kind, *kinds[i:]) for i in range(len(kinds) + 1) for kind in range(free)]
    return [kinds, *fewer, *more]


def _exchanged(kinds: Kinds, free: int) -> list[Kinds]:
    return [(*kinds[:i], kind, *kinds[i + 1 :]) for i in range(len(kinds)) for kind in range(free)]


def predicted_span(choices: RowKinds, kinds: Kinds) -> float:
    """Height, mm, that the tables of `choices` expect of a stack."""
    ends = choices.shape_radii[kinds[0]] + choices.shape_radii[kinds[-1]]
    return float(choices.rise[list(kinds[:-1]), list(kinds[1:])].sum() + ends)
