"""How a row is said: what it is tied of, how it is brought on, how it lies, how it is held."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence

from kakushi.building.step import Laid, LayingRow, Step
from kakushi.colour.relation import AllAlike, BalloonLabel, Balloons, Faces, Gap, Lies, Relation
from kakushi.colour.surface import UNLIKE
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
    JointKind.LINE_EIGHT: "Begin with the line in a figure eight round its knot; leave a tail.",
    JointKind.RIBBON: "Begin with two turns of ribbon round the row; leave a tail for the weight.",
}
"""How the first row is held by what the others hang on."""
INNER_NECK = "Tie with the inner neck: the outer one tears."
_MANY = 6
"""Balloons in a row from which it is hard to lay flat."""
_SHORT = 60
"""Most characters of where a row lies that fit beside its headline."""
_FLATTEN = "Flatten it, twist two together and hold it till the next row lies on it."


def row_words(step: Step, fact: LayingRow, wording: Wording) -> str:
    """All that is said of laying a row, its number aside."""
    laid, row = step.laid, step.row
    if laid is None or row is None:
        return ""
    codes = {balloon.colour: wording.code(balloon.colour) for bunch in laid.ties for balloon in bunch}
    count = len(laid.numbered)
    sizes = sizes_words(laid, wording, fact.sizing)
    words = [sizes, brought_words(laid, codes), relation_words(fact.relation, wording)]
    if count >= _MANY:
        words.append(_FLATTEN)
    words += _held_words(step, fact, laid)
    words += [f"{capital(mark_words(mark))}." for mark in fact.marks]
    if fact.knot_mm is not None:
        words.append(f"Its knot is {wording.length(fact.knot_mm)} above the floor.")
    return " ".join(words)


def _held_words(step: Step, fact: LayingRow, laid: Laid) -> list[str]:
    """How a row is held to the one it lies on, or begins."""
    words, row = [], step.row
    if fact.begins is not None:
        words.append(_BEGUN[fact.begins])
    if fact.joint is not None and row is not None and row.on is not None:
        is_upward = row.on < row.index
        if len({balloon.colour for balloon in laid.numbered}) > 1:
            words.append("Check the hand.")
        beside, pushed = ("below", "down") if is_upward else ("above", "up")
        words.append(_JOINED[fact.joint].format(beside=beside, pushed=pushed))
        if fact.has_inner and fact.joint is JointKind.NECK_TIED:
            words.append(INNER_NECK)
    return words


def sizes_of_row(laid: Laid, wording: Wording, sizing: Sizing | None = None) -> str:
    """The balloons of a row by size: “4 × 11″ to 25.4 cm”."""
    counts = Counter((balloon.nominal_in, balloon.diameter_mm) for balloon in laid.numbered)
    return ", ".join(
        f"{balloons} × {format_nominal(nominal)} {sized_words(sizing, wording.diameter(size), wording.units)}"
        for (nominal, size), balloons in sorted(counts.items(), reverse=True)
    )


def bunches_words(laid: Laid, wording: Wording) -> str:
    """What is tied together for a row and crossed, by the codes of colours."""
    bunches = ", ".join(" + ".join(wording.code(balloon.colour) for balloon in bunch) for bunch in laid.ties)
    if len(laid.numbered) == 1:
        return f"Take {bunches}."
    verb = "Lay on" if laid.school == LandingSchool.DUPLETS_LAID_ON else "Cross"
    return f"{verb} {bunches}."


def note_of_row(fact: LayingRow, wording: Wording) -> str:
    """What is special about a row, in a few words; empty where all its balloons go where any of them may."""
    notes = [short_relation(fact.relation, wording)]
    notes += [capital(mark_words(mark)) for mark in fact.marks]
    if fact.knot_mm is not None:
        notes.append(f"Knot {wording.length(fact.knot_mm)} above the floor")
    return "; ".join(filter(None, notes))


def short_relation(relation: Relation, wording: Wording) -> str:
    """Where a row lies in a few words; empty where all its balloons go into gaps, as they do everywhere."""
    match relation:
        case AllAlike(on_balloons, below, as_they_fall):
            if not on_balloons:
                return ""
            each = "One" if as_they_fall else "Each"
            return f"{each} on top of a balloon {_beside(below)}"
        case Faces():
            return relation_words(relation, wording).removesuffix(".").removesuffix(_SEEN)
        case Lies():
            return _short_lies(relation, wording)


def _short_lies(fact: Lies, wording: Wording) -> str:
    each, what = "Each" if fact.several else "The", _name(fact.what.label, wording)
    if isinstance(fact.on, Balloons) or fact.what.left or fact.what.right:
        return relation_words(fact, wording).removesuffix(".").removesuffix(_SEEN)
    left, right = fact.on.left, fact.on.right
    if not (left and right):
        beside = (left or right)[0]
        of = "" if beside == fact.what.label else f" of {with_article(_name(beside, wording), False)}"
        return f"{each} {what} one gap to the {'right' if left else 'left'}{of}"
    return relation_words(fact, wording).removesuffix(".").removesuffix(_SEEN)


def how_words(step: Step, fact: LayingRow, wording: Wording) -> str:
    """How a row is slid on and held: numbers of its large balloons, and which balloons they lie between."""
    laid, row = step.laid, step.row
    if laid is None or row is None:
        return ""
    large = large_numbers([balloon.diameter_mm for balloon in laid.numbered])
    count = len(laid.numbered)
    words = [f"Of the crossed balloons {large_words(large)}."] if large else []
    if count > 1:
        if laid.school == LandingSchool.DUPLETS_LAID_ON:
            words.append("Lay them on one beside the other, anticlockwise.")
        words += wrap_words(count, laid.half_turns, laid.lock, laid.school == LandingSchool.LINE_BUILT)
    relation = relation_words(fact.relation, wording)
    if len(short_relation(fact.relation, wording)) > _SHORT or relation.endswith(f"{_SEEN}."):
        words.append(relation)
    if count >= _MANY:
        words.append(_FLATTEN)
    return " ".join([*words, *_held_words(step, fact, laid)])


def sizes_words(laid: Laid, wording: Wording, sizing: Sizing | None = None) -> str:
    """Name the balloons by size, and in a cluster of several sizes the numbers of the large ones."""
    said = sizes_of_row(laid, wording, sizing)
    large = large_numbers([balloon.diameter_mm for balloon in laid.numbered])
    return f"{said}: {large_words(large)}." if large else f"{said}."


def large_numbers(sizes: Sequence[float]) -> list[int]:
    """Numbers (from 1) of the large balloons of a cluster of several sizes; none where they are alike."""
    if max(sizes) <= min(sizes) * UNLIKE:
        return []
    middle = math.sqrt(max(sizes) * min(sizes))
    return [number for number, size in enumerate(sizes, 1) if size > middle]


def large_words(numbers: Sequence[int]) -> str:
    """Which numbers are the large ones."""
    return f"{listed(map(str, numbers))} {'are the large ones' if len(numbers) > 1 else 'is the large one'}"


def brought_words(laid: Laid, codes: Mapping[str, str]) -> str:
    """How the cluster is tied and brought to the pole or line; `codes` of colours by key."""
    count = len(laid.numbered)
    bunches = ", ".join(" + ".join(codes[balloon.colour] for balloon in bunch) for bunch in laid.ties)
    if count == 1:
        return f"Take {bunches}."
    if laid.school == LandingSchool.DUPLETS_LAID_ON:
        words = [f"Lay {bunches} on, one beside the other, anticlockwise."]
    else:
        words = [f"Cross {bunches}."]
    on_line = laid.school == LandingSchool.LINE_BUILT
    return " ".join([*words, *wrap_words(count, laid.half_turns, laid.lock, on_line)])


def wrap_words(count: int, half_turns: int | None, lock: tuple[int, int] | None, on_line: bool = False) -> list[str]:
    """Say how the pole goes into a cluster of that many balloons, and which two are exchanged last (from 0)."""
    words = []
    if half_turns:
        turns = counted(half_turns, "half turn")
        words.append(f"Pole into the gap between {count} and 1; cross those two behind it, {turns}.")
    elif half_turns == 0:
        words.append(f"Pole into the gap between {count} and 1; nothing is crossed behind it.")
    if lock is not None and on_line:
        words.append(f"Pull {lock[0] + 1} and {lock[1] + 1} across each other.")
    elif lock is not None:
        words.append(f"Lock: exchange {lock[0] + 1} and {lock[1] + 1}.")
    return words


# --- how a row lies ------------------------------------------------------------------------------------------


def relation_words(relation: Relation, wording: Wording) -> str:
    """Say how a row lies on the one below (or above), or faces the front, in a sentence that fits no other turn."""
    match relation:
        case AllAlike(on_balloons, below, as_they_fall):
            each, others = ("One", ", the others as they fall") if as_they_fall else ("Each", "")
            where = "stands on a balloon" if on_balloons else "goes into a gap"
            return f"{each} balloon {where} of the row {_beside(below)}{others}."
        case Faces():
            return _faces_words(relation, wording)
        case Lies():
            return _lies_words(relation, wording)


def _beside(below: bool) -> str:
    return "below" if below else "above"


def _faces_words(fact: Faces, wording: Wording) -> str:
    what, seen = (
        (_gap_words(fact.what, wording), True)
        if isinstance(fact.what, Gap)
        else (_balloon_words(fact.what, wording), bool(fact.what.left or fact.what.right))
    )
    if fact.all_alike:
        what = "balloon"
    degrees = round(math.degrees(fact.turn))
    if degrees == 0:
        where = "faces the front mark"
    elif abs(degrees) == 180:
        where = "faces the back"
    else:
        where = f"faces {abs(degrees)}° to the {'right' if degrees > 0 else 'left'} of the front mark"
    return f"{capital(with_article(what, not fact.several))} {where}{_SEEN if seen else ''}."


_SEEN = ", seen from outside"


def _lies_words(fact: Lies, wording: Wording) -> str:
    what = _balloon_words(fact.what, wording)
    beside, told = _beside(fact.below), bool(fact.what.left or fact.what.right)
    each = f"{'Each' if fact.several else 'The'} {what}"
    if isinstance(fact.on, Balloons):
        seen = told or fact.on.left or fact.on.right
        on = with_article(_balloon_words(fact.on, wording), fact.spots == 1)
        return f"{each} stands on {on} {beside}{_SEEN if seen else ''}."
    left, right = fact.on.left, fact.on.right
    if not (left and right):
        # One gap beside a balloon of its own kind.
        side = "right" if left else "left"
        only = len(left or right) == 1 and fact.spots == 1
        of = with_article(_name((left or right)[0], wording), only)
        words = f"{each} goes one gap to the {side} of {of} {beside}"
        return f"{words}{_SEEN if told else ''}."
    if left == right and len(left) == 1:
        return f"{each} goes between two {_name(left[0], wording)} {beside}{_SEEN if told else ''}."
    gap = with_article(_gap_words(fact.on, wording), fact.spots == 1)
    return f"{each} goes into {gap} {beside}{_SEEN}."


def _name(label: BalloonLabel, wording: Wording) -> str:
    size = "" if label.large is None else "large " if label.large else "small "
    return f"{size}{wording.colour(label.colour)}"


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
