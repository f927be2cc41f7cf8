"""What is said of a step, in full."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence

from kakushi.building.own_order import TooEarly
from kakushi.building.poles import PoleCuts, Sections
from kakushi.building.step import (
    BendingStrand,
    Capping,
    Cutting,
    Fact,
    Inflating,
    LayingRow,
    Looking,
    PackingUp,
    Painting,
    PuttingOn,
    PuttingRight,
    RoomForMore,
    SettingUp,
    SlidingOn,
    Step,
    StepKind,
    ThreadingBall,
    TyingChains,
    TyingCluster,
    TyingJoint,
    TyingRows,
    Waiting,
    WrappingPole,
)
from kakushi.colour.tying import Balloon
from kakushi.dress.kinds.fillers import hangs_on_half
from kakushi.dress.table import name_of
from kakushi.model.parts import Fillers, FillerTie
from kakushi.model.units import format_nominal
from kakushi.words.parts import HALF_A_STRIP, TIED, part_step_words
from kakushi.words.rows import INNER_NECK, row_words
from kakushi.words.sizing import sized_words
from kakushi.words.strands import link_step_words, strand_step_words
from kakushi.words.wording import Wording, capital, counted, item_words, listed, side_name, with_article

_HIDDEN_MM = 10.0
"""Length, mm, that a pole may stick out without anybody seeing it."""
TIED_TOGETHER = {1: "single", 2: "duplet", 3: "triplet"}
"""What balloons tied together are called, by their number."""
_KINDS: Mapping[StepKind, str] = {
    StepKind.GLUE: "Glue the pole into the foam, upright.",
    StepKind.NECKS: "Tuck the necks in between the balloons.",
}
"""Steps of which the kind says it all."""
_SPLIT = (
    "Blow two small ones half full and tie them as a duplet; twist each in its middle, then all four bubbles together."
)
_WAITS = {"paint": "Let the paint dry.", "glue": "Let the glue set."}
_STANDS = {
    "pole in base": "the pole in its base",
    "pole": "the pole",
    "line": "the line on its weight",
    "foot": "the foot",
}
_STRETCHED = {
    "line stretched": "Tie the line to something steady and keep it taut; leave a tail of it.",
    "bent pipe": "Lay the bent pipe out as drawn, with a cap on each end; rows are tied to it from one end.",
}
_LOOKS = {
    "third": ("A third is done", "colours in order, no gap, upright"),
    "half": ("Half-way", "colours in order, no gap, upright"),
    "fillers": ("Before the fillers", "where pole, knots or necks show"),
    "last": ("Before leaving", "colours, gaps, lean, left and right, necks"),
}
_NO_CUTS = {
    "no kind": "Choose a kind of pole to get a cut list.",
    "too long": "The longest stock is {longest}: join sections, or choose a longer stock.",
}


def step_words(step: Step, wording: Wording) -> str:
    """Say what to do in a step."""
    fact: Fact = step.fact
    match fact:
        case None:
            return _KINDS[step.kind]
        case LayingRow():
            return f"{row_heading([step])}: {row_words(step, fact, wording)}"
        case Cutting() | Painting() | Waiting() | Inflating():
            return _before_words(fact, wording)
        case SettingUp(what, screwed):
            join = _screwed_words(screwed, wording) if screwed else ""
            if what in _STRETCHED:
                return _STRETCHED[what]
            return f"{join}Stand {_STANDS[what]} level where it is built; mark the front on it."
        case ThreadingBall():
            return _ball_words(fact, wording)
        case SlidingOn(rows, low_mm):
            group = f"the {counted(rows, 'row')}" if rows else "the ball"
            return f"Slide {group} on the pole until the lowest balloon is {wording.length(low_mm)} above the floor."
        case BendingStrand() | TyingRows():
            return strand_step_words(fact, wording)
        case TyingChains() | TyingJoint():
            return link_step_words(fact, wording)
        case WrappingPole(strands, style, clockwise):
            way = f", {'' if clockwise else 'anti'}clockwise seen from above" if style == "coil" else ""
            begin = f"Wrap the bare pole with {counted(strands, 'strand')} of modelling balloons as a {style}{way}."
            return f"{begin} Tuck both ends between the balloons below and above."
        case Capping(nominal, keeps_row):
            keeps = "; it also keeps the last row down" if keeps_row else ""
            return f"Pull an uninflated {format_nominal(nominal)} balloon over the pole end{keeps}."
        case Looking(when, is_upright):
            begin, at = _LOOKS[when]
            at = at if is_upright else at.replace(", upright", "").replace(", lean", "")
            return f"{begin}: step back and look from all sides that are seen: {at}. Take a photograph."
        case RoomForMore(rows, fewest, most, before_last):
            return (
                f"{'Before' if before_last else 'After'} the last row: the pole takes {fewest} to {most} rows, and "
                f"{rows} are planned. Is there room for one more? Then lay one more now."
            )
        case TyingCluster():
            return _cluster_words(fact, wording)
        case PuttingOn():
            return part_step_words(fact, step.kind, wording)
        case PackingUp(goes):
            return _DONE[goes]
        case PuttingRight(text):
            return text


_DONE = {
    "on its way": "Pack it for the way: a bag over it, held against falling, spares already sized in their own bag.",
    "collected": "Ready to be collected: a bag over it, spares already sized in their own bag.",
    "stays": "It stays here: leave spares, already sized, in a bag beside it.",
}


def _screwed_words(screwed: Sections, wording: Wording) -> str:
    if screwed.number == 1:
        words = f"One section of {wording.length(screwed.section_mm)} is enough. "
    else:
        words = (
            f"Screw {screwed.number} sections of {wording.length(screwed.section_mm)} together and tape the joints. "
        )
    if screwed.over_mm < _HIDDEN_MM:
        return words
    over = wording.length(screwed.over_mm)
    return f"{words}They reach {over} farther than planned: hide that in the base or in what stands on top. "


def _before_words(fact: Cutting | Painting | Waiting | Inflating, wording: Wording) -> str:
    """Say what to do before a piece is begun."""
    match fact:
        case Cutting(poles):
            return " ".join(_cut_words(pole, wording) for pole in poles)
        case Painting(pieces, coats):
            names = ", ".join(f"“{name}”" for name in pieces)
            times = "once" if coats == 1 else f"{coats} times"
            place = "out of doors or in moving air, with a mask"
            return f"Wipe the poles of {names} clean and paint them {times}, thinly, {place}."
        case Waiting(what):
            return _WAITS[what]
        case Inflating(balloons, bunches, inserts, inside, together):
            told = listed(_bunches_words(size, times) for size, times in bunches)
            first = "".join(
                f"Put {with_article(item)} into each of {counted(count, 'balloon')} first. " for item, count in inserts
            )
            first += "".join(_inside_words(stuffed, wording) for stuffed in (inside, together) if stuffed)
            first += _HOW_INSIDE if inside else ""
            first += _HOW_TOGETHER if together else ""
            return f"{first}Inflate and tie {told}: {counted(balloons, 'balloon')}, as the inflation sheet says."


def _inside_words(inside: Sequence[tuple[Balloon, int]], wording: Wording) -> str:
    """In which order the hands make balloons of two, one inside the other."""
    told = listed(
        f"{count} × {format_nominal(balloon.nominal_in)} {wording.colour(balloon.colour)} "
        f"to {wording.diameter(balloon.diameter_mm)}"
        for balloon, count in inside
    )
    return f"Double-stuffed: {told} inside others. Push the inner one in with a stick, neck to neck. "


_HOW_INSIDE = (
    "A smaller inner one: blow it to its size first and pinch it, then the outer one to its own; tie both necks "
    "together. "
)
_HOW_TOGETHER = (
    "Two of one size: blow both up together on one nozzle and tie them once, with the inner neck; the outer one tears. "
)


def _bunches_words(size: int, count: int) -> str:
    if size in TIED_TOGETHER:
        return counted(count, TIED_TOGETHER[size])
    return counted(count, f"bunch of {size}", f"bunches of {size}")


def _cut_words(pole: PoleCuts, wording: Wording) -> str:
    lengths = ", ".join(f"{count} × {wording.length(length)}" for length, count in pole.wanted)
    end = f". {no_cuts_words(pole, wording)}" if pole.problem else "; smooth the ends."
    return f"Cut {item_words(pole.pole, wording.units)}: {lengths}{end}"


def no_cuts_words(pole: PoleCuts, wording: Wording) -> str:
    """Why there is no cut list."""
    return _NO_CUTS[pole.problem].format(longest=wording.length(pole.longest_stock_mm))


def _ball_words(fact: ThreadingBall, wording: Wording) -> str:
    said = " + ".join(f"{count} {wording.code(key)}" for key, count in fact.colours)
    balloons = sum(count for _, count in fact.colours)
    words = f"Tie {balloons} balloons ({said}) as duplets, cross them all on one knot and turn them in every direction."
    if fact.middle_mm is not None:
        words += f" Thread the ball on until its middle is {wording.length(fact.middle_mm)} above the floor."
    return f"{words} {INNER_NECK}" if fact.has_inner else words


def side_of_cluster(fact: TyingCluster) -> str:
    """On which side of the piece a cluster goes."""
    return side_name(math.degrees(fact.azimuth))


def place_of_cluster(fact: TyingCluster) -> str:
    """Where a cluster goes: “row 4 front”; "" where that is left open."""
    side = side_of_cluster(fact)
    if fact.row is not None:
        return f"row {fact.row + 1}, {side}"
    return f"the ball, {side}" if fact.ball is not None else ""


def balloons_of_cluster(fact: TyingCluster, wording: Wording) -> str:
    """What a cluster is made of, and how its balloons are sized where nobody measures them."""
    return _cluster_balloons(fact, wording, wording.colour)


def codes_of_cluster(fact: TyingCluster, wording: Wording) -> str:
    """The same with the letter codes of colours, where they stand beside drawn balloons."""
    return _cluster_balloons(fact, wording, wording.code)


def _cluster_balloons(fact: TyingCluster, wording: Wording, named: Callable[[str], str]) -> str:
    """Balloons of one size together: “2 rope + lantern yellow, 5″ to 9.0 cm”."""
    sizing = fact.part.sizing if isinstance(fact.part, Fillers) else None
    alike: dict[str, list[str]] = {}
    for nominal, size, key, count in fact.balloons:
        if sizing is None:
            sized = f" to {wording.diameter(size)}" if size else ""
        else:
            sized = f" {sized_words(sizing, _size_of(fact, wording), wording.units)}"
        many = f"{count} " if count > 1 else ""
        alike.setdefault(f"{format_nominal(nominal)}{sized}", []).append(f"{many}{named(key)}")
    return "; ".join(f"{' + '.join(colours)}, {sized}" for sized, colours in alike.items())


def _size_of(fact: TyingCluster, wording: Wording) -> str:
    """The sizes that a cluster's balloons come to."""
    return " / ".join(dict.fromkeys(wording.diameter(size) for _, size, _, _ in fact.balloons if size))


def _cluster_words(fact: TyingCluster, wording: Wording) -> str:
    place, said = place_of_cluster(fact), balloons_of_cluster(fact, wording)
    where = f" {'on' if fact.ball is not None else 'at'} {place}" if place else ""
    return f"{capital(name_of(fact.part))}, cluster {fact.number} of {fact.many}{where}: {said}. {_tied_words(fact)}"


def _tied_words(fact: TyingCluster) -> str:
    if fact.ball is not None and fact.tie in (FillerTie.NECK, FillerTie.LOOP):
        return "Tie it to the crossing of the ball's necks."
    words = TIED[fact.tie]
    if isinstance(fact.part, Fillers):
        if hangs_on_half(fact.part):
            words = HALF_A_STRIP
        if fact.part.is_split:
            return f"{_SPLIT} {words}"
    return words


def too_early_words(conflict: TooEarly, wording: Wording) -> str:
    """Why a step cannot be done before another one."""
    step, needs = (short_step_words(each, wording) for each in conflict)
    return f"“{step}” needs “{needs}” first."


def short_step_words(step: Step, wording: Wording) -> str:
    """What a step is called where there is little room: its words up to the first stop or colon."""
    words = step_words(step, wording)
    ends = [place for mark in (":", ".", ",") if (place := words.find(mark)) > 0]
    return words[: min(ends, default=len(words))]


def row_heading(rows: Sequence[Step]) -> str:
    """Rows of a run by their numbers, like “Rows 2 to 7”; built downwards they are counted downwards."""
    numbers = [step.row.index + 1 for step in rows if step.row is not None]
    if len(numbers) == 1:
        return f"Row {numbers[0]}"
    return f"Rows {numbers[0]} {'and' if len(numbers) == 2 else 'to'} {numbers[-1]}"
