"""How a row is turned: which of its balloons goes where on the row it is laid on, or which faces the front.

A relation is told so that it fixes the row: of all turns of the row only those that look the same fulfil it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import product
from typing import Literal, NamedTuple

import numpy as np

from kakushi.colour.surface import UNLIKE, Surface

_ON_TOP, _IN_GAP = 0.1, 0.3
"""Distance from the nearest balloon below, as a share of its slot, up to which a balloon plainly stands on it, and from
which on it plainly lies in a gap. Between them one may call it either."""
_SAME_TURN = 0.25
"""Share of a slot by which two turns may differ and still look the same: hands are no truer."""
_FACES = math.radians(5)
"""Turn from a direction, radians, that nobody sees."""
_QUARTER = math.pi / 2
"""A quarter turn, radians: the turns that hands can judge by eye."""


_BESIDE = 0.05
"""Distance from the nearest balloon below, as a share of its slot, from which on a balloon may be said to lie beside it
rather than on it."""
_NEARER = 0.4
"""Distance, as a share of a slot, up to which the nearest balloon is plainly the one that is meant."""
MOST_NAMED_SIZES = 3
"""Sizes in one row that have names (large, middle, small); more are told by their diameters."""

Size = Literal["large", "middle", "small"] | float
"""A balloon's size among those of its row: in a word, or its sized diameter, mm."""


class BalloonLabel(NamedTuple):
    """What identifies a balloon: its colour key ("" for any), and in a row of several sizes which one it has."""

    colour: str
    size: Size | None = None


class Balloons(NamedTuple):
    """The balloons of a row with a label and such neighbours, the nearest first, left and right seen from outside."""

    label: BalloonLabel
    left: tuple[BalloonLabel, ...] = ()
    right: tuple[BalloonLabel, ...] = ()


class Gap(NamedTuple):
    """The gaps of a row between such balloons, the nearest first; an empty side may be anything."""

    left: tuple[BalloonLabel, ...] = ()
    right: tuple[BalloonLabel, ...] = ()


class Beside(NamedTuple):
    """Next to such a balloon, nearer to it than to any other, on its left or right seen from outside.

    `on_left` None: on it or on either side, where the row lies unevenly.
    """

    balloon: Balloons
    on_left: bool | None


class Faces(NamedTuple):
    """One of these balloons or gaps faces `turn` radians to the right of the front mark.

    `several` of the row fit what is told; `all_alike`: all its balloons do.
    """

    what: Balloons | Gap
    turn: float
    several: bool
    all_alike: bool = False


class Lies(NamedTuple):
    """Each of these balloons lies in that kind of gap, or on or beside that kind of balloon, of another row.

    `several` of the row, and `spots` of the other one, fit what is told. `rows`: how many rows below (or above) that
    one is; from two on, "on a balloon" means straight above it.
    """

    what: Balloons
    on: Balloons | Gap | Beside
    below: bool
    several: bool
    spots: int
    rows: int = 1


class AllAlike(NamedTuple):
    """All balloons are alike: every one on a balloon, in a gap or beside a balloon; `as_they_fall`: so is one."""

    place: Literal["balloon", "gap", "left", "right"]
    below: bool
    as_they_fall: bool = False


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

    @property
    def is_on_left(self) -> bool:
        """Whether it lies to the left of the nearest balloon, seen from outside."""
        return self.nearest == self.right


def places(angles: Sequence[float], others: Sequence[float]) -> tuple[Place, ...]:
    """Where balloons at `angles` lie on balloons at `others`, both radians and in slot order."""
    # Anticlockwise from above is to the right seen from outside.
    past = np.mod(np.asarray(angles)[:, None] - np.asarray(others)[None, :], 2 * math.pi) / (2 * math.pi)
    left, right, at = past.argmin(axis=1), past.argmax(axis=1), np.arange(len(past))
    after, before = past[at, left], 1 - past[at, right]
    nearest, distance = np.where(after <= before, left, right), np.minimum(after, before) * len(others)
    columns = (range(len(past)), left.tolist(), right.tolist(), nearest.tolist(), distance.tolist())
    return tuple(Place(*each) for each in zip(*columns, strict=True))


def sizes_of(diameters: Sequence[float]) -> tuple[Size | None, ...]:
    """Which size each balloon of a row has among its neighbours', by sized diameters, mm; None where all look alike."""
    classes: list[list[float]] = []
    for diameter in sorted(set(diameters)):
        if classes and diameter <= classes[-1][0] * UNLIKE:
            classes[-1].append(diameter)
        else:
            classes.append([diameter])
    if len(classes) < 2:
        return (None,) * len(diameters)
    words: Sequence[Size] = ("small", "large") if len(classes) == 2 else ("small", "middle", "large")
    if len(classes) > MOST_NAMED_SIZES:
        words = [sum(alike) / len(alike) for alike in classes]
    named = {diameter: word for alike, word in zip(classes, words, strict=True) for diameter in alike}
    return tuple(named[diameter] for diameter in diameters)


def labels(surface: Surface, row: int, colours: Sequence[str]) -> tuple[BalloonLabel, ...]:
    """The labels of a row in slot order."""
    sizes = sizes_of(surface.diameters[surface.firsts[row] : surface.firsts[row + 1]].tolist())
    return tuple(map(BalloonLabel, colours, sizes))


def facing(surface: Surface, row: int, ring: tuple[BalloonLabel, ...]) -> Faces:
    """The balloon or gap of a row that faces the front mark, or nearly, with the fewest neighbours that fix it."""
    return _facing(ring, _angles(surface, row))


def relation(
    surface: Surface, row: int, other: int, ring: tuple[BalloonLabel, ...], under: tuple[BalloonLabel, ...]
) -> Relation:
    """How a row (labelled `ring`) lies on the `other` one (`under`), above or below it.

    With the fewest neighbours that fix it.
    """
    return _relation(ring, under, _angles(surface, row), _angles(surface, other), other < row)


def is_by_eye(fact: Faces) -> bool:
    """Whether it faces one of the four sides, which needs no protractor."""
    return abs(math.remainder(fact.turn, _QUARTER)) < _FACES


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


def _gap_fits(ring: Sequence[BalloonLabel], left: int, right: int, gap: Gap) -> bool:
    """Whether the gap between the slots `left` and `right` matches the description."""
    n = len(ring)
    return all(ring[(left - k) % n] == label for k, label in enumerate(gap.left)) and all(
        ring[(right + k) % n] == label for k, label in enumerate(gap.right)
    )


def _number_of(what: Balloons | Gap, ring: Sequence[BalloonLabel]) -> int:
    """Number of balloons or gaps of a ring that match a description."""
    if isinstance(what, Gap):
        return sum(_gap_fits(ring, slot, (slot + 1) % len(ring), what) for slot in range(len(ring)))
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


def _told_gap(ring: Sequence[BalloonLabel], ends: tuple[int, int], left: int, right: int) -> Gap:
    """The gap between two slots, with so many neighbours on either side."""
    n, (low, high) = len(ring), ends
    return Gap(tuple(ring[(low - k) % n] for k in range(left)), tuple(ring[(high + k) % n] for k in range(right)))


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
            for told in (
                _told_gap(ring, (slot, (slot + 1) % n), *window) for window in _windows(n + 1) if min(window) > 0
            )
            if _number_of(told, ring) == n // period
        )
        middle = angles[slot] + steps[slot] / 2
        facings.append(_faces(gap, middle, len(gap.left) + len(gap.right), n // period, n + slot))
    fact = min(facings)[1]
    return fact._replace(all_alike=period == 1)


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
        return _all_alike(planned, below)
    # Where the other row repeats sooner than this one, nothing on it tells one turn from the next.
    if len(own) != len(under) or _period(under) % _period(own) == 0:
        wrong = list(_wrong_turns(own, planned, angles, others))
        for fact in _candidates(own, under, planned, below):
            if _holds(fact, own, under, planned, plainly=True) and not any(
                _holds(fact, own, under, turn, plainly=False) for turn in wrong
            ):
                return fact
    return _facing(own, angles)


def _all_alike(planned: Sequence[Place], below: bool) -> AllAlike:
    """How a row of balloons that all look alike lies: as all of them do, or as one of them does."""
    if all(place.is_on_top for place in planned):
        return AllAlike("balloon", below)
    if all(place.is_in_gap for place in planned):
        return AllAlike("gap", below)
    for on_left in (True, False):
        if all(place.is_on_left == on_left and place.off > _BESIDE and not place.is_in_gap for place in planned):
            return AllAlike("left" if on_left else "right", below)
    if any(place.is_in_gap for place in planned):
        return AllAlike("gap", below, as_they_fall=True)
    if any(place.is_on_top for place in planned):
        return AllAlike("balloon", below, as_they_fall=True)
    return AllAlike("left" if planned[0].is_on_left else "right", below, as_they_fall=True)


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


def _lies(place: Place, on: Balloons | Gap | Beside, under: Sequence[BalloonLabel], plainly: bool) -> bool:
    if isinstance(on, Beside):
        return _lies_beside(place, on, under, plainly)
    if isinstance(on, Balloons):
        near = place.is_on_top if plainly else not place.is_in_gap
        return near and _fits(under, place.nearest, on)
    between = place.is_in_gap if plainly else not place.is_on_top
    return between and _gap_fits(under, place.left, place.right, on)


def _lies_beside(place: Place, on: Beside, under: Sequence[BalloonLabel], plainly: bool) -> bool:
    if plainly and place.off > (_NEARER if on.on_left is None else _IN_GAP):
        return False
    if plainly and place.off <= _BESIDE and on.on_left is not None:
        return False
    readings = [(place.nearest, place.is_on_left)]
    if place.off <= _BESIDE:
        readings.append((place.nearest, not place.is_on_left))
    if place.off > _NEARER:
        # Half-way between two it may be read as beside either.
        readings.append((place.left, False) if place.is_on_left else (place.right, True))
    return any(_fits(under, slot, on.balloon) and on.on_left in (None, left) for slot, left in readings)


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
    for is_loose, (_, upper, lower) in product((False, True), sorted(ways)):
        for place in rare:
            on = _near(place, under, *lower) if is_loose else _spot(place, own, under, *lower)
            if on is not None:
                what = _told(own, place.slot, *upper)
                fits = _number_of(on.balloon if isinstance(on, Beside) else on, under)
                yield Lies(what, on, below, _number_of(what, own) > 1, fits)


_MOST_TOLD = 4
"""Neighbours told of a balloon or a gap: a longer list is not read; the front mark serves instead."""


def _cost(lower: tuple[int, int]) -> float:
    """What a reader pays for a spot of the other row: one neighbour of a gap is enough only where it is its own."""
    return sum(lower) + (0.5 if 0 in lower else 0.0)


def _near(place: Place, under: Sequence[BalloonLabel], left: int, right: int) -> Beside | None:
    """The balloon that a place is nearest to, whichever side it is on; None half-way between two."""
    return Beside(_told(under, place.nearest, left, right), None) if place.off <= _NEARER else None


def _spot(
    place: Place, own: Sequence[BalloonLabel], under: Sequence[BalloonLabel], left: int, right: int
) -> Balloons | Gap | Beside | None:
    """Describe a balloon's place with a number of neighbours; None where nobody would say it that way."""
    if place.is_on_top:
        return _told(under, place.nearest, left, right)
    if not place.is_in_gap:
        return Beside(_told(under, place.nearest, left, right), place.is_on_left)
    gap = _told_gap(under, (place.left, place.right), left, right)
    told = {*gap.left, *gap.right}
    if not told or (0 in (left, right) and (len(told) > 1 or left + right > 1 or own[place.slot] not in told)):
        return None
    return gap
