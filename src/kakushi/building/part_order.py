"""The order in which parts are put on so that the piece leans least on the way: all orders at once, by subsets."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from kakushi.dress.table import in_build_order
from kakushi.model.catalogue import Studio
from kakushi.model.parts import Cap, Part
from kakushi.plan.stability import build_loads, foot_of
from kakushi.plan.values import PiecePlan
from kakushi.stand.balance import balance

MOST_PARTS = 12
"""Most parts of which every order is tried (4,096 subsets); of more, the lightest come last in the usual order."""
_ALIKE = math.radians(0.05)
"""Difference of two leans, radians, that nobody can tell."""


@dataclass(frozen=True, slots=True)
class Order:
    """Parts in the safest order, and the least lean that tips the piece on the way, in it and in the usual one.

    Radians. Negative: at some step it falls by itself.
    """

    parts: tuple[Part, ...]
    least_tilt: float
    usual_tilt: float

    @property
    def is_usual(self) -> bool:
        """Whether the usual order is as safe."""
        return self.usual_tilt >= self.least_tilt - _ALIKE


def safest_order(piece_plan: PiecePlan, studio: Studio) -> Order | None:
    """The order of the parts in which the piece may lean most at its worst step; None with fewer than two parts."""
    usual = [part for part in in_build_order(piece_plan.piece.parts) if not isinstance(part, Cap)]
    if len(usual) < 2:
        return None
    before, loads = build_loads(piece_plan, {size.nominal_in: size.mass_g for size in studio.nominals})
    ordered = sorted(usual, key=lambda part: -loads[part.key].mass_g)[:MOST_PARTS]
    ordered = [part for part in usual if part in ordered]
    late = [part for part in usual if part not in ordered]
    foot = foot_of(piece_plan)

    def tilt(parts: Sequence[Part]) -> float:
        return balance([*before, *(loads[part.key] for part in parts)], foot.on).tilt

    # Whatever the order, only which parts are on says how it leans: best[s] is the best worst step that leads to s.
    best: dict[int, tuple[float, int]] = {0: (math.inf, -1)}
    tilts = {
        chosen: tilt([part for k, part in enumerate(ordered) if chosen >> k & 1])
        for chosen in range(1, 1 << len(ordered))
    }
    for chosen in range(1, 1 << len(ordered)):
        options = [
            (min(best[chosen & ~(1 << k)][0], tilts[chosen]), -k) for k in range(len(ordered)) if chosen >> k & 1
        ]
        worst, last = max(options)
        best[chosen] = worst, -last
    order: list[Part] = []
    chosen = (1 << len(ordered)) - 1
    least = best[chosen][0]
    while chosen:
        last = best[chosen][1]
        order.insert(0, ordered[last])
        chosen &= ~(1 << last)
    for place in range(len(late)):
        least = min(least, tilt([*ordered, *late[: place + 1]]))
    usual_tilt = min(tilt(usual[: place + 1]) for place in range(len(usual)))
    return Order((*order, *late), least, usual_tilt)
