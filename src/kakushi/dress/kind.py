"""What is known of a kind of part, as one record; each kind fills it in a module of its own."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from enum import Enum
from typing import Generic, Literal, NamedTuple, TypeVar

from kakushi.dress.bodies import NO_BODY, Body
from kakushi.dress.wishes import Wish
from kakushi.model.parts import Extended, PartBalloons, PartValue, Placed
from kakushi.model.used import Used
from kakushi.model.workshop import Per

P = TypeVar("P", bound=PartValue)
# Elastic string from modelling balloons of size 260, as it is named on the lists.
STRIPS = "modelling balloons 260"


USUAL_FILL = 0.8
"""Diameter, as a share of the nominal size, of balloons without a size of their own: round, and not yet fragile."""


class BallMaterial(Enum):
    """What balls are drawn as: single balloons, or one continuous thing of foil, of wood and cloth, or of ribbon."""

    BALLOON = "balloon"
    FOIL = "foil"
    SOLID = "solid"
    RIBBON = "ribbon"


class PointMm(NamedTuple):
    """A place in a piece, mm: x right, y away from the viewer, z above the floor."""

    x: float
    y: float
    z: float


class WindArea(NamedTuple):
    """What the wind meets of a part that is not drawn: `face` and `side` areas, mm², and the height of its middle, mm.

    `azimuth`: where its face looks, radians anticlockwise from the front.
    """

    face: float
    side: float
    azimuth: float
    middle: float

    def area(self, azimuth: float) -> float:
        """Area, mm², seen from an azimuth, radians: of a flat box, or of a round thing, alike from everywhere."""
        if self.face == self.side:
            return self.face
        angle = azimuth - self.azimuth
        return self.face * abs(math.cos(angle)) + self.side * abs(math.sin(angle))


NO_WIND = WindArea(0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What a new part is made from: the piece's target height, mm, and a first colour."""

    target_height_mm: float
    colour: str

    def at_most(self, height_mm: float) -> float:
        """A height for a new part, kept within the lower part of the piece, in whole cm."""
        return min(height_mm, round(self.target_height_mm * 0.6, -1))

    def balloon(self, nominal_in: float = 5.0) -> tuple[PartBalloons, ...]:
        """One balloon in the colour to begin with."""
        return (PartBalloons(nominal_in=nominal_in, colour=self.colour, count=1),)


@dataclass(frozen=True, slots=True, kw_only=True)
class PartKind(Generic[P]):
    """A kind of part. Functions take a part of that kind.

    `words` names it; `order` is its place in the build; `counted_as` what the rules for materials count it as;
    `has_balloons`: it is made of balloons that are chosen; `is_marked`: the elevation shows where it is.
    `things(part)`: how many things of it are tied or stuck on, each with its own strip or dots.
    `step`: what kind of step puts it on. `is_main`: usually a main thing that is to stay in sight.
    `body(part)`: what is drawn of it besides balloons, about its own middle. `skin`: what
    it is drawn as. `lies_on`: its balloons lie on the column,
    in one cluster or, with `is_ring`, one by one round it.
    `balloons(part)`: all it takes.
    `spot(part, top_mm)`: where its mass is on a column `top_mm` high; `standing(part)`: its height above what it
    stands on, 0 for what does not stand on the column; `wind(part)`; `uses(part)`: what it consumes besides balloons
    and strips; `wishes(part)`: what is not as it should be; `made(key, surroundings)`: a new one.
    """

    value: type[P]
    words: str
    order: int
    made: Callable[[int, Surroundings], P]
    counted_as: Per | None = None
    has_balloons: bool = False
    is_marked: bool = False
    spot: Callable[[P, float], PointMm]
    standing: Callable[[P], float] = lambda _part: 0.0
    wind: Callable[[P], WindArea] = lambda _part: NO_WIND
    uses: Callable[[P], Iterable[Used]] = lambda _part: ()
    wishes: Callable[[P], Iterable[Wish]] = lambda _part: ()
    things: Callable[[P], float] = lambda _part: 1
    body: Callable[[P], Body] = lambda _part: NO_BODY
    step: Literal["accent", "hang", "topper", "weight", "cap", "cluster"] = "accent"
    skin: BallMaterial = BallMaterial.BALLOON
    is_main: bool = False
    lies_on: bool = False
    is_ring: bool = False
    balloons: Callable[[P], tuple[PartBalloons, ...]] = lambda part: part.balloons


def placed_spot(part: Placed, _top_mm: float) -> PointMm:
    """Where a placed part is: its height, so far from the pole in its direction."""
    azimuth = math.radians(part.azimuth_deg)
    return PointMm(part.offset_mm * math.sin(azimuth), -part.offset_mm * math.cos(azimuth), part.height_mm)


def extended_wind(part: Extended) -> WindArea:
    """Its height times its width, at its height; of a flat thing by the side it is seen from."""
    face = part.tall_mm * part.wide_mm
    if part.deep_mm is None:
        # Round: as wide from everywhere.
        return WindArea(face, face, 0.0, part.height_mm)
    return WindArea(face, part.tall_mm * part.deep_mm, math.radians(part.azimuth_deg), part.height_mm)


def latex_mass(balloons: Iterable[PartBalloons], masses: Mapping[float, float]) -> float:
    """Mass of balloons, g; `masses` by nominal size."""
    return sum(masses.get(line.nominal_in, 0.0) * line.count for line in balloons)
