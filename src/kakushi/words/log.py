"""What is said of the log: planned beside actual, rates with what they rest on, what is far from expected."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping
from typing import TypeVar, assert_never

from kakushi.log.recipes import AlikeColours
from kakushi.log.unexpected import ManyPops, OddHeight, OddMinutes, Unexpected
from kakushi.model.log import (
    Learnt,
    LearntMinutes,
    LearntPops,
    LearntRate,
    LearntRise,
    LearntSoft,
    LearntWaste,
    LogEntry,
    LoggedPiece,
    LogLine,
    rate_name,
)
from kakushi.model.recipe import Recipe
from kakushi.model.units import UnitSystem, format_height, format_length, format_nominal
from kakushi.words.lists import Cell, Column, Listing
from kakushi.words.wording import capital, counted, hand_amount, hours_words

_WORK = {
    "inflate": "to inflate a balloon", "tie": "to tie a bunch", "insert": "to put something into a balloon",
    "row": "for a row", "part": "for a part", "set up": "to set up a copy",
}  # fmt: skip


def kind_words(kind: str) -> str:
    """A kind of work: “for a row”."""
    return _WORK.get(kind, f"for one of “{kind}”")


def piece_lines(piece: LoggedPiece, units: UnitSystem) -> Iterator[str]:
    """One piece of an entry, planned beside actual."""
    yield f"{piece.piece}: {counted(piece.copies, 'copy', 'copies')}, {counted(piece.rows, 'row')}"
    if piece.planned_mm:
        measured = format_height(piece.height_mm, units) if piece.height_mm else "not measured"
        yield f"  height {format_height(piece.planned_mm, units)} planned, {measured}"
    used = sum(line.count for line in piece.built)
    yield f"  {counted(piece.balloons, 'balloon')} planned, {used} blown up, {piece.popped} popped"
    for work in piece.minutes:
        by = f", {work.person}" if work.person else ""
        yield f"  {seconds_words(work.minutes / work.count)} {kind_words(work.kind)} ({work.count:g} done{by})"


def entry_lines(entry: LogEntry, units: UnitSystem) -> Iterator[str]:
    """An entry as lines of text."""
    yield f"{entry.date:%d %b %Y}: {entry.job or 'untitled job'}"
    for piece in entry.pieces:
        yield from piece_lines(piece, units)
    measured = hours_words(entry.minutes) if entry.minutes else "not measured"
    yield f"work {hours_words(entry.planned_minutes)} planned, {measured}"
    if entry.price:
        earned = earned_words(entry)
        yield f"price {entry.price:.2f} {entry.currency}".rstrip() + (f", {earned}" if earned else "")
    for name, words in (("left over", entry.left_over), ("client", entry.client), ("next time", entry.next_time)):
        if words:
            yield f"{name}: {words}"


def earned_words(entry: LogEntry) -> str:
    """What an hour of measured work earned; empty where nothing was measured."""
    if not entry.minutes or not entry.price:
        return ""
    each = (entry.price - entry.cost) * 60 / entry.minutes
    return f"{f'{each:.0f} {entry.currency}'.rstrip()} an hour over the cost"


def seconds_words(minutes: float) -> str:
    """A short time: “50 s”, “4 min”."""
    return f"{60 * minutes:.0f} s" if minutes < 2 else f"{minutes:.0f} min"


def pops_words(rate: LearntPops) -> str:
    """A chance to pop with its interval and what it rests on."""
    fill = "" if rate.fill == "usual" else f", {rate.fill}"
    what = f"{format_nominal(rate.nominal_in)} {rate.finish}, {rate.place}{fill}"
    return f"{what}: {rate.mean:.1%} pop ({rate.low:.1%} to {rate.high:.1%}; {rate.popped} of {rate.seen:.0f})"


def minutes_words(rate: LearntMinutes) -> str:
    """Minutes for one of a kind of work with their interval and what they rest on."""
    who = f", {rate.person}" if rate.person else ""
    span = f"{seconds_words(rate.low)} to {seconds_words(rate.high)}"
    seen = counted(int(rate.seen), "entry", "entries")
    return f"{seconds_words(rate.mean)} {kind_words(rate.kind)}{who} ({span}; {seen})"


def rise_words(rate: LearntRise) -> str:
    """How high pieces came out beside what was worked out."""
    how = ", ".join(filter(None, (rate.joint, rate.packing))) or "all joints"
    span = f"{rate.low:.1%} to {rate.high:.1%}"
    return f"{how}: {rate.mean:.1%} of the calculated height ({span}; {counted(int(rate.seen), 'entry', 'entries')})"


def used_words(item: str, planned: float, unit: str) -> str:
    """Asks how much was used of a material: “Line used, of 51 m planned”."""
    return f"{capital(item)} used, of {hand_amount(planned):g} {unit} planned"


def waste_words(rate: LearntWaste) -> str:
    """What is used of a material over what is planned."""
    seen = counted(int(rate.seen), "entry", "entries")
    return f"{rate.item}: {rate.mean:.0%} of what is planned ({rate.low:.0%} to {rate.high:.0%}; {seen})"


def scatter_words(rate: LearntRate) -> str:
    """How far sized balloons are off."""
    seen = counted(int(rate.seen), "balloon")
    return f"Sized balloons scatter by {rate.mean:.1f} mm ({rate.low:.1f} to {rate.high:.1f}; {seen} measured again)"


def soft_words(rate: LearntSoft) -> str:
    """Pops in the heat by how much softer balloons were blown."""
    span = f"{rate.low:.1%} to {rate.high:.1%}; {rate.popped} of {rate.seen:.0f}"
    return f"In the sun, blown {rate.soft}: {rate.mean:.1%} pop in the heat ({span})"


def unexpected_words(found: Unexpected, units: UnitSystem) -> str:
    """Something to look at again."""
    match found:
        case ManyPops(piece, kind, popped, used):
            what = f"{popped} of {used} {format_nominal(kind.nominal_in)} {kind.finish} balloons popped"
            return f"{piece}: {what}, far more than usual. A typing error, or something new?"
        case OddMinutes(piece, kind, each, expected):
            what = f"{seconds_words(each)} {kind_words(kind)}, where {seconds_words(expected)} is usual"
            return f"{piece}: {what}. A typing error, or something new?"
        case OddHeight(piece, height, planned):
            what = f"{format_height(height, units)} high, {format_height(planned, units)} was planned"
            return f"{piece}: {what}. A typing error, or something new?"
        case _:
            assert_never(found)


REASONS: Mapping[str, str] = {
    "": "not known", "heat": "heat", "thorn": "something sharp", "over-filled": "blown too full",
    "handling": "handling", "transport": "on the way",
}  # fmt: skip
"""Why balloons pop."""
LOG_COLUMNS = (
    Column("date", "Date"),
    Column("job", "Job"),
    Column("pieces", "Pieces"),
    Column("copies", "Copies", "count"),
    Column("planned_mm", "Planned height", "mm"),
    Column("height_mm", "Measured", "mm"),
    Column("balloons", "Balloons", "count", summed=True),
    Column("popped", "Popped", "count", summed=True),
    Column("planned_minutes", "Planned work", "minutes", summed=True),
    Column("minutes", "Measured", "minutes", summed=True),
    Column("cost", "Cost", "money", summed=True),
    Column("price", "Price", "money", summed=True),
    Column("hour", "An hour earned", "money"),
)
"""The list of all jobs: its columns, each a field of `LogLine` but the last."""


def log_value(line: LogLine, key: str) -> Cell:
    """A cell of the list of all jobs."""
    if key == "hour":
        return round((line.price - line.cost) * 60 / line.minutes, 2) if line.minutes and line.price else None
    value: Cell = getattr(line, key)
    return value


def log_cell(line: LogLine, key: str, units: UnitSystem) -> str:
    """A cell of the list of all jobs in words; empty where nothing is known."""
    value = log_value(line, key)
    if value is None or (key == "minutes" and not value):
        return ""
    match next(column.kind for column in LOG_COLUMNS if column.key == key):
        case "mm":
            return format_length(float(value), units)
        case "minutes":
            return hours_words(float(value))
        case "text" if key == "date":
            return f"{dt.date.fromisoformat(str(value)):%-d %b %Y}"
        case "money":
            return f"{float(value):.2f} {line.currency}".rstrip()
        case _:
            return str(value)


def log_listing(lines: Iterable[LogLine], units: UnitSystem) -> Listing:
    """All jobs as a list to take along."""
    rows = tuple(tuple(log_value(line, column.key) for column in LOG_COLUMNS) for line in lines)
    return Listing("log", "Log", "What jobs really took.", LOG_COLUMNS, rows, units)


def job_words(entry: LogEntry) -> str:
    """A job in a few lines, planned beside actual."""
    measured = hours_words(entry.minutes) if entry.minutes else "not measured: steps were not ticked in Build"
    lines = [
        f"{entry.balloons} balloons planned and {entry.planned_spares} spares; {entry.popped} popped so far.",
        f"Work: {hours_words(entry.planned_minutes)} planned, {measured}.",
    ]
    if earned := earned_words(entry):
        lines.append(f"Price {entry.price:.2f} {entry.currency}: {earned}.")
    return "\n".join(lines)


def rates_lines(learnt: Learnt) -> Iterator[tuple[str, str]]:
    """Every rate that was learnt, by its name: in words, with its interval and what it rests on."""
    for pop in learnt.pops:
        yield rate_name("pop", pop.nominal_in, pop.finish, pop.place, pop.fill), pops_words(pop)
    for work in learnt.minutes:
        yield rate_name("minutes", work.kind, work.person), minutes_words(work)
    for rise in learnt.rise:
        yield rate_name("rise", rise.joint, rise.packing), rise_words(rise)
    for waste in learnt.waste:
        yield rate_name("waste", waste.item, ""), waste_words(waste)
    if learnt.scatter is not None:
        yield rate_name("scatter", "", ""), scatter_words(learnt.scatter)
    for soft in learnt.soft:
        yield rate_name("soft", soft.soft, ""), soft_words(soft)
    if learnt.shrink is not None:
        yield rate_name("shrink", "", ""), f"The next day pieces are {1 - learnt.shrink.mean:.1%} lower."


def recipe_words(recipe: Recipe, units: UnitSystem, match: float | None = None) -> str:
    """A recipe in a line: its height, balloons, time, price then, and roles; its `match` with an outline, 0 to 1."""
    facts = recipe.facts
    told = [format_height(facts.height_mm, units), counted(facts.balloons, "balloon"), hours_words(facts.minutes)]
    if facts.price:
        told.append(f"{facts.price:.2f} {facts.currency}".rstrip() + " when kept")
    if match is not None:
        told.append(f"match {match:.0%}")
    roles = ", ".join(f"{colour.key} {colour.name}" for colour in recipe.roles)
    return f"{facts.name}: {', '.join(told)}; {roles}"


def alike_words(pair: AlikeColours) -> str:
    """Two roles in colours that can hardly be told apart."""
    return f"The colours of “{pair.one}” and “{pair.other}” can hardly be told apart."


RECIPE_ORDERS: Mapping[str, str] = {
    "name": "name", "height_mm": "height", "balloons": "balloons", "minutes": "time", "price": "price",
}  # fmt: skip
"""What the shelf is sorted by: fields of what is told of a recipe."""
Kept = TypeVar("Kept", bound=tuple[object, Recipe])


def sorted_recipes(recipes: Iterable[Kept], by: str) -> list[Kept]:
    """Recipes in an order of `RECIPE_ORDERS`, small ones first."""

    def order(kept: Kept) -> tuple[float | str, str]:
        value = getattr(kept[1].facts, by if by in RECIPE_ORDERS else "name")
        return value.casefold() if isinstance(value, str) else value, kept[1].facts.name.casefold()

    return sorted(recipes, key=order)
