"""Faults that can be seen before anything is built."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.colour.colouring import Colouring, colour_conflicts
from kakushi.colour.layer_table import colours_of, kind_of
from kakushi.colour.surface import Surface
from kakushi.model.layers import ColourLayer

# Rows named: more nobody reads.
_MAX_NAMED = 5


@dataclass(frozen=True, slots=True)
class Fault:
    """Something that is probably not meant, in one sentence; `rows` (from 0) where it is."""

    words: str
    rows: tuple[int, ...]


def colour_faults(
    surface: Surface, layers: Sequence[ColourLayer], colouring: Colouring, pattern: Colouring
) -> tuple[Fault, ...]:
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


def _odd_counts(surface: Surface) -> list[Fault]:
    counts = surface.counts
    return [
        Fault(f"Row {row + 1} has {counts[row]} balloons between rows of {counts[row - 1]}.", (row,))
        for row in range(1, len(counts) - 1)
        if counts[row - 1] == counts[row + 1] != counts[row]
    ]


def _changed_hands(surface: Surface) -> list[Fault]:
    """Rows of one count that are not turned half a slot: a spiral climbs there to neither hand, or to the other."""
    wrong = []
    for row in range(1, len(surface.counts)):
        half = math.pi / surface.counts[row]
        step = surface.turns[row] - surface.turns[row - 1]
        # Balloon on balloon is an even number of half slots; packed rows lie an odd number round.
        if surface.counts[row] == surface.counts[row - 1] and round(step / half) % 2 == 0:
            wrong.append(row)
    words = f"The spiral loses its hand at {_named(wrong)}: a turn is pinned that stands balloon on balloon."
    return [Fault(words, tuple(wrong))] if wrong else []


def _strayed(colouring: Colouring, pattern: Colouring) -> list[Fault]:
    rows = [row for row, (line, meant) in enumerate(zip(colouring, pattern, strict=True)) if line != meant]
    return [Fault(f"Painted colours leave the spiral in {_named(rows)}.", tuple(rows))] if rows else []


def _conflicts(colouring: Colouring, surface: Surface, mixed: set[str]) -> list[Fault]:
    flat = [key for line in colouring for key in line]
    touching = [pair for pair in colour_conflicts(colouring, surface) if flat[pair[0]] in mixed]
    if not touching:
        return []
    rows = sorted({int(row) for pair in touching for row in surface.row_of[np.array(pair)]})
    many = "1 touching pair is" if len(touching) == 1 else f"{len(touching)} touching pairs are"
    return [Fault(f"{many} of one colour, the fewest the search found: {_named(rows)}.", tuple(rows))]


def _named(rows: Sequence[int]) -> str:
    more = "…" if len(rows) > _MAX_NAMED else ""
    return f"row{'s' if len(rows) > 1 else ''} {', '.join(str(row + 1) for row in rows[:_MAX_NAMED])}{more}"
