"""Counting what is consumed: per role, nominal size and colour, times copies, plus spares."""

from __future__ import annotations

import dataclasses
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from kakushi.colour.colouring import Colouring
from kakushi.dress.table import balloons_of
from kakushi.model.frame import Frame
from kakushi.model.groups import Group, Slot, rows_of
from kakushi.model.parts import BalloonRole, Cap, Part, PartBalloons
from kakushi.model.shares import largest_remainder
from kakushi.model.workshop import Handling, PopRecord
from kakushi.packing.groups.table import balloon_lines
from kakushi.prep.spares import Need, pop_rate, spares_for


@dataclass(frozen=True, slots=True)
class BalloonCount:
    """So many balloons of one nominal size and colour, in one role. `seen`: they are drawn."""

    kind: BalloonRole
    nominal_in: float
    colour: str
    count: int
    seen: bool = True


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


# Nominal size from which one balloon is a topper by itself.
_BIG_IN = 16.0
Stuffed = tuple[tuple[str, str, str], ...]
"""Double-stuffed colours: key, key of the outer balloon's colour, of the inner one's."""


def count_balloons(
    groups: Sequence[Group],
    colouring: Colouring,
    parts: Sequence[Part],
    fallback: str,
    stuffed: Stuffed = (),
    frame: Frame | None = None,
) -> tuple[BalloonCount, ...]:
    """What one copy with those groups and parts on a frame consumes, summed per role, size and colour.

    `colouring` has one line per row over all groups of rows; `fallback` is the colour of
    balls whose slots have none of their own. Of a double-stuffed colour both balloons are counted.
    """
    tally: Counter[tuple[BalloonRole, float, str, bool]] = Counter()
    two = {key: (outer, inner) for key, outer, inner in stuffed}
    lines = iter(colouring)
    for line in balloon_lines(groups):
        patterned = next(lines) if line.takes_pattern else None
        for index, slot in enumerate(line.slots):
            colour = patterned[index] if patterned else slot.colour or fallback
            _count(tally, line.role, slot, colour, two)
    for part in parts:
        for balloons in balloons_of(part):
            tally[BalloonRole(part.kind), balloons.nominal_in, balloons.colour, balloons.seen] += balloons.count
    if frame is not None and (cap := cap_of(groups, colouring, parts, frame, fallback)):
        tally[BalloonRole.CAP, cap.nominal_in, cap.colour, False] += cap.count
    return tuple(
        BalloonCount(kind, nominal, colour, count, seen)
        for (kind, nominal, colour, seen), count in sorted(tally.items())
        if count
    )


_CAP_SIZES_IN = (5.0, 9.0, 11.0, 12.0, 16.0, 18.0, 24.0, 36.0)
_PULLS_OVER_MM_PER_INCH = 7.0
"""Diameter of pole that an uninflated balloon is pulled over, per inch of nominal size.

Assumed: it lies flat 0.22 of nominal wide, and stretches to twice that.
"""


def cap_of(
    groups: Sequence[Group], colouring: Colouring, parts: Sequence[Part], frame: Frame, fallback: str
) -> PartBalloons | None:
    """The balloon pulled over a pole's end: the smallest that covers it, in the colour of the last row.

    None where there is no sharp end, or a cap among the parts already.
    """
    if not (frame.has_pole and frame.capped) or any(isinstance(part, Cap) for part in parts):
        return None
    least = frame.pole_diameter_mm / _PULLS_OVER_MM_PER_INCH
    nominal = next((size for size in _CAP_SIZES_IN if size >= least), _CAP_SIZES_IN[-1])
    colour = colouring[-1][0] if rows_of(groups) and colouring else fallback
    return PartBalloons(nominal_in=nominal, colour=colour, count=1, seen=False)


def _count(
    tally: Counter[tuple[BalloonRole, float, str, bool]],
    kind: BalloonRole,
    slot: Slot,
    colour: str,
    stuffed: dict[str, tuple[str, str]],
) -> None:
    outer, inner = stuffed.get(colour, (colour, None))
    tally[kind, slot.nominal_in, outer, True] += 1
    if slot.inner_colour or inner:
        tally[BalloonRole.INNER, slot.nominal_in, slot.inner_colour or inner or "", False] += 1


def times(balloon_counts: Iterable[BalloonCount], copies: int) -> tuple[BalloonCount, ...]:
    """Counts of one copy as counts of `copies` copies."""
    return tuple(BalloonCount(u.kind, u.nominal_in, u.colour, u.count * copies, u.seen) for u in balloon_counts)


def supply_lines(balloon_counts: Iterable[BalloonCount]) -> tuple[SupplyLine, ...]:
    """Lines by nominal size (large first) and colour, without spares."""
    needed: Counter[tuple[float, str]] = Counter()
    for counted in balloon_counts:
        needed[counted.nominal_in, counted.colour] += counted.count
    return tuple(
        SupplyLine(nominal, colour, count, 0)
        for (nominal, colour), count in sorted(needed.items(), key=lambda item: (-item[0][0], item[0][1]))
    )


@dataclass(frozen=True, slots=True)
class JobSupplies:
    """Supplies of every piece with their shares of the spares, and the chance that nothing runs out."""

    pieces: tuple[tuple[SupplyLine, ...], ...]
    confidence: float


def with_spares(
    pieces: Sequence[Sequence[SupplyLine]], handling: Handling, records: Sequence[PopRecord], confidence: float
) -> JobSupplies:
    """Add the spares that are enough for the whole job with `confidence`, shared among the pieces by their needs."""
    whole = [line for line in sum_lines(pieces) if line.needed]
    rates = [pop_rate(line.nominal_in, handling, records) for line in whole]
    of_all = spares_for(
        tuple(Need(line.needed, rate, line.nominal_in) for line, rate in zip(whole, rates, strict=True)), confidence
    )
    shares: dict[tuple[float, str], list[int]] = {}
    # However sure: when a single big balloon pops there is no other to take from.
    counts = [max(n, 1) if line.nominal_in >= _BIG_IN else n for line, n in zip(whole, of_all.counts, strict=True)]
    for line, spares in zip(whole, counts, strict=True):
        needs = [sum(p.needed for p in lines if (p.nominal_in, p.colour) == line.kind) for lines in pieces]
        shares[line.kind] = largest_remainder(spares, needs)
    return JobSupplies(
        tuple(
            tuple(dataclasses.replace(line, spares=shares[line.kind][at] if line.needed else 0) for line in lines)
            for at, lines in enumerate(pieces)
        ),
        of_all.confidence,
    )


@dataclass(frozen=True, slots=True)
class Totals:
    """Balloons over several supply lines."""

    needed: int
    spares: int

    @property
    def total(self) -> int:
        """Needed and spares together."""
        return self.needed + self.spares


def totals(lines: Iterable[SupplyLine]) -> Totals:
    """What several lines add up to."""
    listed = tuple(lines)
    return Totals(sum(line.needed for line in listed), sum(line.spares for line in listed))


def sum_lines(pieces: Iterable[Sequence[SupplyLine]]) -> tuple[SupplyLine, ...]:
    """Lines of several pieces added up; spares too, so that a job's total is the sum of its pieces."""
    needed: Counter[tuple[float, str]] = Counter()
    spares: Counter[tuple[float, str]] = Counter()
    for lines in pieces:
        for line in lines:
            needed[line.nominal_in, line.colour] += line.needed
            spares[line.nominal_in, line.colour] += line.spares
    return tuple(
        SupplyLine(nominal, colour, needed[nominal, colour], spares[nominal, colour])
        for nominal, colour in sorted(needed, key=lambda key: (-key[0], key[1]))
    )
