"""What a tying card says beside its picture."""

from __future__ import annotations

from collections.abc import Sequence

from kakushi.colour.tying import Balloon, Card, Kind
from kakushi.model.piece import LandingSchool
from kakushi.model.units import format_nominal
from kakushi.words.rows import lock_words, which_words, wrap_words
from kakushi.words.wording import Wording, counted, ranges


def card_name(index: int) -> str:
    """Letters for cards: A, B to Z, then AA, AB and so on."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def title_words(name: str, card: Card) -> str:
    """A card's heading."""
    return f"Card {name} · {counted(card.many, 'cluster')}"


def sizes_words(balloons: Kind, wording: Wording) -> str:
    """Nominal and sized diameters of balloons, each once."""
    return ", ".join(dict.fromkeys(_sized(balloon, wording) for balloon in balloons))


def _sized(balloon: Balloon, wording: Wording) -> str:
    nominal = format_nominal(balloon.nominal_in)
    return f"{nominal} to {wording.diameter(balloon.diameter_mm)}" if balloon.diameter_mm else nominal


def card_steps(card: Card, wording: Wording) -> list[str]:
    """What to do, a sentence a step."""
    tying, balloons = card.tying, card.cluster.balloons
    number = {slot: i + 1 for i, slot in enumerate(tying.crossed)}
    tied = ", ".join(
        " + ".join(str(number[slot]) for slot in group)
        + f" ({' + '.join(wording.code(balloons[slot].colour) for slot in group)})"
        for group in tying.groups
    )
    sentences = [f"Tie together {tied}."]
    if which := which_words([balloons[slot] for slot in tying.crossed], wording):
        sentences.append(f"{which}.")
    if tying.school is LandingSchool.DUPLETS_LAID_ON:
        sentences.append("Lay them on the pole one beside the other, anticlockwise.")
    else:
        sentences.append(f"Cross them so that 1 to {len(number)} lie anticlockwise, seen from above.")
    if wrap := wrap_words(len(number), None if tying.gap is None else tying.half_turns):
        sentences.append(wrap)
    if tying.lock is not None:
        a, b = tying.lock
        sentences.append(lock_words((number[a] - 1, number[b] - 1), tying.school is LandingSchool.LINE_BUILT))
    if tying.learnt:
        sentences.append("Written for your own hands, from your landing trial.")
    return sentences


def common_steps(cards: Sequence[Card], wording: Wording) -> list[str]:
    """The sentences that several cards share, to be said once; none of a card by itself."""
    if len(cards) < 2:
        return []
    others = [set(card_steps(card, wording)) for card in cards[1:]]
    return [sentence for sentence in card_steps(cards[0], wording) if all(sentence in other for other in others)]


def rows_words(card: Card, names: dict[int, str]) -> list[str]:
    """Name the rows a card is for, and the balloon in their slot 1; `names` of pieces by key."""
    n = len(card.tying.crossed)
    rows_of: dict[tuple[int, str, int], list[int]] = {}
    for at in card.rows:
        first = card.tying.crossed.index((-at.shift) % n) + 1
        rows_of.setdefault((at.piece, at.label, first), []).append(at.row + 1)
    lines = []
    for (piece, label, first), rows in rows_of.items():
        where = names[piece] + (f" ({label})" if label else "")
        lines.append(f"{where}, row{'s' if len(rows) > 1 else ''} {ranges(rows)}: slot 1 is balloon {first}.")
    return lines
