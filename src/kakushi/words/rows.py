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
from kakushi.model.units import format_nominal
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
_FLATTEN = "Flatten it, twist two together and hold it till the next row lies on it."


def row_words(step: Step, fact: LayingRow, wording: Wording) -> str:
    """All that is said of laying a row, its number aside."""
    laid, row = step.laid, step.row
    if laid is None or row is None:
        return ""
    codes = {balloon.colour: wording.code(balloon.colour) for bunch in laid.ties for balloon in bunch}
    count = len(laid.numbered)
    words = [sizes_words(laid, wording), brought_words(laid, codes), relation_words(fact.relation, wording)]
    if count >= _MANY:
        words.append(_FLATTEN)
    if fact.begins is not None:
        words.append(_BEGUN[fact.begins])
    if fact.joint is not None and row.on is not None:
        is_upward = row.on < row.index
        if len(set(codes)) > 1:
            words.append("Check the hand.")
        joined = _JOINED[fact.joint].format(
            beside="below" if is_upward else "above", pushed="down" if is_upward else "up"
        )
        words.append(joined)
        if fact.has_inner and fact.joint is JointKind.NECK_TIED:
            words.append(INNER_NECK)
    words += [f"{capital(mark_words(mark))}." for mark in fact.marks]
    if fact.knot_mm is not None:
        words.append(f"Its knot is {wording.length(fact.knot_mm)} above the floor.")
    return " ".join(words)


def sizes_words(laid: Laid, wording: Wording) -> str:
    """Name the balloons by size, and in a cluster of several sizes the numbers of the large ones."""
    counts = Counter((balloon.nominal_in, balloon.diameter_mm) for balloon in laid.numbered)
    said = ", ".join(
        f"{balloons} × {format_nominal(nominal)} to {wording.diameter(size)}"
        for (nominal, size), balloons in sorted(counts.items(), reverse=True)
    )
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
