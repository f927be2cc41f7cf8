"""Faults that can be seen before anything is built."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from kakushi.colour.colouring import Colouring, colour_conflicts
from kakushi.colour.layer_table import colours_of, kind_of
from kakushi.colour.surface import Surface
from kakushi.model.layers import ColourLayer


class ColourFault(NamedTuple):
    """Something that is probably not meant, and the rows (from 0) where it is.

    An odd count between rows of another one (`counts`: that of the row, that of its neighbours), a spiral that loses
    its hand, paint that strays from the pattern, `touching` pairs of one colour in a mix.
    """

    what: Literal["odd count", "lost hand", "strayed paint", "touching"]
    rows: tuple[int, ...]
    counts: tuple[int, int] = (0, 0)
    touching: int = 0


def colour_faults(
    surface: Surface, layers: Sequence[ColourLayer], colouring: Colouring, pattern: Colouring
) -> tuple[ColourFault, ...]:
    """Colours that leave their spiral, hands that change unasked, odd counts, colour conflicts in a mix.

    `pattern` is what the layers say without hand paint.
    """
    shown = [layer for layer in layers if layer.shown]
    faults = [*_odd_counts(surface)]
    # Without a spiral nobody misses a hand, and paint that leaves the pattern is meant.
    if any(kind_of(layer).climbs for layer in shown):
        faults += [*_changed_hands(surface), *_strayed(colouring, pattern)]
    mixes = [layer for layer in shown if kind_of(layer).mixes]
    if mixes:
        faults += _conflicts(colouring, surface, {key for layer in mixes for key in colours_of(layer)})
    return tuple(faults)


def _odd_counts(surface: Surface) -> list[ColourFault]:
    counts = surface.counts
    return [
        ColourFault("odd count", (row,), (counts[row], counts[row - 1]))
        for row in range(1, len(counts) - 1)
        if counts[row - 1] == counts[row + 1] != counts[row]
    ]


def _changed_hands(surface: Surface) -> list[ColourFault]:
    """Rows of one count that are not turned half a slot: a spiral climbs there to neither hand, or to the other."""
    wrong = []
    for row in range(1, len(surface.counts)):
        half = math.pi / surface.counts[row]
        step = surface.turns[row] - surface.turns[row - 1]
        # Balloon on balloon is an even number of half slots; packed rows lie an odd number round.
        if surface.counts[row] == surface.counts[row - 1] and round(step / half) % 2 == 0:
            wrong.append(row)
    return [ColourFault("lost hand", tuple(wrong))] if wrong else []


def _strayed(colouring: Colouring, pattern: Colouring) -> list[ColourFault]:
    rows = [row for row, (line, meant) in enumerate(zip(colouring, pattern, strict=True)) if line != meant]
    return [ColourFault("strayed paint", tuple(rows))] if rows else []


def _conflicts(colouring: Colouring, surface: Surface, mixed: set[str]) -> list[ColourFault]:
    flat = [key for line in colouring for key in line]
    touching = [pair for pair in colour_conflicts(colouring, surface) if flat[pair[0]] in mixed]
    if not touching:
        return []
    rows = sorted({int(row) for pair in touching for row in surface.row_of[np.array(pair)]})
    return [ColourFault("touching", tuple(rows), touching=len(touching))]
