"""Lengths as people write them. Inside the program every length is millimetres."""

from __future__ import annotations

from enum import StrEnum

MM_PER_INCH = 25.4
"""Exact by definition."""

_EIGHTHS = {0: "", 1: "⅛", 2: "¼", 3: "⅜", 4: "½", 5: "⅝", 6: "¾", 7: "⅞"}
"""Signs of the eighths of an inch."""


class UnitSystem(StrEnum):
    """What lengths are shown in, and what a bare number means."""

    METRIC = "cm"
    INCHES = "in"


def inches(value: float) -> float:
    """Millimetres of `value` inches."""
    return value * MM_PER_INCH


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


def format_height(value_mm: float, system: UnitSystem = UnitSystem.METRIC, of_mm: float | None = None) -> str:
    """A height as a tape held to a piece tells it: whole centimetres (halves below a metre), half inches.

    `of_mm`: the height of which `value_mm` is a tolerance, told to the same step.
    """
    tall = abs(value_mm if of_mm is None else of_mm) >= 1000.0
    step = MM_PER_INCH / 2 if system is not UnitSystem.METRIC else 10.0 if tall else 5.0
    return format_length(round(value_mm / step) * step, system)


def format_diameter(value_mm: float, system: UnitSystem = UnitSystem.METRIC) -> str:
    """A sized diameter: to the millimetre in metric, to the eighth in inches."""
    if system is UnitSystem.METRIC:
        return f"{value_mm / 10:.1f} cm"
    return format_inches(value_mm)


def format_nominal(nominal_in: float) -> str:
    """A nominal size as printed on the bag, always inches: ``11″``."""
    return f"{nominal_in:g}″"
