"""Slots that belong together when painting: a helix through a balloon, a block of rows repeated upwards."""

from __future__ import annotations

import math
from collections.abc import Sequence

from kakushi.colour.surface import Surface
from kakushi.model.layers import Hand

SlotAt = tuple[int, int]
"""Row and slot, both from 0."""


def helix(surface: Surface, row: int, slot: int, hand: Hand) -> list[SlotAt]:
    """The slots of a helix through one balloon, half a slot further round on every row, foot first."""
    sign = 1.0 if hand is Hand.RIGHT else -1.0
    slots = [(row, slot)]
    for step, end in ((1, len(surface.counts)), (-1, -1)):
        angle = surface.slot_angle(row, slot)
        for other in range(row + step, end, step):
            # From the slot’s own angle each time: rounding must not add up along the helix.
            angle += step * sign * 2 * math.pi / (surface.counts[other] + surface.counts[other - step])
            at = nearest_slot(surface, other, angle)
            angle = surface.slot_angle(other, at)
            slots.append((other, at))
    return sorted(slots)


def nearest_slot(surface: Surface, row: int, angle: float) -> int:
    """Slot of a row nearest to an angle, radians anticlockwise from the front."""
    distances = [
        abs(math.remainder(surface.slot_angle(row, s) - angle, 2 * math.pi)) for s in range(surface.counts[row])
    ]
    return min(range(len(distances)), key=lambda s: (round(distances[s], 9), s))


def block_repeated(colouring: Sequence[Sequence[str]], first: int, last: int) -> dict[SlotAt, str]:
    """Colours for the rows above a block (rows `first` to `last`, from 0) that repeat it to the top.

    Only rows of the block's count are painted: a slot of another row has no like.
    """
    high = last - first + 1
    return {
        (row, slot): colour
        for row in range(last + 1, len(colouring))
        if len(colouring[row]) == len(line := colouring[first + (row - first) % high])
        for slot, colour in enumerate(line)
    }
