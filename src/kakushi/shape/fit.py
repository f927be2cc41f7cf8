"""The fit: an outline and a height in, rows out, judged on the settled column."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from kakushi.model.catalogue import NominalSize
from kakushi.model.errors import FitImpossible
from kakushi.model.job import Row, uniform_row
from kakushi.model.units import format_length
from kakushi.packing.settle import settle
from kakushi.packing.stack import Geometry, Packing, StackRow, equal_row
from kakushi.shape.choices import Choices, choices_for
from kakushi.shape.match import Match, match_of
from kakushi.shape.profile import Profile
from kakushi.shape.programme import Stack, best_stack, useful_kinds

RISE_SWEEP = (-0.006, 0.0, 0.006)
HEIGHT_DEAD_BAND_MM = 10.0
SCORE_PER_MM = 0.001
SCORE_PER_SMALL_MM = 0.0001
CLOSE_ENOUGH_MM = 3.0
TUNING_ROUNDS, TUNING_TRIES = 3, 4
TUNING_REACH = 0.09
SHALLOW_RISE = 0.3
EXCHANGE_ROUNDS = 2
EXCHANGE_REACH = 0.09


@dataclass(frozen=True, slots=True)
class FitRequest:
    """What to fit: the profile (from the piece's foot), what may be used, how it is packed."""

    profile: Profile
    nominals: tuple[NominalSize, ...]
    sizer_step_mm: float
    packing: Packing
    counts: tuple[int, ...] = (4,)
    max_sizes: int | None = None


@dataclass(frozen=True, slots=True)
class FitResult:
    """Rows with the geometry they settle to and the match that was measured on it."""

    rows: tuple[Row, ...]
    geometry: Geometry
    match: Match
    score: float


Progress = Callable[[float], None]


def fit(
    request: FitRequest,
    progress: Progress = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> FitResult:
    """Choose rows for an outline. Raises FitImpossible with the reason, Cancelled when asked to stop.

    For each count: the dynamic programme, settled; the rises corrected by what settling
    showed and the programme run again around that; the best settled score wins, and single
    rows of it are nudged until the settled height is close. With `max_sizes`, the set of
    sizes is searched by exchange with the programme inside.
    """
    found: list[FitResult] = []
    for done, count in enumerate(request.counts):
        choices = choices_for(count, request.nominals, request.sizer_step_mm, request.packing)
        if choices is not None:
            best = _fit_count(request, choices, cancelled)
            found += [best] if best else []
        progress((done + 1) / len(request.counts))
    if not found:
        raise FitImpossible(_why_impossible(request), "outline")
    return max(found, key=lambda result: result.score)


def _fit_count(request: FitRequest, choices: Choices, cancelled: Callable[[], bool]) -> FitResult | None:
    profile = request.profile
    if choices.widest.min() > profile.widest * 1.15:
        return None
    choices = choices.subset(useful_kinds(choices, profile))
    first = best_stack(choices, profile, 1.0, cancelled)
    if first is None:
        return None
    if request.max_sizes is not None:
        choices, first = _within_size_cap(request.max_sizes, choices, first, profile, cancelled)
    best, kinds = _settled(request, choices, first.kinds), first.kinds
    factor = _span(best) / first.span_mm
    for off in RISE_SWEEP:
        stack = best_stack(choices, profile, factor + off, cancelled)
        if stack is not None:
            tried = _settled(request, choices, stack.kinds)
            if tried.score > best.score:
                best, kinds = tried, stack.kinds
    return _tuned(request, choices, best, kinds)


def _span(result: FitResult) -> float:
    return result.geometry.top - result.geometry.bottom


def _tuned(request: FitRequest, choices: Choices, best: FitResult, kinds: tuple[int, ...]) -> FitResult:
    """The result with single rows a size up or down, as long as that betters the settled score."""
    for _ in range(TUNING_ROUNDS):
        off = request.profile.height - _span(best)
        if abs(off) <= CLOSE_ENOUGH_MM:
            break
        nudged = _nudges(choices, kinds)
        before = _predicted_span(choices, kinds)
        nudged.sort(key=lambda k: abs(off - (_predicted_span(choices, k) - before)))
        tried = [(_settled(request, choices, k), k) for k in nudged[:TUNING_TRIES]]
        better = max(tried, key=lambda pair: pair[0].score, default=(best, kinds))
        if better[0].score <= best.score:
            break
        best, kinds = better
    return best


def _nudges(choices: Choices, kinds: tuple[int, ...]) -> list[tuple[int, ...]]:
    """Stacks with one row of a slightly different diameter out of the same nominal size."""
    d, nominal = choices.diameters, choices.nominals
    return [
        (*kinds[:row], int(other), *kinds[row + 1 :])
        for row, kind in enumerate(kinds)
        for other in np.flatnonzero((nominal == nominal[kind]) & (np.abs(d - d[kind]) <= TUNING_REACH * d[kind]))
        if other != kind
    ]


def _predicted_span(choices: Choices, kinds: tuple[int, ...]) -> float:
    ends = (choices.diameters[kinds[0]] + choices.diameters[kinds[-1]]) / 2
    return float(choices.rise[list(kinds[:-1]), list(kinds[1:])].sum() + ends)


def stack_rows(choices: Choices, kinds: Iterable[int]) -> list[StackRow]:
    """Rows for settling, for kinds of `choices`."""
    return [equal_row(choices.count, float(choices.diameters[k]), float(choices.slacks[k])) for k in kinds]


def _settled(request: FitRequest, choices: Choices, kinds: tuple[int, ...]) -> FitResult:
    geometry = settle(stack_rows(choices, kinds), request.packing)
    match = match_of(geometry, request.profile)
    off = abs(geometry.top - geometry.bottom - request.profile.height)
    score = match.mean - SCORE_PER_SMALL_MM * off - SCORE_PER_MM * max(off - HEIGHT_DEAD_BAND_MM, 0.0)
    if not _sound(geometry, choices, kinds):
        score -= 0.5
    rows = tuple(
        uniform_row(i + 1, choices.count, float(choices.nominals[k]), float(choices.diameters[k]))
        for i, k in enumerate(kinds)
    )
    return FitResult(rows, geometry, match, score)


def _sound(geometry: Geometry, choices: Choices, kinds: tuple[int, ...]) -> bool:
    """Whether no row was swallowed by a neighbour and all knots came out in order."""
    d = choices.diameters[list(kinds)]
    least = SHALLOW_RISE * np.minimum(d[1:], d[:-1])
    report = geometry.report
    return report.converged and report.in_order and bool((np.diff(geometry.knots) > least).all())


def _within_size_cap(
    most: int, choices: Choices, stack: Stack, profile: Profile, cancelled: Callable[[], bool]
) -> tuple[Choices, Stack]:
    """Choices cut down to `most` sizes, with their best stack: sizes exchanged while that helps."""
    used, times = np.unique(stack.kinds, return_counts=True)
    if len(used) <= most:
        return choices, stack
    chosen = _spread(choices, used, times, most)
    best = best_stack(choices.subset(chosen), profile, 1.0, cancelled)
    for _ in range(EXCHANGE_ROUNDS):
        improved = False
        for trial in _exchanges(choices, chosen):
            stack_tried = best_stack(choices.subset(trial), profile, 1.0, cancelled)
            if stack_tried and (best is None or stack_tried.cost < best.cost - 1e-9):
                chosen, best, improved = trial, stack_tried, True
        if not improved:
            break
    return (choices, stack) if best is None else (choices.subset(chosen), best)


def _spread(choices: Choices, used: np.ndarray, times: np.ndarray, most: int) -> np.ndarray:
    """`most` of the used kinds, spread evenly over the rows sorted by diameter."""
    by_size = np.repeat(used, times)[np.argsort(choices.diameters[np.repeat(used, times)], kind="stable")]
    at = np.round((np.arange(most) + 0.5) / most * (len(by_size) - 1)).astype(int)
    picked = list(dict.fromkeys(by_size[at].tolist()))
    spare = [k for k in used.tolist() if k not in picked]
    return np.array(picked + spare[: most - len(picked)])


def _exchanges(choices: Choices, chosen: np.ndarray) -> Iterable[np.ndarray]:
    """Sets that differ from `chosen` in one kind, replaced by one a step or two away."""
    nominal, diameter = choices.nominals, choices.diameters
    for place, kind in enumerate(chosen):
        near = np.flatnonzero(
            (nominal == nominal[kind]) & (np.abs(diameter - diameter[kind]) < EXCHANGE_REACH * diameter[kind])
        )
        for other in near:
            if other not in chosen:
                trial = chosen.copy()
                trial[place] = other
                yield trial


def _why_impossible(request: FitRequest) -> str:
    profile = request.profile
    widths: list[tuple[float, int]] = []
    for count in request.counts:
        choices = choices_for(count, request.nominals, request.sizer_step_mm, request.packing)
        if choices is not None:
            widths.append((float(choices.widest.min()), count))
    if not widths:
        return "None of the chosen balloon sizes has a usable sized diameter on your sizer."
    smallest, count = min(widths)
    if smallest > profile.widest * 1.15:
        return (
            f"The outline is only {format_length(profile.widest)} wide at its widest; your smallest "
            f"cluster of {count} is {format_length(round(smallest))} wide."
        )
    return f"Nothing you chose fits under {format_length(profile.height)}: try smaller balloons or a taller outline."
