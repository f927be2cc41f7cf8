"""What pictures show of a column besides its balloons and parts: wrapped pole, and tails of knots that stick out."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from kakushi.dress.bodies import Body, joined, tube
from kakushi.dress.shows import NECK_MM, gaps_of, neck_tip_mm
from kakushi.model.parts import Dressing
from kakushi.model.workshop import FrameRules
from kakushi.packing.groups.kind import Wrapping
from kakushi.packing.stack import Geometry, place
from kakushi.stand.frame import strands_of

_LIP = 1.7
"""Width of the rolled lip at the end of a neck, as a multiple of the neck's."""
_TURN_STEPS = 16
"""Segments of a strand per turn round the pole: its line is then right to 2 % of the pole's width."""


def wrapped(wrapping: Wrapping, low: float, high: float, pole_radius: float, colour: str) -> Body:
    """Strands of modelling balloons of the usual thickness round a pole from `low` to `high`, mm."""
    strands = []
    for strand in strands_of(wrapping.style, wrapping.strands, wrapping.inflated, FrameRules()):
        # Emptied ones lie flat on the pole: half of what is drawn of them is inside it.
        away = pole_radius + (strand.wide / 2 if wrapping.inflated else 0.0)
        turns = (high - low - strand.wide) / strand.pitch
        # Shorter than the strand is thick: nothing of it would be seen.
        if turns <= 0:
            continue
        way = -strand.way if wrapping.clockwise else strand.way
        share = np.linspace(0.0, 1.0, max(math.ceil(turns * _TURN_STEPS), 2) + 1)
        x, y = place(np.full(len(share), away), strand.begins + way * 2 * math.pi * turns * share)
        z = low + strand.wide / 2 + share * turns * strand.pitch
        strands.append(tube(np.stack([x, y, z], axis=1), strand.wide, colour))
    return joined(strands)


def necks_out(rows: Geometry, pole_radius: float, dressing: Dressing, colours: Sequence[str]) -> Iterator[Body]:
    """Necks, with their lips, that are long enough to come out between two balloons of their row.

    `colours` of the rows' balloons: a neck has that of the balloon before its gap.
    """
    tip = neck_tip_mm(pole_radius, dressing)
    if not dressing.necks_out:
        return
    for row in range(len(rows.frames)):
        in_row = rows.of_row(row)
        for gap in gaps_of(rows, row):
            # Too short to come out between the two balloons.
            if tip <= gap.touching:
                continue
            ends = rows.frames.around(row, np.full(2, gap.angle), np.array([tip * 0.3, tip]))
            colour = colours[int(in_row[gap.balloon])]
            yield joined([tube(ends, 2 * NECK_MM, colour), tube(ends[1:], 2 * NECK_MM * _LIP, colour)])
