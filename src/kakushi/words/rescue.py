"""What is said of the ways out when a build goes wrong."""

from __future__ import annotations

from kakushi.building.remedies import (
    AllBuilt,
    AsPlanned,
    Enough,
    Exchange,
    Fetch,
    Kind,
    Leave,
    LiveWith,
    LookMeant,
    OtherNominal,
    Recoloured,
    Redo,
    Remedy,
    RescueOption,
    Resized,
    Several,
    Untie,
)
from kakushi.model.units import format_nominal
from kakushi.words.wording import Wording, capital, counted, listed, named_rows

_WHAT = {
    "same": "The same rows",
    "more": "One row more",
    "smaller more": "A smaller last row more",
    "fewer": "One row fewer",
}


def way_words(option: RescueOption, wording: Wording) -> str:
    """Say what to do in a way out, what it leads to, and what it needs of what is left."""
    known = [f"{need} of {have} {kind_words(kind, wording)}" for kind, need, have in option.supply if need <= have]
    needs = f" It needs {listed(known)} left." if known else ""
    return f"{_remedy_words(option.remedy, wording)}{needs}"


def _remedy_words(remedy: Remedy, wording: Wording) -> str:
    match remedy:
        case Several(remedies):
            return " ".join(_remedy_words(each, wording) for each in remedies)
        case Resized():
            return _resized_words(remedy, wording)
        case AllBuilt():
            return "All rows are built: see what the topper or the foot can give."
        case Enough():
            return "There is enough: go on as planned."
        case Fetch(kind, count):
            return f"Fetch {count} more {kind_words(kind, wording)}, from a shop or the spares: nobody will notice."
        case OtherNominal(kind, count, nominal):
            like = f"sized like the {format_nominal(kind[0])} ones"
            return (
                f"Take {count} × {format_nominal(nominal)} {wording.colour(kind[1])}, {like}: the same size and colour."
            )
        case Recoloured():
            return _recoloured_words(remedy, wording)
        case LiveWith(higher, match):
            ends = f"ends {wording.length(abs(higher))} {'higher' if higher > 0 else 'lower'}"
            return f"Accept it: the piece {ends}, the match changes by {match:+.1%}."
        case Redo(row, above):
            return f"Redo row {row + 1}" + (f" and the {above} above it." if above else ".")
        case _:
            return _wrong_colour_words(remedy, wording)


def way_title(option: RescueOption, wording: Wording) -> tuple[str, str]:
    """What is done in a few words, and the rest of the sentence."""
    words = way_words(option, wording)
    ends = [place for mark in (", ", ": ", ". ") if 0 < (place := words.find(mark)) <= _TITLE]
    if not ends:
        return words, ""
    return words[: min(ends)].rstrip(".:,"), capital(words[min(ends) + 1 :].strip())


_TITLE = 44
"""Most characters of what a way is called."""


def end_words(option: RescueOption, wording: Wording) -> str:
    """Where the piece ends, and how well it matches its outline."""
    match = f", match {option.match:.0%}" if option.match is not None else ""
    return f"ends at {wording.height(option.height_mm)}{match}"


def ways_title(wished_mm: float, short: Kind | None, wording: Wording) -> str:
    """Head the ways out: the kind of balloon you are short of, else the height to end at, mm."""
    if short is not None:
        return f"You are short of {kind_words(short, wording)}. Ways out:"
    return f"Ways out: it must end at {wording.length(wished_mm)}."


def kind_words(kind: Kind, wording: Wording) -> str:
    """A kind of balloon: 11″ harbour blue."""
    return f"{format_nominal(kind[0])} {wording.colour(kind[1])}"


def _resized_words(remedy: Resized, wording: Wording) -> str:
    sizes = "as planned"
    if remedy.changed:
        by = f"{'larger' if remedy.most_mm > 0 else 'smaller'} by up to {wording.diameter(abs(remedy.most_mm))}"
        sizes = f"{remedy.changed} of the {counted(remedy.rows, 'row')} to come {by}"
    ends, wished = wording.length(remedy.ends_mm), wording.length(remedy.wished_mm)
    end = f"fills {ends} of the path's {wished}" if remedy.on_path else f"ends at {ends} of {wished}"
    why = ": its balloons reach no farther" if remedy.is_short else ""
    return f"{_WHAT[remedy.what]}, {sizes}: {end}{why}."


def _recoloured_words(remedy: Recoloured, wording: Wording) -> str:
    colours = listed(wording.colour(key) for key in remedy.colours)
    begin = f"Use {colours} instead of {kind_words(remedy.kind, wording)} for {counted(remedy.many, 'place')}"
    match remedy.where:
        case "unseen":
            return f"{begin} on the side nobody sees."
        case "last":
            return f"{begin} in {named_rows(remedy.rows)}."
        case "joints":
            numbers = listed(str(joint + 1) for joint in remedy.rows)
            return f"{begin} at {'joint' if len(remedy.rows) == 1 else 'joints'} {numbers}."
        case "spread":
            return f"{begin}, spread over the rows to come."


def _wrong_colour_words(remedy: AsPlanned | Exchange | Untie | Leave | LookMeant, wording: Wording) -> str:
    match remedy:
        case AsPlanned(row, slot, colour):
            return f"Row {row + 1}, slot {slot + 1} is {wording.colour(colour)}, as planned."
        case Exchange(slot, planned):
            pair = f"If slot {slot + 1} has the {wording.colour(planned)} one, exchange the two"
            return f"{pair}: untie both necks and tie them crosswise."
        case Untie(row, slot, planned):
            opens = "a knot tied twice the same way slips open"
            return f"Untie slot {slot + 1} of row {row + 1}: {opens}. Put {wording.colour(planned)} in."
        case Leave(there, planned):
            return f"Leave it: one {wording.colour(there)} among {wording.colour(planned)}."
        case LookMeant(colour, places, planned):
            if not places:
                return f"Leave it: rows to come have {wording.colour(colour)} on that side too."
            by_slot: dict[int, list[int]] = {}
            for row, slot in places:
                by_slot.setdefault(slot, []).append(row)
            where = listed(f"slot {slot + 1} of {named_rows(rows)}" for slot, rows in sorted(by_slot.items()))
            instead = listed(wording.colour(key) for key in planned)
            return f"Make it look intended: {wording.colour(colour)} instead of {instead} on that side too, {where}."


def cost_words(option: RescueOption) -> str:
    """What a way costs besides."""
    if not option.balloons and not option.minutes:
        return "no more work"
    noun = "balloon" if abs(option.balloons) == 1 else "balloons"
    return f"{option.balloons:+d} {noun}, {option.minutes:+.0f} min".replace("-", "−")
