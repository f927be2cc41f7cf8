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
from kakushi.colour.surface import UNLIKE
from kakushi.colour.tying import Balloon, Card, Kind
from kakushi.model.job import Job
from kakushi.model.piece import LandingSchool
from kakushi.model.units import UnitSystem, format_diameter, format_nominal

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
class Stroke:
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


Shape = Disc | Stroke | Words


def card_shapes(card: Card, job: Job) -> tuple[Shape, ...]:
    """What is drawn of a card."""
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
        shapes.append(Stroke(tuple(points), heavy=True))
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


def _large(card: Card) -> list[int]:
    """Slots of the large balloons of a cluster of several sizes; none where they are alike."""
    sizes = [balloon.diameter_mm for balloon in card.cluster.balloons]
    if max(sizes) <= min(sizes) * UNLIKE:
        return []
    return [slot for slot, size in enumerate(sizes) if size > math.sqrt(max(sizes) * min(sizes))]


def _landed(card: Card, job: Job) -> list[Shape]:
    tying, centre = card.tying, _CENTRES[1]
    n = len(tying.crossed)
    shapes: list[Shape] = [Disc(*centre, _POLE, None)]
    for pair, words in ((tying.gap, _turn_words(tying.half_turns)), (tying.lock, "lock")):
        if pair is None or not words:
            continue
        middle = pair[0] + 0.5
        arc = [_at(centre, middle + step / 12, n, _RING + 12) for step in range(-4, 5)]
        shapes.append(Stroke(tuple(arc), dashed=True))
        shapes.append(Words(*_at(centre, middle, n, _RING + 30), words))
    for number, slot in enumerate(tying.crossed):
        shapes += _balloon(card, job, slot, _at(centre, slot, n, _RING), n)
        x, y = _at(centre, slot, n, _RING + _size(n) + 8)
        shapes.append(Words(x, y, str(number + 1), is_number=True))
    shapes.append(_slot_one(card, centre, n))
    shapes.append(Words(centre[0], HIGH - 6, "on the pole, from above"))
    return shapes


def _slot_one(card: Card, centre: tuple[float, float], count: int) -> Stroke:
    """A small arrow head by the pole that points to the balloon in slot 1 of the card's first row."""
    slot = -card.rows[0].shift if card.rows else 0
    reach = _RING - _size(count)
    tip, wide = reach - 1, 0.35 * count / (2 * math.pi)
    corners = [_at(centre, slot, count, tip), *(_at(centre, slot + side * wide, count, tip - 7) for side in (-1, 1))]
    return Stroke((*corners, corners[0]))


def _turn_words(half_turns: int) -> str:
    return {0: "", 1: "½ turn"}.get(half_turns, f"{half_turns} × ½ turn")


# --- what a card says ------------------------------------------------------------------------


def title_words(name: str, card: Card) -> str:
    """A card's heading."""
    return f"Card {name} · {card.many} cluster{'s' if card.many != 1 else ''}"


def sizes_words(balloons: Kind, units: UnitSystem) -> str:
    """Nominal and sized diameters of balloons, each once."""
    return ", ".join(dict.fromkeys(_sized(balloon, units) for balloon in balloons))


def _sized(balloon: Balloon, units: UnitSystem) -> str:
    nominal = format_nominal(balloon.nominal_in)
    return f"{nominal} to {format_diameter(balloon.diameter_mm, units)}" if balloon.diameter_mm else nominal


def steps(card: Card, job: Job) -> list[str]:
    """What to do, a sentence a step."""
    tying = card.tying
    number = {slot: str(i + 1) for i, slot in enumerate(tying.crossed)}
    bunches = [" + ".join(number[slot] for slot in group) for group in tying.groups]
    codes = [
        " + ".join(job.colour(card.cluster.balloons[slot].colour).code for slot in group) for group in tying.groups
    ]
    tied = ", ".join(f"{bunch} ({code})" for bunch, code in zip(bunches, codes, strict=True))
    sentences = [f"Tie together {tied}."]
    if large := _large(card):
        size = max(card.cluster.balloons[slot].diameter_mm for slot in large)
        named = [number[slot] for slot in tying.crossed if slot in large]
        are = "are the large ones" if len(named) > 1 else "is the large one"
        sentences.append(f"{' and '.join(named)} {are}, {format_diameter(size)}.")
    if tying.school is LandingSchool.DUPLETS_LAID_ON:
        sentences.append("Lay them on the pole one beside the other, anticlockwise.")
    else:
        sentences.append(f"Cross them so that 1 to {len(number)} lie anticlockwise, seen from above.")
    if tying.gap is not None:
        last = len(number)
        turns = tying.half_turns
        moved = "they change places" if turns % 2 else "they come back to their places"
        many = f"{turns} half turn{'s' if turns != 1 else ''}"
        wrap = f"cross those two behind it, {many}: {moved}" if turns else "nothing is crossed behind it"
        sentences.append(f"Pole into the gap between {last} and 1; {wrap}.")
    if tying.lock is not None:
        sentences.append(f"Lock: exchange {number[tying.lock[0]]} and {number[tying.lock[1]]}.")
    if tying.learnt:
        sentences.append("Written for your own hands, from your landing trial.")
    return sentences


def rows_words(card: Card, names: dict[int, str]) -> list[str]:
    """The rows a card is for and which of its balloons lies in their slot 1; `names` of pieces by key."""
    n = len(card.tying.crossed)
    rows_of: dict[tuple[int, str, int], list[int]] = {}
    for at in card.rows:
        first = card.tying.crossed.index((-at.shift) % n) + 1
        rows_of.setdefault((at.piece, at.label, first), []).append(at.row + 1)
    lines = []
    for (piece, label, first), rows in rows_of.items():
        where = names[piece] + (f" ({label})" if label else "")
        lines.append(f"{where}, row{'s' if len(rows) > 1 else ''} {_runs(rows)}: slot 1 is balloon {first}.")
    return lines


def _runs(numbers: list[int]) -> str:
    """Numbers with runs shortened, like 1–4, 6."""
    runs: list[list[int]] = []
    for number in sorted(numbers):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return ", ".join(str(run[0]) if len(run) == 1 else f"{run[0]}–{run[-1]}" for run in runs)


def card_name(index: int) -> str:
    """Letters for cards: A, B to Z, then AA, AB and so on."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
