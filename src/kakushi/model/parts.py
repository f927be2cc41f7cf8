"""What is tied in, on and around the rows of a piece, each kind with the fields that mean something for it.

Where a part goes, what it weighs, consumes and is called: `kakushi.dress`.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from kakushi.model.limits import MAX_JOINTS, ColourKey, Key, Length, Mass, Name
from kakushi.model.outline import PointsOutline
from kakushi.model.sizing import Sizing
from kakushi.model.used import Used
from kakushi.model.values import Value

MAX_TIED_TO = 12
"""Most joints that a thing is tied to: more would be a net."""
Diameter = Annotated[float, Field(gt=0, le=3000)]
"""Sized, mm."""


class PartBalloons(Value):
    """Balloons a part consumes, sized to `diameter_mm` (None: as is usual for the part).

    `seen`: they are drawn (a split duplet shows more than it uses).
    """

    nominal_in: float = Field(gt=0, le=100)
    diameter_mm: float | None = Field(default=None, gt=0, le=3000)
    colour: ColourKey
    count: int = Field(ge=0, le=1000)
    seen: bool = True


def _no_balloon(used: Used) -> Used:
    if used != Used(item=used.item, count=used.count, unit=used.unit):
        raise ValueError("balloons are listed as balloons")
    return used


Listed = Annotated[Used, AfterValidator(_no_balloon), Field(description="Something else a part uses: a disc, a light")]


class PartValue(Value):
    """What all kinds of part have. `mass_g` 0: as much as its balloons weigh."""

    key: Key
    name: Name = ""
    mass_g: Mass = 0.0
    balloons: Annotated[tuple[PartBalloons, ...], Field(max_length=50, fail_fast=True)] = ()
    strips: float = Field(default=0.0, ge=0, le=1000)
    items: Annotated[tuple[Listed, ...], Field(max_length=50, fail_fast=True)] = ()


class Placed(PartValue):
    """A part that hangs or lies somewhere: height above the floor, direction from the front, distance from the pole.

    With a `row` (key) it moves with the row: `up_mm` above its knot; `height_mm` holds where that row is gone.
    """

    height_mm: Length = 0.0
    row: Key | None = None
    up_mm: float = Field(default=0.0, ge=-20_000, le=20_000)
    azimuth_deg: float = Field(default=0.0, ge=-360, le=360)
    offset_mm: Length = 0.0


class Fixing(StrEnum):
    """How a part is held."""

    LISTED = "as listed"
    STRIP = "strip round the top two rows"
    VALVE = "rolled valve with a strip"
    RIBBON = "ribbon and tape"
    DOTS = "adhesive dots"
    MAGNET = "magnet disc"
    CROSSED = "strips crossed with tape"


class Extended(Placed):
    """A placed part that the wind meets: how tall and wide it is; 0 for a thing too small to count.

    `fixing`: how it is held; "as listed" takes only its own strips and items. `deep_mm`: from its face to its back, of
    a flat thing like a sign that faces where it hangs; None: as deep as wide. `colour`: what it is drawn in; "": it is
    not drawn, but for its balloons. `on`: key of another part that it is fixed to, so far above, beside and before the
    middle of that one as it says of the pole. `tied_to`: joints of the piece's first open frame, by their places from
    0, that it is tied to, one fixing at each; it hangs so far from their middle. `in_sight`: nothing is placed before
    it; None: as is usual for its kind.
    """

    tall_mm: Length = 0.0
    wide_mm: Length = 0.0
    deep_mm: Length | None = None
    fixing: Fixing = Fixing.LISTED
    colour: ColourKey = ""
    on: Key | None = None
    tied_to: Annotated[tuple[Annotated[int, Field(ge=0, lt=MAX_JOINTS)], ...], Field(max_length=MAX_TIED_TO)] = ()
    in_sight: bool | None = None


class FoilShape(Extended):
    """A balloon of metallised film: a `shape` of `dress.foils`, `text` in letters, or any `outline`.

    `tall_mm`, `wide_mm` and `deep_mm` are those of the full foil. It `stands` on the highest balloons, or is fixed at
    its height, facing where it hangs. `valve`: where it is filled, and held.
    """

    kind: Literal["foil shape"] = "foil shape"
    # None larger is made.
    tall_mm: float = Field(default=0.0, ge=0, le=5000)
    wide_mm: float = Field(default=0.0, ge=0, le=5000)
    shape: Literal["star", "heart", "round", "ring", "crescent", "fish", "letters"] = "star"
    text: str = Field(default="", max_length=12)
    outline: PointsOutline | None = None
    stands: bool = True
    valve: Literal["below", "at the side", "above"] = "below"


class Starburst(Extended):
    """Cones of foil tied together by their tips' ends, `cones` of them, pointing all ways; as tall as it is wide.

    `tied`: made by hand of so many small foils, tied in pairs; else bought as one.
    """

    kind: Literal["starburst"] = "starburst"
    cones: int = Field(default=12, ge=4, le=40)
    tied: bool = False
    stands: bool = True


class Bow(Extended):
    """A bow of ribbon: two loops, and `tails` that hang down `tail_mm`."""

    kind: Literal["bow"] = "bow"
    tails: int = Field(default=2, ge=0, le=20)
    tail_mm: float = Field(default=300.0, ge=0, le=5000)


class Ribbons(Extended):
    """Tails of ribbon that hang down from one place, `tails` of them, `tall_mm` long."""

    kind: Literal["ribbons"] = "ribbons"
    tails: int = Field(default=5, ge=1, le=60)


class Lettering(PartValue):
    """Words of film on a big balloon, line by line, the first one biggest.

    `on`: key of the topper, the first one without it. `cap`: how far out it may reach, over the balloon's radius.
    """

    kind: Literal["lettering"] = "lettering"
    text: str = Field(default="", max_length=80)
    on: Key | None = None
    colour: ColourKey = ""
    cap: float = Field(default=0.8, ge=0.2, le=0.95)


class LookFrom(Value):
    """An eye: direction from the pole (degrees anticlockwise from the front), height, distance from the pole."""

    name: Name = ""
    azimuth_deg: float = Field(default=0.0, ge=-360, le=360)
    height_mm: float = Field(default=1600.0, ge=0, le=20_000)
    distance_mm: float = Field(default=2500.0, ge=300, le=100_000)


class Dressing(Value):
    """How a piece is judged and finished: the eyes it is seen by, and what is done with the necks of its balloons.

    Without `eyes` somebody stands at every side that is seen. `necks_out`: the tails of the knots stick out between
    the balloons, `neck_mm` long, instead of being tucked in.
    """

    eyes: Annotated[tuple[LookFrom, ...], Field(max_length=24, fail_fast=True)] = ()
    necks_out: bool = True
    neck_mm: float = Field(default=25.0, ge=0, le=300)


class Topper(Extended):
    """What ends the column. Without a height it stands on the highest balloons.

    `follows_swirl`: it leans on along the swirl of the last rows instead of standing straight.
    """

    kind: Literal["topper"] = "topper"
    follows_swirl: bool = False


class FillerTie(StrEnum):
    """How a filler cluster is held."""

    ASTRIDE = "strip astride a balloon"
    LOOP = "loop round a neck"
    BAND = "doubled band"
    NECK = "by its neck"
    DOT = "adhesive dot"
    CHAIN = "chained on a hanging strip"


class FillerLook(StrEnum):
    """What a set of fillers is to look like."""

    ROUND = "round"
    CLOUD = "cloud"
    ORGANIC = "organic"
    DRIP = "drip"
    SCATTERED = "scattered evenly"


class Seat(Value):
    """Where one filler cluster sits: beside a balloon of a row.

    `along`: so far of the way to the next slot, anticlockwise; `up`: from the row's knot, in mean diameters of the row.
    It moves with its row and keeps its place when the row is resized. `turn_deg` about its way out from the pole;
    `colours` of its balloons in order, the set's where there are none; `diameters_mm` likewise. A locked one stays
    where it is when the others are placed again. `is_other`: the cluster at the other end of a strip.
    `ball`: number (from 0) of the ball that it is on instead, tied to the crossing of its necks; `slot` is a twelfth of
    the way round it then, and `up` counts from its middle in its diameters.
    """

    row: Key
    slot: int = Field(ge=0, lt=100)
    along: float = Field(default=0.5, ge=0, le=1)
    up: float = Field(default=0.0, ge=-3, le=3)
    turn_deg: float = Field(default=0.0, ge=-360, le=360)
    colours: Annotated[tuple[ColourKey, ...], Field(max_length=12, fail_fast=True)] = ()
    diameters_mm: Annotated[tuple[Diameter, ...], Field(max_length=12, fail_fast=True)] = ()
    locked: bool = False
    is_other: bool = False
    ball: int | None = Field(default=None, ge=0, le=100)


class FillerZone(Value):
    """Where fillers may sit: between two rows (keys; None: from the first, to the last) and between two directions.

    `from_deg` to `to_deg` anticlockwise from the front; None: wherever somebody looks from.
    """

    first_row: Key | None = None
    last_row: Key | None = None
    from_deg: float | None = Field(default=None, ge=-360, le=360)
    to_deg: float | None = Field(default=None, ge=-360, le=360)


class SideShares(Value):
    """How many clusters each quarter of the piece takes beside the others; all 0: evenly wherever somebody looks."""

    front: int = Field(default=0, ge=0, le=100)
    right: int = Field(default=0, ge=0, le=100)
    back: int = Field(default=0, ge=0, le=100)
    left: int = Field(default=0, ge=0, le=100)

    @property
    def anticlockwise(self) -> tuple[int, int, int, int]:
        """The shares anticlockwise from above, the front first."""
        return self.front, self.right, self.back, self.left


class Fillers(PartValue):
    """A set of small clusters tied in afterwards, to hide mechanics or to add volume.

    `balloons`: those of one cluster; `wanted` clusters, at their `seats` once they are placed. `is_split`: each balloon
    is half filled and twisted in the middle, two of them together: two used, four bubbles seen. `odd`: an odd number
    is preferred. `bridges`: each takes its colours from the rows it touches. `dark_below`: of the
    set's colours the lower clusters take the darker ones. `other_each`: balloons of every second cluster, at the other
    end of a strip, where they are not as many. `sizes_mm`: what the balloons of an assorted set are sized to, a few
    different sizes. `shares`: how scattered ones are shared out between the sides. `sizing`: how they are sized where
    nobody measures them; their diameters follow from it.
    """

    kind: Literal["fillers"] = "fillers"
    wanted: int = Field(default=1, ge=1, le=1000)
    other_each: int | None = Field(default=None, ge=1, le=12)
    tie: FillerTie = FillerTie.ASTRIDE
    look: FillerLook = FillerLook.ROUND
    zone: FillerZone = FillerZone()
    shares: SideShares = SideShares()
    is_split: bool = False
    odd: bool = False
    bridges: bool = False
    dark_below: bool = False
    sizes_mm: Annotated[tuple[Diameter, ...], Field(max_length=20, fail_fast=True)] = ()
    sizing: Sizing | None = None
    seats: Annotated[tuple[Seat, ...], Field(max_length=1000, fail_fast=True)] = ()


class Collar(Extended):
    """A ring of small balloons that hides a joint."""

    kind: Literal["collar"] = "collar"


class Accent(Extended):
    """A last decoration."""

    kind: Literal["accent"] = "accent"


class Hung(Extended):
    """What hangs on the piece by so many fixings."""

    fixings: int = Field(default=1, ge=0, le=20)


class HungLoad(Hung):
    """Something heavy that hangs on the piece."""

    kind: Literal["hung load"] = "hung load"


class Board(Hung):
    """A flat board or sign, its face away from the pole."""

    kind: Literal["board"] = "board"


class Toy(Hung):
    """A cloth or a toy held at two places: its own, and one `to_deg` further round and `to_up_mm` higher."""

    kind: Literal["cloth or toy"] = "cloth or toy"
    to_deg: float = Field(default=60.0, ge=-180, le=180)
    to_up_mm: float = Field(default=0.0, ge=-5000, le=5000)


class Plants(Extended):
    """Flowers or grass, `stems` of them, spread about the foot or wherever they stand."""

    kind: Literal["flowers or grass"] = "flowers or grass"
    stems: int = Field(default=12, ge=1, le=200)


class Flowers(Extended):
    """Flowers tied from balloons: `balloons` are the petals of one, with a middle in `middle_colour` ("" for none).

    `colour` is that of their stems, `wide_mm` of the ring in which they stand, `tall_mm` of the tallest.
    """

    kind: Literal["flowers of balloons"] = "flowers of balloons"
    flowers: int = Field(default=5, ge=1, le=60)
    middle_colour: ColourKey = ""


class Sticks(Extended):
    """Straws or sticks fanned out from where they are held: how many, how long (`tall_mm`) and how thick."""

    kind: Literal["straws or sticks"] = "straws or sticks"
    sticks: int = Field(default=5, ge=1, le=100)
    thick_mm: float = Field(default=6.0, ge=1, le=100)


class Weight(Placed):
    """Ballast: water balloon, sand, plate."""

    kind: Literal["weight"] = "weight"


class Cap(PartValue):
    """An uninflated balloon pulled over a sharp pole end."""

    kind: Literal["cap"] = "cap"


Part = Annotated[
    Topper
    | Fillers
    | Collar
    | Accent
    | FoilShape
    | Starburst
    | Bow
    | Ribbons
    | Lettering
    | HungLoad
    | Board
    | Toy
    | Plants
    | Flowers
    | Sticks
    | Weight
    | Cap,
    Field(discriminator="kind"),
]
