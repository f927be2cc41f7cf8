"""Numbers that steer the search for a free mix."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class MixSearchSettings:
    """Exchanges of two balloons' colours, tabu search (`colour.mix`)."""

    # Random cost below which exchanges count as equal: breaks ties differently every time.
    tie_break: float = 0.02
    # What it is worth to bring a balloon back to its colour, when a mix is mended: less than one conflict.
    home_bonus: float = 0.4
    # Exchanges before a mix is taken as it is.
    max_exchanges: int = 8000
    # Exchanges spent on balloons that only nearly touch: they show less.
    max_nearly_touching: int = 1200
    # Exchanges when painted balloons are worked round: little must move.
    max_repairs: int = 300
    # Exchanges without a better mix after which it stops.
    stalled: int = 2000
    # The same per balloon, where there are few.
    stalled_each: int = 25
    # Beginnings for a small mix: cheap, and one may be free of conflicts.
    small_starts: int = 4
    # Balloons up to which a mix is small.
    small: int = 40
    # Exchanges for which a balloon is left alone after one.
    tabu: int = 9


MIX_SEARCH = MixSearchSettings()
