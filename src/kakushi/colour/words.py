"""How a row is turned, in a sculptor's words: which colour goes into which gap of the row below."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.colour.surface import Surface

# Of a slot: nearer a balloon counts as straight above.
_ABOVE = 0.2
"""Within this share of a slot of a balloon below, a balloon stands on it, not in a gap."""


@dataclass(frozen=True, slots=True)
class Place:
    """Where a slot (from 0) comes to lie: between two slots of the row it is laid on, or on one of them (twice).

    Left and right as seen from outside.
    """

    slot: int
    left: int
    right: int

    @property
    def is_on_top(self) -> bool:
        """Whether it stands on a balloon."""
        return self.right == self.left


def places(surface: Surface, row: int, other: int | None = None) -> tuple[Place, ...]:
    """Where every slot of a row (from 0) lies on the `other` row it is laid on, the one below where none is named."""
    firsts = surface.firsts
    other = row - 1 if other is None else other
    below = surface.angles[firsts[other] : firsts[other + 1]]
    mine = surface.angles[firsts[row] : firsts[row + 1]]
    sentences = []
    for slot, angle in enumerate(mine):
        # How far anticlockwise of each balloon below this one lies, as a share of the whole turn. Anticlockwise
        # from above is to the right seen from outside.
        past = np.mod(angle - below, 2 * math.pi) / (2 * math.pi)
        left, right = int(np.argmin(past)), int(np.argmax(past))
        near = _ABOVE / len(below)
        if past[left] < near:
            right = left
        elif 1 - past[right] < near:
            left = right
        sentences.append(Place(slot, left, right))
    return tuple(sentences)


def turn_words(surface: Surface, row: int, colours: Sequence[str], below: Sequence[str], names: dict[str, str]) -> str:
    """One sentence for bringing a row on; `colours` and `below` are keys in slot order.

    Names the slot that can be mistaken least: the one whose colours and sizes occur least often in the row.
    """
    mine = labels(surface, row, colours, names)
    if not row:
        return f"Slot 1 ({mine[0]}) faces the front mark."
    every, under = places(surface, row), labels(surface, row - 1, below, names)
    if len(set(mine)) == 1 and len(set(under)) == 1:
        return (
            "Each balloon into a gap of the row below; all gaps are alike."
            if not every[0].is_on_top
            else ("Each balloon on a balloon of the row below.")
        )
    alike = Counter(_said(place, mine, under) for place in every)
    place = min(every, key=lambda p: (alike[_said(p, mine, under)], p.slot))
    which = mine[place.slot]
    one_of = "" if alike[_said(place, mine, under)] == 1 else "either "
    if place.is_on_top:
        return f"{which.capitalize()} of slot {place.slot + 1} stands on {one_of}{under[place.right]} below."
    left, right = under[place.left], under[place.right]
    between = f"between two {left}" if left == right else f"with {left} on its left and {right} on its right"
    gap = f"{one_of or 'the '}gap {between}, seen from outside"
    return f"{which.capitalize()} of slot {place.slot + 1} goes into {gap}."


def labels(surface: Surface, row: int, colours: Sequence[str], names: Mapping[str, str]) -> list[str]:
    """What every balloon of a row is called: its colour, and in a row of several sizes whether it is a large one."""
    if not surface.is_mixed[row]:
        return [names[colour] for colour in colours]
    large = surface.is_large[surface.firsts[row] : surface.firsts[row + 1]]
    return [f"{'large' if big else 'small'} {names[colour]}" for colour, big in zip(colours, large, strict=True)]


def _said(place: Place, mine: Sequence[str], under: Sequence[str]) -> tuple[str, str, str]:
    return mine[place.slot], under[place.right], under[place.left]
