"""The dynamic programme of the fit: the cheapest stack of rows up an outline.

States are (height bin, kind of row); each keeps its exact height, so rounding to bins does
not add up. A step from one row to the next costs the azimuth-averaged area between the two
rows' silhouette and the outline, over the outline's area, plus small charges for changes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.model.errors import Cancelled
from kakushi.shape.choices import AZIMUTH_SAMPLES, BAND_SAMPLES, RowKinds
from kakushi.shape.profile import Profile
from kakushi.shape.settings import ROW_PROGRAMME


@dataclass(frozen=True, slots=True)
class HeldRow:
    """A row kept by hand: the height of its knot above the foot, mm, and its kind (index into the choices)."""

    height: float
    kind: int


@dataclass(frozen=True, slots=True)
class Rules:
    """What a stack has to keep to besides the outline.

    `ratio_limit`: largest ratio of neighbouring diameters (None: the usual one, charged softly);
    `even_steps` 0 to 1: how much uneven steps cost; `row_count`: exactly so many rows;
    `pins`: rows kept, ascending; `penalties`: extra cost per row of a nominal size (in), as pairs.
    """

    ratio_limit: float | None = None
    even_steps: float = 0.0
    row_count: int | None = None
    pins: tuple[HeldRow, ...] = ()
    penalties: tuple[tuple[float, float], ...] = ()


FREE = Rules()


@dataclass(frozen=True, slots=True)
class Stack:
    """A stack the row programme found: kinds of row from the foot up, with its predicted span, mm."""

    kinds: tuple[int, ...]
    cost: float
    span_mm: float


@dataclass(frozen=True, slots=True)
class Tabulated:
    """The outline as a table: mean half-width every ROW_PROGRAMME.table_mm, 0 above the top."""

    height: float
    area: float
    half_widths: Floats

    def at(self, z: Floats) -> Floats:
        """Half-width at heights z >= 0, any shape, mm."""
        return np.take(self.half_widths, (z / ROW_PROGRAMME.table_mm).astype(np.int32), mode="clip")


@lru_cache(maxsize=32)
def tabulated(profile: Profile) -> Tabulated:
    """The outline as the row programme looks it up."""
    z = (np.arange(int(profile.height / ROW_PROGRAMME.table_mm) + 2) + 0.5) * ROW_PROGRAMME.table_mm
    return Tabulated(profile.height, profile.area, profile.mean_half_width(z).astype(np.float32))


@dataclass(slots=True)
class _Table:
    """Best cost and exact height per (layer, bin, kind), and where it came from.

    Layers count rows where their number is fixed; else there is one.
    """

    cost: Floats
    height: Floats
    from_bin: Ints
    from_kind: Ints


def _empty_table(layers: int, bins: int, kinds: int) -> _Table:
    shape = (layers, bins, kinds)
    return _Table(np.full(shape, np.inf), np.zeros(shape), np.full(shape, -1), np.full(shape, -1))


def useful_kinds(choices: RowKinds, profile: Profile, rules: Rules = FREE) -> Ints:
    """Kinds of row whose width is anywhere near the outline's, (m,) indices; the nearest when none is."""
    if len(choices.diameters) <= ROW_PROGRAMME.few_kinds:
        return np.arange(len(choices.diameters))
    widths = profile.left + profile.right
    near_low, near_high = _near_width(rules)
    low, high = near_low * float(widths.min()) / 2, near_high * float(widths.max()) / 2
    near = np.flatnonzero((choices.half_width >= low) & (choices.half_width <= high))
    if not len(near):
        return np.array([int(np.argmin(np.abs(choices.half_width - profile.widest / 2)))])
    # Where many nominal sizes reach one diameter, the fullest ones are the rounder and cheaper.
    fullest_first = near[np.lexsort((-choices.fill[near], np.round(choices.diameters[near], 3)))]
    diameters = np.round(choices.diameters[fullest_first], 3)
    place = np.arange(len(diameters)) - np.searchsorted(diameters, diameters)
    return np.sort(fullest_first[place < ROW_PROGRAMME.nominals_per_diameter])


def _near_width(rules: Rules) -> tuple[float, float]:
    """Shares of the outline's width worth trying; a fixed number of rows may need far thinner or wider ones."""
    spread = 1.0 if rules.row_count is None else ROW_PROGRAMME.fixed_rows_spread
    return ROW_PROGRAMME.near_width[0] / spread, ROW_PROGRAMME.near_width[1] * spread


def best_stack(
    choices: RowKinds, profile: Profile, cancelled: Callable[[], bool] = lambda: False, rules: Rules = FREE
) -> Stack | None:
    """The cheapest stack for a profile, or None when no stack keeps to the rules under its top.

    Raises Cancelled when `cancelled()` is true.
    """
    outline = tabulated(profile)
    penalties = change_penalties(choices, rules)
    extents = choices.extent.reshape(-1, BAND_SAMPLES, AZIMUTH_SAMPLES)
    bins = int(profile.height / ROW_PROGRAMME.bin_mm) + 2
    layers = rules.row_count or 1
    table = _empty_table(layers, bins, len(choices.diameters))
    near = _near_kinds(choices, outline, bins, rules)
    zones = _pin_zones(choices, rules.pins)
    for low, high, kind in zones:
        near[int(low / ROW_PROGRAMME.bin_mm) : int(high / ROW_PROGRAMME.bin_mm) + 2, kind] = True
    _seed(table, choices, outline, zones)
    for layer in range(layers):
        into = layer if rules.row_count is None else layer + 1
        if into == layers:
            break
        for low in range(bins):
            kinds = _beam(table.cost[layer, low])
            if not len(kinds):
                continue
            if cancelled():
                raise Cancelled
            nexts = np.flatnonzero(near[low])
            _extend(
                table=table,
                layer=layer,
                into=into,
                low=low,
                kinds=kinds,
                nexts=nexts,
                choices=choices,
                extents=extents,
                penalties=penalties,
                outline=outline,
                zones=zones,
            )
    return _best_end(table, choices, outline, zones)


def _pin_zones(choices: RowKinds, pins: tuple[HeldRow, ...]) -> list[tuple[float, float, int]]:
    """Heights (low, high) in which exactly one row stands, of one kind; between pins they do not overlap."""
    zones = []
    for pin in pins:
        half = ROW_PROGRAMME.pin_zone * float(choices.rise[pin.kind, pin.kind]) / 2
        low = max(pin.height - half, float(choices.shape_radii[pin.kind]))
        zones.append((low, low + 2 * half, pin.kind))
    for index, (below, above) in enumerate(pairwise(zones)):
        if above[0] < below[1]:
            middle = (above[0] + below[1]) / 2
            zones[index], zones[index + 1] = (below[0], middle, below[2]), (middle, above[1], above[2])
    return zones


def _keeps_pins(zones: list[tuple[float, float, int]], low: Floats, high: Floats, kind: Ints) -> np.ndarray:
    """Whether going from heights `low` to `high` with a row of `kind` there keeps the pinned rows; broadcast."""
    keeps = np.ones(np.broadcast_shapes(low.shape, high.shape, kind.shape), dtype=bool)
    for start, end, pinned in zones:
        keeps &= ~((low < start) & (high > end))
        inside = (high >= start) & (high <= end)
        keeps &= np.where(inside, (kind == pinned) & (low < start), kind != pinned)
    return keeps


def _near_kinds(choices: RowKinds, outline: Tabulated, bins: int, rules: Rules) -> np.ndarray:
    """Kinds worth trying as the row after a bin, (bins, k) bool: near the outline's width there."""
    z = np.arange(bins) * ROW_PROGRAMME.bin_mm
    reach = ROW_PROGRAMME.rise_per_half_width * outline.at(z)[:, None]
    ahead = outline.at(np.minimum(z[:, None] + np.linspace(0.0, 1.0, 9) * reach, outline.height - ROW_PROGRAMME.bin_mm))
    least, most = _near_width(rules)
    low, high = least * ahead.min(axis=1), most * ahead.max(axis=1)
    width = choices.half_width
    near = (width >= low[:, None]) & (width <= high[:, None])
    # Where the outline is thinner or wider than anything on hand, the nearest kind stands in.
    rest = ~near.any(axis=1)
    near[rest, np.abs(width[None, :] - ahead.mean(axis=1)[rest, None]).argmin(axis=1)] = True
    return np.asarray(near)


def change_penalties(choices: RowKinds, rules: Rules = FREE) -> Floats:
    """Charges for what follows what, (k, k): changes of size, big steps, unequal neighbours, softness."""
    d = choices.diameters
    ratio = np.maximum(d[:, None] / d[None, :], d[None, :] / d[:, None])
    same = (d[:, None] == d[None, :]) & (choices.nominals[:, None] == choices.nominals[None, :])
    steps = ROW_PROGRAMME.step_penalty + ROW_PROGRAMME.even_steps_penalty * rules.even_steps
    penalty = np.where(same, 0.0, ROW_PROGRAMME.change_penalty) + steps * (ratio - 1) ** 2
    penalty += ROW_PROGRAMME.ratio_penalty * np.maximum(ratio - ROW_PROGRAMME.ratio_limit, 0.0)
    if rules.ratio_limit is not None:
        penalty += ROW_PROGRAMME.asked_ratio_penalty * np.maximum(ratio - rules.ratio_limit, 0.0)
    for nominal, extra in rules.penalties:
        penalty += np.where(choices.nominals == nominal, extra, 0.0)[None, :]
    return np.asarray(penalty + ROW_PROGRAMME.soft_fill_penalty * (1 - choices.fill)[None, :])


def band_cost(extent: Floats, z: Floats, outline: Tabulated, thickness: Floats) -> Floats:
    """Area between extents (..., s, a) and the outline at heights z (..., s), over the outline's area."""
    between = np.abs(extent - outline.at(z)[..., None])
    shares = between.reshape(*between.shape[:-2], -1) @ _EVEN
    return np.asarray(2 * shares * thickness / outline.area)


SHARE = (np.arange(BAND_SAMPLES) + 0.5) / BAND_SAMPLES
"""Heights within a band at which widths are compared, as shares, (BAND_SAMPLES,)."""
_EVEN = np.full(BAND_SAMPLES * AZIMUTH_SAMPLES, 1 / (BAND_SAMPLES * AZIMUTH_SAMPLES), dtype=np.float32)
"""Equal weights of all samples of a band."""


def _seed(table: _Table, choices: RowKinds, outline: Tabulated, zones: list[tuple[float, float, int]]) -> None:
    radius = choices.shape_radii
    z = radius[:, None] * (1 - SHARE)
    cost = band_cost(choices.cap, z, outline, radius)
    fits = _keeps_pins(zones, np.zeros_like(radius), radius, np.arange(len(radius)))
    for kind in np.flatnonzero(fits & (2 * radius <= outline.height + ROW_PROGRAMME.height_dead_band_mm)):
        at = round(radius[kind] / ROW_PROGRAMME.bin_mm)
        if at < table.cost.shape[1]:
            table.cost[0, at, kind], table.height[0, at, kind] = cost[kind], radius[kind]


def _beam(costs: Floats) -> Ints:
    alive = np.flatnonzero(np.isfinite(costs))
    if len(alive) > ROW_PROGRAMME.beam:
        alive = alive[np.argpartition(costs[alive], ROW_PROGRAMME.beam)[: ROW_PROGRAMME.beam]]
    return alive


def _extend(
    *,
    table: _Table,
    layer: int,
    into: int,
    low: int,
    kinds: Ints,
    nexts: Ints,
    choices: RowKinds,
    extents: Floats,
    penalties: Floats,
    outline: Tabulated,
    zones: list[tuple[float, float, int]],
) -> None:
    height = table.height[layer, low, kinds][:, None]
    count = len(choices.diameters)
    pairs = kinds[:, None] * count + nexts
    step = choices.rise.take(pairs)
    reached = height + step
    cost = table.cost[layer, low, kinds][:, None] + penalties.take(pairs)
    diameters = choices.diameters[nexts]
    radii = choices.shape_radii[nexts]
    target = np.rint(reached / ROW_PROGRAMME.bin_mm).astype(np.intp)
    fits = (
        (reached + radii <= outline.height + ROW_PROGRAMME.overshoot_mm)
        & (step > ROW_PROGRAMME.shallow * diameters)
        & (target > low)
    )
    states = table.cost[into].ravel()
    state = np.minimum(target * count + nexts, len(states) - 1)
    # What costs more already than the state it leads to needs no look at the outline.
    fits &= (target < table.cost.shape[1]) & (cost < states.take(state))
    if zones:
        fits &= _keeps_pins(zones, height, reached, nexts[None, :])
    left = np.flatnonzero(fits)
    if not len(left):
        return
    pairs, step, reached, state = pairs.take(left), step.take(left), reached.take(left), state.take(left)
    who = left // len(nexts)
    z = height[who] + step[:, None] * SHARE
    values = cost.take(left) + band_cost(extents.take(pairs, axis=0), z, outline, step)
    better = np.flatnonzero(values < states.take(state))
    # Written dearest first, so that of all arrivals at one state the cheapest stays.
    order = better[np.argsort(-values[better], kind="stable")]
    at = (into, *np.divmod(state[order], count))
    table.cost[at], table.height[at] = values[order], reached[order]
    table.from_bin[at], table.from_kind[at] = low, kinds[who[order]]


def _best_end(
    table: _Table, choices: RowKinds, outline: Tabulated, zones: list[tuple[float, float, int]]
) -> Stack | None:
    layer = len(table.cost) - 1
    at_bin, kind = np.nonzero(np.isfinite(table.cost[layer]))
    if not len(at_bin):
        return None
    height = table.height[layer, at_bin, kind]
    span, cost = end_costs(choices, kind, height, table.cost[layer, at_bin, kind], outline)
    if zones:
        cost = np.where(height >= zones[-1][0], cost, np.inf)
    best = int(np.argmin(cost))
    if not np.isfinite(cost[best]):
        return None
    kinds: list[int] = []
    b, k = int(at_bin[best]), int(kind[best])
    while k >= 0:
        kinds.append(k)
        b, k = int(table.from_bin[layer, b, k]), int(table.from_kind[layer, b, k])
        layer = max(layer - 1, 0)
    return Stack(tuple(reversed(kinds)), float(cost[best]), float(span[best]))


def stack_cost(choices: RowKinds, profile: Profile, kinds: tuple[int, ...], rules: Rules = FREE) -> float:
    """What the row programme would say a stack costs: as the cost of `best_stack`; infinite with a rise it refuses."""
    outline = tabulated(profile)
    k = np.array(kinds)
    low, high, radius = k[:-1], k[1:], choices.shape_radii
    step = choices.rise[low, high]
    if (step <= ROW_PROGRAMME.shallow * choices.diameters[high]).any():
        return float("inf")
    height = radius[k[0]] + np.concatenate([[0.0], np.cumsum(step)])
    foot = band_cost(choices.cap[k[:1]], radius[k[:1], None] * (1 - SHARE), outline, radius[k[:1]])
    between = band_cost(choices.extent[low, high], height[:-1, None] + step[:, None] * SHARE, outline, step)
    cost = foot.sum() + between.sum() + change_penalties(choices, rules)[low, high].sum()
    return float(end_costs(choices, k[-1:], height[-1:], np.array([cost]), outline)[1][0])


def end_costs(choices: RowKinds, kind: Ints, height: Floats, cost: Floats, outline: Tabulated) -> tuple[Floats, Floats]:
    """Span, mm, and whole cost of stacks that end with rows `kind` at `height`, all (q,)."""
    radius = choices.shape_radii[kind]
    span = height + radius
    z = height[:, None] + radius[:, None] * SHARE
    whole = cost + band_cost(choices.cap[kind], z, outline, radius)
    missing = np.maximum(outline.height - span, 0.0)
    # What stays empty above the last row is area lost, whatever the height is worth.
    top = outline.height - missing[:, None] * SHARE
    whole = whole + 2 * (outline.at(top).mean(axis=1) * missing) / outline.area
    error = np.abs(span - outline.height)
    return span, np.asarray(
        whole + ROW_PROGRAMME.height_penalty_per_mm * np.maximum(error - ROW_PROGRAMME.height_dead_band_mm, 0.0)
    )
