"""What is said of a planned piece: warnings, advice, faults of its colours, what shows of its pole."""

from __future__ import annotations

import math

from kakushi.colour.faults import ColourFault
from kakushi.packing.dome_remedies import DomeRemedies
from kakushi.plan.facts import (
    BarePole,
    Bulges,
    ClustersLost,
    ClustersPress,
    Domes,
    FrameLeans,
    FrameStrained,
    GroupsOverlap,
    GroupTooLow,
    Lifts,
    Note,
    NotSettled,
    PackingUnknown,
    PartBelowFloor,
    PartFloats,
    PartLost,
    PartNote,
    PartSunk,
    PartUnheld,
    PoleTooShort,
    RowsOnPole,
    RowSunk,
    SizedOutside,
    SpiralOpen,
    StrandMisses,
    StrandOpen,
    StrandPresses,
    StrandSags,
    StrandTight,
    TieLost,
    TopperHeavy,
    TopperLeans,
    TopperNarrow,
)
from kakushi.plan.intent import Concern
from kakushi.plan.values import PiecePlan
from kakushi.sight.core_seen import NOTHING_SEEN, CoreSeen
from kakushi.words.strands import strand_note_words
from kakushi.words.wording import Wording, capital, named_rows


def note_words(note: Note, wording: Wording) -> str:
    """A warning or an advice."""
    match note:
        case SizedOutside(rows=rows):
            return f"Sized outside the usable range of its balloon: {named_rows(rows)}."
        case PackingUnknown(name, tightness):
            return f"The packing “{name}” is not in this studio: planned as {tightness}."
        case NotSettled():
            return "The rows could not be brought to balance: heights are rough."
        case RowSunk():
            return "A row has sunk into its neighbour."
        case Domes(row, remedies, hangs):
            away, on = ("below", "below") if hangs else ("above", "on top")
            helps = _remedy_words(remedies, on, "it", wording)
            return f"Row {row + 1} wants to dome: nothing presses from {away}; {helps}."
        case Bulges(rows, remedies):
            which = f"{capital(named_rows(rows))} cannot lie flat: the necks are too short for that many balloons"
            return f"{which}; {_remedy_words(remedies, 'on top', 'them', wording)}."
        case Lifts(row, hangs):
            moves, away = ("drop", "below") if hangs else ("lift", "above")
            held = f"nothing presses from {away}. Hold it with line{'' if hangs else ', a cap'} or strips"
            return f"Row {row + 1} will {moves} unless it is held: {held}."
        case RowsOnPole():
            return _pole_words(note, wording)
        case PoleTooShort(rows, over):
            above = f"{capital(named_rows(rows))} {'is' if len(rows) == 1 else 'are'} above the pole's end"
            return f"{above}, by up to {wording.length(over)}: take a longer pole, or fewer rows."
        case GroupsOverlap() | GroupTooLow() | BarePole():
            return _group_words(note, wording)
        case FrameLeans() | FrameStrained() | StrandSags() | TieLost() | StrandTight() | StrandMisses():
            return strand_note_words(note, wording)
        case StrandOpen() | SpiralOpen() | StrandPresses():
            return strand_note_words(note, wording)
        case _:
            return _part_words(note, wording)


def _group_words(note: GroupsOverlap | GroupTooLow | BarePole, wording: Wording) -> str:
    match note:
        case GroupsOverlap(one, other, shared):
            which = f"Groups {one + 1} and {other + 1}, counted from the foot,"
            return f"{which} overlap by {wording.length(shared)}: move one of them."
        case GroupTooLow(group, below):
            return f"Group {group + 1} reaches {wording.length(below)} below where it can stand: hang it higher."
        case BarePole(low, high):
            span = f"from {wording.length(low)} to {wording.length(high)}"
            return f"Bare pole shows {span}: wrap it or move a group."


def _part_words(note: PartNote, wording: Wording) -> str:
    match note:
        case ClustersLost(name, clusters):
            subject = "1 cluster has" if clusters == 1 else f"{clusters} clusters have"
            return f"{subject} lost their row in “{name}”: place them again."
        case ClustersPress(pairs):
            subject = "2 clusters press" if pairs == 1 else f"{pairs} pairs of clusters press"
            return f"{subject} into each other: move one, or place them again."
        case PartLost(name, "row"):
            return f"“{name}” has lost its row: it stays at the height it had."
        case PartLost(name, "joint"):
            return f"“{name}” has lost a joint it was tied to: choose its window again."
        case PartLost(name):
            return f"“{name}” has lost the part it was fixed to: it is placed from the floor."
        case PartUnheld(name):
            return f"No balloon holds “{name}” at its height: move it to a row."
        case PartSunk(name, share):
            return f"{share:.0%} of “{name}” lies inside the balloons: lay it against them."
        case PartFloats(name, gap):
            return f"“{name}” floats {wording.diameter(gap)} off the balloons: lay it against them."
        case PartBelowFloor(name, below):
            return f"“{name}” reaches {wording.diameter(below)} below the floor: hang it higher."
        case TopperNarrow(name, share, wide):
            times = f"{share:.2f} times as wide as the top row"
            return f"“{name}” is {times}: from {wording.length(wide)} on it looks right."
        case TopperHeavy(name, weighs, bears):
            limit = f"the top row bears about {wording.mass(bears)}"
            return f"“{name}” weighs {wording.mass(weighs)}; {limit}: hold it on the pole."
        case TopperLeans(name, lean):
            return f"“{name}” follows the swirl and leans {math.degrees(lean):.0f}°."


def _remedy_words(remedies: DomeRemedies, on: str, them: str, wording: Wording) -> str:
    helps = []
    if remedies.row_above:
        helps.append(f"one more row {on}")
    if remedies.tau is not None:
        helps.append(f"a packing force of {remedies.tau:g}")
    if remedies.longer_necks_mm is not None:
        helps.append(f"necks {wording.diameter(remedies.longer_necks_mm)} longer")
    return f"{' or '.join(helps)} keeps {them} flat" if helps else f"hold {them} with line or strips"


def _pole_words(note: RowsOnPole, wording: Wording) -> str:
    rows, pole = note.rows, note.pole
    low, high = pole.fewest, pole.most
    of = " above the others" if note.above_others else ""
    words = f"The pole takes {low} rows{of}" if low == high else f"The pole takes {low} to {high} rows{of}"
    words += f"; {rows} {'is' if rows == 1 else 'are'} planned."
    last = f"about {wording.diameter(pole.last_diameter)}" if pole.last_diameter else ""
    if rows > high:
        fewer = rows - high
        return words + f" {'One row' if fewer == 1 else f'{fewer} rows'} fewer, or a longer pole."
    if rows < low:
        more = "one more row covers" if low - rows == 1 else f"{low - rows} more rows cover"
        return words + (
            f" End with a smaller row, {last}, or {more} the end." if last else f" {capital(more)} the end."
        )
    if pole.bare < 0:
        above = f"The last knot comes {wording.diameter(-pole.bare)} above the pole's end"
        return f"{words} {above}: press the rows well."
    return f"{words} A smaller row on top, {last}, certainly covers the end." if last else words


def concern_words(concern: Concern, wording: Wording) -> str:
    """A warning, an advice or a fault of colours."""
    return fault_words(concern.said) if isinstance(concern.said, ColourFault) else note_words(concern.said, wording)


def fault_words(fault: ColourFault) -> str:
    """A fault of the colours."""
    rows = named_rows(fault.rows)
    match fault.what:
        case "odd count":
            own, others = fault.counts
            return f"{capital(rows)} has {own} balloons between rows of {others}."
        case "lost hand":
            return f"The spiral loses its hand at {rows}: a turn is pinned that stands balloon on balloon."
        case "strayed paint":
            return f"Painted colours leave the spiral in {rows}."
        case "touching":
            subject = "1 touching pair is" if fault.touching == 1 else f"{fault.touching} touching pairs are"
            return f"{subject} of one colour, the fewest the search found: {rows}."


def core_words(seen: CoreSeen, core: str) -> str:
    """Say how much of a `core` (pole, line) shows, as in “pole seen 3 %, 8 % from the worst side: rows 1, 2”."""
    if seen.worst < NOTHING_SEEN:
        return f"no {core} seen between rows"
    which = f": {named_rows(seen.rows)}" if seen.rows else ""
    return f"{core} seen {_seen(seen.mean)}, {_seen(seen.worst)} from the worst side{which}"


def _seen(share: float) -> str:
    return f"{share:.0%}" if share >= NOTHING_SEEN else "under 1%"


def mechanics_words(piece_plan: PiecePlan) -> str:
    """Say how much of a piece's pole or line shows; "" for a draft."""
    return core_words(piece_plan.core_seen, piece_plan.core) if piece_plan.core_seen else ""
