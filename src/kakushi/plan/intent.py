"""Warnings and advice set aside as meant: they are told again only when they get worse."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, NamedTuple, TypeVar

from kakushi.colour.faults import ColourFault
from kakushi.model.piece import Meant
from kakushi.plan.facts import (
    BarePole,
    Bulges,
    ClustersLost,
    ClustersPress,
    GroupsOverlap,
    GroupTooLow,
    Note,
    PartBelowFloor,
    PartFloats,
    PartSunk,
    PoleTooShort,
    RowsOnPole,
    SizedOutside,
    TopperHeavy,
    TopperLeans,
    TopperNarrow,
)

T = TypeVar("T", bound=Note | ColourFault)

_WORSE = 1.02
"""Factor by which a figure may grow and still be what was set aside: less than a hand can tell."""


_LEAST = 1e-6
"""Below this a share is nothing: it is divided by."""


def _none(_said: Any) -> tuple[float, ...]:
    return ()


_FIGURES: Mapping[type, Callable[[Any], tuple[float, ...]]] = {
    SizedOutside: lambda note: (len(note.rows), note.beyond),
    Bulges: lambda note: (len(note.rows),),
    GroupsOverlap: lambda note: (note.shared_mm,),
    GroupTooLow: lambda note: (note.below_mm,),
    BarePole: lambda note: (note.high_mm - note.low_mm,),
    PoleTooShort: lambda note: (len(note.rows), note.over_mm),
    RowsOnPole: lambda note: (
        max(note.rows - note.pole.most, 0),
        max(note.pole.fewest - note.rows, 0),
        max(-note.pole.bare, 0.0),
    ),
    ColourFault: lambda fault: (len(fault.rows), fault.touching),
    ClustersLost: lambda note: (note.clusters,),
    ClustersPress: lambda note: (note.pairs,),
    PartSunk: lambda note: (note.share,),
    PartFloats: lambda note: (note.gap_mm,),
    PartBelowFloor: lambda note: (note.below_mm,),
    TopperNarrow: lambda note: (1 / max(note.share, _LEAST),),
    TopperHeavy: lambda note: (note.weighs_g / max(note.bears_g, _LEAST),),
    TopperLeans: lambda note: (note.lean,),
}
"""How bad each kind is; those that are not here are or are not."""


class Concern(NamedTuple):
    """A warning, an advice or a fault of colours, told apart from the piece's others by `what`.

    `figures`: how bad it is, each larger when worse.
    """

    said: Note | ColourFault
    what: str
    figures: tuple[float, ...]

    @property
    def meant(self) -> Meant:
        """What the piece keeps when this is set aside."""
        return Meant(what=self.what, figures=self.figures)

    def is_meant(self, kept: Iterable[Meant]) -> bool:
        """Whether this was set aside, and has not become worse since."""
        for each in kept:
            if each.what == self.what and len(each.figures) == len(self.figures):
                return all(now <= then * _WORSE for now, then in zip(self.figures, each.figures, strict=True))
        return False


def concerns_of(said: Iterable[Note | ColourFault]) -> list[Concern]:
    """What is told of a piece, each with its name and its figures; what is told twice alike is numbered."""
    seen: Counter[str] = Counter()
    found = []
    for each in said:
        # What it is and of what; rows and groups are not named, since edits move them.
        what = ": ".join([type(each).__name__, *(value for value in each if isinstance(value, str))])
        seen[what] += 1
        number = f" {seen[what]}" if seen[what] > 1 else ""
        figures = _FIGURES.get(type(each), _none)(each)
        found.append(Concern(each, what + number, tuple(map(float, figures))))
    return found


def without(said: Iterable[T], aside: Sequence[Concern]) -> tuple[T, ...]:
    """What is told of notes or faults: those that are not among the concerns set `aside`."""
    return tuple(each for each in said if not any(each is concern.said for concern in aside))
