"""How balloons are sized, as it is typed and said: a diameter, strokes, seconds, a range, or as they come."""

from __future__ import annotations

import re
from typing import Any, assert_never

from pydantic import ValidationError

from kakushi.model.errors import BadInput
from kakushi.model.groups import Row
from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.parts import Fillers
from kakushi.model.quantities import DIAMETER, number, parts_of
from kakushi.model.sizing import Sizing
from kakushi.model.units import UnitSystem, format_diameter, format_nominal
from kakushi.model.values import first_fault

_FREE = re.compile(r"^(as (it|they) comes?|any( size)?|free|does not matter)$")
_REFERENCE = re.compile(r"^(like )?(the )?reference$")
_SETTING = re.compile(r"^(.+?)\s*(strokes?|pumps?|s|sec|seconds?|tenths?)$")
_RANGE = re.compile(r"^(.+?)\s*(?:to|–|\.\.)\s*(.+)$")
_UNIT = re.compile(r"[a-z″\"′']+$")
_REPEATED = re.compile(r"^(.+?)\s*[x×*]\s*(\d{1,6})$", re.IGNORECASE)
_MOST_ALIKE = 200
"""Most rows that are typed at once."""
_TENTHS = 10.0
_MOST = 1000.0


def read_sizing(text: str, units: UnitSystem) -> Sizing | float:
    """What somebody typed: a way of sizing, or a diameter, mm. Raises BadInput."""
    words = " ".join(text.casefold().split())
    if _FREE.match(words):
        return Sizing(by="free")
    if _REFERENCE.match(words):
        return Sizing(by="reference")
    if (setting := _SETTING.match(words)) and not words.endswith(("inches", "ins")):
        amount, unit = float(number(2, 0.5).read_between(setting[1], 0.0, _MOST, units, "setting")), setting[2]
        by = "strokes" if unit.startswith(("stroke", "pump")) else "seconds"
        amount = amount / _TENTHS if unit.startswith("tenth") else amount
        return _sizing(by=by, amount=amount)
    if ends := _RANGE.match(words):
        high_unit = _UNIT.search(ends[2])
        low_text = ends[1] if _UNIT.search(ends[1]) or not high_unit else f"{ends[1]} {high_unit[0]}"
        low, high = (_diameter(each, units) for each in (low_text, ends[2]))
        return _sizing(by="range", low_mm=low, high_mm=high)
    return _diameter(text, units)


def _sizing(**fields: Any) -> Sizing:
    try:
        return Sizing(**fields)
    except ValidationError as error:
        raise BadInput(f"The size cannot be taken: {first_fault(error)[1].lower()}.", "sizing") from error


def _diameter(text: str, units: UnitSystem) -> float:
    return float(DIAMETER.read_between(text, SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM, units, "sized diameter"))


def read_sizes(text: str, units: UnitSystem) -> tuple[float, ...]:
    """Sizes of rows, mm, from words like “5, 6, 7, 8, 9.5 x6”: the last one six times. Raises BadInput."""
    sizes: list[float] = []
    for part in parts_of(text):
        found = _REPEATED.match(part)
        many = int(found[2]) if found else 1
        if not 1 <= many <= _MOST_ALIKE:
            raise BadInput(f"A size is repeated 1 to {_MOST_ALIKE} times, not {many}.", "sizes")
        sizes += [_diameter(found[1] if found else part, units)] * many
    if not sizes:
        raise BadInput("Write the sizes of the rows, like 5, 6, 7, 8 x6.", "sizes")
    if len(sizes) > _MOST_ALIKE:
        raise BadInput(f"At most {_MOST_ALIKE} rows are added at once.", "sizes")
    return tuple(sizes)


def sizing_words(sizing: Sizing, units: UnitSystem) -> str:
    """A way of sizing as it is said and typed: “3 strokes”, “2.4 s”, “10 to 12 cm”, “as they come”."""
    match sizing.by:
        case "strokes":
            return f"{sizing.amount:g} {'stroke' if sizing.amount == 1 else 'strokes'}"
        case "seconds":
            return f"{sizing.amount:g} s"
        case "reference":
            return "like the reference"
        case "range":
            low, high = (format_diameter(each, units) for each in (sizing.low_mm, sizing.high_mm))
            return f"{low.split(' ')[0] if ' ' in low else low} to {high}"
        case "free":
            return "as they come"
        case _:
            assert_never(sizing.by)


def row_sizes(row: Row, units: UnitSystem, unmeasured: bool = False) -> str:
    """The balloons of a row and how they are sized: “4 × 11″ to 21 cm”, “4 × 5″ with 3 strokes”."""
    nominals = " / ".join(dict.fromkeys(format_nominal(slot.nominal_in) for slot in row.slots))
    sized = row.sizing
    *others, last = dict.fromkeys(format_diameter(slot.diameter_mm, units) for slot in row.slots)
    # The unit is said once, after the last of several sizes.
    sizes = " / ".join([size.split(" ")[0] for size in others] + [last])
    return f"{row.count} × {nominals} {sized_words(sized, sizes, units, unmeasured)}"


def filler_size_words(part: Fillers, units: UnitSystem, unmeasured: bool) -> str:
    """How large fillers come out that nobody measures, as in “With 3 strokes, unmeasured: about 10.5 cm”."""
    if part.sizing is None:
        return ""
    diameters = dict.fromkeys(each.diameter_mm for each in part.balloons if each.diameter_mm)
    sizes = " / ".join(format_diameter(each, units) for each in diameters)
    if part.sizing.by == "reference":
        return f"Like the reference, {sizes}."
    said = sized_words(part.sizing, sizes, units, unmeasured)
    return f"{said[0].upper()}{said[1:]}: about {sizes}."


def sized_words(sizing: Sizing | None, sizes: str, units: UnitSystem, unmeasured: bool = False) -> str:
    """How balloons of some `sizes` are sized: “to 21 cm”, “with 3 strokes, unmeasured”, “as they come”."""
    if sizing is None:
        return f"to {sizes}"
    said = sizing_words(sizing, units)
    if sizing.is_set:
        return f"with {said}{', unmeasured' if unmeasured else ''}"
    if sizing.by == "reference":
        return f"{said}, {sizes}"
    return f"of {said}" if sizing.by == "range" else said
