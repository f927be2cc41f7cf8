"""What is far from what was expected in an entry of the log: a typing error, or news."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

from kakushi.log.minutes import minutes_assumed
from kakushi.log.pops import USUAL
from kakushi.model.log import BuiltCount, Learnt, LogEntry
from kakushi.model.workshop import Rates

_RARE = 0.005
"""Chance of as many pops or more below which somebody is asked whether that is right."""
_TIMES = 3.0
"""Times as long, or as short, as expected from which minutes are asked about."""
_HEIGHT = 0.06
"""Share by which a measured height may be off the planned one: knots and balloons are off by less together."""
_DOUBT = 100.0
"""Balloons that what is assumed of pops is worth, where nothing was learnt."""


class ManyPops(NamedTuple):
    """More balloons of a kind popped than anybody would expect: how many, and of how many."""

    piece: str
    kind: BuiltCount
    popped: int
    used: int


class OddMinutes(NamedTuple):
    """Work that took many times as long, or as short, as expected: minutes for one, and what was expected."""

    piece: str
    kind: str
    each: float
    expected: float


class OddHeight(NamedTuple):
    """A measured height far from the planned one, mm."""

    piece: str
    height_mm: float
    planned_mm: float


Unexpected = ManyPops | OddMinutes | OddHeight
"""Something to look at again."""


def unexpected(entry: LogEntry, learnt: Learnt, rates: Rates) -> Iterator[Unexpected]:
    """What is far from what was expected, piece by piece."""
    from scipy.stats import betabinom  # noqa: PLC0415 - takes a second to load, and only adding an entry needs it

    usual = minutes_assumed(rates)
    for piece in entry.pieces:
        for built in piece.built:
            popped = sum(pop.count for pop in piece.pops if pop.cell == built.cell)
            a, b = _beta(built, learnt)
            if popped and built.count and float(betabinom.sf(popped - 1, built.count, a, b)) < _RARE:
                yield ManyPops(piece.piece, built, popped, built.count)
        for work in piece.minutes:
            expected = learnt.minutes_of(work.kind, work.person) or learnt.minutes_of(work.kind) or usual.get(work.kind)
            each = work.minutes / work.count
            if expected and each and abs(math.log(each / expected)) > math.log(_TIMES):
                yield OddMinutes(piece.piece, work.kind, each, expected)
        if piece.height_mm and piece.planned_mm and abs(math.log(piece.height_mm / piece.planned_mm)) > _HEIGHT:
            yield OddHeight(piece.piece, piece.height_mm, piece.planned_mm)


def _beta(built: BuiltCount, learnt: Learnt) -> tuple[float, float]:
    """The Beta (a, b) of a kind's chance to pop."""
    known = {(each.nominal_in, each.finish, each.place, each.fill): (each.a, each.b) for each in learnt.pops}
    usual = USUAL[built.place]
    others = {place: (a, b) for place, a, b in learnt.unseen}
    return known.get(built.cell) or others.get(built.place) or (usual * _DOUBT, (1 - usual) * _DOUBT)
