"""What a fit reached, where it misses and why, in words."""

from __future__ import annotations

from kakushi.model.units import UnitSystem, format_length
from kakushi.shape.fit_result import FitResult

MAX_MISSES = 2


def sizes_words(result: FitResult) -> str:
    """How many different sizes, like “5 sizes”."""
    return f"{result.size_count} size{'s' if result.size_count != 1 else ''}"


def miss_words(result: FitResult, units: UnitSystem, most: int = MAX_MISSES) -> list[str]:
    """The worst stretches, one sentence each."""
    return [
        f"From {format_length(round(miss.low), units)} to {format_length(round(miss.high), units)} it is "
        f"{abs(miss.off):.0%} {'wider' if miss.off > 0 else 'thinner'}: {miss.reason}."
        for miss in result.misses[:most]
    ]


def fit_words(result: FitResult, units: UnitSystem) -> str:
    """A fit in a few lines: what it has, how well it matches, where it misses, what could not be met."""
    reached = (
        f"{sizes_words(result)}, {len(result.rows)} rows, {result.balloon_count} balloons. "
        f"Match {result.match.mean:.1%} (worst side {result.match.worst:.1%}), "
        f"{format_length(result.geometry.top, units)} tall."
    )
    return "\n".join([reached, *miss_words(result, units), *result.notes])
