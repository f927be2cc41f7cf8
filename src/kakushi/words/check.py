"""A check in words."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from types import MappingProxyType

from kakushi.check.measure import Measured
from kakushi.check.values import (
    Fault,
    FaultKind,
    FramePlace,
    NotChecked,
    Note,
    PartsOff,
    Phase,
    Refusal,
    Result,
    SizesNotJudged,
)
from kakushi.model.units import UnitSystem, format_length
from kakushi.words.wording import Wording, capital, counted, far_words, thickness

_LEAST_LEAN = math.radians(1.0)
"""Lean, radians, below which nobody can tell it from a photograph."""


def measured_words(measurement: Measured, units: UnitSystem) -> str:
    """Say what was measured of a piece in one sentence, leaving out what was not seen."""
    share = f"{abs(measurement.share - 1) * 100:.0f} % {'larger' if measurement.share > 1 else 'smaller'} than planned"
    same = "as planned" if abs(measurement.share - 1) < _SAME else share
    parts = [
        f"{format_length(measurement.height_mm, units)} ± {thickness(measurement.height_off_mm, units)} high, {same}"
    ]
    if math.isfinite(measurement.rise_mm):
        parts.append(
            f"rows rise {format_length(measurement.rise_mm, units)} ± {thickness(measurement.rise_off_mm, units)} each"
        )
    if math.isfinite(measurement.width_mm):
        parts.append(f"the widest row is {format_length(measurement.width_mm, units)} wide")
    return "; ".join(parts) + "."


NOT_CHECKED = "This piece has no rows and no open frame to check a photograph against."
"""Why a piece is not checked in photographs."""
PHASES: Mapping[Phase, str] = {
    Phase.TAKING: "Taking a practice photograph…",
    Phase.READING: "Reading the photograph…",
    Phase.ENDS: "Looking for foot and top…",
    Phase.POSE: "Working out where it was taken from…",
    Phase.COLOURS: "Comparing rows and colours…",
    Phase.OTHERS: "Trying other row counts and the mirror image…",
    Phase.BALLOONS: "Judging every balloon…",
}
"""What is said while a check is at it."""
_SAME = 0.01
"""Difference in size below which balloons are as planned: a sizer does no better."""


def result_words(result: Result, wording: Wording) -> list[str]:
    """Say what a check found, one line each: the photograph, the faults, what was not judged."""
    return photo_words(result, wording, [fault_words(fault, wording, result.in_frames) for fault in result.faults])


def photo_words(result: Result, wording: Wording, faults: Sequence[str] = ()) -> list[str]:
    """Describe a whole photograph; `faults` follow where it was taken from."""
    notes = [note_words(note) for note in result.notes]
    if result.refused:
        return [refusal_words(result.refused), *notes]
    return [pose_words(result, wording.units), *faults, *summary_words(result), *notes]


_REFUSALS = {
    "marks": "The foot and top marks don't match this piece: set them again.",
    "other piece": "This photograph does not show this piece, or too little of it.",
    "mirrored": "The spiral runs the opposite way from the plan: it is mirrored.",
}


def refusal_words(refusal: Refusal) -> str:
    """Why nothing was judged."""
    if refusal.why != "rows":
        return _REFUSALS[refusal.why]
    rows = f"{counted(abs(refusal.rows), 'row')} {'more' if refusal.rows > 0 else 'fewer'}"
    return f"The photograph shows {rows} than planned. Count them first: everything else depends on it."


def note_words(note: Note) -> str:
    """What somebody should know of a photograph."""
    if isinstance(note, PartsOff):
        what = "The parts are not on yet: the rows were" if note.all else "The topper is not on yet: the piece was"
        return f"{what} checked without {'them' if note.all else 'it'}."
    if isinstance(note, NotChecked):
        return f"{counted(note.balloons, 'hidden balloon')} {'was' if note.balloons == 1 else 'were'} not checked."
    if isinstance(note, SizesNotJudged):
        what = "Sizes of balloons in a frame" if note.of_frame else "Sizes and gaps of bent rows"
        return f"{what} are not judged: look at them yourself."
    words = "No upright edge is seen behind the piece: the lean cannot be told. Mark a door or a wall."
    if not note.roll:
        return words
    tilted = f"{abs(math.degrees(note.roll)):.0f}° to the {'left' if note.roll > 0 else 'right'}"
    return f"The piece is tilted {tilted} in the picture: it leans, or the camera was tilted. {words}"


def fault_words(fault: Fault, wording: Wording, in_frames: Mapping[int, FramePlace] = MappingProxyType({})) -> str:
    """Say what is not as planned, and what to do. `in_frames`: rows that are joints and chains of open frames."""
    row, where = fault.row + 1, capital(_place_words(fault.row, fault.slot, in_frames))
    match fault.kind:
        case FaultKind.COLOUR:
            pair = _place_words(fault.with_row, fault.with_slot, in_frames)
            return f"{where}: {_colour_words(fault, wording, pair)}"
        case FaultKind.MISSING | FaultKind.SIZE if fault.look:
            return f"{where}: look here, the balloon may be missing or of another size; it cannot be told."
        case FaultKind.MISSING:
            return f"{where}: the balloon is missing, or burst. Put one in: {wording.colour(fault.planned)}."
        case FaultKind.SIZE:
            what = "larger" if fault.amount > 1 else "smaller"
            return f"{where}: clearly {what} than planned, about {fault.amount:.0%} of its size. Change it."
        case FaultKind.TURNED:
            by = "one balloon" if abs(fault.amount) == 1 else f"{abs(fault.amount):.0f} balloons"
            direction = f" {'anticlockwise' if fault.amount > 0 else 'clockwise'} seen from above"
            # Half-way round it is the same both ways.
            return (
                f"Row {row} is turned by {by}{'' if 2 * abs(fault.amount) == fault.slots else direction}: turn it back."
            )
        case FaultKind.GAP:
            gap = wording.length(round(fault.amount, -1))
            return f"Between rows {row - 1} and {row} there is a gap of about {gap}: press them together."
        case FaultKind.SIDES:
            wide, thin = ("right", "left") if fault.amount > 0 else ("left", "right")
            far = wording.length(round(abs(fault.amount), -1))
            return f"Rows {row} and {row + 1} reach {far} farther {wide} than {thin}: press them in."
        case FaultKind.LEAN:
            side = "right" if fault.amount > 0 else "left"
            lean = f"{abs(math.degrees(fault.amount)):.0f}° to the {side}"
            return f"The piece leans {lean} in the photograph: set it upright."


def _place_words(row: int, slot: int, in_frames: Mapping[int, FramePlace]) -> str:
    place = in_frames.get(row)
    if place is None:
        return f"row {row + 1}, slot {slot + 1}"
    return f"link {slot + 1} from joint {place.joint} to {place.to}" if place.to else f"joint {place.joint}"


def _colour_words(fault: Fault, wording: Wording, pair: str) -> str:
    if not fault.seen:
        return "look here: its colour is not in the palette. Is it there, with nothing in front of it?"
    planned, seen = wording.colour(fault.planned), wording.colour(fault.seen)
    if fault.with_row >= 0:
        return f"exchange {seen.lower()} for {planned.lower()}; the pair is at {pair}."
    if fault.look:
        return f"look here, it seems {seen} instead of {planned}."
    return f"not {planned}, perhaps {seen}." if fault.strange else f"{seen} instead of {planned}."


def pose_words(result: Result, units: UnitSystem) -> str:
    """Where a photograph was taken from."""
    degrees = round(math.degrees(result.azimuth))
    side = (
        "from the front"
        if abs(degrees) < 1
        else f"from {abs(degrees)}° {'right' if degrees > 0 else 'left'} of the front"
    )
    sure = "" if result.confidence > 0.9 else "probably " if result.confidence > 0.6 else "perhaps "
    away, eye = (far_words(each, units) for each in (result.pose.distance, result.pose.eye))
    words = f"Taken {sure}{side}, {away} away, eye at {eye}."
    if result.azimuths:
        others = ", ".join(f"{math.degrees(each) % 360:.0f}°" for each in result.azimuths[:4])
        words += f" It would look the same from {others}."
    return words


def summary_words(result: Result) -> list[str]:
    """How many balloons were judged and not, and the lean."""
    judged = sum(1 for each in result.balloons if not each.why_not)
    hidden = len(result.balloons) - judged
    sentences = [f"{counted(judged, 'balloon')} checked, {hidden} not: hidden, cut off or in glare."]
    if not any(not fault.look for fault in result.faults):
        sentences.insert(0, "Nothing wrong was found.")
    if result.lean is not None and abs(result.lean) < _LEAST_LEAN:
        sentences.append("It stands upright.")
    elif result.lean is not None:
        sentences.append(
            f"It leans by {abs(math.degrees(result.lean)):.0f}° {'to the right' if result.lean > 0 else 'to the left'}."
        )
    return sentences
