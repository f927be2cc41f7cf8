"""Numbers as people write them: one reader for every kind of quantity, and how a field shows each."""

from __future__ import annotations

import datetime as dt
import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from kakushi.model.errors import BadInput
from kakushi.model.units import MM_PER_INCH, UnitSystem, format_diameter, format_length

_VULGAR = {"½": " 1/2", "¼": " 1/4", "¾": " 3/4", "⅛": " 1/8", "⅜": " 3/8", "⅝": " 5/8", "⅞": " 7/8"}
_NUMBER = r"\d+\s+\d+/\d+|\d+/\d+|\d+(?:[.,]\d+)?|[.,]\d+"
_PART = re.compile(rf"\s*({_NUMBER})\s*([^\W\d_/]+(?:/[a-z]+)?|[\"'°%:])?")
_LONGEST_TEXT = 40
"""Most characters of typed text that are read, or repeated in a message."""


@dataclass(frozen=True, slots=True)
class Measure:
    """Units of one quantity: how much each is of the inside unit, and which smaller one may follow it unsaid."""

    units: Mapping[str, float]
    hint: str
    under: Mapping[str, str]


def _inch_units(signs: str, factor: float) -> dict[str, float]:
    return dict.fromkeys(signs.split(), factor)


LENGTHS = Measure(
    {"mm": 1.0, "cm": 10.0, "m": 1000.0, "km": 1_000_000.0}
    | _inch_units('in inch inches "', MM_PER_INCH)
    | _inch_units("ft foot feet '", 12 * MM_PER_INCH),
    "210, 2.1 m or 6'10\"",
    {"m": "cm", "'": '"', "ft": '"', "foot": '"', "feet": '"'},
)
GRAMS_PER_POUND = 453.59237
_MASSES = Measure(
    {"g": 1.0, "kg": 1000.0, "oz": GRAMS_PER_POUND / 16, "lb": GRAMS_PER_POUND, "lbs": GRAMS_PER_POUND},
    "1.5 kg, 800 g or 3 lb 5 oz",
    {"kg": "g", "lb": "oz", "lbs": "oz"},
)
_MINUTES = Measure({"min": 1.0, "h": 60.0, ":": 60.0, "d": 1440.0}, "45 min or 1 h 30", {"h": "min", ":": "min"})
_SECONDS = Measure({"s": 1.0, "min": 60.0, "h": 3600.0}, "90 s or 1 min 30", {"min": "s", "h": "min"})
_SPEEDS = Measure({"m/s": 1.0, "km/h": 1 / 3.6, "mph": 0.44704}, "8 m/s or 30 km/h", {})
_ANGLES = Measure({"°": 1.0, "deg": 1.0, "degrees": 1.0}, "45°", {})
_SHARES = Measure({"%": 0.01}, "80 %", {})
_PERCENTS = Measure({"%": 1.0}, "30 %", {})
_FORCES = Measure({"n": 1.0, "lbf": 4.4482216}, "5 N", {})
_COUNTS = Measure({}, "12", {})
_PLAIN = Measure({}, "2.5 or 2 1/2", {})


def cleaned(text: str) -> str:
    """What was typed with one sign for each thing: plain quotes, a hyphen for minus, fractions spelled out."""
    plain = text.strip().lower().replace("″", '"').replace("”", '"').replace("''", '"')
    plain = plain.replace("′", "'").replace("’", "'").replace("−", "-")
    for sign, spelled in _VULGAR.items():
        plain = plain.replace(sign, spelled)
    return re.sub(r"\s+", " ", plain).strip()


def read_measure(text: str, measure: Measure, bare: float, what: str) -> float:
    """The value of a text like “8 1/2 in”, “5'6"”, “1,5 kg”, “2m10” or “1 h 30”, in the inside unit.

    A number without a unit counts `bare` of the inside unit. `what` names the quantity in the message. Raises BadInput
    where the text says no such quantity, or could be read in two ways.
    """
    typed = cleaned(text)
    refused = _refused(text, what, f"cannot be read. Type something like {measure.hint}.")
    if is_two_ways(typed):
        raise _refused(text, what, "can be read in two ways. Type it without the comma, or with a point.")
    sign = -1.0 if typed.startswith("-") else 1.0
    rest = typed.removeprefix("-").strip()
    if not rest or len(typed) > _LONGEST_TEXT:
        raise refused
    total, former = 0.0, ""
    while rest:
        part = _PART.match(rest)
        if part is None:
            raise refused
        number, unit = part[1], part[2] or ""
        rest = rest[part.end() :].strip()
        if former:
            unit = unit or measure.under.get(former, "")
            # “2m1” may mean 2.1 m or 2.01 m.
            if unit == "cm" and not part[2] and not re.fullmatch(r"\d\d(?:[.,]\d+)?", number):
                raise refused
        if unit and unit not in measure.units:
            raise refused
        factor = measure.units[unit] if unit else bare
        value = _value(number, what) * factor
        if former and (not unit or value >= measure.units[former] - 1e-9):
            raise refused
        if rest and not unit:
            raise refused
        total, former = total + value, unit
    return sign * total


_TWO_WAYS = re.compile(r"(?<![\d.,])[1-9]\d{0,2},\d{3}(?!\d)")
"""A number with one comma and three digits behind it."""


def is_two_ways(text: str) -> bool:
    """Whether a number in a text is thousands to some and thousandths to others, like 1,234."""
    return _TWO_WAYS.search(text) is not None


def _refused(text: str, what: str, why: str) -> BadInput:
    """What was typed, for which field, and why it is refused."""
    return BadInput(f"{what[:1].upper()}{what[1:]}: “{text.strip()[:_LONGEST_TEXT]}” {why}", what)


def _value(text: str, what: str) -> float:
    total = 0.0
    for part in text.replace(",", ".").split():
        if "/" in part:
            above, below = part.split("/")
            if int(below) == 0:
                raise _refused(text, what, "divides by zero.")
            total += float(Fraction(int(above), int(below)))
        else:
            total += float(part)
    if not math.isfinite(total):
        raise _refused(text, what, "is too large.")
    return total


def parts_of(text: str) -> list[str]:
    """The entries of a list, separated by semicolons, by commas with a space, or else by commas (“8,5; 6” has two)."""
    parting = next((parting for parting in (";", r",\s") if re.search(parting, text)), ",")
    return [part.strip() for part in re.split(parting, text) if part.strip(" ,")]


def _trimmed(value: float, decimals: int) -> str:
    """A number without needless digits."""
    text = f"{value:.{decimals}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text.replace("-", "−")


# --- kinds of quantity ---------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Quantity:
    """One kind of quantity: how a field shows a value, what a typed text means, how far a key moves it.

    `show(value, system)`, `read(text, system, what)` (raises BadInput), `step(system)`: all in the inside unit.
    """

    show: Callable[[Any, UnitSystem], str]
    read: Callable[[str, UnitSystem, str], Any]
    step: Callable[[UnitSystem], Any]

    def read_between(self, text: str, low: Any, high: Any, system: UnitSystem, what: str) -> Any:
        """What a text says, refused outside [low, high]; None is no bound. Raises BadInput."""
        value = self.read(text, system, what)
        is_low, is_high = (
            low is not None and value < low - _slack(low),
            high is not None and value > high + _slack(high),
        )
        if not is_low and not is_high:
            return value
        got = self.show(value, system)
        got = got if len(got) <= _LONGEST_TEXT else "that"
        if low is None or high is None:
            bound = f"at least {self.show(low, system)}" if high is None else f"at most {self.show(high, system)}"
            raise BadInput(f"{what[:1].upper()}{what[1:]}: {bound}, not {got}.", what)
        between = f"between {self.show(low, system)} and {self.show(high, system)}"
        raise BadInput(f"{what[:1].upper()}{what[1:]}: {between}, not {got}.", what)

    def stepped(self, value: Any, steps: int, low: Any, high: Any, step: Any, system: UnitSystem) -> Any:
        """The value so many steps up, on whole steps where it is a number; within [low, high].

        `step` takes the place of the quantity's own where it is given.
        """
        step = step or self.step(system)
        if isinstance(value, dt.time):
            minutes = value.hour * 60 + value.minute + steps * round(step.total_seconds() / 60)
            return dt.time(*divmod(min(max(minutes, 0), 24 * 60 - 1), 60))
        if isinstance(value, dt.date):
            return value + steps * step
        moved = round(value / step + steps) * step
        moved = moved if low is None else max(moved, low)
        return moved if high is None else min(moved, high)


def _slack(bound: Any) -> Any:
    """Rounding of numbers that are shown in other units than they are kept in."""
    if isinstance(bound, int):
        return 0
    return dt.timedelta(0) if isinstance(bound, dt.date) else 1e-6


def _measured(measure: Measure, unit: str, suffix: str, decimals: int, step: float) -> Quantity:
    """A quantity that is shown and typed in one unit, whichever system is chosen."""
    per = measure.units.get(unit, 1.0)
    return Quantity(
        show=lambda value, _system: _trimmed(value / per, decimals) + suffix,
        read=lambda text, _system, what: read_measure(text, measure, per, what),
        step=lambda _system: step,
    )


def _read_length(text: str, system: UnitSystem, what: str) -> float:
    return read_measure(text, LENGTHS, LENGTHS.units[system.value], what)


def _mass_shown(grams: float, system: UnitSystem) -> str:
    if system is UnitSystem.METRIC:
        return f"{_trimmed(grams / 1000, 3)} kg"
    ounces = round(grams / _MASSES.units["oz"], 1 if grams < GRAMS_PER_POUND else 0)
    pounds, rest = divmod(ounces, 16)
    if not pounds:
        return f"{_trimmed(rest, 1)} oz"
    return f"{pounds:.0f} lb {rest:.0f} oz" if rest else f"{pounds:.0f} lb"


def _read_mass(text: str, system: UnitSystem, what: str) -> float:
    return read_measure(text, _MASSES, _MASSES.units["kg" if system is UnitSystem.METRIC else "lb"], what)


def _read_count(text: str, _system: UnitSystem, what: str) -> int:
    value = read_measure(text, _COUNTS, 1.0, what)
    if value != round(value):
        raise _refused(text, what, "is not a whole number.")
    # Three digits after a sign are thousands to some and thousandths to others.
    if re.search(r"\d[.,]\d", text):
        raise _refused(text, what, "can be read in two ways. Type it without point or comma.")
    return round(value)


_CLOCK = re.compile(r"^(\d{1,2})(?:\s*[:.h]\s*(\d{2})?)?\s*(am|pm)?$")


def _read_hour(text: str, _system: UnitSystem, what: str) -> float:
    match = _CLOCK.match(cleaned(text))
    hours, minutes = (int(match[1]), int(match[2] or 0)) if match else (25, 0)
    if match and match[3]:
        hours = hours % 12 + (12 if match[3] == "pm" else 0) if 1 <= hours <= 12 else 25
    if minutes > 59 or hours + minutes / 60 > 24:
        raise _refused(text, what, "is not a time of day. Type something like 8:30.")
    return hours + minutes / 60


def _hour_shown(hours: float) -> str:
    minutes = round(hours * 60)
    return f"{minutes // 60}:{minutes % 60:02}"


def _read_time(text: str, system: UnitSystem, what: str) -> dt.time:
    minutes = round(_read_hour(text, system, what) * 60)
    if minutes >= 24 * 60:
        raise BadInput("A day ends at 23:59.", what)
    return dt.time(minutes // 60, minutes % 60)


_MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"]


def _date_shown(day: dt.date, _system: UnitSystem) -> str:
    return f"{day.day} {_MONTHS[day.month - 1].capitalize()} {day.year}"


def _read_date(text: str, _system: UnitSystem, what: str) -> dt.date:
    """Reads “5 Jun 2027”, “June 5, 2027”, “2027-06-05” and “5.6.2027”; with slashes, day and month could be swapped."""
    typed = cleaned(text).replace(",", " ")
    refused = _refused(text, what, "is not a date. Type something like 5 Jun 2027.")
    iso, dotted = re.fullmatch(r"(\d{4})-(\d\d?)-(\d\d?)", typed), re.fullmatch(r"(\d\d?)\. ?(\d\d?)\. ?(\d{4})", typed)
    if iso:
        year, month, day = (int(iso[k]) for k in (1, 2, 3))
    elif dotted:
        year, month, day = (int(dotted[k]) for k in (3, 2, 1))
    else:
        words = typed.replace(".", " ").split()
        named = [k for k, word in enumerate(words) if word[:3] in _MONTHS]
        if len(words) != 3 or len(named) != 1 or named[0] > 1:
            raise refused
        month = _MONTHS.index(words.pop(named[0])[:3]) + 1
        if not all(word.isdecimal() and len(word) <= 4 for word in words):
            raise refused
        day, year = (int(word) for word in words)
    try:
        return dt.date(year, month, day)
    except ValueError as error:
        raise refused from error


def number(decimals: int, step: float) -> Quantity:
    """A plain number with so many decimals."""
    return _measured(_PLAIN, "", "", decimals, step)


_HALF_INCH = MM_PER_INCH / 2
"""Step of lengths in inches, mm: what a sizer is set to."""
LENGTH = Quantity(format_length, _read_length, lambda system: 10.0 if system is UnitSystem.METRIC else _HALF_INCH)
DIAMETER = Quantity(format_diameter, _read_length, lambda system: 5.0 if system is UnitSystem.METRIC else _HALF_INCH)
MASS = Quantity(_mass_shown, _read_mass, lambda system: 100.0 if system is UnitSystem.METRIC else _MASSES.units["oz"])
COUNT = Quantity(lambda count, _system: f"{count:d}".replace("-", "−"), _read_count, lambda _system: 1)
ANGLE = _measured(_ANGLES, "°", "°", 1, 1.0)
SHARE = _measured(_SHARES, "%", " %", 1, 0.01)
PERCENT = _measured(_PERCENTS, "%", " %", 1, 1.0)
SPEED = _measured(_SPEEDS, "m/s", " m/s", 1, 1.0)
FORCE = _measured(_FORCES, "n", " N", 1, 1.0)
MONEY = number(2, 1.0)
MINUTES = _measured(_MINUTES, "min", " min", 0, 5.0)
SECONDS = Quantity(
    lambda seconds, _system: f"{_trimmed(seconds, 1)} s",
    lambda text, _system, what: read_measure(text, _SECONDS, 1.0, what),
    lambda _system: 1.0,
)
HOURS = Quantity(
    lambda hours, _system: f"{_trimmed(hours, 1)} h",
    lambda text, _system, what: read_measure(text, _MINUTES, 60.0, what) / 60,
    lambda _system: 1.0,
)
HOUR_OF_DAY = Quantity(lambda hours, _system: _hour_shown(hours), _read_hour, lambda _system: 0.25)
TIME_OF_DAY = Quantity(
    lambda time, _system: f"{time.hour}:{time.minute:02}",
    _read_time,
    lambda _system: dt.timedelta(minutes=15),
)
DATE = Quantity(_date_shown, _read_date, lambda _system: dt.timedelta(days=1))
