"""Poles that are cut or painted, in words: on their drawing, and read out."""

from __future__ import annotations

from collections.abc import Sequence

from kakushi.building.poles import PolesShown
from kakushi.model.units import UnitSystem, format_length
from kakushi.words.wording import listed


def bar_words(count: int) -> str:
    """How many stock lengths are cut alike."""
    return f"{count} ×"


def cut_words(length_mm: float, units: UnitSystem) -> str:
    """A length that is cut."""
    return format_length(length_mm, units)


def offcut_words(length_mm: float, units: UnitSystem) -> str:
    """What is left of a stock length."""
    return f"{format_length(length_mm, units)} left"


def poles_words(poles: Sequence[PolesShown], units: UnitSystem) -> str:
    """Describe a drawing, one sentence per line, like “2 × plastic pipe 25 mm: 200 cm and 90 cm, 10 cm left”."""
    said = []
    for pole in poles:
        for bar, count in pole.bars:
            cuts = listed(cut_words(cut, units) for cut in bar.cuts)
            left = f", {offcut_words(bar.offcut, units)}" if bar.offcut > 0 else ""
            said.append(f"{bar_words(count)} {pole.name}: {cuts}{left}.")
    return " ".join(said)
