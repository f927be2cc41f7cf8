"""What a fit reached, where it misses and why."""

from __future__ import annotations

from kakushi.model.units import UnitSystem, format_diameter, format_height, format_length, format_nominal
from kakushi.shape.facts import (
    BeyondReach,
    Brittle,
    HeightMissed,
    MissReason,
    Note,
    RowsImpossible,
    StockExceeded,
    StraightEnds,
)
from kakushi.shape.fit_result import FitResult
from kakushi.shape.report import Miss
from kakushi.words.wording import counted

MAX_MISSES = 2
"""Most stretches told of one fit."""
_REASONS = {
    "few sizes": "too few different sizes to follow it",
    "unequal": "neighbouring sizes are as unequal as they may be",
    "round end": "the end row is rounded",
    "steep": "the outline steps faster than rows can follow",
    "bulges": "rows bulge and nest between each other",
}


def sizes_words(result: FitResult) -> str:
    """How many different sizes, like “5 sizes”."""
    return counted(result.size_count, "size")


def reason_words(reason: MissReason, units: UnitSystem) -> str:
    """Why a stretch is missed, as a clause."""
    if reason.why in ("smallest", "largest"):
        return f"your {reason.why} cluster of {reason.balloons} is {format_diameter(reason.width_mm, units)} wide"
    return _REASONS[reason.why]


def miss_words(misses: tuple[Miss, ...], units: UnitSystem, most: int = MAX_MISSES) -> list[str]:
    """The worst stretches, one sentence each."""
    return [
        f"From {format_length(round(miss.low), units)} to {format_length(round(miss.high), units)} it is "
        f"{abs(miss.off):.0%} {'wider' if miss.off > 0 else 'thinner'}: {reason_words(miss.reason, units)}."
        for miss in misses[:most]
    ]


def note_words(note: Note, units: UnitSystem) -> str:
    """What could not be done."""
    match note:
        case BeyondReach(is_thin, outline, at, cluster, count):
            which = "smallest" if is_thin else "largest"
            return (
                f"The outline is {_whole(outline, units)} wide at {_whole(at, units)}; your {which} cluster of {count} "
                f"is {_whole(cluster, units)} wide."
            )
        case HeightMissed(error):
            return f"The height comes no nearer than {_off(error, units)} the target."
        case RowsImpossible(rows):
            return f"{rows} rows cannot be stacked to this height."
        case StockExceeded(nominal, used, have):
            return f"It takes {used} balloons of {format_nominal(nominal)}; there are {have}."
        case Brittle():
            return "Sensitive: if sizing or packing is slightly off, a row shifts. Size carefully."
        case StraightEnds():
            return _ends_words(note, units)


def _ends_words(ends: StraightEnds, units: UnitSystem) -> str:
    said = f"{ends.rows} rows of {format_diameter(ends.diameter_mm, units)} end {_off(ends.off_mm, units)} the target."
    ways = []
    if ends.other:
        ways.append(f"size all to {format_diameter(ends.other[0], units)} (ends {_off(ends.other[1], units)})")
    if ends.tighter is not None:
        ways.append(f"stack a little {'tighter' if ends.tighter else 'looser'}")
    if ends.last_mm is not None:
        ways.append(f"add a smaller row of about {format_diameter(ends.last_mm, units)}")
    return f"{said} To close it: {', or '.join(ways)}." if ways else said


def _off(off_mm: float, units: UnitSystem) -> str:
    return f"{_whole(abs(off_mm), units)} {'above' if off_mm > 0 else 'below'}"


def _whole(mm: float, units: UnitSystem) -> str:
    return format_length(round(float(mm)), units)


def fit_words(result: FitResult, units: UnitSystem) -> str:
    """A fit in a few lines: what it has, how well it matches, where it misses, what could not be met."""
    reached = (
        f"{sizes_words(result)}, {len(result.rows)} rows, {result.balloon_count} balloons. "
        f"Match {result.match.mean:.1%} (worst side {result.match.worst:.1%}), "
        f"{format_height(result.geometry.top, units)} tall."
    )
    notes = (note_words(note, units) for note in result.notes)
    return "\n".join([reached, *miss_words(result.misses, units), *notes])
