"""Nominal sizes with their usable fill range, balloon colours and finishes."""

from __future__ import annotations

import math
from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from kakushi.model.joints import JointKind
from kakushi.model.log import WORK_KINDS, Learnt
from kakushi.model.units import inches
from kakushi.model.values import Value, replace
from kakushi.model.workshop import (
    DEFAULT_BAGS,
    DEFAULT_BASES,
    DEFAULT_POLES,
    DEFAULT_RULES,
    LONGEST_WORK_S,
    AccessLimits,
    Bag,
    BaseKind,
    FrameRules,
    Inflator,
    ItemRule,
    PoleKind,
    PopRecord,
    Rates,
    Sign,
    StockItem,
)

_SKIN_G_PER_SQUARE_INCH = 0.024
"""Mass of a balloon over its nominal size squared: 2.9 g at 11 in. Assumed."""


class Finish(StrEnum):
    """How the skin takes the light."""

    PLAIN = "plain"
    PEARL = "pearl"
    METALLIC = "metallic"
    MIRROR = "mirror"
    MATTE = "matte"
    CLEAR = "clear"
    PRINTED = "printed"
    STARS = "printed with stars"
    CONFETTI = "clear with confetti"

    @property
    def is_clear(self) -> bool:
        """Whether one sees through it."""
        return self in {Finish.CLEAR, Finish.CONFETTI}


class NominalSize(Value):
    """One size of round balloon and the fill ratios at which it is usable."""

    nominal_in: float = Field(gt=0, le=100)
    fill_low: float = Field(gt=0, le=1)
    fill_high: float = Field(gt=0, le=1)
    latex_g: float | None = Field(default=None, gt=0, le=1000)

    @property
    def smallest_mm(self) -> float:
        """Smallest usable sized diameter, mm."""
        return inches(self.nominal_in) * self.fill_low

    @property
    def largest_mm(self) -> float:
        """Largest usable sized diameter, mm."""
        return inches(self.nominal_in) * self.fill_high

    @property
    def mass_g(self) -> float:
        """Mass of one balloon, g: as weighed, else by the skin's area (usual balloons: 0.024 g × nominal², in)."""
        return self.latex_g if self.latex_g is not None else latex_mass_g(self.nominal_in)


def latex_mass_g(nominal_in: float) -> float:
    """Usual mass of a balloon, g; skins of all sizes are about equally thick."""
    return _SKIN_G_PER_SQUARE_INCH * nominal_in**2


class NamedPacking(Value):
    """How one sculptor packs, measured on test stacks: packing force tau and slack over the default at a kind of joint.

    The uncertainties are standard deviations; `height_percent` that of a long column's height.
    """

    name: str = Field(min_length=1, max_length=60)
    tau: float = Field(ge=0.001, le=10.0)
    slack: float = Field(ge=0.0, le=5.0)
    tau_sd: float = Field(default=0.0, ge=0, le=10)
    slack_sd: float = Field(default=0.0, ge=0, le=10)
    height_percent: float = Field(default=0.0, ge=0, le=100)
    joint: JointKind = JointKind.WRAPPED


class TaughtLanding(Value):
    """What a landing trial taught: `order[p]` is the number of the balloon that came to lie at place p.

    Numbers and places as in `kakushi.colour.landing`; `school` as in the job's landing schools.
    """

    school: str = Field(min_length=1, max_length=40)
    count: int = Field(ge=2, le=12)
    locked: bool = False
    order: Annotated[tuple[int, ...], Field(min_length=2, max_length=12)]

    @model_validator(mode="after")
    def _is_a_permutation(self) -> TaughtLanding:
        if sorted(self.order) != list(range(self.count)):
            raise ValueError("every balloon has to lie in one place")
        return self


class BalloonColour(Value):
    """A named colour of balloon. `key` identifies it in slots and patterns.

    With `outer` and `inner` (keys of other colours) it is double-stuffed: two balloons, one look. The inner one is of
    size `inner_nominal_in` (None: that of the outer one), and `inner_share` of its diameter wide. `insert`: what is put
    into each before it is inflated, a leaf or paper in a clear one; "" for nothing.
    """

    key: str = Field(min_length=1, max_length=60)
    name: str = Field(min_length=1, max_length=60)
    code: str = Field(min_length=1, max_length=4)
    hex: str = Field(pattern=r"^#[0-9a-fA-F]{6}$")
    finish: Finish = Finish.PLAIN
    outer: str | None = Field(default=None, max_length=60)
    inner: str | None = Field(default=None, max_length=60)
    inner_nominal_in: float | None = Field(default=None, gt=0, le=100)
    inner_share: float = Field(default=1.0, ge=0.2, le=1)
    insert: str = Field(default="", max_length=60)

    @property
    def is_stuffed(self) -> bool:
        """Whether it is two balloons, one inside the other."""
        return bool(self.outer and self.inner)


DEFAULT_NOMINALS: tuple[NominalSize, ...] = (
    NominalSize(nominal_in=5, fill_low=0.50, fill_high=1.00, latex_g=0.9),
    NominalSize(nominal_in=9, fill_low=0.50, fill_high=0.95),
    NominalSize(nominal_in=11, fill_low=0.50, fill_high=0.95),
    NominalSize(nominal_in=12, fill_low=0.50, fill_high=0.95),
    NominalSize(nominal_in=16, fill_low=0.50, fill_high=0.95),
    NominalSize(nominal_in=18, fill_low=0.50, fill_high=0.92),
    NominalSize(nominal_in=24, fill_low=0.50, fill_high=0.92),
    NominalSize(nominal_in=36, fill_low=0.50, fill_high=0.90),
)
"""Round balloons in common use, with the range of diameters they are inflated to."""

DEFAULT_PALETTE: tuple[BalloonColour, ...] = (
    BalloonColour(key="harbour-blue", name="harbour blue", code="HB", hex="#2f5f9e"),
    BalloonColour(key="sail-white", name="sail white", code="SW", hex="#f4efe4"),
    BalloonColour(key="signal-red", name="signal red", code="SR", hex="#c8322b"),
    BalloonColour(key="sea-glass", name="sea glass", code="SG", hex="#8fc7b5"),
    BalloonColour(key="rope", name="rope", code="R", hex="#c9a877"),
    BalloonColour(key="lantern-yellow", name="lantern yellow", code="LY", hex="#f2b632"),
    BalloonColour(key="deep-teal", name="deep teal", code="DT", hex="#16605f"),
    BalloonColour(key="dusk-violet", name="dusk violet", code="DV", hex="#6b5390"),
)


class Sizer(Value):
    """The diameters that can be sized: a list of hole sizes, or without one every multiple of a step."""

    step_mm: float = Field(default=inches(0.25), gt=0, le=100)
    holes_mm: Annotated[tuple[Annotated[float, Field(gt=0, le=3000)], ...], Field(max_length=200)] = ()

    def diameters(self, size: NominalSize) -> list[float]:
        """Diameters, mm, within the usable range of a nominal size, ascending."""
        if self.holes_mm:
            return sorted({h for h in self.holes_mm if size.smallest_mm - 1e-6 <= h <= size.largest_mm + 1e-6})
        first = math.ceil(size.smallest_mm / self.step_mm - 1e-9)
        last = math.floor(size.largest_mm / self.step_mm + 1e-9)
        return [index * self.step_mm for index in range(first, last + 1)]

    def few(self, size: NominalSize, count: int, low_mm: float = 0.0, high_mm: float = math.inf) -> tuple[float, ...]:
        """At most `many` different diameters of a nominal size between two limits, mm, spread evenly, ascending.

        Where none lies between them, the nearest one to their middle.
        """
        every = self.diameters(size)
        within = [each for each in every if low_mm - 1e-6 <= each <= high_mm + 1e-6]
        if not within:
            middle = min(max((low_mm + high_mm) / 2, size.smallest_mm), size.largest_mm)
            within = [min(every, key=lambda each: abs(each - middle), default=middle)]
        count, last = min(max(count, 1), len(within)), len(within) - 1
        if count <= 1:
            return tuple(within[last // 2 : last // 2 + 1])
        return tuple(within[round(k * last / (count - 1))] for k in range(count))

    def stepped(self, diameter_mm: float, steps: int) -> float:
        """The diameter `steps` sizes up (or down), from the nearest one, mm."""
        if not self.holes_mm:
            return (round(diameter_mm / self.step_mm) + steps) * self.step_mm
        holes = sorted(set(self.holes_mm))
        nearest = min(range(len(holes)), key=lambda i: abs(holes[i] - diameter_mm))
        return holes[min(max(nearest + steps, 0), len(holes) - 1)]


class Studio(Value):
    """What the sculptor owns and how they work, shared by all jobs.

    `sizing_scatter_mm` is the standard deviation of a sized diameter: small with a sizer, larger by eye.
    """

    nominals: Annotated[tuple[NominalSize, ...], Field(min_length=1, max_length=60)] = DEFAULT_NOMINALS
    sizer: Sizer = Sizer()
    sizing_scatter_mm: float = Field(default=2.0, ge=0, le=30)
    packings: Annotated[tuple[NamedPacking, ...], Field(max_length=200)] = ()
    landings: Annotated[tuple[TaughtLanding, ...], Field(max_length=200)] = ()
    palette: Annotated[tuple[BalloonColour, ...], Field(max_length=200)] = ()
    poles: Annotated[tuple[PoleKind, ...], Field(max_length=60)] = DEFAULT_POLES
    bases: Annotated[tuple[BaseKind, ...], Field(max_length=60)] = DEFAULT_BASES
    frame_rules: FrameRules = FrameRules()
    stock: Annotated[tuple[StockItem, ...], Field(max_length=5000)] = ()
    bags: Annotated[tuple[Bag, ...], Field(max_length=2000)] = DEFAULT_BAGS
    pops: Annotated[tuple[PopRecord, ...], Field(max_length=200)] = ()
    rules: Annotated[tuple[ItemRule, ...], Field(max_length=200)] = DEFAULT_RULES
    rates: Rates = Rates()
    learnt: Learnt = Learnt()
    inflators: Annotated[tuple[Inflator, ...], Field(max_length=30)] = ()
    way: AccessLimits = AccessLimits()
    sign: Sign = Sign()

    @property
    def working_rates(self) -> Rates:
        """The rates that plans are made with: what the log taught, else what was set."""
        learnt = {name: self.learnt.minutes_of(kind) for kind, name in WORK_KINDS.items()}
        measured = {name: min(60 * each, LONGEST_WORK_S) for name, each in learnt.items() if each is not None}
        return replace(self.rates, **measured) if measured else self.rates

    @property
    def working_scatter_mm(self) -> float:
        """Standard deviation of sized diameters that plans reckon with, mm: measured, else what was set."""
        return self.learnt.scatter.mean if self.learnt.scatter else self.sizing_scatter_mm

    def waste_of(self, item: str) -> float:
        """What is used of a material over what is planned, by the log; 1 where nothing is known."""
        return next((each.mean for each in self.learnt.waste if each.item == item), 1.0)

    def mass_g(self, nominal_in: float) -> float:
        """Mass of one balloon of a nominal size, g."""
        size = self.nominal(nominal_in)
        return size.mass_g if size else latex_mass_g(nominal_in)

    def on_hand(self, nominal_in: float, colour: str) -> int:
        """Balloons of a nominal size and colour in stock."""
        return sum(s.balloons for s in self.stock if (s.nominal_in, s.colour) == (nominal_in, colour))

    def landing(self, school: str, count: int, locked: bool) -> TaughtLanding | None:
        """What a trial taught for a school and count, or None."""
        return next((t for t in self.landings if (t.school, t.count, t.locked) == (school, count, locked)), None)

    def packing(self, name: str | None) -> NamedPacking | None:
        """The measured packing of that name, or None."""
        return next((p for p in self.packings if p.name == name), None)

    def reachable(self, nominal_in: float, wanted_mm: float, now_mm: float) -> float:
        """A wanted diameter kept within what the sizer and that nominal size reach, mm; `now_mm` is reached anyway."""
        size = self.nominal(nominal_in)
        able: list[float] = [now_mm, *(self.sizer.diameters(size) if size else ())]
        return min(max(wanted_mm, min(able)), max(able))

    def nominal(self, nominal_in: float) -> NominalSize | None:
        """The catalogue's entry for `nominal_in`, or None when it is not listed."""
        return next((n for n in self.nominals if n.nominal_in == nominal_in), None)
