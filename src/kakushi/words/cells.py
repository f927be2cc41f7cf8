"""Cells of a list as people read them, in the list's units."""

from __future__ import annotations

from collections.abc import Callable

from kakushi.model.job import Job
from kakushi.model.units import MM_PER_INCH, UnitSystem, format_diameter, format_length, format_nominal
from kakushi.words.lists import Cell, Column, Listing
from kakushi.words.wording import hand_amount, hours_words


def cell_words(column: Column, cell: Cell, job: Job | None, units: UnitSystem) -> str:
    """A cell in words; empty for None."""
    if cell is None:
        return ""
    if isinstance(cell, str):
        return job.colour(cell).name if column.kind == "colour" and job else cell
    if column.kind == "mm":
        return (format_diameter if column.key == "sized_mm" else format_length)(float(cell), units)
    return _NUMBERS.get(column.kind, _number)(float(cell))


def plain_cell(column: Column, cell: Cell, units: UnitSystem) -> Cell:
    """A cell for machines: lengths as numbers in the units asked for."""
    if column.kind == "mm" and units is UnitSystem.INCHES and isinstance(cell, int | float):
        return cell / MM_PER_INCH
    return cell


def plain_key(column: Column, listing: Listing) -> str:
    """A column's key for machines; it names the unit of its lengths."""
    return column.key.replace("_mm", "_in") if listing.units is UnitSystem.INCHES else column.key


def _number(value: float) -> str:
    return f"{value:.0f}" if value.is_integer() else f"{value:.2f}".rstrip("0").rstrip(".")


_NUMBERS: dict[str, Callable[[float], str]] = {
    "nominal": format_nominal,
    "amount": lambda value: _number(hand_amount(value)),
    "money": lambda value: f"{value:.2f}",
    "setting": lambda value: f"{value:g}" if (value * 2).is_integer() else f"{value:.2f}",
    "degrees": lambda value: f"{value:.0f}°",
    "speed": lambda value: f"{value:.1f} m/s",
    "minutes": hours_words,
}
