"""What is said of strands: bends, how their length fits their path, where they cross, counted from both ends."""

from __future__ import annotations

from collections.abc import Mapping
from typing import assert_never

from kakushi.building.step import BendingStrand, TyingChains, TyingJoint, TyingRows
from kakushi.model.joints import JointKind
from kakushi.model.paths import StrandStands
from kakushi.model.ties import Mount, Tie
from kakushi.model.units import format_nominal
from kakushi.plan.facts import (
    FrameLeans,
    FrameStrained,
    SpiralOpen,
    StrandMisses,
    StrandNote,
    StrandOpen,
    StrandPresses,
    StrandSags,
    StrandTight,
    TieLost,
)
from kakushi.plan.strands import MarkKind, StrandMark
from kakushi.words.wording import Wording, capital, counted, listed, mass_words, named_rows


def strand_note_words(note: StrandNote, wording: Wording) -> str:
    """A warning about a strand."""
    match note:
        case StrandTight(rows, radius, comfort, past, fits):
            which = capital(named_rows(rows))
            what = "cannot bend that far" if past else "bend tighter than is comfortable"
            cure = f"balloons of {wording.diameter(fits)}, or a radius of {wording.length(comfort)}"
            return f"{which} {what}: a radius of {wording.length(radius)}. {capital(cure)} would do."
        case StrandMisses(group, missing, rows):
            ends = "before the end of its path" if missing > 0 else "beyond the end of its path"
            cure = f"add {counted(rows, 'row')}" if rows > 0 else f"take {counted(-rows, 'row')} away"
            return f"Group {group + 1} ends {wording.length(abs(missing))} {ends}: {cure}."
        case StrandOpen(rows, fewer, more):
            return f"The ends of the ring do not lock with {counted(rows, 'row')}: {_instead(fewer, more)}."
        case SpiralOpen(rows, fewer, more):
            return f"The spiral does not close with {counted(rows, 'row')}: {_instead(fewer, more)}."
        case FrameLeans(group, ways, joint):
            hold = f"put a diagonal in a window, or two duplets more at joint {joint}"
            return f"The frame of group {group + 1} can fold in {counted(ways, 'way')}: {hold}."
        case FrameStrained(group, by):
            what = "pulled longer" if by > 0 else "pressed shorter"
            return f"Links of group {group + 1} do not fit: a chain is {what} by {abs(by):.0%}. Size its links so."
        case StrandSags(group):
            return f"Group {group + 1} sags on line alone: put a bent pipe or flat bar through it, or hang it."
        case TieLost(ties):
            return f"{capital(counted(ties, 'tie'))} lost a row: tie again or take {'it' if ties == 1 else 'them'} out."
        case StrandPresses(one, other, deep):
            apart = f"Rows {one + 1} and {other + 1} lie {wording.diameter(deep)} in each other"
            return f"{apart}: move the path apart there."
        case _:
            assert_never(note)


def _instead(fewer: int | None, more: int | None) -> str:
    """Which numbers of rows would do."""
    numbers = [str(each) for each in (fewer, more) if each is not None]
    return f"{' or '.join(numbers)} would do" if numbers else "no number near it would do"


def mark_words(mark: StrandMark) -> str:
    """Where something is on a strand, counted from both ends: “crosses itself at row 6 (25 from the other end)”."""
    if mark.through is not None:
        return f"after row {mark.row + 1} ({mark.from_end} from the other end) it goes through row {mark.through + 1}"
    what = {
        MarkKind.BEND_BEGINS: "bend begins after row",
        MarkKind.BEND_ENDS: "bend ends at row",
        MarkKind.CROSSES: "crosses itself at row",
        MarkKind.COMES_BACK: "comes back after row",
    }[mark.kind]
    return f"{what} {mark.row + 1} ({mark.from_end} from the other end)"


_HELD = {
    StrandStands.BASES: "Stand its ends in their bases.",
    StrandStands.HUNG: "Hang it by its ties.",
    StrandStands.LIES: "Lay it where it stays.",
}
_JOINED: Mapping[JointKind, str] = {
    JointKind.WRAPPED: "wrap one round the other",
    JointKind.NECK_TIED: "tie their necks",
    JointKind.LINE_EIGHT: "take the line in a figure eight round both knots",
    JointKind.RIBBON: "wind the ribbon round both",
    JointKind.STRIP: "tie them with a strip",
    JointKind.LINK_TIED: "tie tip to tip",
}
MOUNTS: Mapping[Mount, str] = {
    "floor": "the floor", "pole top": "the pole's top", "wall": "the wall", "hook above": "the hook above",
}  # fmt: skip
"""What a row can be tied to beside other rows."""


def tie_words(tie: Tie, numbers: Mapping[int, int]) -> str:
    """A tie in a list; `numbers` of rows by key."""
    to = MOUNTS[tie.mount] if tie.other is None else f"row {numbers.get(tie.other, '?')}"
    return f"Row {numbers.get(tie.row, '?')} to {to}{', loosely' if tie.loose else ''}"


def strand_step_words(fact: BendingStrand | TyingRows, wording: Wording) -> str:
    """How a strand is bent and closed, or two rows are tied."""
    match fact:
        case BendingStrand(rows, marks, closing, stands, slack, on_line):
            bends = [mark for mark in marks if mark.kind is MarkKind.BEND_BEGINS]
            where = f", first after row {bends[0].row + 1}" if bends else ""
            joined = f" Bring row {rows} to row 1 and {_JOINED[closing]}." if closing else ""
            held = "Stand it in its base." if closing and stands is StrandStands.BASES else _HELD[stands]
            knots = " Knot both ends of the line." if on_line else ""
            loose = f" Leave {wording.length(slack)} of line slack at the bends." if slack else ""
            return f"Bend the strand as drawn{where}.{loose}{joined}{knots} {held}"
        case TyingRows(row, other, mount, loose):
            to = f"row {other + 1}" if other is not None else MOUNTS[mount]
            how = "loosely, so that it can still be bent" if loose else "tightly"
            return f"Tie row {row + 1} to {to} with a strip, {how}."
        case _:
            assert_never(fact)


def link_step_words(fact: TyingChains | TyingJoint, wording: Wording) -> str:
    """How chains of links and the joints of an open frame are tied."""
    match fact:
        case TyingChains(chains, links, nominal, length, thick, colour):
            size = f"{wording.diameter(length)} long from tip to tip, {wording.diameter(thick)} thick"
            each = f"{chains * links} × {format_nominal(nominal)} {wording.colour(colour)}, {size}"
            if links == 1:
                return f"Blow up {counted(chains, 'link balloon')}: {each}."
            return f"Tie {counted(chains, 'chain')} of {links} links, tip to tip: {each}."
        case TyingJoint(number, joints, to, balloons, collar, water_g):
            numbers = listed(map(str, to))
            what = f"the tips of the {counted(len(to), 'chain')} to {'joint' if len(to) == 1 else 'joints'} {numbers}"
            where = f"round the crossing of its {balloons} balloons' necks" if balloons else "to each other"
            more = f" Tie {collar} small ones round it." if collar else ""
            if water_g:
                more += f" Its first balloon, doubled, takes {mass_words(water_g, wording.units)} of water."
            return f"Joint {number} of {joints}, counted from the foot: tie {what} {where}.{more}"
        case _:
            assert_never(fact)
