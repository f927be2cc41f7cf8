"""What is tied in, on and around the rows of a piece, each kind with the fields that mean something for it.

Where a part goes, what it weighs, consumes and is called: `kakushi.dress`.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field

from kakushi.model.limits import ColourKey, Key, Length, Mass, Name
from kakushi.model.values import Value


class BalloonRole(StrEnum):
    """What a balloon is used as. Supplies are counted per role; a part's role bears the name of its kind."""

    ROW = "row"
    BALL = "ball"
    INNER = "inner balloon"
    TOPPER = "topper"
    COLLAR = "collar"
    CLUSTER = "cluster"
    ACCENT = "accent"
    HUNG = "hung load"
    WEIGHT = "weight"
    CAP = "cap"


class PartBalloons(Value):
    """Balloons a part consumes, sized to `diameter_mm` (None: as is usual for the part).

    `seen`: they are drawn (a split duplet shows more than it uses).
    """

    nominal_in: float = Field(gt=0, le=100)
    diameter_mm: float | None = Field(default=None, gt=0, le=3000)
    colour: ColourKey
    count: int = Field(ge=0, le=1000)
    seen: bool = True


class PartItem(Value):
    """Something else a part consumes: a foil shape, a disc, a light."""

    item: Name = Field(min_length=1)
    count: float = Field(gt=0, le=10_000)
    unit: str = Field(default="pcs", max_length=12)


class PartValue(Value):
    """What all kinds of part have. `mass_g` 0: as much as its balloons weigh."""

    key: Key
    name: Name = ""
    mass_g: Mass = 0.0
    balloons: Annotated[tuple[PartBalloons, ...], Field(max_length=50, fail_fast=True)] = ()
    strips: float = Field(default=0.0, ge=0, le=1000)
    items: Annotated[tuple[PartItem, ...], Field(max_length=50, fail_fast=True)] = ()


class Placed(PartValue):
    """A part that hangs or lies somewhere: height above the floor, direction from the front, distance from the pole."""

    height_mm: Length = 0.0
    azimuth_deg: float = Field(default=0.0, ge=-360, le=360)
    offset_mm: Length = 0.0


class Extended(Placed):
    """A placed part that the wind meets: how tall and wide it is; 0 for a thing too small to count.

    `deep_mm`: from its face to its back, of a flat thing like a sign that faces where it hangs; None: as deep as wide.
    """

    tall_mm: Length = 0.0
    wide_mm: Length = 0.0
    deep_mm: Length | None = None


class Topper(Extended):
    """What ends the column. Without a height it stands on the highest balloons.

    `follows_swirl`: it is turned as the last row is instead of standing straight; dressing will read it.
    """

    kind: Literal["topper"] = "topper"
    follows_swirl: bool = False


class Cluster(Extended):
    """Balloons tied in afterwards, to hide mechanics or to add volume."""

    kind: Literal["cluster"] = "cluster"


class Collar(Extended):
    """A ring of small balloons that hides a joint."""

    kind: Literal["collar"] = "collar"


class Accent(Extended):
    """A last decoration."""

    kind: Literal["accent"] = "accent"


class HungLoad(Extended):
    """Something heavy that hangs on the piece, by so many fixings."""

    kind: Literal["hung load"] = "hung load"
    fixings: int = Field(default=1, ge=0, le=20)


class Weight(Placed):
    """Ballast: water balloon, sand, plate."""

    kind: Literal["weight"] = "weight"


class Cap(PartValue):
    """An uninflated balloon pulled over a sharp pole end."""

    kind: Literal["cap"] = "cap"


Part = Annotated[Topper | Cluster | Collar | Accent | HungLoad | Weight | Cap, Field(discriminator="kind")]
