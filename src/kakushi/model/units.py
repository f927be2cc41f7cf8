"""Lengths as people write them. Inside the program every length is millimetres."""

from __future__ import annotations

import math
import re
from enum import StrEnum
from fractions import Fraction

from kakushi.model.errors import BadInput

MM_PER_INCH = 25.4

_UNIT_MM = {
    "mm": 1.0, "cm": 10.0, "m": 1000.0, "km": 1_000_000.0,
    "in": MM_PER_INCH, "inch": MM_PER_INCH, "inches": MM_PER_INCH, '"': MM_PER_INCH,
    "ft": 12 * MM_PER_INCH, "foot": 12 * MM_PER_INCH, "feet": 12 * MM_PER_INCH, "'": 12 * MM_PER_INCH,
}  # fmt: skip
_VULGAR = {"½": " 1/2", "¼": " 1/4", "¾": " 3/4", "⅛": " 1/8", "⅜": " 3/8", "⅝": " 5/8", "⅞": " 7/8"}
_EIGHTHS = {0: "", 1: "⅛", 2: "¼", 3: "⅜", 4: "½", 5: "⅝", 6: "¾", 7: "⅞"}
_NUMBER = r"(?:\d+\s+\d+/\d+|\d+/\d+|\d+(?:[.,]\d+)?|[.,]\d+)"
_UNIT = r"(?:mm|cm|km|m|inches|inch|in|feet|foot|ft|\"|')?"
_FEET = re.compile(rf"^({_NUMBER})\s*(?:'|ft|feet|foot)\s*({_NUMBER})\s*(?:\"|in|inch|inches)?$")
_PLAIN = re.compile(rf"^(-?\s?{_NUMBER})\s*({_UNIT})$")
_LONGEST_TEXT = 40


class UnitSystem(StrEnum):
    """What lengths are shown in, and what a bare number means."""

    METRIC = "cm"
    INCHES = "in"


def inches(value: float) -> float:
    """Millimetres of `value` inches."""
    return value * MM_PER_INCH


def parse_length(text: str, bare: UnitSystem = UnitSystem.METRIC, what: str = "length") -> float:
    """Millimetres of a length as typed: ``6'10"``, ``8 1/2 in``, ``2.1 m``, ``210``.

    A number without a unit is centimetres or inches, as `bare` says. `what` names
    the quantity in the message. Raises BadInput when the text is not a length.
    """
    cleaned = _clean(text)
    if feet := _FEET.match(cleaned):
        return _number(feet[1], what) * _UNIT_MM["ft"] + _number(feet[2], what) * MM_PER_INCH
    plain = _PLAIN.match(cleaned) if len(cleaned) <= _LONGEST_TEXT else None
    if plain is None:
        shown = text.strip()[:_LONGEST_TEXT]
        hint = "210, 2.1 m or 6'10\""
        raise BadInput(f"“{shown}” is not a {what}: type something like {hint}.", what)
    negative = plain[1].startswith("-")
    value = _number(plain[1].lstrip("- "), what) * _UNIT_MM[plain[2] or bare.value]
    return -value if negative else value


def parse_length_between(
    text: str, low_mm: float, high_mm: float, bare: UnitSystem = UnitSystem.METRIC, what: str = "length"
) -> float:
    """`parse_length`, refused outside [low_mm, high_mm]. Raises BadInput."""
    value = parse_length(text, bare, what)
    check_between(value, low_mm, high_mm, bare, what)
    return value


def check_between(
    value_mm: float, low_mm: float, high_mm: float, shown: UnitSystem = UnitSystem.METRIC, what: str = "length"
) -> None:
    """Raise BadInput unless low_mm <= value_mm <= high_mm (with a hair of rounding)."""
    if not low_mm - 1e-6 <= value_mm <= high_mm + 1e-6:
        low, high = format_length(low_mm, shown), format_length(high_mm, shown)
        got = format_length(value_mm, shown) if abs(value_mm) < 1e9 else "that"
        raise BadInput(f"The {what} must lie between {low} and {high}; {got} does not.", what)


def _clean(text: str) -> str:
    cleaned = text.strip().lower().replace("″", '"').replace("”", '"').replace("''", '"')
    cleaned = cleaned.replace("′", "'").replace("’", "'")
    for sign, spelled in _VULGAR.items():
        cleaned = cleaned.replace(sign, spelled)
    return re.sub(r"\s+", " ", cleaned.replace("−", "-")).strip()


def _number(text: str, what: str) -> float:
    total = 0.0
    for part in text.replace(",", ".").split():
        if "/" in part:
            above, below = part.split("/")
            if int(below) == 0:
                raise BadInput(f"“{text}” divides by zero and is not a {what}.", what)
            total += float(Fraction(int(above), int(below)))
        else:
            total += float(part)
    if not math.isfinite(total):
        raise BadInput(f"“{text}” is too large to be a {what}.", what)
    return total


def format_inches(value_mm: float, mark: str = "″") -> str:
    """Inches to the nearest eighth, as on a sizer: ``8½″``; `mark` is the inch sign."""
    eighths = round(value_mm / MM_PER_INCH * 8)
    sign = "−" if eighths < 0 else ""
    whole, rest = divmod(abs(eighths), 8)
    digits = f"{whole}{_EIGHTHS[rest]}" if whole or not rest else _EIGHTHS[rest]
    return f"{sign}{digits}{mark}"


def format_length(value_mm: float, system: UnitSystem = UnitSystem.METRIC) -> str:
    """A length with its unit: ``209.4 cm`` or ``82½″`` (from 10 feet on: ``10′2½″``)."""
    if system is UnitSystem.METRIC:
        text = f"{value_mm / 10:.1f}".rstrip("0").rstrip(".")
        return f"{text.replace('-', '−')} cm"
    if abs(value_mm) >= 120 * MM_PER_INCH:
        eighths = round(abs(value_mm) / MM_PER_INCH * 8)
        feet, rest = divmod(eighths, 96)
        return f"{'−' if value_mm < 0 else ''}{feet}′{format_inches(rest * MM_PER_INCH / 8)}"
    return format_inches(value_mm)


def format_diameter(value_mm: float, system: UnitSystem = UnitSystem.METRIC) -> str:
    """A sized diameter: to the millimetre in metric, to the eighth in inches."""
    if system is UnitSystem.METRIC:
        return f"{value_mm / 10:.1f} cm"
    return format_inches(value_mm)


def format_nominal(nominal_in: float) -> str:
    """A nominal size as printed on the bag, always inches: ``11″``."""
    return f"{nominal_in:g}″"
