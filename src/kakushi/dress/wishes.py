"""What is not as it should be with a part, as facts; `name` is what the part is called."""

from __future__ import annotations

from typing import Literal, NamedTuple


class TooFewFixings(NamedTuple):
    """What hangs over people hangs by fewer fixings than it should."""

    name: str
    fixings: int


class TurnsRound(NamedTuple):
    """Both fixings of a part are in the same place, so that it can turn."""

    name: str


class WrongForFoil(NamedTuple):
    """A foil shape held by what does not hold foil, or strangles its valve."""

    name: str
    held_by: Literal["dots", "strip"]


class NoSuchSigns(NamedTuple):
    """Signs that there is no foil, or no letter of film, for."""

    name: str
    made_of: Literal["foil", "film"]
    signs: tuple[str, ...]


class WrongClusterSize(NamedTuple):
    """Clusters with too many or no balloons to be placed."""

    name: str
    balloons: int
    most: int


class EvenNumber(NamedTuple):
    """An even number of clusters where an odd one is wanted."""

    name: str
    clusters: int


class LargerThanItsBalloon(NamedTuple):
    """A single balloon that is to be taller than it can be sized, mm."""

    name: str
    tall_mm: float
    most_mm: float


Wish = TooFewFixings | TurnsRound | WrongForFoil | NoSuchSigns | WrongClusterSize | EvenNumber | LargerThanItsBalloon
