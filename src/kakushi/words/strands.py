"""What is said of strands: bends, how their length fits their path, where they cross, counted from both ends."""

from __future__ import annotations

from typing import assert_never

from kakushi.plan.facts import SpiralOpen, StrandMisses, StrandNote, StrandOpen, StrandPresses, StrandTight
from kakushi.plan.strands import MarkKind, StrandMark
from kakushi.words.wording import Wording, capital, counted, named_rows


def strand_note_words(note: StrandNote, wording: Wording) -> str:
    """A warning about a strand."""
    match note:
        case StrandTight(rows, radius, comfort, past, fits):
            which = capital(named_rows(rows))
            what = "no longer bend so far" if past else "bend more tightly than is easy"
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
    what = {
        MarkKind.BEND_BEGINS: "bend begins after row",
        MarkKind.BEND_ENDS: "bend ends at row",
        MarkKind.CROSSES: "crosses itself at row",
    }[mark.kind]
    return f"{what} {mark.row + 1} ({mark.from_end} from the other end)"
