"""How a row is said: what it is tied of, how it is brought on, how it lies, how it is held."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from kakushi.building.step import LaidBunches, LayingRow, Step
from kakushi.colour.relation import AllAlike, BalloonLabel, Balloons, Beside, Faces, Gap, Lies, Relation, sizes_of
from kakushi.colour.tying import Balloon
from kakushi.model.joints import JointKind
from kakushi.model.piece import LandingSchool
from kakushi.model.sizing import Sizing
from kakushi.model.units import format_nominal
from kakushi.words.sizing import sized_words
from kakushi.words.strands import mark_words
from kakushi.words.wording import Wording, capital, counted, listed, with_article

_JOINED: Mapping[JointKind, str] = {
    JointKind.WRAPPED: "Push it {pushed} at the middle: pressed rows do not move again.",
    JointKind.NECK_TIED: "Tie its neck to a neck of the row {beside}: under, over, double knot.",
    JointKind.LINE_EIGHT: "Take the line in a figure eight round both knots, twice.",
    JointKind.RIBBON: "Wind the ribbon round every balloon and the row {beside}.",
    JointKind.STRIP: "Tie a strip round its knot and that of the row {beside}.",
    JointKind.LINK_TIED: "Tie the link tips to those of the row {beside}.",
}
"""How a row is held to the row it is laid on; {beside}: below or above; {pushed}: down or up, towards it."""
_BEGUN: Mapping[JointKind, str] = {
    JointKind.LINE_EIGHT: "Begin with the line in a figure eight round its knot, and knot it; leave a tail.",
    JointKind.RIBBON: "Begin with two turns of ribbon round the row; tie the tail to the weight.",
}
"""How the first row is held by what the others hang on."""
_ENDED: Mapping[JointKind, str] = {
    JointKind.LINE_EIGHT: "Knot the line round this last knot too; leave a tail.",
    JointKind.RIBBON: "Wind the ribbon twice round this last row and tie it off.",
}
"""How what the rows hang on ends at the last one."""
INNER_NECK = "Tie with the inner neck: the outer one tears."
_MANY = 6
"""Balloons in a row from which it is hard to lay flat."""
_FLATTEN = "Flatten it, twist two together and hold it till the next row lies on it."
_TURN_A_MIX = "Turn it so that few balloons touch one of their own colour."
_NO_LOCK = "This row is not locked."


def row_words(step: Step, fact: LayingRow, wording: Wording) -> str:
    """All that is said of laying a row, its number aside."""
    if step.laid is None:
        return ""
    words = [f"{sizes_of_row(step.laid, wording, fact.sizing)}.", bunches_words(step.laid, wording)]
    words += [place.full for place in place_facts(fact, wording)]
    return " ".join([*words, *(said.text for said in hand_sentences(step, fact, wording))])


class Said(NamedTuple):
    """A sentence of how the hands do something, and what it is about.

    It holds until another one of its topic is said or, of a row, until a row has none of that topic.
    """

    topic: str
    text: str
    of_row: bool = True


class PlaceFact(NamedTuple):
    """Where something of a row goes: in a few words for a line beside the headline, and in a sentence."""

    short: str
    full: str


def sizes_of_row(laid: LaidBunches, wording: Wording, sizing: Sizing | None = None) -> str:
    """The balloons of a row by size: “4 × 11″ to 25.4 cm”."""
    counts = Counter((balloon.nominal_in, balloon.diameter_mm) for balloon in laid.numbered)
    return ", ".join(
        f"{balloons} × {format_nominal(nominal)} {sized_words(sizing, wording.diameter(size), wording.units)}"
        for (nominal, size), balloons in sorted(counts.items(), reverse=True)
    )


def bunches_words(laid: LaidBunches, wording: Wording) -> str:
    """What is tied together for a row and crossed, by the codes of colours."""
    bunches = ", ".join(" + ".join(wording.code(balloon.colour) for balloon in bunch) for bunch in laid.ties)
    if len(laid.numbered) == 1:
        return f"Take {bunches}."
    verb = "Lay on" if laid.school == LandingSchool.DUPLETS_LAID_ON else "Cross"
    return f"{verb} {bunches}."


def place_facts(fact: LayingRow, wording: Wording) -> Iterator[PlaceFact]:
    """Where a row goes: on the row that it is laid on, along its strand, above the floor. None may be left out."""
    if not _is_usual(fact.relation):
        full = _any_way(relation_words(fact.relation, wording), fact)
        yield PlaceFact(_any_way(short_relation(fact.relation, wording), fact), full)
    for mark in fact.marks:
        yield PlaceFact(mark_words(mark), f"{capital(mark_words(mark))}.")
    if fact.knot_mm is not None:
        height = wording.length(fact.knot_mm)
        yield PlaceFact(f"knot {height} above the floor", f"Its knot is {height} above the floor.")


def _is_usual(relation: Relation) -> bool:
    """Whether a row lies as most do, which is a rule until another row lies otherwise."""
    return isinstance(relation, AllAlike) and relation.place == "gap" and not relation.as_they_fall


def _any_way(words: str, fact: LayingRow) -> str:
    """The same for a row whose balloons may lie in any order, or its colours where sizes have their places."""
    relation = fact.relation
    if not fact.any_way or not words:
        return words
    if isinstance(relation, AllAlike) or (isinstance(relation, Faces) and relation.all_alike):
        return f"Any way round: {words[:1].lower()}{words[1:]}"
    return f"Colours any way round: {words[:1].lower()}{words[1:]}"


def short_relation(relation: Relation, wording: Wording) -> str:
    """Where a row lies in a few words, without a full stop; neighbours are named as seen from outside."""
    if isinstance(relation, Lies) and relation.rows == 1 and not (relation.what.left or relation.what.right):
        on, each = relation.on, "Each" if relation.several else "The"
        if isinstance(on, Gap) and bool(on.left) != bool(on.right):
            beside = (on.left or on.right)[0]
            of = "" if beside == relation.what.label else f" of {with_article(_name(beside, wording), False)}"
            name = _name(relation.what.label, wording)
            return f"{each} {name} one gap to the {'right' if on.left else 'left'}{of}"
    return relation_words(relation, wording).removesuffix(".").removesuffix(_SEEN)


def hand_sentences(step: Step, fact: LayingRow, wording: Wording) -> Iterator[Said]:
    """How a row is crossed, wrapped and held. Each holds until another sentence of its topic is said."""
    laid, row = step.laid, step.row
    if laid is None or row is None:
        return
    if _is_usual(fact.relation):
        yield Said("relation", _any_way(relation_words(fact.relation, wording), fact))
    count, on_line = len(laid.numbered), laid.school == LandingSchool.LINE_BUILT
    if which := which_words(laid.numbered, wording):
        crossed = "Of the crossed balloons" if laid.is_crossed else "In the order they are laid on"
        yield Said("sizes", f"{crossed} {which}.")
    if count > 1 and laid.school == LandingSchool.DUPLETS_LAID_ON:
        yield Said("laid on", "Lay them on one beside the other, anticlockwise.")
    if count > 1 and (wrap := wrap_words(count, laid.half_turns)):
        yield Said("wrap", wrap)
    if count > 1 and laid.lock is not None:
        yield Said("lock", lock_words(laid.lock, on_line))
    if fact.any_way and len({balloon.colour for balloon in laid.numbered}) > 1:
        yield Said("mix", _TURN_A_MIX)
    if count >= _MANY:
        yield Said("flatten", _FLATTEN)
    if fact.begins is not None:
        yield Said("begin", _BEGUN[fact.begins])
    if fact.joint is not None and row.on is not None:
        if len({balloon.colour for balloon in laid.numbered}) > 1 and not fact.any_way:
            yield Said("check", "Check the hand.")
        beside, pushed = ("below", "down") if row.on < row.index else ("above", "up")
        yield Said("joint", _JOINED[fact.joint].format(beside=beside, pushed=pushed))
        if fact.has_inner and fact.joint is JointKind.NECK_TIED:
            yield Said("inner", INNER_NECK)
    if fact.ends is not None:
        yield Said("end", _ENDED[fact.ends])


def said_anew(sentences: Iterable[Said], known: dict[str, Said]) -> list[str]:
    """The sentences that are not `known` by their topics to hold already; they are known from then on."""
    now = {said.topic: said for said in sentences}
    new = [said.text for said in now.values() if known.get(said.topic) != said]
    if any(said.of_row for said in now.values()):
        if "lock" in known and "lock" not in now:
            new.append(_NO_LOCK)
        for topic in [topic for topic, said in known.items() if said.of_row and topic not in now]:
            del known[topic]
    known.update(now)
    return new


def which_words(numbered: Sequence[Balloon], wording: Wording) -> str:
    """Which of a cluster's balloons (numbered from 1) have which size; empty where all are alike."""
    kinds: dict[tuple[float, float], list[int]] = {}
    for number, balloon in enumerate(numbered, 1):
        kinds.setdefault((balloon.nominal_in, balloon.diameter_mm), []).append(number)
    if len(kinds) < 2:
        return ""
    sizes = sizes_of([balloon.diameter_mm for balloon in numbered])
    if len(kinds) == 2 and set(sizes) == {"large", "small"}:
        large = [number for number, size in enumerate(sizes, 1) if size == "large"]
        return f"{listed(map(str, large))} {'are the large ones' if len(large) > 1 else 'is the large one'}"
    return "; ".join(
        f"{listed(map(str, numbers))} {'are' if len(numbers) > 1 else 'is'} {format_nominal(nominal)} "
        f"to {wording.diameter(diameter)}"
        for (nominal, diameter), numbers in sorted(kinds.items(), reverse=True)
    )


def wrap_words(count: int, half_turns: int | None) -> str:
    """Say how the pole goes into a cluster of that many balloons; empty where nothing is wrapped."""
    if half_turns is None:
        return ""
    how = f"cross those two behind it, {counted(half_turns, 'half turn')}" if half_turns else "cross nothing behind it"
    return f"Pole into the gap between {count} and 1; {how}."


def lock_words(lock: tuple[int, int], on_line: bool) -> str:
    """Say which two balloons (from 0) are exchanged last."""
    one, other = lock[0] + 1, lock[1] + 1
    return f"Pull {one} and {other} across each other." if on_line else f"Lock: exchange {one} and {other}."


# --- how a row lies ------------------------------------------------------------------------------------------


def relation_words(relation: Relation, wording: Wording) -> str:
    """Say how a row lies on the one below (or above), or faces the front, in a sentence that fits no other turn."""
    match relation:
        case AllAlike(place, below, as_they_fall):
            where = _ALL_ALIKE[place].format(beside=_beside(below))
            return f"One balloon {where}, the others as they fall." if as_they_fall else f"Each balloon {where}."
        case Faces():
            return _faces_words(relation, wording)
        case Lies():
            return _lies_words(relation, wording)


_ALL_ALIKE = {
    "balloon": "stands on a balloon of the row {beside}",
    "gap": "goes into a gap of the row {beside}",
    "left": "lies beside a balloon of the row {beside}, to its left, touching it",
    "right": "lies beside a balloon of the row {beside}, to its right, touching it",
}


def _beside(below: bool, rows: int = 1) -> str:
    return f"{_ROWS_AWAY[rows]}{'below' if below else 'above'}"


_ROWS_AWAY = {1: "", 2: "two rows ", 3: "three rows "}


def _faces_words(fact: Faces, wording: Wording) -> str:
    what, seen = (
        (_gap_words(fact.what, wording), True)
        if isinstance(fact.what, Gap)
        else (_balloon_words(fact.what, wording), bool(fact.what.left or fact.what.right))
    )
    if fact.all_alike:
        what, seen = "gap" if isinstance(fact.what, Gap) else "balloon", False
    degrees = round(math.degrees(fact.turn))
    if degrees == 0:
        where = "faces the front mark"
    elif abs(degrees) == 180:
        where = "faces the back"
    elif abs(degrees) == 90:
        where = f"faces the {_side(degrees < 0)}"
    else:
        where = f"faces {abs(degrees)}° to the {'right' if degrees > 0 else 'left'} of the front mark"
    return f"{capital(with_article(what, not fact.several))} {where}{_SEEN if seen else ''}."


_SEEN = ", seen from outside"


def _lies_words(fact: Lies, wording: Wording) -> str:
    what = _balloon_words(fact.what, wording)
    beside, told = _beside(fact.below, fact.rows), bool(fact.what.left or fact.what.right)
    each, only = f"{'Each' if fact.several else 'The'} {what}", fact.spots == 1
    if isinstance(fact.on, Balloons):
        seen = _SEEN if told or fact.on.left or fact.on.right else ""
        stands = "stands on" if fact.rows == 1 else "goes straight above" if fact.below else "goes straight below"
        return f"{each} {stands} {with_article(_balloon_words(fact.on, wording), only)} {beside}{seen}."
    if isinstance(fact.on, Beside):
        on, on_left = with_article(_balloon_words(fact.on.balloon, wording), only), fact.on.on_left
        seen = _SEEN if told or fact.on.balloon.left or fact.on.balloon.right else ""
        if on_left is None:
            return f"{each} lies on {on} {beside} or close beside it{seen}."
        return f"{each} lies beside {on} {beside}, to its {_side(on_left)}, touching it{seen}."
    left, right = fact.on.left, fact.on.right
    seen = _SEEN if told else ""
    if not (left and right):
        # One gap beside a balloon of its own kind.
        alone = only and len(left or right) == 1
        of = with_article(_name((left or right)[0], wording), alone)
        return f"{each} goes one gap to the {_side(not left)} of {of} {beside}{seen}."
    goes = "goes" if fact.rows == 1 else "goes above" if fact.below else "goes below"
    if left == right and len(left) == 1:
        between = "between" if fact.rows == 1 else "the middle of"
        return f"{each} {goes} {between} two {_name(left[0], wording)} {beside}{seen}."
    into = "into " if fact.rows == 1 else ""
    return f"{each} {goes} {into}{with_article(_gap_words(fact.on, wording), only)} {beside}{_SEEN}."


def _side(is_left: bool) -> str:
    return "left" if is_left else "right"


def _name(label: BalloonLabel, wording: Wording) -> str:
    colour = wording.colour(label.colour) if label.colour else "balloon"
    if label.size is None:
        return colour
    return f"{label.size if isinstance(label.size, str) else wording.diameter(label.size)} {colour}"


def _names(labels: Sequence[BalloonLabel], wording: Wording) -> str:
    """Neighbours from the nearest on: sail white, then rope."""
    return ", then ".join(_name(label, wording) for label in labels)


def _balloon_words(what: Balloons, wording: Wording) -> str:
    if what.left and what.left == what.right:
        return f"{_name(what.label, wording)} with {_names(what.left, wording)} on both sides"
    sides = [
        f"{_names(labels, wording)} on its {side}"
        for labels, side in ((what.left, "left"), (what.right, "right"))
        if labels
    ]
    return _name(what.label, wording) + (f" with {' and '.join(sides)}" if sides else "")


def _gap_words(gap: Gap, wording: Wording) -> str:
    return f"gap with {_names(gap.left, wording)} on its left and {_names(gap.right, wording)} on its right"
