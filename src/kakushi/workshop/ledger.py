"""The steps added up: kinds of duplets, materials and working time of a job."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from kakushi.building.step import WORK, Step, Work
from kakushi.colour.tying import Kind
from kakushi.model.roles import BalloonRole
from kakushi.model.used import Used, merged


@dataclass(frozen=True, slots=True)
class TiedKind:
    """Number of duplets (triplets, singles) of one kind used in one role; `pieces`: keys of those that use them."""

    part: BalloonRole
    balloons: Kind
    count: int
    pieces: tuple[int, ...] = ()


def tied_kinds(steps: Iterable[Step]) -> tuple[TiedKind, ...]:
    """List what is tied for steps: rows first, then balls, then the rest; the largest first within each."""
    counts: Counter[tuple[BalloonRole, Kind]] = Counter()
    pieces: defaultdict[tuple[BalloonRole, Kind], dict[int, None]] = defaultdict(dict)
    for step in steps:
        for role, kind, count in step.tied:
            counts[role, kind] += count
            if step.piece is not None:
                pieces[role, kind].setdefault(step.piece)
    listed = sorted(counts.items(), key=lambda item: _order(*item[0]))
    return tuple(TiedKind(role, kind, count, tuple(pieces[role, kind])) for (role, kind), count in listed if count)


def _order(role: BalloonRole, kind: Kind) -> tuple[object, ...]:
    largest = max(kind)
    return list(BalloonRole).index(role), -largest.nominal_in, -largest.diameter_mm, -len(kind), kind


def things_used(steps: Iterable[Step]) -> tuple[Used, ...]:
    """What steps use besides balloons."""
    return merged(used for step in steps for used in step.uses if not used.is_balloon)


def balloons_used(steps: Iterable[Step]) -> tuple[Used, ...]:
    """Balloons that steps use, by role, nominal size and colour."""
    balloons = merged(used for step in steps for used in step.uses if used.is_balloon)
    return tuple(sorted(balloons, key=lambda used: (used.role or "", *used.kind)))


def balloon_count(steps: Iterable[Step]) -> int:
    """Number of balloons that steps use, links included."""
    return int(sum(use.count for step in steps for use in step.uses if use.is_balloon or use.link_in))


def work_minutes(steps: Iterable[Step]) -> dict[Work, float]:
    """Minutes of work by kind, as if one person did it all; kinds without work are left out."""
    minutes: defaultdict[Work, float] = defaultdict(float)
    for step in steps:
        minutes[WORK[step.kind]] += step.minutes
    return {kind: minutes[kind] for kind in Work if minutes[kind]}
