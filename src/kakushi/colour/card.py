"""A tying card as simple shapes, for screen and print alike.

Drawn twice from above: left how the tied balloons are crossed (or laid on), right how they lie on the pole in the
end, with an arrow head at the balloon that comes to slot 1 of the first row it is for. Coordinates in a box WIDE by
HIGH, y down.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

from kakushi.colour.landing import RowTying
from kakushi.colour.tying import Card
from kakushi.model.job import Job
from kakushi.model.piece import LandingSchool

# Units of a card's drawing.
WIDE, HIGH = 320.0, 186.0
# Middles of its two pictures.
_CENTRES = ((80.0, 82.0), (240.0, 82.0))
# Radii of the ring, a balloon and the pole.
_RING, _BALLOON, _POLE = 40.0, 20.0, 7.0
# Of the largest balloon: smaller ones could not hold their letters.
_SMALLEST = 0.5


@dataclass(frozen=True, slots=True)
class Disc:
    """A filled circle with words in it; `hex` None: the pole."""

    x: float
    y: float
    radius: float
    hex: str | None
    words: str = ""


@dataclass(frozen=True, slots=True)
class CardLine:
    """A line through points; `heavy` ties balloons together, dashed ones show a movement."""

    points: tuple[tuple[float, float], ...]
    heavy: bool = False
    dashed: bool = False


@dataclass(frozen=True, slots=True)
class Words:
    """A line of words, centred at a point."""

    x: float
    y: float
    text: str
    is_number: bool = False


Shape = Disc | CardLine | Words


def card_shapes(card: Card, job: Job) -> tuple[Shape, ...]:
    """Shapes of a card."""
    return (*_tied(card, job), *_landed(card, job))


def _at(centre: tuple[float, float], slot: float, count: int, radius: float) -> tuple[float, float]:
    """A place round a centre: slot 0 at the front, anticlockwise from above."""
    angle = 2 * math.pi * slot / count
    return centre[0] + radius * math.sin(angle), centre[1] + radius * math.cos(angle)


def _size(count: int) -> float:
    return min(_BALLOON, 0.92 * _RING * math.sin(math.pi / count)) if count > 2 else _BALLOON


def _tied(card: Card, job: Job) -> list[Shape]:
    tying, centre = card.tying, _CENTRES[0]
    n = len(tying.crossed)
    # Before the wrap number c lies at place c, wherever it ends.
    place = {slot: (tying.first + number) % n for number, slot in enumerate(tying.crossed)}
    if tying.school is LandingSchool.DUPLETS_LAID_ON:
        place = {slot: slot for slot in range(n)} if tying.lock is None else _before_lock(tying)
    shapes: list[Shape] = []
    for group in tying.groups:
        points = [_at(centre, place[slot], n, _RING) for slot in group]
        if len(points) > 2:
            points = [point for pair in pairwise(points) for point in (pair[0], centre, pair[1])]
        elif tying.school is not LandingSchool.DUPLETS_LAID_ON:
            points = [points[0], centre, points[-1]]
        shapes.append(CardLine(tuple(points), heavy=True))
    for number, slot in enumerate(tying.crossed):
        shapes += _balloon(card, job, slot, _at(centre, place[slot], n, _RING), n)
        x, y = _at(centre, place[slot], n, _RING + _size(n) + 8)
        shapes.append(Words(x, y, str(number + 1), is_number=True))
    if tying.gap is not None:
        x, y = _at(centre, tying.first - 0.5, n, _RING + 16)
        shapes += [Disc(x, y, _POLE, None), Words(*_at(centre, tying.first - 0.5, n, _RING + 33), "pole")]
    laid = tying.school is LandingSchool.DUPLETS_LAID_ON
    shapes.append(Words(centre[0], HIGH - 6, "laid on side by side" if laid else "tied and crossed"))
    return shapes


def _before_lock(tying: RowTying) -> dict[int, int]:
    assert tying.lock is not None
    a, b = tying.lock
    return {slot: {a: b, b: a}.get(slot, slot) for slot in range(len(tying.crossed))}


def _balloon(card: Card, job: Job, slot: int, at: tuple[float, float], count: int) -> list[Shape]:
    balloon = card.cluster.balloons[slot]
    colour = job.colour(balloon.colour)
    return [Disc(*at, _size(count) * _share(card, slot), colour.hex, colour.code)]


def _share(card: Card, slot: int) -> float:
    """Size of a balloon beside the largest of its cluster, as drawn: small ones still hold their code."""
    largest = max(balloon.diameter_mm for balloon in card.cluster.balloons)
    return max(card.cluster.balloons[slot].diameter_mm / largest, _SMALLEST) if largest else 1.0


def _landed(card: Card, job: Job) -> list[Shape]:
    tying, centre = card.tying, _CENTRES[1]
    n = len(tying.crossed)
    on_line = tying.school is LandingSchool.LINE_BUILT
    shapes: list[Shape] = [] if on_line else [Disc(*centre, _POLE, None)]
    exchanged = "pull across" if on_line else "lock"
    for pair, words in ((tying.gap, _turn_words(tying.half_turns)), (tying.lock, exchanged)):
        if pair is None or not words:
            continue
        middle = pair[0] + 0.5
        arc = [_at(centre, middle + step / 12, n, _RING + 12) for step in range(-4, 5)]
        shapes.append(CardLine(tuple(arc), dashed=True))
        shapes.append(Words(*_at(centre, middle, n, _RING + 30), words))
    for number, slot in enumerate(tying.crossed):
        shapes += _balloon(card, job, slot, _at(centre, slot, n, _RING), n)
        x, y = _at(centre, slot, n, _RING + _size(n) + 8)
        shapes.append(Words(x, y, str(number + 1), is_number=True))
    shapes.append(_slot_one(card, centre, n))
    shapes.append(Words(centre[0], HIGH - 6, "on the line, from above" if on_line else "on the pole, from above"))
    return shapes


def _slot_one(card: Card, centre: tuple[float, float], count: int) -> CardLine:
    """A small arrow head by the pole that points to the balloon in slot 1 of the card's first row."""
    slot = -card.rows[0].shift if card.rows else 0
    reach = _RING - _size(count)
    tip, wide = reach - 1, 0.35 * count / (2 * math.pi)
    corners = [_at(centre, slot, count, tip), *(_at(centre, slot + side * wide, count, tip - 7) for side in (-1, 1))]
    return CardLine((*corners, corners[0]))


def _turn_words(half_turns: int) -> str:
    return {0: "", 1: "½ turn"}.get(half_turns, f"{half_turns} × ½ turn")
