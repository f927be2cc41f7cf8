"""What a studio owns and has learnt besides balloons: poles, bases, stock, bags, rates, inflators, rules.

The defaults are general craft values to be replaced by one's own; prices are in whatever currency the
job's label names.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kakushi.model.values import Value

Name = Annotated[str, Field(min_length=1, max_length=80)]
Price = Annotated[float, Field(ge=0, le=1_000_000)]
Millimetres = Annotated[float, Field(gt=0, le=20_000)]

Handling = Literal["indoors", "outdoors"]
Per = Literal[
    "job", "copy", "row", "joint", "balloon", "topper", "hung load", "accent", "cluster", "metre of pole",
    "metre of height", "pole joint",
]  # fmt: skip


class PoleKind(Value):
    """A kind of pole: lengths it is sold in, what a metre weighs; `section_mm` where sections are screwed together."""

    name: Name
    diameter_mm: float = Field(gt=0, le=300)
    g_per_m: float = Field(ge=0, le=50_000)
    stock_mm: Annotated[tuple[Millimetres, ...], Field(min_length=1, max_length=20)]
    section_mm: Millimetres | None = None
    price_per_m: Price = 0.0


class BaseKind(Value):
    """A kind of base with its round footprint; `price` is what one charges for its use."""

    name: Name
    kind: Literal["stand", "plate", "foam", "weight"] = "stand"
    height_mm: float = Field(ge=0, le=2000)
    radius_mm: float = Field(gt=0, le=3000)
    mass_g: float = Field(ge=0, le=1_000_000)
    price: Price = 0.0


class StockItem(Value):
    """Balloons of one nominal size and colour (by key) on hand."""

    nominal_in: float = Field(gt=0, le=100)
    colour: str = Field(min_length=1, max_length=60)
    balloons: int = Field(ge=0, le=1_000_000)


class Bag(Value):
    """A bag as sold: so many balloons of one nominal size and colour; colour "" means any one colour."""

    nominal_in: float = Field(gt=0, le=100)
    balloons: int = Field(ge=1, le=100_000)
    price: Price = 0.0
    colour: str = Field(default="", max_length=60)


class PopRecord(Value):
    """How many balloons of a nominal size were used, and how many popped, handled in one way."""

    nominal_in: float = Field(gt=0, le=100)
    handling: Handling
    used: int = Field(ge=0, le=10_000_000)
    popped: int = Field(ge=0, le=10_000_000)

    @model_validator(mode="after")
    def _not_more_popped_than_used(self) -> PopRecord:
        if self.popped > self.used:
            raise ValueError("more balloons popped than were used")
        return self


class TrialPoint(Value):
    """One trial: strokes or seconds, and the diameter (mm) that came of it."""

    setting: float = Field(gt=0, le=10_000)
    diameter_mm: float = Field(gt=0, le=3000)


class Trials(Value):
    """Trial points of one nominal size."""

    nominal_in: float = Field(gt=0, le=100)
    points: Annotated[tuple[TrialPoint, ...], Field(max_length=200)] = ()


class Inflator(Value):
    """A pump counted in strokes or a timed inflator; `step` is the finest setting, strokes or s."""

    name: Name
    method: Literal["strokes", "timed"] = "strokes"
    step: float = Field(default=0.5, gt=0, le=100)
    trials: Annotated[tuple[Trials, ...], Field(max_length=60)] = ()

    @property
    def unit(self) -> str:
        """What its settings are counted in."""
        return "strokes" if self.method == "strokes" else "s"

    def points(self, nominal_in: float) -> tuple[TrialPoint, ...]:
        """Trial points of a nominal size."""
        return next((t.points for t in self.trials if t.nominal_in == nominal_in), ())


LONGEST_WORK_S = 3600.0
"""Longest time for one balloon, duplet or thing put into one, s: longer ones are typing errors."""


class Rates(Value):
    """Seconds of work: per balloon inflated, per duplet tied, per row stacked, per part put on, per copy set up.

    `insert_s`: per thing put into a balloon before it is inflated.
    """

    inflate_s: float = Field(default=12.0, ge=0, le=LONGEST_WORK_S)
    tie_s: float = Field(default=10.0, ge=0, le=LONGEST_WORK_S)
    insert_s: float = Field(default=15.0, ge=0, le=LONGEST_WORK_S)
    row_s: float = Field(default=60.0, ge=0, le=36_000)
    part_s: float = Field(default=240.0, ge=0, le=36_000)
    set_up_s: float = Field(default=1200.0, ge=0, le=360_000)

    def bunch_s(self, size: int) -> float:
        """Seconds to inflate so many balloons and tie them together; a single is not tied to anything."""
        return size * self.inflate_s + (self.tie_s if size > 1 else 0.0)


class ItemRule(Value):
    """How much of an item is used per something counted, and how it is bought (`pack` units at `price`)."""

    item: Name
    unit: str = Field(default="", max_length=12)
    per: Per = "copy"
    amount: float = Field(default=0.0, ge=0, le=100_000)
    pack: float = Field(default=1.0, gt=0, le=100_000)
    price: Price = 0.0


class AccessLimits(Value):
    """What pieces go through and into, mm: the narrowest door on the way, and the room in the vehicle."""

    door_wide_mm: float = Field(default=800.0, ge=100, le=20_000)
    door_tall_mm: float = Field(default=2000.0, ge=100, le=20_000)
    room_long_mm: float = Field(default=2400.0, ge=100, le=20_000)
    room_wide_mm: float = Field(default=1200.0, ge=100, le=20_000)
    room_tall_mm: float = Field(default=1250.0, ge=100, le=20_000)


class Sign(Value):
    """What clients read of the studio: its name, and how it is reached."""

    name: str = Field(default="", max_length=80)
    contact: str = Field(default="", max_length=200)


class FrameRules(Value):
    """Saw kerf (mm), paint cover (m² per can and coat), coats, waiting times (h), rest of the frame's habits."""

    kerf_mm: float = Field(default=3.0, ge=0, le=20)
    cover_m2: float = Field(default=1.6, gt=0, le=1000)
    coats: int = Field(default=2, ge=1, le=10)
    spare_cans: int = Field(default=1, ge=0, le=20)
    paint_dry_h: float = Field(default=12.0, ge=0, le=500)
    glue_g: float = Field(default=10.0, ge=0, le=10_000)
    glue_dry_h: float = Field(default=12.0, ge=0, le=500)
    can_price: Price = 7.0
    modelling_in: float = Field(default=60.0, gt=0, le=200)
    modelling_wide_mm: float = Field(default=45.0, gt=0, le=200)
    line_tail_mm: float = Field(default=500.0, ge=0, le=10_000)


DEFAULT_POLES = (
    PoleKind(name="plastic pipe 25 mm", diameter_mm=25, g_per_m=250, stock_mm=(2000, 3000), price_per_m=2.0),
    PoleKind(name="plastic pipe 20 mm", diameter_mm=20, g_per_m=180, stock_mm=(2000, 3000), price_per_m=1.6),
    PoleKind(name="conduit 20 mm", diameter_mm=20, g_per_m=700, stock_mm=(3000,), price_per_m=3.5),
    PoleKind(name="lamp-stand tube in sections", diameter_mm=22, g_per_m=450, stock_mm=(400,), section_mm=400,
             price_per_m=9.0),
    PoleKind(name="telescopic pole", diameter_mm=28, g_per_m=350, stock_mm=(1200, 2400), price_per_m=11.0),
)  # fmt: skip
"""Poles offered to a new studio; usual sizes of plastic pipe and metal stands."""

DEFAULT_BASES = (
    BaseKind(name="lamp stand", kind="stand", height_mm=40, radius_mm=150, mass_g=4500, price=5),
    BaseKind(name="steel plate", kind="plate", height_mm=8, radius_mm=200, mass_g=7500, price=7),
    BaseKind(name="wide steel plate", kind="plate", height_mm=10, radius_mm=300, mass_g=18_000, price=14),
    BaseKind(name="water-filled foot", kind="stand", height_mm=120, radius_mm=250, mass_g=14_000, price=6),
    BaseKind(name="foam block for tables", kind="foam", height_mm=40, radius_mm=80, mass_g=300, price=3),
    BaseKind(name="sand weight", kind="weight", height_mm=60, radius_mm=70, mass_g=800, price=2),
)
"""Bases offered to a new studio."""

_BAGS = {
    5: ((100, 8.0), (50, 5.0)), 9: ((100, 12.0), (25, 4.0)), 11: ((100, 15.0), (50, 8.5), (25, 5.0)),
    12: ((100, 17.0), (50, 9.5), (25, 5.5)), 16: ((50, 19.0), (25, 11.0)), 18: ((25, 15.0), (10, 7.0)),
    24: ((10, 13.0), (5, 7.5)), 36: ((5, 15.0), (2, 7.0)),
}  # fmt: skip
"""Balloons per bag by nominal size, in, as bags are usually sold."""
DEFAULT_BAGS = tuple(
    Bag(nominal_in=nominal, balloons=count, price=price) for nominal, bags in _BAGS.items() for count, price in bags
)

DEFAULT_RULES = (
    ItemRule(item="tape", unit="m", per="pole joint", amount=0.3, pack=25, price=3.0),
    ItemRule(item="glue dots", unit="pcs", per="accent", amount=2, pack=100, price=4.0),
    ItemRule(item="fixings for hung loads", unit="pcs", per="hung load", amount=2, pack=10, price=3.0),
    ItemRule(item="modelling balloons 260", unit="pcs", per="cluster", amount=0.5, pack=100, price=9.0),
    ItemRule(item="glue", unit="g", per="copy", amount=0, pack=100, price=5.0),
    ItemRule(item="line", unit="m", per="copy", amount=0, pack=100, price=4.0),
    ItemRule(item="ribbon", unit="m", per="copy", amount=0, pack=250, price=5.0),
)
