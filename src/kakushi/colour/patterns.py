"""Patterns laid over rows: solid, spirals of either hand, bands; hand-painted slots on top.

A pattern needs of a row its count and the angle of its slot 1; so a change of colour never
settles the geometry again, and a change of size never moves a colour.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import accumulate

from kakushi.model.job import BandsLayer, ColourLayer, Hand, Row, SolidLayer, SpiralLayer

BARE = ""
"""Colour key of a slot no layer reaches."""

Colouring = tuple[tuple[str, ...], ...]


def colour_rows(
    rows: Sequence[Row], turns: Sequence[float], layers: Sequence[ColourLayer], fallback: str = BARE
) -> Colouring:
    """Colour keys in slot order for every row, foot first.

    `turns` are the rows' slot-1 angles, radians anticlockwise from the front. Later layers
    cover earlier ones; a slot's own colour covers all layers; `fallback` fills what is bare.
    """
    colours = [[fallback] * row.count for row in rows]
    for layer in layers:
        if layer.shown:
            _lay(layer, rows, turns, colours)
    return tuple(
        tuple(slot.colour or laid for slot, laid in zip(row.slots, line, strict=True))
        for row, line in zip(rows, colours, strict=True)
    )


def _lay(layer: ColourLayer, rows: Sequence[Row], turns: Sequence[float], colours: list[list[str]]) -> None:
    match layer:
        case SolidLayer():
            for line in colours:
                line[:] = [layer.colour] * len(line)
        case BandsLayer():
            for index, line in enumerate(colours):
                line[:] = [band_colour(layer, index)] * len(line)
        case SpiralLayer():
            for line, lanes in zip(colours, spiral_lanes(layer, rows, turns), strict=True):
                line[:] = [layer.lanes[lane] for lane in lanes]


def band_colour(layer: BandsLayer, row: int) -> str:
    """Colour of a row (from 0) in bands repeated to the top."""
    ends = list(accumulate(band.rows for band in layer.bands))
    place = row % ends[-1]
    return next(band.colour for band, end in zip(layer.bands, ends, strict=True) if place < end)


def spiral_lanes(layer: SpiralLayer, rows: Sequence[Row], turns: Sequence[float]) -> list[list[int]]:
    """Lane of every slot. A lane climbs half a slot per row: anticlockwise for the right hand.

    The helix advances by pi / n per row, n the mean count of two neighbours; a slot takes
    the lane its angle falls into, so lanes hold through changes of count.
    """
    lanes = len(layer.lanes)
    sign = 1.0 if layer.hand is Hand.RIGHT else -1.0
    phase = turns[0] if len(turns) else 0.0
    found = []
    for index, (row, turn) in enumerate(zip(rows, turns, strict=True)):
        if index:
            phase += sign * 2 * math.pi / (rows[index - 1].count + row.count)
        middle = [(turn - phase) / (2 * math.pi) + (slot + 0.5) / row.count for slot in range(row.count)]
        found.append([int((m % 1.0) * lanes + 1e-6) % lanes for m in middle])
    return found


def letter_codes(names: Sequence[str]) -> tuple[str, ...]:
    """Short codes made from the names, each different: initials, then more letters, then a number."""
    codes: list[str] = []
    for name in names:
        words = [w for w in "".join(c if c.isalnum() else " " for c in name).split() if w] or ["?"]
        initials = "".join(word[0] for word in words)[:3].upper()
        tries = [
            initials,
            *(f"{initials}{c}"[:4] for c in words[-1][1:].lower()),
            *(f"{initials[:2]}{i}" for i in range(2, 99)),
        ]
        codes.append(next(t for t in tries if t not in codes))
    return tuple(codes)
