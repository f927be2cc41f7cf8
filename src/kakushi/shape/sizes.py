"""Few different sizes: the best set of kinds of row, searched by exchange with the row programme inside."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.model.errors import Cancelled
from kakushi.shape.choices import RowKinds
from kakushi.shape.profile import Profile
from kakushi.shape.row_programme import (
    FREE,
    SHARE,
    Rules,
    Stack,
    Tabulated,
    band_cost,
    change_penalties,
    end_costs,
    tabulated,
)
from kakushi.shape.settings import ROW_PROGRAMME, SET_SEARCH


def best_sets(
    *,
    most: int,
    choices: RowKinds,
    stack: Stack,
    profile: Profile,
    cancelled: Callable[[], bool] = lambda: False,
    rules: Rules = FREE,
    several: int = 1,
) -> list[Ints]:
    """Sets of at most `most` kinds of row, (s,) indices, that fill a profile best; the best first, at most `several`.

    Begins with kinds of `stack` spread over its rows and exchanges one at a time while that helps;
    all exchanges of a round are costed together. Kinds of pinned rows stay in the set.
    Raises Cancelled when `cancelled()` is true.
    """
    used, times = np.unique(stack.kinds, return_counts=True)
    if len(used) <= most:
        return [np.asarray(used)]
    kept = sorted({pin.kind for pin in rules.pins})
    chosen = _spread(choices, used, times, max(most, len(kept)), kept)
    best = set_costs(choices, chosen[None, :], profile, rules)[0]
    seen = {tuple(sorted(chosen.tolist())): best}
    for reach in SET_SEARCH.reaches:
        for _ in range(SET_SEARCH.exchange_rounds):
            if cancelled():
                raise Cancelled
            trials = np.array(list(_exchanges(choices, chosen, kept, reach)))
            if not len(trials):
                break
            costs = set_costs(choices, trials, profile, rules)
            seen.update((tuple(sorted(trial)), cost) for trial, cost in zip(trials.tolist(), costs, strict=True))
            winner = int(np.argmin(costs))
            if not costs[winner] < best - 1e-9:
                break
            chosen, best = trials[winner], costs[winner]
    return [np.array(kinds) for kinds in sorted(seen, key=lambda kinds: (seen[kinds], kinds))[:several]]


def _spread(choices: RowKinds, used: Ints, times: Ints, most: int, kept: list[int]) -> Ints:
    """`most` of the used kinds with all `kept` ones, spread evenly over the rows sorted by diameter."""
    by_size = np.repeat(used, times)[np.argsort(choices.diameters[np.repeat(used, times)], kind="stable")]
    at = np.round((np.arange(most) + 0.5) / most * (len(by_size) - 1)).astype(int)
    picked = list(dict.fromkeys([*kept, *by_size[at].tolist()]))
    spare = [k for k in used.tolist() if k not in picked]
    return np.array((picked + spare)[:most])


def _exchanges(choices: RowKinds, chosen: Ints, kept: list[int], reach: float) -> Iterator[Ints]:
    """Sets that differ from `chosen` in one kind, exchanged for one of similar diameter (within `reach` places)."""
    d = choices.diameters
    for place, kind in enumerate(chosen.tolist()):
        if kind in kept:
            continue
        near = np.flatnonzero(np.abs(d - d[kind]) < reach * d[kind])
        by_size = near[np.argsort(d[near], kind="stable")]
        for other in by_size[np.unique(np.linspace(0, len(by_size) - 1, SET_SEARCH.exchanged).round().astype(int))]:
            if other not in chosen:
                trial = chosen.copy()
                trial[place] = other
                yield trial


def set_costs(choices: RowKinds, sets: Ints, profile: Profile, rules: Rules = FREE) -> Floats:
    """Cost of the best stack out of each set of kinds, (t,); `sets` (t, s) indices. Infinite: none.

    The row programme of `best_stack` for many small sets at once, without its beam and its rules
    about pins and numbers of rows.
    """
    outline = tabulated(profile)
    count, size = sets.shape
    low_kind, next_kind = sets[:, :, None], sets[:, None, :]
    rise = choices.rise[low_kind, next_kind]
    penalties = change_penalties(choices, rules)[low_kind, next_kind]
    bins = int(profile.height / ROW_PROGRAMME.bin_mm) + 2
    cost, height = np.full((bins, count, size), np.inf), np.zeros((bins, count, size))
    radius = choices.shape_radii
    seeds = band_cost(choices.cap, radius[:, None] * (1 - SHARE), outline, radius)
    fits = 2 * radius[sets] <= outline.height + ROW_PROGRAMME.overshoot_mm / 2
    trial, place = np.nonzero(fits)
    kinds = sets[trial, place]
    at = np.minimum(np.round(radius[kinds] / ROW_PROGRAMME.bin_mm).astype(int), bins - 1)
    cost[at, trial, place], height[at, trial, place] = seeds[kinds], radius[kinds]
    for low in range(bins):
        trial, place = np.nonzero(np.isfinite(cost[low]))
        if len(trial):
            _extend(
                cost=cost,
                height=height,
                low=low,
                trial=trial,
                place=place,
                sets=sets,
                choices=choices,
                rise=rise,
                penalties=penalties,
                outline=outline,
            )
    at_bin, trial, place = np.nonzero(np.isfinite(cost))
    _, whole = end_costs(choices, sets[trial, place], height[at_bin, trial, place], cost[at_bin, trial, place], outline)
    best = np.full(count, np.inf)
    np.minimum.at(best, trial, whole)
    return best


def _extend(
    *,
    cost: Floats,
    height: Floats,
    low: int,
    trial: Ints,
    place: Ints,
    sets: Ints,
    choices: RowKinds,
    rise: Floats,
    penalties: Floats,
    outline: Tabulated,
) -> None:
    """Put every next row on the states (trial, place), (q,), of one bin."""
    nexts = sets[trial]
    step = rise[trial, place]
    start = height[low, trial, place][:, None]
    reached = start + step
    d = choices.diameters[nexts]
    target = np.round(reached / ROW_PROGRAMME.bin_mm).astype(int)
    fits = (reached + choices.shape_radii[nexts] <= outline.height + ROW_PROGRAMME.overshoot_mm) & (
        step > ROW_PROGRAMME.shallow * d
    )
    fits &= (target < len(cost)) & (target > low)
    state, following = np.nonzero(fits)
    if not len(state):
        return
    step, kinds = step[state, following], nexts[state, following]
    z = start[state] + step[:, None] * SHARE
    extent = choices.extent[sets[trial, place][state], kinds]
    values = (
        cost[low, trial, place][state] + penalties[trial, place][state, following] + band_cost(extent, z, outline, step)
    )
    owner, target, reached = trial[state], target[state, following], reached[state, following]
    better = np.flatnonzero(values < cost[target, owner, following])
    order = better[np.argsort(-values[better], kind="stable")]
    at = (target[order], owner[order], following[order])
    cost[at], height[at] = values[order], reached[order]
