"""What is said of bringing a row on: how it is tied, wrapped, lined up and joined, in a sculptor's words."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kakushi.build.step import Laid
from kakushi.colour.surface import UNLIKE, Surface
from kakushi.colour.words import Place, labels, places
from kakushi.model.joints import JointKind
from kakushi.model.piece import LandingSchool
from kakushi.model.units import format_diameter, format_nominal

JOINED: Mapping[JointKind, str] = {
    JointKind.WRAPPED: "Push it down at the middle: pressed rows do not move again.",
    JointKind.NECK_TIED: "Tie its neck to a neck of the row {beside}: under, over, double knot.",
    JointKind.LINE_EIGHT: "Take the line in a figure eight round both knots, twice.",
    JointKind.RIBBON: "Wind the ribbon round every balloon and the row {beside}.",
    JointKind.STRIP: "Tie a strip round its knot and that of the row {beside}.",
    JointKind.LINK_TIED: "Tie the link tips to those of the row {beside}.",
}
"""How a row is held to the row it is laid on; “{beside}”: below or above."""
INNER_NECK = "Tie with the inner neck: the outer one tears."
_MANY = 6
MANY_WORDS = "Flatten it, twist two together and hold it till the next row lies on it."
_FACING = math.radians(5)
"""Nobody sees that a balloon faces the front by less."""


@dataclass(frozen=True, slots=True)
class Relation:
    """How a row lies on the row it is laid on: in words, and what is alike where rows are laid alike."""

    words: str
    alike: tuple[object, ...]


def facing(surface: Surface, row: int, colours: Sequence[str], names: Mapping[str, str]) -> Relation:
    """How the first row of a group is turned: which balloon, or which gap, faces the front mark."""
    mine = labels(surface, row, colours, names)
    angles = surface.angles[surface.firsts[row] : surface.firsts[row + 1]]
    many = len(angles)
    off = [math.remainder(float(angle), 2 * math.pi) for angle in angles]
    nearest = min(range(many), key=lambda slot: (round(abs(off[slot]), 6), slot))
    steps = [float(angles[(slot + 1) % many] - angles[slot]) % (2 * math.pi) or 2 * math.pi for slot in range(many)]
    gaps = [math.remainder(float(angles[slot]) + steps[slot] / 2, 2 * math.pi) for slot in range(many)]
    gap = min(range(many), key=lambda slot: (round(abs(gaps[slot]), 6), slot))
    if abs(off[nearest]) <= abs(gaps[gap]):
        what, turn = f"Slot {nearest + 1} ({mine[nearest]})", off[nearest]
    else:
        after = (gap + 1) % many
        what = f"The gap between slots {gap + 1} ({mine[gap]}) and {after + 1} ({mine[after]})"
        turn = gaps[gap]
    if abs(turn) < _FACING:
        return Relation(f"{what} faces the front mark.", ("first",))
    side = "right" if turn > 0 else "left"
    return Relation(f"{what} faces {abs(math.degrees(turn)):.0f}° to the {side} of the front mark.", ("first",))


def relation(
    surface: Surface,
    row: int,
    other: int,
    colours: Sequence[str],
    others: Sequence[str],
    names: Mapping[str, str],
) -> Relation:
    """How a row lies on the `other` row, above or below it; colours in slot order, left and right seen from outside.

    It names the balloon that can be mistaken least. Where it goes beside one of its own kind, that is said of all.
    """
    beside = "below" if other < row else "above"
    mine, under = labels(surface, row, colours, names), labels(surface, other, others, names)
    every = places(surface, row, other)
    if len(set(mine)) == 1 and len(set(under)) == 1:
        stands = every[0].is_on_top
        words = f"Each balloon on a balloon of the row {beside}." if stands else (
            f"Each balloon into a gap of the row {beside}; all gaps are alike."
        )  # fmt: skip
        return Relation(words, ("plain", stands, beside))
    alike = Counter(_said(place, mine, under) for place in every)
    kinds: dict[str, set[tuple[str, str, str]]] = {}
    for place in every:
        kinds.setdefault(mine[place.slot], set()).add(_said(place, mine, under))

    def mistaken(place: Place) -> tuple[object, ...]:
        """Least for what is true of all of its kind, for the rarest kind, for one beside its own."""
        which, left, right = said = _said(place, mine, under)
        return len(kinds[which]) > 1, mine.count(which), which not in (left, right), alike[said], which, place.slot

    chosen = min(every, key=mistaken)
    which, left, right = _said(chosen, mine, under)
    of_kind, are_alike = mine.count(which), len(kinds[which]) == 1
    each = ("The " if of_kind == 1 else "Each " if are_alike else "One ") + which
    signature = (each, left, right, chosen.is_on_top, beside)
    if chosen.is_on_top:
        return Relation(f"{each} stands on {'the' if under.count(right) == 1 else 'a'} {right} {beside}.", signature)
    if left == right:
        return Relation(f"{each} goes between two {left} {beside}.", signature)
    if which in (left, right):
        side = "right" if which == left else "left"
        return Relation(f"{each} goes one gap to the {side} of the {which} {beside}.", signature)
    gap = f"the gap with {left} on its left and {right} on its right"
    return Relation(f"{each} goes into {gap}, seen from outside.", signature)


def _said(place: Place, mine: Sequence[str], under: Sequence[str]) -> tuple[str, str, str]:
    return mine[place.slot], under[place.left], under[place.right]


def brought_words(laid: Laid, many: int, codes: Mapping[str, str]) -> str:
    """How the cluster is tied and brought to the pole or line; `codes` of colours by key."""
    bunches = ", ".join(" + ".join(codes[balloon.colour] for balloon in bunch) for bunch in laid.ties)
    if many == 1:
        return f"Take {bunches}."
    if laid.school == LandingSchool.DUPLETS_LAID_ON:
        words = f"Lay {bunches} on, one beside the other, anticlockwise."
    else:
        words = f"Cross {bunches}."
    if laid.half_turns:
        turns = f"{laid.half_turns} half turn{'' if laid.half_turns == 1 else 's'}"
        words += f" Pole into the gap between {many} and 1; cross those two behind it, {turns}."
    elif laid.half_turns == 0:
        words += f" Pole into the gap between {many} and 1; nothing is crossed behind it."
    if laid.lock is not None:
        words += f" Lock: exchange {laid.lock[0] + 1} and {laid.lock[1] + 1}."
    return words


def sizes_words(laid: Laid) -> str:
    """How many balloons of which size, and in a cluster of several sizes which numbers are the large ones."""
    counted = Counter((balloon.nominal_in, balloon.diameter_mm) for bunch in laid.ties for balloon in bunch)
    said = ", ".join(
        f"{many} × {format_nominal(nominal)} to {format_diameter(size)}"
        for (nominal, size), many in sorted(counted.items(), reverse=True)
    )
    sizes = [size for _, size in counted]
    if max(sizes) <= min(sizes) * UNLIKE:
        return f"{said}."
    middle = math.sqrt(max(sizes) * min(sizes))
    large = [str(number + 1) for number, balloon in enumerate(laid.numbered) if balloon.diameter_mm > middle]
    return f"{said}: {', '.join(large)} {'are the large ones' if len(large) > 1 else 'is the large one'}."


def joined_words(joint: JointKind, many: int, beside: str | None, has_inner: bool) -> str:
    """How a row is held; `beside`: “below” or “above”, None for the first one."""
    words = []
    if many >= _MANY:
        words.append(MANY_WORDS)
    if beside is not None:
        words.append(JOINED[joint].format(beside=beside))
        if has_inner and joint is JointKind.NECK_TIED:
            words.append(INNER_NECK)
    return " ".join(words)
