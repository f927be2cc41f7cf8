"""Balloons to buy: what the steps use, by nominal size and colour, with the spares that are enough."""

from __future__ import annotations

import dataclasses
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

from kakushi.building.step import Step
from kakushi.building.steps import steps_of
from kakushi.model.log import Learnt
from kakushi.model.shares import largest_remainder
from kakushi.model.used import Used
from kakushi.model.workshop import Handling, PopRecord
from kakushi.plan.values import Plan
from kakushi.workshop.ledger import things_used
from kakushi.workshop.spares import Need, pop_rate, spares_for

_BIG_IN = 16.0
"""Nominal size, inches, from which a single balloon is a topper by itself."""


@dataclass(frozen=True, slots=True)
class SupplyLine:
    """Balloons to buy of one nominal size and colour."""

    nominal_in: float
    colour: str
    needed: int
    spares: int

    @property
    def total(self) -> int:
        """Needed and spares together."""
        return self.needed + self.spares

    @property
    def kind(self) -> tuple[float, str]:
        """Nominal size and colour."""
        return self.nominal_in, self.colour


@dataclass(frozen=True, slots=True)
class Supplies:
    """Supplies of every piece (by key) with their shares of the spares, and of the whole job.

    `confidence`: the chance that nothing runs out, if balloons pop at `pop_rates` (lowest, highest of the sizes used),
    of which `counted` balloons popped of so many used are known from the log. `links`: spares of links, by item.
    """

    pieces: Mapping[int, tuple[SupplyLine, ...]]
    whole: tuple[SupplyLine, ...]
    confidence: float
    pop_rates: tuple[float, float]
    counted: tuple[int, int]
    links: Mapping[str, int]

    @property
    def spares(self) -> dict[tuple[float, str], int]:
        """Spares by nominal size and colour."""
        return {line.kind: line.spares for line in self.whole}


class KnownPops(NamedTuple):
    """What is known of pops: counted by hand, learnt from the log; finishes of colours by their keys."""

    records: Sequence[PopRecord] = ()
    learnt: Learnt = Learnt()
    finishes: Mapping[str, str] = {}


@lru_cache(maxsize=8)
def supplies_of(plan: Plan) -> Supplies:
    """The supplies of a plan."""
    steps = steps_of(plan)
    pieces = {
        piece.piece.key: lines_of(step for step in steps if step.piece == piece.piece.key) for piece in plan.pieces
    }
    finishes = {line.colour: plan.job.colour(line.colour).finish.value for lines in pieces.values() for line in lines}
    known = KnownPops(plan.studio.pops, plan.studio.learnt, finishes)
    links = [used for used in things_used(steps) if used.link_in is not None]
    return with_spares(pieces, plan.job.brief.place, known, plan.job.settings.confidence, links)


def lines_of(steps: Iterable[Step]) -> tuple[SupplyLine, ...]:
    """Balloons that steps use, without spares, by nominal size (large first) and colour."""
    needed: Counter[tuple[float, str]] = Counter()
    for step in steps:
        for use in step.uses:
            if use.is_balloon:
                needed[use.kind] += int(use.count)
    return tuple(SupplyLine(*kind, needed[kind], 0) for kind in _large_first(needed))


def _large_first(kinds: Iterable[tuple[float, str]]) -> list[tuple[float, str]]:
    return sorted(kinds, key=lambda kind: (-kind[0], kind[1]))


def with_spares(
    pieces: Mapping[int, Sequence[SupplyLine]],
    handling: Handling,
    known: KnownPops,
    confidence: float,
    links: Sequence[Used] = (),
) -> Supplies:
    """Add the spares that are enough for the whole job with `confidence`, shared among the pieces by their needs.

    Link balloons have spares too, counted in the same certainty: each kind pops with a chance of its own.
    """
    whole = sum_lines(pieces.values())
    kinds = [(line.nominal_in, known.finishes.get(line.colour, "") if known.learnt.pops else "") for line in whole]
    rates = [pop_rate(size, handling, known.records, known.learnt, finish) for size, finish in kinds]
    wanted = [Need(line.needed, rate, kind) for line, rate, kind in zip(whole, rates, kinds, strict=True)]
    wanted += [
        Need(int(link.count), pop_rate(link.link_in or 0.0, handling, known.records, known.learnt), link.item)
        for link in links
    ]
    of_all = spares_for(tuple(wanted), confidence)
    of_links = {link.item: count for link, count in zip(links, of_all.counts[len(whole) :], strict=True)}
    # However sure: when a single big balloon pops there is no other to take from.
    counts = [max(n, 1) if line.nominal_in >= _BIG_IN else n for line, n in zip(whole, of_all.counts, strict=False)]
    shares: dict[tuple[float, str], list[int]] = {}
    for line, spares in zip(whole, counts, strict=True):
        needs = [sum(each.needed for each in lines if each.kind == line.kind) for lines in pieces.values()]
        shares[line.kind] = largest_remainder(spares, needs)
    shared = {
        key: tuple(dataclasses.replace(line, spares=shares[line.kind][at]) for line in lines)
        for at, (key, lines) in enumerate(pieces.items())
    }
    means = [rate.mean for rate in rates] or [0.0]
    counted = [record for record in known.records if record.handling == handling]
    logged = [each for each in known.learnt.pops if each.place == handling]
    return Supplies(
        shared,
        sum_lines(shared.values()),
        of_all.confidence,
        (min(means), max(means)),
        (
            sum(record.popped for record in counted) + sum(each.popped for each in logged),
            sum(record.used for record in counted) + int(sum(each.seen for each in logged)),
        ),
        of_links,
    )


def sum_lines(pieces: Iterable[Sequence[SupplyLine]]) -> tuple[SupplyLine, ...]:
    """Lines of several pieces added up; spares too, so that a job's total is the sum of its pieces."""
    needed: Counter[tuple[float, str]] = Counter()
    spares: Counter[tuple[float, str]] = Counter()
    for lines in pieces:
        for line in lines:
            needed[line.kind] += line.needed
            spares[line.kind] += line.spares
    return tuple(SupplyLine(*kind, needed[kind], spares[kind]) for kind in _large_first(needed))
