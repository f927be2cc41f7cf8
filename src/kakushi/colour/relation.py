"""How a row is turned: which of its balloons goes where on the row it is laid on, or which faces the front.

A relation is told so that it fixes the row: of all turns of the row only those that look the same fulfil it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import product
from typing import NamedTuple

import numpy as np

from kakushi.colour.surface import Surface

_ON_TOP, _IN_GAP = 0.1, 0.3
"""Distance from the nearest balloon below, as a share of its slot, up to which a balloon plainly stands on it, and from
which on it plainly lies in a gap. Between them one may call it either."""
_SAME_TURN = 0.25
"""Share of a slot by which two turns may differ and still look the same: hands are no truer."""
_FACES = math.radians(5)
"""Turn from a direction, radians, that nobody sees."""
_QUARTER = math.pi / 2
"""A quarter turn, radians: the turns that hands can judge by eye."""


class BalloonLabel(NamedTuple):
    """What identifies a balloon: its colour key, and in a row of several sizes whether it is a large one."""

    colour: str
    large: bool | None = None


class Balloons(NamedTuple):
    """The balloons of a row with a label and such neighbours, the nearest first, left and right seen from outside."""

    label: BalloonLabel
    left: tuple[BalloonLabel, ...] = ()
    right: tuple[BalloonLabel, ...] = ()


class Gap(NamedTuple):
    """The gaps of a row between such balloons, the nearest first; an empty side may be anything."""

    left: tuple[BalloonLabel, ...] = ()
    right: tuple[BalloonLabel, ...] = ()


class Faces(NamedTuple):
    """One of these balloons or gaps faces `turn` radians to the right of the front mark.

    `several` of the row fit what is told; `all_alike`: all its balloons do.
    """

    what: Balloons | Gap
    turn: float
    several: bool
    all_alike: bool = False


class Lies(NamedTuple):
    """Each of these balloons lies in that kind of gap, or on that kind of balloon, of the row below (or above).

    `several` of the row, and `spots` of the other one, fit what is told.
    """

    what: Balloons
    on: Balloons | Gap
    below: bool
    several: bool
    spots: int


class AllAlike(NamedTuple):
    """All balloons are alike: every one in a gap, or on a balloon; with `as_they_fall` so is one of them."""

    on_balloons: bool
    below: bool
    as_they_fall: bool


Relation = Faces | Lies | AllAlike


class Place(NamedTuple):
    """Place of a slot (from 0) between two slots of another row.

    `off`: distance from the nearest, as a share of a slot of that row; `nearest`: which one that is.
    """

    slot: int
    left: int
    right: int
    nearest: int
    off: float

    @property
    def is_on_top(self) -> bool:
        """Whether it clearly stands on a balloon."""
        return self.off <= _ON_TOP

    @property
    def is_in_gap(self) -> bool:
        """Whether it clearly lies in a gap."""
        return self.off >= _IN_GAP


def places(angles: Sequence[float], others: Sequence[float]) -> tuple[Place, ...]:
    """Where balloons at `angles` lie on balloons at `others`, both radians and in slot order."""
    # Anticlockwise from above is to the right seen from outside.
    past = np.mod(np.asarray(angles)[:, None] - np.asarray(others)[None, :], 2 * math.pi) / (2 * math.pi)
    left, right, at = past.argmin(axis=1), past.argmax(axis=1), np.arange(len(past))
    after, before = past[at, left], 1 - past[at, right]
    nearest, distance = np.where(after <= before, left, right), np.minimum(after, before) * len(others)
    columns = (range(len(past)), left.tolist(), right.tolist(), nearest.tolist(), distance.tolist())
    return tuple(Place(*each) for each in zip(*columns, strict=True))


def labels(surface: Surface, row: int, colours: Sequence[str]) -> tuple[BalloonLabel, ...]:
    """The labels of a row in slot order."""
    if not surface.is_mixed[row]:
        return tuple(BalloonLabel(colour) for colour in colours)
    large = surface.is_large[surface.firsts[row] : surface.firsts[row + 1]]
    return tuple(BalloonLabel(colour, bool(big)) for colour, big in zip(colours, large, strict=True))


def facing(surface: Surface, row: int, colours: Sequence[str]) -> Faces:
    """The balloon or gap of a row that faces the front mark, or nearly, with the fewest neighbours that fix it."""
    return _facing(labels(surface, row, colours), _angles(surface, row))


def relation(surface: Surface, row: int, other: int, colours: Sequence[str], others: Sequence[str]) -> Relation:
    """How a row lies on the `other` one, above or below it, with the fewest neighbours that fix it."""
    own, under = labels(surface, row, colours), labels(surface, other, others)
    return _relation(own, under, _angles(surface, row), _angles(surface, other), other < row)


def _angles(surface: Surface, row: int) -> tuple[float, ...]:
    # Rounded, so that rows that repeat are one question to the caches.
    return tuple(np.round(surface.angles[surface.firsts[row] : surface.firsts[row + 1]], 6).tolist())


# --- rows as rings of labels ---------------------------------------------------------------------------


def _period(ring: Sequence[BalloonLabel]) -> int:
    """Slots after which a ring of labels repeats."""
    return next(p for p in range(1, len(ring) + 1) if len(ring) % p == 0 and tuple(ring) == (*ring[p:], *ring[:p]))


def _fits(ring: Sequence[BalloonLabel], slot: int, what: Balloons) -> bool:
    n = len(ring)
    return (
        ring[slot] == what.label
        and all(ring[(slot - k - 1) % n] == label for k, label in enumerate(what.left))
        and all(ring[(slot + k + 1) % n] == label for k, label in enumerate(what.right))
    )


def _gap_fits(ring: Sequence[BalloonLabel], left: int, gap: Gap) -> bool:
    """Whether the gap to the right of slot `left` matches the description."""
    n = len(ring)
    return all(ring[(left - k) % n] == label for k, label in enumerate(gap.left)) and all(
        ring[(left + 1 + k) % n] == label for k, label in enumerate(gap.right)
    )


def _number_of(what: Balloons | Gap, ring: Sequence[BalloonLabel]) -> int:
    """Number of balloons or gaps of a ring that match a description."""
    if isinstance(what, Gap):
        return sum(_gap_fits(ring, slot, what) for slot in range(len(ring)))
    return sum(_fits(ring, slot, what) for slot in range(len(ring)))


def _windows(lengths: int) -> Iterator[tuple[int, int]]:
    """Numbers of neighbours named on the left and on the right, fewest first."""
    pairs = product(range(lengths), range(lengths))
    yield from sorted(pairs, key=lambda pair: (sum(pair), abs(pair[0] - pair[1]), pair))


def _told(ring: Sequence[BalloonLabel], slot: int, left: int, right: int) -> Balloons:
    n = len(ring)
    return Balloons(
        ring[slot],
        tuple(ring[(slot - k - 1) % n] for k in range(left)),
        tuple(ring[(slot + k + 1) % n] for k in range(right)),
    )


def _told_gap(ring: Sequence[BalloonLabel], slot: int, left: int, right: int) -> Gap:
    """The gap on the right of a slot."""
    n = len(ring)
    return Gap(tuple(ring[(slot - k) % n] for k in range(left)), tuple(ring[(slot + 1 + k) % n] for k in range(right)))


# --- facing --------------------------------------------------------------------------------------------


@lru_cache(maxsize=2048)
def _facing(ring: tuple[BalloonLabel, ...], angles: tuple[float, ...]) -> Faces:
    n, period = len(ring), _period(ring)
    steps = [(angles[(slot + 1) % n] - angles[slot]) % (2 * math.pi) or 2 * math.pi for slot in range(n)]
    facings: list[tuple[tuple[float, ...], Faces]] = []
    for slot in range(n):
        what = next(
            told
            for told in (_told(ring, slot, *window) for window in _windows(n))
            if _number_of(told, ring) == n // period
        )
        facings.append(_faces(what, angles[slot], len(what.left) + len(what.right), n // period, slot))
        gap = next(
            told
            for told in (_told_gap(ring, slot, *window) for window in _windows(n + 1) if min(window) > 0)
            if _number_of(told, ring) == n // period
        )
        middle = angles[slot] + steps[slot] / 2
        facings.append(_faces(gap, middle, len(gap.left) + len(gap.right), n // period, n + slot))
    fact = min(facings)[1]
    return fact._replace(all_alike=period == 1 and isinstance(fact.what, Balloons))


def _faces(what: Balloons | Gap, angle: float, words: int, several: int, order: int) -> tuple[tuple[float, ...], Faces]:
    """A way to tell a row's turn with what it costs a reader: neighbours, and degrees other than the four sides."""
    turn = math.remainder(angle, 2 * math.pi)
    angle_off = abs(math.remainder(turn, _QUARTER))
    if angle_off < _FACES:
        turn = math.remainder(round(turn / _QUARTER) * _QUARTER, 2 * math.pi)
    aside = 3.0 if angle_off >= _FACES else float(abs(turn) > _FACES)
    return (words + aside, round(abs(turn), 6), order), Faces(what, turn, several > 1)


# --- laid on another row -------------------------------------------------------------------------------


@lru_cache(maxsize=2048)
def _relation(
    own: tuple[BalloonLabel, ...],
    under: tuple[BalloonLabel, ...],
    angles: tuple[float, ...],
    others: tuple[float, ...],
    below: bool,
) -> Relation:
    # A single balloon has no gaps.
    if len(under) == 1:
        return _facing(own, angles)
    planned = places(angles, others)
    if len(set(own)) == 1:
        on_balloons = all(place.is_on_top for place in planned)
        alike = on_balloons or all(place.is_in_gap for place in planned)
        if alike or any(place.is_in_gap for place in planned):
            return AllAlike(on_balloons, below, not alike)
        if any(place.is_on_top for place in planned):
            return AllAlike(True, below, as_they_fall=True)
    # Where the other row repeats sooner than this one, nothing on it tells one turn from the next.
    elif len(own) != len(under) or _period(under) % _period(own) == 0:
        wrong = list(_wrong_turns(own, planned, angles, others))
        for fact in _candidates(own, under, planned, below):
            if _holds(fact, own, under, planned, plainly=True) and not any(
                _holds(fact, own, under, turn, plainly=False) for turn in wrong
            ):
                return fact
    return _facing(own, angles)


def _wrong_turns(
    ring: Sequence[BalloonLabel], planned: tuple[Place, ...], angles: Sequence[float], others: Sequence[float]
) -> Iterator[tuple[Place, ...]]:
    """Where every balloon would lie in the turns of a row that do not look as planned."""
    n, m, period = len(angles), len(others), _period(ring)
    if n == m:
        for by in range(n):
            if by % period:
                yield tuple(planned[(slot + by) % n]._replace(slot=slot) for slot in range(n))
        return
    # Rows of unlike counts fit after a slot of either.
    same = _SAME_TURN * 2 * math.pi / max(n, m)
    for turn in sorted({round(2 * math.pi * k / count, 9) for count in (n, m) for k in range(count)}):
        if abs(math.remainder(turn, 2 * math.pi * period / n)) > same:
            yield places([angle + turn for angle in angles], others)


def _holds(
    fact: Lies, own: Sequence[BalloonLabel], under: Sequence[BalloonLabel], turn: Sequence[Place], plainly: bool
) -> bool:
    """Whether a description holds for a turn, for all balloons it is about: `plainly`, or by any reading."""
    return all(_lies(place, fact.on, under, plainly) for place in turn if _fits(own, place.slot, fact.what))


def _lies(place: Place, on: Balloons | Gap, under: Sequence[BalloonLabel], plainly: bool) -> bool:
    if isinstance(on, Balloons):
        near = place.is_on_top if plainly else not place.is_in_gap
        return near and _fits(under, place.nearest, on)
    between = place.is_in_gap if plainly else not place.is_on_top
    return between and _gap_fits(under, place.left, on)


def _candidates(
    own: Sequence[BalloonLabel], under: Sequence[BalloonLabel], planned: Sequence[Place], below: bool
) -> Iterator[Lies]:
    """Relations that are true of one balloon each, those in the fewest words and of the rarest balloons first."""
    rare = sorted(planned, key=lambda place: (own.count(own[place.slot]), place.slot))
    ways = [
        (2 * sum(upper) + _cost(lower), upper, lower)
        for upper in _windows(_MOST_TOLD + 1)
        for lower in _windows(_MOST_TOLD + 1)
        if max(sum(upper), sum(lower)) <= _MOST_TOLD
    ]
    for _, upper, lower in sorted(ways):
        for place in rare:
            if (on := _spot(place, own, under, *lower)) is not None:
                what = _told(own, place.slot, *upper)
                yield Lies(what, on, below, _number_of(what, own) > 1, _number_of(on, under))


_MOST_TOLD = 4
"""Neighbours told of a balloon or a gap: a longer list is not read; the front mark serves instead."""


def _cost(lower: tuple[int, int]) -> float:
    """What a reader pays for a spot of the other row: one neighbour of a gap is enough only where it is its own."""
    return sum(lower) + (0.5 if 0 in lower else 0.0)


def _spot(
    place: Place, own: Sequence[BalloonLabel], under: Sequence[BalloonLabel], left: int, right: int
) -> Balloons | Gap | None:
    """Describe a balloon's place with a number of neighbours; None where nobody would say it that way."""
    if place.is_on_top:
        return _told(under, place.nearest, left, right)
    if not place.is_in_gap:
        return None
    gap = _told_gap(under, place.left, left, right)
    told = {*gap.left, *gap.right}
    if not told or (0 in (left, right) and (len(told) > 1 or left + right > 1 or own[place.slot] not in told)):
        return None
    return gap
