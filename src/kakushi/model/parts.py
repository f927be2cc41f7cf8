"""What is tied in, on and around the rows of a piece: toppers, fillers, accents, hung loads, weights, caps."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from kakushi.model.limits import Key, Length, Mass, Name
from kakushi.model.values import Value


class PartKind(StrEnum):
    """What a balloon is used as. Supplies are counted per part kind."""

    ROW = "row"
    BALL = "ball"
    INNER = "inner balloon"
    TOPPER = "topper"
    COLLAR = "collar"
    FILLER = "filler"
    ACCENT = "accent"
    HUNG = "hung load"
    WEIGHT = "weight"
    CAP = "cap"


class PartBalloons(Value):
    """Balloons a part consumes; `seen` of them are drawn (a split duplet shows more than it uses)."""

    nominal_in: float = Field(gt=0, le=100)
    colour: str
    count: int = Field(ge=0, le=1000)
    seen: bool = True


class PartItem(Value):
    """Something else a part consumes: a foil shape, a disc, a light."""

    item: Name = Field(min_length=1)
    count: float = Field(gt=0, le=10_000)
    unit: str = Field(default="pcs", max_length=12)


class Part(Value):
    """A topper, filler, accent, hung load, weight or cap with its place and what it uses."""

    key: Key
    kind: PartKind
    name: Name = ""
    height_mm: Length = 0.0
    azimuth_deg: float = Field(default=0.0, ge=-360, le=360)
    offset_mm: Length = 0.0
    tall_mm: Length = 0.0
    wide_mm: Length = 0.0
    mass_g: Mass = 0.0
    follows_swirl: bool = False
    balloons: Annotated[tuple[PartBalloons, ...], Field(max_length=50)] = ()
    strips: float = Field(default=0.0, ge=0, le=1000)
    fixings: int = Field(default=1, ge=0, le=20)
    items: Annotated[tuple[PartItem, ...], Field(max_length=50)] = ()
