"""Patterns that follow from rows and slots alone: spirals, stripes, bands, checks, diamonds, gradients.

Each answers with a colour key for every balloon, "" where it lays nothing.
"""

from __future__ import annotations

import math
from itertools import accumulate

from kakushi.colour.surface import Surface
from kakushi.model.layers import (
    BandsLayer,
    ChecksLayer,
    DiamondsLayer,
    GradientLayer,
    Hand,
    RingsLayer,
    SolidLayer,
    SpiralLayer,
    StripesLayer,
)

NONE = ""
"""Colour key of a balloon a layer leaves alone."""

Lines = list[list[str]]
PlainLayer = (
    SolidLayer | SpiralLayer | StripesLayer | BandsLayer | RingsLayer | ChecksLayer | DiamondsLayer | GradientLayer
)


def laid(layer: PlainLayer, surface: Surface) -> Lines:
    """Colour keys in slot order for every row, foot first."""
    match layer:
        case SolidLayer():
            return [[layer.colour] * n for n in surface.counts]
        case BandsLayer():
            return [[band_colour(layer, row)] * n for row, n in enumerate(surface.counts)]
        case RingsLayer():
            return [[ring_colour(layer, row)] * n for row, n in enumerate(surface.counts)]
        case SpiralLayer():
            lanes = spiral_lanes(layer, surface)
            return [[layer.lanes[lane] for lane in line] for line in lanes]
        case StripesLayer():
            lanes = stripe_lanes(len(layer.lanes), surface)
            return [[layer.lanes[lane] for lane in line] for line in lanes]
        case _:
            return _placed(layer, surface)


def _placed(layer: ChecksLayer | DiamondsLayer | GradientLayer, surface: Surface) -> Lines:
    if isinstance(layer, ChecksLayer):
        return _checks(layer, surface)
    if isinstance(layer, GradientLayer):
        return _gradient(layer, surface)
    return [
        [_diamond(layer, row, surface.slot_angle(row, slot)) for slot in range(n)]
        for row, n in enumerate(surface.counts)
    ]


def band_colour(layer: BandsLayer, row: int) -> str:
    """Colour of a row (from 0) in bands repeated to the top."""
    ends = list(accumulate(band.rows for band in layer.bands))
    place = row % ends[-1]
    return next(band.colour for band, end in zip(layer.bands, ends, strict=True) if place < end)


def ring_colour(layer: RingsLayer, row: int) -> str:
    """Colour of a row (from 0) of rings of accent, or none."""
    since = row - (layer.first - 1)
    return layer.colour if since >= 0 and since % layer.every < layer.high else NONE


def spiral_lanes(layer: SpiralLayer, surface: Surface) -> list[list[int]]:
    """Lane of every slot. A lane climbs `lead` half slots per row: anticlockwise for the right hand.

    The helix advances by lead * pi / n per row, n the mean count of two neighbours; a slot takes
    the lane its angle falls into, so lanes hold through changes of count.
    """
    lanes = len(layer.lanes)
    phase, lanes_of_rows = 0.0, []
    for row, count in enumerate(surface.counts):
        if row:
            between = 2 * math.pi / (surface.counts[row - 1] + count)
            phase += _sign(layer, row) * layer.lead * between
        lanes_of_rows.append(_lanes_at(surface, row, phase, lanes))
    return lanes_of_rows


def _sign(layer: SpiralLayer, row: int) -> float:
    """Which way the helix goes from the row below to this one, anticlockwise positive."""
    turned = bool(layer.reverse_every) and (row - 1) // layer.reverse_every % 2 == 1
    return 1.0 if (layer.hand is Hand.RIGHT) != turned else -1.0


def stripe_lanes(lanes: int, surface: Surface) -> list[list[int]]:
    """Lane of every slot, lanes upright: a packed row lies half a slot round, so they climb in zigzags."""
    return [
        _lanes_at(surface, row, (row % 2) * math.pi / count if row else 0.0, lanes)
        for row, count in enumerate(surface.counts)
    ]


def _lanes_at(surface: Surface, row: int, phase: float, lanes: int) -> list[int]:
    count = surface.counts[row]
    from_first = (surface.turns[row] - surface.turns[0] - phase) / (2 * math.pi)
    middles = [from_first + (slot + 0.5) / count for slot in range(count)]
    return [int((middle % 1.0) * lanes + 1e-6) % lanes for middle in middles]


def _checks(layer: ChecksLayer, surface: Surface) -> Lines:
    lines = []
    for row, count in enumerate(surface.counts):
        across = max(round(count / layer.wide), 1)
        columns = _lanes_at(surface, row, (row % 2) * math.pi / count, across)
        lines.append([layer.colours[(column + row // layer.high) % len(layer.colours)] for column in columns])
    return lines


def _diamond(layer: DiamondsLayer, row: int, angle: float) -> str:
    tier, place = divmod(row, layer.high)
    moved = 0.5 if layer.staggered and tier % 2 else 0.0
    across = 2 * abs((angle / (2 * math.pi) * layer.around + moved + 0.5) % 1.0 - 0.5)
    up = abs(2 * (place + 0.5) / layer.high - 1)
    rings = len(layer.colours) - 1
    if not rings:
        return layer.colours[0] if across + up < 1 else NONE
    return layer.colours[min(int((across + up) * rings), rings)]


def _gradient(layer: GradientLayer, surface: Surface) -> Lines:
    """Shares follow the rows' place from foot to top; what rounding leaves over goes on to the next row."""
    rows, steps = len(surface.counts), len(layer.colours) - 1
    lines, owed = [], 0.0
    for row, count in enumerate(surface.counts):
        at = (row + 0.5) / rows * steps
        low = min(int(at), steps - 1)
        owed += (at - low) * count
        mine = round(owed / count) * count if not layer.dithered else round(owed)
        mine = min(max(mine, 0), count)
        owed -= mine
        if row + 1 < rows and min(int((row + 1.5) / rows * steps), steps - 1) != low:
            owed = 0.0
        spread = [(slot * mine + row) % count < mine for slot in range(count)]
        lines.append([layer.colours[low + 1] if upper else layer.colours[low] for upper in spread])
    return lines
