"""A job: the brief, the settings used and the pieces. See `docs/format.md`.

Nothing derived is stored here: heights reached, colours of slots and supplies come
from `kakushi.planning`.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kakushi.model.catalogue import DEFAULT_PALETTE, BalloonColour
from kakushi.model.layers import ColourLayer
from kakushi.model.units import inches
from kakushi.model.values import Value

SMALLEST_HEIGHT_MM, LARGEST_HEIGHT_MM = 200.0, 20_000.0
SMALLEST_WIDTH_MM, LARGEST_WIDTH_MM = 40.0, 6_000.0
SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM = inches(1), inches(60)
SMALLEST_COUNT, LARGEST_COUNT = 2, 12
MOST_COPIES, MOST_ROWS, MOST_PIECES = 500, 1000, 200

Length = Annotated[float, Field(ge=0, le=100_000)]
Mass = Annotated[float, Field(ge=0, le=1_000_000)]
Name = Annotated[str, Field(max_length=120)]
Key = Annotated[int, Field(ge=1, le=2**31)]


class Tightness(StrEnum):
    """How hard rows are packed, as a hand feels it."""

    LOOSE = "loose"
    SNUG = "snug"
    TIGHT = "tight"


class JointKind(StrEnum):
    """How a row is held to the row below."""

    WRAPPED = "wrapped on the pole"
    NECK_TIED = "neck tied to neck"
    LINE_EIGHT = "line figure-eighted round both"
    RIBBON = "ribbon wound round every balloon"
    STRIP = "one strip per joint"
    LINK_TIED = "link tips tied"


class LandingSchool(StrEnum):
    """How clusters are brought to the pole; it decides how colours land."""

    CLUSTER_FIRST = "cluster first"
    DUPLETS_LAID_ON = "duplets laid on"
    LINE_BUILT = "line-built"


class SeenSides(StrEnum):
    """Which sides the client sees."""

    FRONT = "front only"
    FRONT_AND_BACK = "front and back"
    ALL_ROUND = "all round"


# --- rows and groups ---------------------------------------------------------------


class Slot(Value):
    """One balloon's place. `colour` None: the piece's pattern decides."""

    nominal_in: float = Field(gt=0, le=100)
    diameter_mm: float = Field(ge=SMALLEST_DIAMETER_MM, le=LARGEST_DIAMETER_MM)
    colour: str | None = None
    inner_colour: str | None = None


Slots = Annotated[tuple[Slot, ...], Field(min_length=SMALLEST_COUNT, max_length=LARGEST_COUNT)]


class Row(Value):
    """One flat cluster. `key` stays with the row through every edit of the piece."""

    key: Key
    slots: Slots
    pinned: bool = False
    joint: JointKind | None = None
    turn_deg: float | None = Field(default=None, ge=-360, le=360)

    @property
    def count(self) -> int:
        """Balloons in the row."""
        return len(self.slots)

    @property
    def is_uniform(self) -> bool:
        """Whether all slots have one nominal size and one sized diameter."""
        first = self.slots[0]
        return all((s.nominal_in, s.diameter_mm) == (first.nominal_in, first.diameter_mm) for s in self.slots)

    @property
    def diameter_mm(self) -> float:
        """Mean sized diameter, mm."""
        return sum(s.diameter_mm for s in self.slots) / self.count


def uniform_row(key: int, count: int, nominal_in: float, diameter_mm: float) -> Row:
    """A row of `count` equal balloons."""
    return Row(key=key, slots=(Slot(nominal_in=nominal_in, diameter_mm=diameter_mm),) * count)


def size_count(rows: Iterable[Row]) -> int:
    """Different sizer settings of rows: pairs of nominal size and sized diameter."""
    return len({(slot.nominal_in, round(slot.diameter_mm, 3)) for row in rows for slot in row.slots})


class Anchor(Value):
    """Where a group is held: on the floor (or base), at a height, or hanging below one."""

    kind: Literal["floor", "at height", "hanging below"] = "floor"
    height_mm: Length = 0.0


class RowsGroup(Value):
    """Consecutive rows that touch, foot first."""

    kind: Literal["rows"] = "rows"
    anchor: Anchor = Anchor()
    rows: Annotated[tuple[Row, ...], Field(max_length=MOST_ROWS)] = ()


class BallGroup(Value):
    """A ball: many duplets crossed on one knot, pointing all ways."""

    kind: Literal["ball"] = "ball"
    anchor: Anchor = Anchor()
    slots: Annotated[tuple[Slot, ...], Field(min_length=4, max_length=24)]


class RoomGroup(Value):
    """Reserved room on the pole (for a sign, a light, a hung thing)."""

    kind: Literal["room"] = "room"
    anchor: Anchor = Anchor()
    height_mm: Length


class BarePoleGroup(Value):
    """A length of bare pole, wrapped with modelling balloons when `colour` is given."""

    kind: Literal["bare pole"] = "bare pole"
    anchor: Anchor = Anchor()
    height_mm: Length
    colour: str | None = None
    wrap: Literal["none", "coil", "plait"] = "coil"


Group = Annotated[RowsGroup | BallGroup | RoomGroup | BarePoleGroup, Field(discriminator="kind")]


# --- parts and frame -----------------------------------------------------------------


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


class Base(Value):
    """What the pole or line stands on."""

    kind: Literal["stand", "plate", "foam", "weight", "none"] = "stand"
    height_mm: Length = 0.0
    radius_mm: Length = 150.0
    mass_g: Mass = 3000.0


class Frame(Value):
    """What holds the column: a pole in a base, a line on a weight, or link frames."""

    kind: Literal["pole", "line", "frameless"] = "pole"
    pole_diameter_mm: Length = 25.0
    pole_length_mm: Length | None = None
    pole_name: Name = ""
    pole_g_per_m: float = Field(default=250.0, ge=0, le=50_000)
    painted: bool = False
    capped: bool = True
    base: Base = Base()


# --- outline, colour, fit --------------------------------------------------------------


class Handle(Value):
    """One adjustable measure of a preset outline: a width in mm or a fraction of the height."""

    name: Name
    value: float = Field(gt=0, le=LARGEST_WIDTH_MM)


class PresetOutline(Value):
    """One of `shape.presets` with its handles; stretched to the piece's target height."""

    kind: Literal["preset"] = "preset"
    preset: Name
    handles: Annotated[tuple[Handle, ...], Field(max_length=8)] = ()


class OutlinePoint(Value):
    """Half-widths of an outline at one height, left and right of the axis."""

    height_mm: Length
    left_mm: Length
    right_mm: Length


class PointsOutline(Value):
    """An outline as points from the foot up, stretched to the target height; `smooth`: a curve through them."""

    kind: Literal["points"] = "points"
    name: Name = ""
    points: Annotated[tuple[OutlinePoint, ...], Field(min_length=2, max_length=5000)]
    smooth: bool = False


Outline = Annotated[PresetOutline | PointsOutline, Field(discriminator="kind")]


class StockLine(Value):
    """Balloons of one nominal size on hand for a piece, all colours together."""

    nominal_in: float = Field(gt=0, le=100)
    balloons: int = Field(ge=0, le=1_000_000)


class FitControls(Value):
    """What the fit may use. None means no limit; empty `nominals` means the whole catalogue.

    `ratio_limit` bounds neighbouring diameters, `even_steps` (0 to 1) weighs smooth grading,
    `row_count` fixes the number of rows, `stock` the balloons of a nominal size.
    """

    counts: Annotated[tuple[int, ...], Field(min_length=1, max_length=7)] = (4,)
    nominals: Annotated[tuple[float, ...], Field(max_length=30)] = ()
    max_sizes: int | None = Field(default=None, ge=1, le=60)
    ratio_limit: float | None = Field(default=None, ge=1.05, le=5)
    even_steps: float = Field(default=0.0, ge=0, le=1)
    row_count: int | None = Field(default=None, ge=1, le=200)
    stock: Annotated[tuple[StockLine, ...], Field(max_length=60)] = ()


# --- the piece and the job ----------------------------------------------------------------


class Copy(Value):
    """One copy of a piece. With a height of its own it has groups of its own."""

    label: Name = ""
    target_height_mm: Length | None = None
    groups: tuple[Group, ...] | None = None


class Piece(Value):
    """One thing that stands on the floor, in one or more copies."""

    key: Key
    name: Name
    target_height_mm: float = Field(default=2100.0, ge=SMALLEST_HEIGHT_MM, le=LARGEST_HEIGHT_MM)
    target_includes_topper: bool = False
    outline: Outline = PresetOutline(preset="straight")
    groups: Annotated[tuple[Group, ...], Field(max_length=40)] = (RowsGroup(),)
    foot_angle_deg: float = Field(default=0.0, ge=-360, le=360)
    seen_sides: SeenSides = SeenSides.ALL_ROUND
    copies: Annotated[tuple[Copy, ...], Field(min_length=1, max_length=MOST_COPIES)] = (Copy(),)
    joint: JointKind = JointKind.WRAPPED
    school: LandingSchool = LandingSchool.CLUSTER_FIRST
    tightness: Tightness = Tightness.SNUG
    packing_name: Name | None = None
    frame: Frame = Frame()
    parts: Annotated[tuple[Part, ...], Field(max_length=500)] = ()
    layers: Annotated[tuple[ColourLayer, ...], Field(max_length=50)] = ()
    paint_shown: bool = True
    locked: bool = False
    half_turns: int = Field(default=1, ge=0, le=4)
    tie_mixed: bool = False
    fit: FitControls = FitControls()

    @property
    def rows(self) -> tuple[Row, ...]:
        """All rows, foot first, over all groups of rows."""
        return tuple(row for group in self.groups if isinstance(group, RowsGroup) for row in group.rows)

    @property
    def foot_mm(self) -> float:
        """Floor to where the first balloons stand: the base, and bare pole or room left above it."""
        foot = self.frame.base.height_mm if self.frame.base.kind != "none" else 0.0
        for group in self.groups:
            if not isinstance(group, RoomGroup | BarePoleGroup) or group.anchor.kind != "floor":
                break
            foot += group.height_mm
        return foot

    @model_validator(mode="after")
    def _row_keys_differ(self) -> Piece:
        keys = [row.key for row in self.rows]
        if len(set(keys)) != len(keys):
            raise ValueError(f"piece “{self.name}” has two rows with one key")
        return self


class Brief(Value):
    """What the client wants, and when and where."""

    title: Name = "Untitled job"
    event: Name = ""
    event_date: dt.date | None = None
    place: Literal["indoors", "outdoors"] = "indoors"
    handover: Literal["delivered", "collected"] = "delivered"
    gust_mps: float | None = Field(default=None, ge=0, le=60)
    notes: str = Field(default="", max_length=20_000)


class Settings(Value):
    """What this job is planned with.

    `confidence` that spares last; `drag` coefficient of a column in wind, `gust_factor` of gusts
    over the mean wind, `tilt_deg` a piece should stand when bumped.
    """

    confidence: float = Field(default=0.95, ge=0.5, le=0.999)
    drag: float = Field(default=1.2, ge=0.3, le=3)
    gust_factor: float = Field(default=1.5, ge=1, le=4)
    tilt_deg: float = Field(default=6.0, ge=0, le=45)


class Pricing(Value):
    """What a job is priced with; the currency is a free label. Percentages of the sum so far."""

    currency: str = Field(default="", max_length=12)
    hourly: float = Field(default=25.0, ge=0, le=100_000)
    delivery: float = Field(default=0.0, ge=0, le=1_000_000)
    margin_percent: float = Field(default=30.0, ge=0, le=1000)
    tax_percent: float = Field(default=0.0, ge=0, le=100)
    helpers: int = Field(default=1, ge=1, le=100)


class Done(Value):
    """So many duplets (triplets, singles) of a line of the inflation sheet are ready."""

    line: str = Field(min_length=1, max_length=400)
    count: int = Field(ge=1, le=1_000_000)


class Job(Value):
    """The document: everything a sculptor decided, nothing that follows from it."""

    brief: Brief = Brief()
    settings: Settings = Settings()
    palette: Annotated[tuple[BalloonColour, ...], Field(min_length=1, max_length=200)] = DEFAULT_PALETTE
    pieces: Annotated[tuple[Piece, ...], Field(max_length=MOST_PIECES)] = ()
    pricing: Pricing = Pricing()
    done: Annotated[tuple[Done, ...], Field(max_length=10_000)] = ()

    @model_validator(mode="after")
    def _keys_differ(self) -> Job:
        for what, keys in (
            ("pieces", [p.key for p in self.pieces]),
            ("colours", [c.key for c in self.palette]),
        ):
            if len(set(keys)) != len(keys):
                raise ValueError(f"two {what} share one key")
        return self

    def piece(self, key: int) -> Piece | None:
        """The piece with that key, or None."""
        return next((p for p in self.pieces if p.key == key), None)

    def colour(self, key: str) -> BalloonColour:
        """The colour with that key; an unknown key gets a stand-in that says so."""
        found = next((c for c in self.palette if c.key == key), None)
        return found or BalloonColour(
            key=key[:60] or "?", name=f"{key[:50] or '?'} (not in palette)", code="?", hex="#9a9a9a"
        )
