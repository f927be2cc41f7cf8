"""How quantities, lists and names are written in a sentence."""

from __future__ import annotations

import datetime as dt
import math
import re
from collections.abc import Iterable
from dataclasses import dataclass

from kakushi.model.errors import KakushiError
from kakushi.model.job import Job
from kakushi.model.quantities import GRAMS_PER_POUND, MASS
from kakushi.model.units import MM_PER_INCH, UnitSystem, format_diameter, format_height, format_inches, format_length

MAX_NAMED = 6
"""Most rows named one by one in a sentence: nobody reads a longer list."""
_SIDES = ("front", "front right", "right", "back right", "back", "back left", "left", "front left")
_NAMED_LENGTH = re.compile(r"(?<![\w.])(\d+(?:\.\d+)?) ?(mm|cm|m)\b")
_UNIT_MM = {"mm": 1.0, "cm": 10.0, "m": 1000.0}
_CM2_PER_SQUARE_INCH = 6.4516


@dataclass(frozen=True, slots=True)
class Wording:
    """Writes the facts of a job, with the names of its colours, in the chosen units."""

    job: Job
    units: UnitSystem = UnitSystem.METRIC

    def length(self, mm: float) -> str:
        """A length."""
        return format_length(mm, self.units)

    def height(self, mm: float) -> str:
        """A height, to the step a tape has."""
        return format_height(mm, self.units)

    def diameter(self, mm: float) -> str:
        """A sized diameter."""
        return format_diameter(mm, self.units)

    def mass(self, grams: float) -> str:
        """Write a mass as it is, to the gram or tenth of an ounce; `mass_words` rounds advice up."""
        if self.units is UnitSystem.METRIC and grams < _GRAMS_TO:
            return f"{grams:.0f} g"
        return MASS.show(grams, self.units)

    def colour(self, key: str) -> str:
        """A colour's name."""
        return self.job.colour(key).name

    def code(self, key: str) -> str:
        """A colour's letters."""
        return self.job.colour(key).code


def error_words(error: KakushiError, units: UnitSystem) -> str:
    """Write an error, its lengths in the chosen units."""
    return error.said(lambda mm: format_length(mm, units))


def counted(number: int, noun: str, plural: str = "") -> str:
    """A number with its noun: 1 row, 2 rows."""
    return f"{number} {noun if number == 1 else plural or f'{noun}s'}"


def listed(words: Iterable[str]) -> str:
    """A list in a sentence: a, b and c."""
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last


def with_article(words: str, is_the_only_one: bool = False) -> str:
    """Words with “the” where there is only one, else with “a” or “an”."""
    if is_the_only_one:
        return f"the {words}"
    return f"{'an' if words[:1].lower() in 'aeiou' else 'a'} {words}"


def capital(words: str) -> str:
    """The same with a capital letter at its beginning."""
    return words[:1].upper() + words[1:]


def _runs(numbers: Iterable[int]) -> list[list[int]]:
    """Numbers in order, those that follow each other together."""
    runs: list[list[int]] = []
    for number in sorted(numbers):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return runs


def ranges(numbers: Iterable[int]) -> str:
    """Numbers with runs shortened: 1–4, 7."""
    return ", ".join(str(run[0]) if len(run) == 1 else f"{run[0]}–{run[-1]}" for run in _runs(numbers))


def named_rows(rows: Iterable[int]) -> str:
    """Rows (from 0) by their numbers: row 3; rows 2 to 8, 11."""
    runs = _runs(row + 1 for row in rows)
    # Two rows are not a range.
    names = [name for run in runs for name in ([f"{run[0]} to {run[-1]}"] if len(run) > 2 else map(str, run))]
    shown = ", ".join(names[:MAX_NAMED]) + ("…" if len(names) > MAX_NAMED else "")
    return f"row{'s' if sum(map(len, runs)) > 1 else ''} {shown}"


def side_name(degrees: float) -> str:
    """A direction from the pole in a word, to the nearest eighth; right is the viewer's right who stands in front."""
    return _SIDES[round(degrees / 45) % 8]


_GRAMS_TO = 1000
"""Mass, g, below which it is told in grams."""
_WHOLE_POUNDS_FROM = 20
"""Mass, pounds, from which ounces are left out."""


def mass_words(grams: float, units: UnitSystem) -> str:
    """A mass as one says it: 850 g, 1.8 kg, 14 kg or 3 lb 5 oz; rounded up, since less would not do."""
    if units is UnitSystem.INCHES:
        pounds, ounces = divmod(math.ceil(grams / GRAMS_PER_POUND * 16 - 1e-6), 16)
        if pounds >= _WHOLE_POUNDS_FROM:
            return f"{pounds + (ounces > 0)}\N{NO-BREAK SPACE}lb"
        parts = [f"{number}\N{NO-BREAK SPACE}{unit}" for number, unit in ((pounds, "lb"), (ounces, "oz")) if number]
        return " ".join(parts) or "0\N{NO-BREAK SPACE}oz"
    # A number and its unit stay on one line.
    if grams < 1000:
        return f"{math.ceil(grams / 10) * 10:g}\N{NO-BREAK SPACE}g"
    kilograms = f"{math.ceil(grams / 100) / 10:.1f}" if grams < 10_000 else f"{math.ceil(grams / 500) / 2:g}"
    return f"{kilograms}\N{NO-BREAK SPACE}kg"


def thickness(mm: float, units: UnitSystem) -> str:
    """A small length: to the millimetre, or the eighth of an inch; below a quarter inch, to the hundredth."""
    if units is UnitSystem.METRIC:
        return f"{mm:.0f} mm"
    return format_inches(mm) if mm >= MM_PER_INCH / 4 else f"{mm / MM_PER_INCH:.2f}″"


def far_words(mm: float, units: UnitSystem) -> str:
    """A distance to the tenth of a metre, or the half foot."""
    if units is UnitSystem.METRIC:
        return f"{mm / 1000:.1f} m"
    return f"{round(mm / MM_PER_INCH / 6) / 2:g} ft"


def area_words(cm2: float, units: UnitSystem) -> str:
    """An area that shows."""
    area, unit = (cm2, "cm²") if units is UnitSystem.METRIC else (cm2 / _CM2_PER_SQUARE_INCH, "in²")
    return f"{area:.0f} {unit}" if area >= 10 else f"{area:.1f} {unit}"


def percent(share: float) -> str:
    """A share, small ones to the tenth."""
    return f"{share:.0%}" if share >= 0.1 else f"{share:.1%}"


def hours_words(minutes: float) -> str:
    """A working time: 45 min, 3 h 20 min."""
    whole = math.ceil(minutes - 1e-6)
    hours, rest = divmod(whole, 60)
    return f"{whole} min" if not hours else f"{hours} h {rest} min" if rest else f"{hours} h"


def clock(at: dt.datetime | dt.time) -> str:
    """A time of day: 9:30."""
    return f"{at.hour}:{at.minute:02d}"


def day_words(day: dt.date) -> str:
    """A day as people say it: Wednesday 16 June."""
    return f"{day:%A} {day.day} {day:%B}"


def when(at: dt.datetime) -> str:
    """A time as people say it: Wednesday 16 June, 9:30."""
    return f"{day_words(at)}, {clock(at)}"


def taken(at: dt.datetime) -> str:
    """When a photograph was taken: 16 Jun 2027, 9:30."""
    return f"{at.day} {at:%b} {at.year}, {clock(at)}"


def item_words(item: str, units: UnitSystem) -> str:
    """Name a thing on the lists, lengths in its name in the chosen units."""
    if units is UnitSystem.METRIC:
        return item
    return _NAMED_LENGTH.sub(lambda match: format_length(float(match[1]) * _UNIT_MM[match[2]], units), item)


def hand_amount(value: float) -> float:
    """An amount to lay ready, to what a hand measures: never less than is needed."""
    step = 1.0 if value >= _WHOLE_FROM else 0.1
    # The hair is rounding: two metres in tenths are not 2.1.
    return round(math.ceil(value / step - 1e-9) * step, 1)


_WHOLE_FROM = 10.0
"""Amount from which fractions of a metre or a piece are not told."""


def amount_words(amount: float, unit: str, units: UnitSystem) -> tuple[float, str]:
    """Write an amount in the chosen units: metres become feet."""
    return (amount * 1000 / MM_PER_INCH / 12, "ft") if units is UnitSystem.INCHES and unit == "m" else (amount, unit)
