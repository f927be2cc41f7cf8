"""The fit: an outline and a height in, rows out, judged on the settled column."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.model.catalogue import Sizer
from kakushi.model.groups import Row
from kakushi.shape.choices import RowKinds
from kakushi.shape.fit_result import FitResult, allowed_choices, impossible, result_of
from kakushi.shape.judge import FitRequest, JudgedStack, is_robust, judge, rows_of
from kakushi.shape.rises import corrected_rises
from kakushi.shape.row_programme import HeldRow, Rules, Stack, best_stack, change_penalties, useful_kinds
from kakushi.shape.settings import FIT_SEARCH, ROW_PROGRAMME, SCORE
from kakushi.shape.sizes import best_sets
from kakushi.shape.straight import best_of_one_size, is_straight, straight_ends
from kakushi.shape.tuning import searched_small, tuned

_SEED = 5
"""The same disturbed beginnings every time."""
Progress = Callable[[float], None]
Stop = Callable[[], bool]


@dataclass(frozen=True, slots=True, eq=False)
class _Begun:
    """A count, its useful kinds and the first choice among them; `named`: the kinds where more were useful."""

    choices: RowKinds
    rules: Rules
    stack: Stack
    judged: JudgedStack
    named: Ints = field(default_factory=lambda: np.zeros(0, dtype=int))


def fit(request: FitRequest, progress: Progress = lambda _: None, cancelled: Stop = lambda: False) -> FitResult:
    """Choose rows for an outline, the nearest possible where wishes cannot all be met.

    For each count: the dynamic programme, settled. The best counts go on: rises corrected by what
    settling showed, the row programme run again around that, single rows nudged until the settled
    height is close; the best stack that survives a careless build wins. With `max_sizes`, the
    set of sizes is searched by exchange first. A straight outline gets rows of one size. Raises FitImpossible with
    the reason when nothing at all fits, Cancelled when asked to stop.
    """
    alike = _of_one_size(request, cancelled)
    if alike is not None:
        choices, judged = alike
        judged = dataclasses.replace(judged, robust=is_robust(request, judged))
        return result_of(request, choices, judged, False, straight_ends(request, choices, judged))
    begun = _begin(request, cancelled)
    progress(0.3)
    best = max(b.judged.score for b in begun)
    worth = [b for b in begun if b.judged.score >= best - FIT_SEARCH.worth_refining]
    candidates: list[tuple[RowKinds, JudgedStack]] = []
    for done, start in enumerate(worth):
        most = request.max_sizes
        capped = None if most is None else _capped(request, start, most, cancelled)
        candidates.append(capped or (start.choices, _refined(request, start, cancelled)))
        progress(0.3 + 0.7 * (done + 1) / len(worth))
    choices, judged = max(candidates, key=lambda pair: pair[1].score)
    return result_of(request, choices, judged, request.max_sizes is not None)


def _of_one_size(request: FitRequest, cancelled: Stop) -> tuple[RowKinds, JudgedStack] | None:
    """Rows of one size where the outline is straight and nothing is pinned."""
    if request.pinned or not is_straight(request.profile):
        return None
    return best_of_one_size(request, cancelled)


def sketch(request: FitRequest, cancelled: Stop = lambda: False) -> tuple[Row, ...]:
    """A quick choice of rows for an outline that is still being shaped: the best first stack, once corrected.

    Raises as `fit` does.
    """
    alike = _of_one_size(dataclasses.replace(request, counts=request.counts[:1]), cancelled)
    if alike is not None:
        return alike[1].rows
    begun = _begin(dataclasses.replace(request, counts=request.counts[:1], sizer=_coarse(request.sizer)), cancelled)[0]
    if request.max_sizes is not None:
        begun = _corrected(begun)
        few = best_sets(
            most=request.max_sizes,
            choices=begun.choices,
            stack=begun.stack,
            profile=request.profile,
            cancelled=cancelled,
            rules=begun.rules,
        )[0]
        begun = _of_set(request, begun, few, cancelled) or begun
    choices = begun.choices.with_rise(corrected_rises(begun.choices, [begun.judged]))
    stack = best_stack(choices, request.profile, cancelled, begun.rules)
    return begun.judged.rows if stack is None else rows_of(request, choices, stack.kinds)


def _coarse(sizer: Sizer) -> Sizer:
    """Every second diameter of a sizer without holes."""
    return sizer if sizer.holes_mm else Sizer(step_mm=2 * sizer.step_mm)


def alternatives(
    request: FitRequest, progress: Progress = lambda _: None, cancelled: Stop = lambda: False
) -> tuple[FitResult, ...]:
    """Fits with fewer and fewer different sizes, the closest shape first: what each size less costs.

    Of equal numbers of sizes the closest is kept, and none that has more sizes and matches less.
    Raises as `fit` does.
    """
    if _of_one_size(request, cancelled) is not None:
        return (fit(request, progress, cancelled),)
    begun = _begin(request, cancelled)
    start = max(begun, key=lambda b: b.judged.score)
    free = _refined(request, start, cancelled)
    fits = [(start.choices, free)]
    caps = [n for n in _caps(free.size_count) if request.max_sizes is None or n <= request.max_sizes]
    for done, most in enumerate(caps):
        progress((done + 1) / (len(caps) + 1))
        capped = _capped(request, start, most, cancelled)
        if capped is not None:
            fits.append(capped)
    fits.sort(key=lambda pair: (pair[1].size_count, -pair[1].score))
    kept: list[tuple[RowKinds, JudgedStack]] = []
    for choices, judged in fits:
        if not kept or judged.score > kept[-1][1].score + 1e-6:
            kept.append((choices, judged))
    return tuple(
        result_of(request, choices, judged, judged.size_count < free.size_count) for choices, judged in reversed(kept)
    )


def _caps(most: int) -> list[int]:
    return [n for n in (12, 10, 8, 7, 6, 5, 4, 3, 2, 1) if n < most]


def _begin(request: FitRequest, cancelled: Stop) -> list[_Begun]:
    """The first stack of every count that has one. Raises FitImpossible when none has."""
    begun: list[_Begun] = []
    for count in request.counts:
        every = allowed_choices(request, count)
        if every is None:
            continue
        choices, rules = _useful(request, every)
        stack = best_stack(choices, request.profile, cancelled, rules)
        if stack is None:
            continue
        if request.stock:
            rules, stack = _within_stock(request, choices, rules, stack, cancelled)
        begun.append(_Begun(choices, rules, stack, judge(request, choices, stack.kinds)))
    if not begun:
        raise impossible(request)
    return begun


def _useful(request: FitRequest, every: RowKinds) -> tuple[RowKinds, Rules]:
    rules = Rules(request.ratio_limit, request.even_steps, request.row_count)
    choices = every.subset(np.union1d(useful_kinds(every, request.profile, rules), _pins(request, every)))
    return choices, _with_pins(request, choices, rules)


def _with_pins(request: FitRequest, choices: RowKinds, rules: Rules) -> Rules:
    pins = tuple(
        HeldRow(pin.height, int(kind)) for pin, kind in zip(request.pinned, _pins(request, choices), strict=True)
    )
    return Rules(rules.ratio_limit, rules.even_steps, rules.row_count, pins, rules.penalties)


def _within_stock(
    request: FitRequest, choices: RowKinds, rules: Rules, stack: Stack, cancelled: Stop
) -> tuple[Rules, Stack]:
    """Penalise nominal sizes that are short in stock; the rules and the stack they lead to."""
    best = (rules, stack, _shortage(request, choices, stack.kinds))
    for _ in range(FIT_SEARCH.stock_rounds):
        if not best[2]:
            break
        penalties = dict(rules.penalties)
        for nominal, short in _shortage(request, choices, stack.kinds).items():
            penalties[nominal] = penalties.get(nominal, 0.0) + FIT_SEARCH.stock_penalty * short
        rules = Rules(rules.ratio_limit, rules.even_steps, rules.row_count, rules.pins, tuple(penalties.items()))
        tried = best_stack(choices, request.profile, cancelled, rules)
        if tried is None:
            break
        stack = tried
        short_now = _shortage(request, choices, stack.kinds)
        if sum(short_now.values()) < sum(best[2].values()):
            best = (rules, stack, short_now)
    return best[0], best[1]


def _shortage(request: FitRequest, choices: RowKinds, kinds: tuple[int, ...]) -> dict[float, float]:
    """Rows' worth of balloons that the stock lacks, by nominal size."""
    used = choices.nominals[list(kinds)]
    short = {n: float((used == n).sum()) - have / choices.count for n, have in request.stock}
    return {n: rows for n, rows in short.items() if rows > 1e-9}


def _capped(request: FitRequest, start: _Begun, most: int, cancelled: Stop) -> tuple[RowKinds, JudgedStack] | None:
    """The best stack of at most `most` sizes.

    The sets of sizes the row programme likes best are settled; the best of them is refined. Then all rows of a size are
    changed together where that betters the settled score, and the row programme runs again on the new set.
    """
    start = _corrected(start)
    sets = best_sets(
        most=most,
        choices=start.choices,
        stack=start.stack,
        profile=request.profile,
        cancelled=cancelled,
        rules=start.rules,
        several=FIT_SEARCH.sets_settled,
    )
    tried = [begun for chosen in sets if (begun := _of_set(request, start, chosen, cancelled))]
    if not tried:
        return None
    begun = max(tried, key=lambda b: _promise(request, b))
    penalties = _tuning_penalties(start)
    best: JudgedStack | None = None
    for _ in range(FIT_SEARCH.set_rounds):
        refined = _named(begun, _refined(request, begun, cancelled))
        if best is not None and refined.score <= best.score:
            break
        moved = tuned(request, start.choices, penalties, refined, cancelled, whole_sizes=True)
        best = moved[0] if moved else refined
        again = _of_set(request, start, np.unique(best.kinds), cancelled) if moved else None
        if again is None:
            break
        begun = again
    return None if best is None else (start.choices, best)


def _tuning_penalties(start: _Begun) -> Floats:
    """What follows what, (k, k), as `tuned` penalises it."""
    return np.asarray(FIT_SEARCH.tuning_penalty * change_penalties(start.choices, start.rules))


def _promise(request: FitRequest, begun: _Begun) -> tuple[float, float]:
    """How good a first stack is whose height is still to be tuned: balloons that are lacking, then the match."""
    short = sum(_shortage(request, begun.choices, begun.stack.kinds).values())
    return -short, begun.judged.match.mean - SCORE.swallowed_penalty * (not begun.judged.is_sound)


def _corrected(start: _Begun) -> _Begun:
    """A beginning with its rises corrected by the stack it came to."""
    corrected = start.choices.with_rise(corrected_rises(start.choices, [start.judged]))
    return dataclasses.replace(start, choices=corrected)


def _named(begun: _Begun, judged: JudgedStack) -> JudgedStack:
    """A stack with its kinds named as where more than those of `begun` were useful."""
    return dataclasses.replace(judged, kinds=tuple(begun.named[list(judged.kinds)].tolist()))


def _pins(request: FitRequest, choices: RowKinds) -> Ints:
    """The kinds of the pinned rows: the last ones."""
    return len(choices.diameters) - len(request.pinned) + np.arange(len(request.pinned))


def _of_set(request: FitRequest, start: _Begun, chosen: Ints, cancelled: Stop) -> _Begun | None:
    """The best first stack out of a set of kinds (indices into the choices of `start`), or None."""
    named = np.union1d(chosen, _pins(request, start.choices))
    choices = start.choices.subset(named)
    rules = _with_pins(request, choices, start.rules)
    stack = best_stack(choices, request.profile, cancelled, rules)
    return None if stack is None else _Begun(choices, rules, stack, judge(request, choices, stack.kinds), named)


def _refined(request: FitRequest, start: _Begun, cancelled: Stop) -> JudgedStack:
    """The best robust stack around the first one.

    The row programme runs again on corrected rises until the settled height is close, longer where rows were
    swallowed, and a little to both sides of the last correction; the best is tuned row by row.
    """
    tried = [start.judged]
    while sum(j.is_sound for j in tried) <= FIT_SEARCH.corrections and len(tried) <= FIT_SEARCH.max_corrections:
        table = corrected_rises(start.choices, tried)
        again = _chosen_by_programme(request, start, table, tried, cancelled)
        if again is None:
            break
        tried.append(again)
        if abs(again.span - request.profile.height) <= SCORE.free_height_mm:
            break
    for offset in FIT_SEARCH.rise_sweep:
        again = _chosen_by_programme(request, start, table * (1 + offset), tried, cancelled)
        if again is not None:
            tried.append(again)
    chance = np.random.default_rng(_SEED)
    for _ in range(FIT_SEARCH.disturbed):
        off = np.exp(FIT_SEARCH.disturbed_by * chance.standard_normal(len(start.choices.diameters)))
        again = _chosen_by_programme(request, start, table * np.sqrt(np.outer(off, off)), tried, cancelled)
        if again is not None:
            tried.append(again)
    penalties = _tuning_penalties(start)
    best = sorted(tried, key=lambda j: -j.score)
    for judged in [j for j in best if j.score >= best[0].score - FIT_SEARCH.worth_tuning][: FIT_SEARCH.tuned]:
        tried += tuned(request, start.choices, penalties, judged, cancelled)
    if len(start.choices.diameters) <= ROW_PROGRAMME.few_kinds:
        corrected = start.choices.with_rise(corrected_rises(start.choices, tried))
        tried += searched_small(request, corrected, max(tried, key=lambda j: j.score), cancelled)
    tried.sort(key=lambda j: -j.score)
    worth = [j for j in tried[: FIT_SEARCH.robust_tries] if j.score >= tried[0].score - FIT_SEARCH.robust_costs]
    robust = next((j for j in worth if is_robust(request, j)), None)
    return dataclasses.replace(robust or tried[0], robust=robust is not None)


def _chosen_by_programme(
    request: FitRequest, start: _Begun, rises: Floats, tried: list[JudgedStack], cancelled: Stop
) -> JudgedStack | None:
    """What the row programme chooses for these rises, settled; None where it is nothing or already among `tried`."""
    stack = best_stack(start.choices.with_rise(rises), request.profile, cancelled, start.rules)
    if stack is None or any(stack.kinds == j.kinds for j in tried):
        return None
    return judge(request, start.choices, stack.kinds)


# --- what to say about it ------------------------------------------------------------------
