"""The dynamic programme of the fit: the cheapest stack of rows up an outline.

States are (height bin, kind of row); each keeps its exact height, so rounding to bins does
not add up. A step from one row to the next costs the azimuth-averaged area between the two
rows' silhouette and the outline, over the outline's area, plus small charges for changes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from kakushi.model.errors import Cancelled
from kakushi.packing.stack import Floats, Ints
from kakushi.shape.choices import BAND_SAMPLES, Choices
from kakushi.shape.profile import Profile

BIN_MM = 8.0
TABLE_MM = 1.0
BEAM = 32
NEAR_WIDTH = (0.80, 1.22)
RISE_PER_HALF_WIDTH = 1.3
RATIO_LIMIT = 1.6
CHANGE_CHARGE = 0.0010
STEP_CHARGE = 0.0030
RATIO_CHARGE = 0.02
SOFT_FILL_CHARGE = 0.0010
NOMINALS_PER_DIAMETER = 2
OVERSHOOT_MM = 60.0
SHALLOW = 0.3
HEIGHT_DEAD_BAND_MM = 5.0
HEIGHT_CHARGE_PER_MM = 0.0004


@dataclass(frozen=True, slots=True)
class Stack:
    """A stack the programme found: kinds of row from the foot up, with its predicted span, mm."""

    kinds: tuple[int, ...]
    cost: float
    span_mm: float


@dataclass(frozen=True, slots=True)
class _Outline:
    """The outline as a table: mean half-width every TABLE_MM, 0 above the top."""

    height: float
    area: float
    half_widths: Floats

    def at(self, z: Floats) -> Floats:
        """Half-width at heights z >= 0, any shape, mm."""
        return np.take(self.half_widths, (z / TABLE_MM).astype(np.int32), mode="clip")


def _tabulated(profile: Profile) -> _Outline:
    z = (np.arange(int(profile.height / TABLE_MM) + 2) + 0.5) * TABLE_MM
    return _Outline(profile.height, profile.area, profile.mean_half_width(z).astype(np.float32))


@dataclass(slots=True)
class _Table:
    cost: Floats
    height: Floats
    from_bin: Ints
    from_kind: Ints


def useful_kinds(choices: Choices, profile: Profile) -> Ints:
    """Kinds of row whose width is anywhere near the outline's, (m,) indices; the nearest when none is."""
    widths = profile.left + profile.right
    low, high = NEAR_WIDTH[0] * float(widths.min()) / 2, NEAR_WIDTH[1] * float(widths.max()) / 2
    near = np.flatnonzero((choices.half_width >= low) & (choices.half_width <= high))
    if not len(near):
        return np.array([int(np.argmin(np.abs(choices.half_width - profile.widest / 2)))])
    # Where many nominal sizes reach one diameter, the fullest ones are the rounder and cheaper.
    fullest_first = near[np.lexsort((-choices.fill[near], np.round(choices.diameters[near], 3)))]
    diameters = np.round(choices.diameters[fullest_first], 3)
    place = np.arange(len(diameters)) - np.searchsorted(diameters, diameters)
    return np.sort(fullest_first[place < NOMINALS_PER_DIAMETER])


def best_stack(
    choices: Choices, profile: Profile, rise_factor: float = 1.0, cancelled: Callable[[], bool] = lambda: False
) -> Stack | None:
    """The cheapest stack for a profile, or None when not even one row fits under its top.

    `rise_factor` corrects the predicted rises. Raises Cancelled when `cancelled()` is true.
    """
    outline = _tabulated(profile)
    rise = choices.rise * rise_factor
    charges = _change_charges(choices)
    bins = int(profile.height / BIN_MM) + 2
    shape = (bins, len(choices.diameters))
    table = _Table(np.full(shape, np.inf), np.zeros(shape), np.full(shape, -1), np.full(shape, -1))
    near = _near_kinds(choices, outline, bins)
    _seed(table, choices, outline)
    for low in range(bins):
        kinds = _beam(table.cost[low])
        if not len(kinds):
            continue
        if cancelled():
            raise Cancelled
        _extend(table, low, kinds, np.flatnonzero(near[low]), choices, rise, charges, outline)
    return _best_end(table, choices, outline)


def _near_kinds(choices: Choices, outline: _Outline, bins: int) -> np.ndarray:
    """Kinds worth trying as the row after a bin, (bins, k) bool: near the outline's width there."""
    z = np.arange(bins) * BIN_MM
    reach = RISE_PER_HALF_WIDTH * outline.at(z)[:, None]
    ahead = outline.at(np.minimum(z[:, None] + np.linspace(0.0, 1.0, 9) * reach, outline.height - BIN_MM))
    low, high = NEAR_WIDTH[0] * ahead.min(axis=1), NEAR_WIDTH[1] * ahead.max(axis=1)
    width = choices.half_width
    near = (width >= low[:, None]) & (width <= high[:, None])
    # Where the outline is thinner or wider than anything on hand, the nearest kind stands in.
    rest = ~near.any(axis=1)
    near[rest, np.abs(width[None, :] - ahead.mean(axis=1)[rest, None]).argmin(axis=1)] = True
    return np.asarray(near)


def _change_charges(choices: Choices) -> Floats:
    """Charges for what follows what, (k, k): changes of size, big steps, unequal neighbours, softness."""
    d = choices.diameters
    ratio = np.maximum(d[:, None] / d[None, :], d[None, :] / d[:, None])
    same = (d[:, None] == d[None, :]) & (choices.nominals[:, None] == choices.nominals[None, :])
    charge = np.where(same, 0.0, CHANGE_CHARGE) + STEP_CHARGE * (ratio - 1) ** 2
    charge += RATIO_CHARGE * np.maximum(ratio - RATIO_LIMIT, 0.0)
    return np.asarray(charge + SOFT_FILL_CHARGE * (1 - choices.fill)[None, :])


def _band_cost(extent: Floats, z: Floats, outline: _Outline, thickness: Floats) -> Floats:
    """Area between extents (..., s, a) and the outline at heights z (..., s), over the outline's area."""
    between = np.abs(extent - outline.at(z)[..., None]).mean(axis=(-1, -2))
    return np.asarray(2 * between * thickness / outline.area)


_SHARE = (np.arange(BAND_SAMPLES) + 0.5) / BAND_SAMPLES


def _seed(table: _Table, choices: Choices, outline: _Outline) -> None:
    radius = choices.diameters / 2
    z = radius[:, None] * (1 - _SHARE)
    cost = _band_cost(choices.cap, z, outline, radius)
    for kind in np.flatnonzero(2 * radius <= outline.height + HEIGHT_DEAD_BAND_MM):
        at = round(radius[kind] / BIN_MM)
        if at < len(table.cost):
            table.cost[at, kind], table.height[at, kind] = cost[kind], radius[kind]


def _beam(costs: Floats) -> Ints:
    alive = np.flatnonzero(np.isfinite(costs))
    if len(alive) > BEAM:
        alive = alive[np.argpartition(costs[alive], BEAM)[:BEAM]]
    return alive


def _extend(
    table: _Table, low: int, kinds: Ints, nexts: Ints, choices: Choices, rise: Floats, charges: Floats,
    outline: _Outline,
) -> None:  # fmt: skip
    height = table.height[low, kinds][:, None]
    pairs = np.ix_(kinds, nexts)
    step = rise[pairs]
    reached = height + step
    z = height[:, :, None] + step[:, :, None] * _SHARE
    cost = table.cost[low, kinds][:, None] + charges[pairs] + _band_cost(choices.extent[pairs], z, outline, step)
    diameters = choices.diameters[nexts]
    fits = (reached + diameters / 2 <= outline.height + OVERSHOOT_MM) & (step > SHALLOW * diameters)
    target = np.round(reached / BIN_MM).astype(int)
    fits &= (target < len(table.cost)) & (target > low)
    who, kind = np.nonzero(fits)
    if not len(who):
        return
    values, target, reached = cost[who, kind], target[who, kind], reached[who, kind]
    kind = np.asarray(nexts[kind], dtype=np.intp)
    state = target * table.cost.shape[1] + kind
    better = np.flatnonzero(values < table.cost.ravel()[state])
    # Written dearest first, so that of all arrivals at one state the cheapest stays.
    order = better[np.argsort(-values[better], kind="stable")]
    at = (target[order], kind[order])
    table.cost[at], table.height[at] = values[order], reached[order]
    table.from_bin[at], table.from_kind[at] = low, kinds[who[order]]


def _best_end(table: _Table, choices: Choices, outline: _Outline) -> Stack | None:
    at_bin, kind = np.nonzero(np.isfinite(table.cost))
    if not len(at_bin):
        return None
    height = table.height[at_bin, kind]
    radius = choices.diameters[kind] / 2
    span = height + radius
    z = height[:, None] + radius[:, None] * _SHARE
    cost = table.cost[at_bin, kind] + _band_cost(choices.cap[kind], z, outline, radius)
    missing = np.maximum(outline.height - span, 0.0)
    # What stays empty above the last row is area lost, whatever the height is worth.
    top = outline.height - missing[:, None] * _SHARE
    cost += 2 * (outline.at(top).mean(axis=1) * missing) / outline.area
    cost += HEIGHT_CHARGE_PER_MM * np.maximum(np.abs(span - outline.height) - HEIGHT_DEAD_BAND_MM, 0.0)
    best = int(np.argmin(cost))
    kinds: list[int] = []
    b, k = int(at_bin[best]), int(kind[best])
    while k >= 0:
        kinds.append(k)
        b, k = int(table.from_bin[b, k]), int(table.from_kind[b, k])
    return Stack(tuple(reversed(kinds)), float(cost[best]), float(span[best]))
