"""Lanes round the rows: which of so many equal sectors a slot falls into."""

from __future__ import annotations

import math

from kakushi.colour.surface import Surface


def lanes_at(surface: Surface, row: int, phase: float, lanes: int) -> list[int]:
    """Lane of every slot of a row (from 0), lanes turned by `phase` radians anticlockwise from slot 1 of row 1."""
    count = surface.counts[row]
    from_first = (surface.turns[row] - surface.turns[0] - phase) / (2 * math.pi)
    middles = [from_first + (slot + 0.5) / count for slot in range(count)]
    # A millionth against rounding: a middle on the border belongs to the lane above it.
    return [int((middle % 1.0) * lanes + 1e-6) % lanes for middle in middles]
