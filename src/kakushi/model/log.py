"""What a job really took, and what was learnt from all of them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Annotated, Literal, NamedTuple

from pydantic import Field, field_validator, model_validator

from kakushi.model.values import Value
from kakushi.model.workshop import Handling

Fill = Literal["soft", "usual", "full"]
"""How full a balloon is blown: below 80 % of its nominal size, up to 95 %, or fuller."""
SOFT_BELOW, FULL_ABOVE = 0.80, 0.95
"""Sized over nominal diameter at which `Fill` changes: everyday fills end at 95 % (figure of practice)."""
MOST_PIECES, MOST_LINES = 200, 2000
"""Most pieces of an entry and lines of one of their lists."""
_Words = Annotated[str, Field(max_length=2000)]
_Name = Annotated[str, Field(max_length=60)]
_Count = Annotated[int, Field(ge=0, le=1_000_000)]
_FIRST_DAY, _LAST_DAY = dt.date(2000, 1, 1), dt.date(2199, 12, 31)
"""Days between which a job can have been done: others are typing errors."""


class BuiltCount(Value):
    """Balloons of one kind that were inflated."""

    nominal_in: float = Field(gt=0, le=100)
    finish: _Name = "plain"
    place: Handling = "indoors"
    fill: Fill = "usual"
    count: _Count

    @property
    def cell(self) -> PopCell:
        """What its chance to pop is counted under."""
        return self.nominal_in, self.finish, self.place, self.fill


class PopCount(BuiltCount):
    """Balloons of one kind that popped, when, and why."""

    when: Literal["before", "after"] = "before"
    why: Literal["", "heat", "thorn", "over-filled", "handling", "transport"] = ""

    @field_validator("when", mode="before")
    @classmethod
    def _said_longer(cls, when: object) -> object:
        return when.split()[0] if isinstance(when, str) and when.split() else when


WORK_KINDS: Mapping[str, str] = {
    "inflate": "inflate_s", "tie": "tie_s", "insert": "insert_s", "row": "row_s", "part": "part_s",
    "set up": "set_up_s",
}  # fmt: skip
"""Kinds of work that plans reckon with, and the rate of a studio that each is."""
PopCell = tuple[float, str, Handling, Fill]
"""Nominal size (in), finish, place and fill."""


class WorkCount(Value):
    """How long somebody took for so many of one kind of work: rows, parts, balloons inflated, copies set up."""

    kind: Annotated[str, Field(min_length=1, max_length=60)]
    person: _Name = ""
    count: float = Field(gt=0, le=1_000_000)
    minutes: float = Field(ge=0, le=1_000_000)


class UsedUp(Value):
    """A material of a job: how much was planned, and how much was used; None where nobody measured."""

    item: Annotated[str, Field(min_length=1, max_length=200)]
    unit: Annotated[str, Field(max_length=12)] = ""
    planned: float = Field(gt=0, le=1e7)
    used: float | None = Field(default=None, ge=0, le=1e7)


class SizedAgain(Value):
    """A balloon of a row that was measured again: the diameter it was sized to, and the one it has, mm."""

    wanted_mm: float = Field(gt=0, le=3000)
    measured_mm: float = Field(gt=0, le=3000)


SOFTER: Mapping[str, float] = {
    "as usual": 0.0,
    "up to 5 % softer": 0.05,
    "up to 10 % softer": 0.10,
    "softer still": 0.5,
}
"""How much smaller balloons are blown for the sun than usual, and up to what share of their diameter."""


class LoggedPiece(Value):
    """One piece of a job: as planned, and what it came to. Heights floor to the highest balloon, mm.

    `softer`: by which share of their diameter its balloons were blown smaller for the sun; None where nobody said.
    """

    piece: Annotated[str, Field(min_length=1, max_length=200)]
    copies: int = Field(default=1, ge=1, le=10_000)
    height_mm: float | None = Field(default=None, gt=0, le=20_000)
    planned_mm: float | None = Field(default=None, gt=0, le=20_000)
    next_day_mm: float | None = Field(default=None, gt=0, le=20_000)
    rows: _Count = 0
    joint: _Name = ""
    packing: Annotated[str, Field(max_length=80)] = ""
    balloons: _Count = 0
    built: Annotated[tuple[BuiltCount, ...], Field(max_length=MOST_LINES, fail_fast=True)] = ()
    pops: Annotated[tuple[PopCount, ...], Field(max_length=MOST_LINES, fail_fast=True)] = ()
    minutes: Annotated[tuple[WorkCount, ...], Field(max_length=MOST_LINES, fail_fast=True)] = ()
    softer: float | None = Field(default=None, ge=0, le=0.5)
    sized: Annotated[tuple[SizedAgain, ...], Field(max_length=MOST_LINES, fail_fast=True)] = ()

    @property
    def popped(self) -> int:
        """Balloons that popped."""
        return sum(pop.count for pop in self.pops)

    @model_validator(mode="after")
    def _no_more_pops_than_balloons(self) -> LoggedPiece:
        used: dict[PopCell, int] = {}
        for line in self.built:
            used[line.cell] = used.get(line.cell, 0) + line.count
        for pop in self.pops:
            used[pop.cell] = used.get(pop.cell, 0) - pop.count
            if self.built and used[pop.cell] < 0:
                raise ValueError(f"more {pop.nominal_in:g}″ {pop.finish} balloons popped than were blown up")
        return self


class LogEntry(Value):
    """One job as it went. `planned_minutes`, `planned_spares`: as worked out before; money in `currency`."""

    key: Annotated[str, Field(pattern=r"^[0-9a-f]{0,32}$")] = ""
    date: dt.date
    job: Annotated[str, Field(max_length=200)] = ""
    pieces: Annotated[tuple[LoggedPiece, ...], Field(min_length=1, max_length=MOST_PIECES, fail_fast=True)]
    planned_minutes: float = Field(default=0.0, ge=0, le=1e7)
    planned_spares: _Count = 0
    cost: float = Field(default=0.0, ge=0, le=1e9)
    price: float = Field(default=0.0, ge=0, le=1e9)
    currency: Annotated[str, Field(max_length=12)] = ""
    materials: Annotated[tuple[UsedUp, ...], Field(max_length=MOST_PIECES, fail_fast=True)] = ()
    left_over: _Words = ""
    client: _Words = ""
    next_time: _Words = ""

    @field_validator("date")
    @classmethod
    def _in_our_time(cls, date: dt.date) -> dt.date:
        if not _FIRST_DAY <= date <= _LAST_DAY:
            raise ValueError(f"the date is between {_FIRST_DAY.year} and {_LAST_DAY.year}")
        return date

    @property
    def minutes(self) -> float:
        """Minutes that were measured."""
        return sum(work.minutes for piece in self.pieces for work in piece.minutes)

    @property
    def balloons(self) -> int:
        """Balloons of all pieces as planned; where that is not known, as blown up less those that popped."""
        return sum(piece.balloons or sum(b.count for b in piece.built) - piece.popped for piece in self.pieces)

    @property
    def popped(self) -> int:
        """Balloons that popped."""
        return sum(piece.popped for piece in self.pieces)


class LogLine(NamedTuple):
    """An entry in short: heights of its first piece, mm; minutes and money of all."""

    key: str
    date: str
    job: str
    pieces: str
    copies: int
    planned_mm: float | None
    height_mm: float | None
    balloons: int
    popped: int
    planned_minutes: float
    minutes: float
    cost: float
    price: float
    currency: str


class LearntRate(Value):
    """A rate with its 90 % interval, and how much it rests on."""

    mean: float
    low: float
    high: float
    seen: float = 0


class LearntPops(LearntRate):
    """Chance that a balloon pops; `a`, `b` of the Beta that has the same mean and spread."""

    nominal_in: float
    finish: str
    place: Handling
    fill: Fill
    popped: int
    a: float
    b: float


class LearntMinutes(LearntRate):
    """Minutes for one of a kind of work, by one person (“” for everybody)."""

    kind: str
    person: str


class LearntRise(LearntRate):
    """Measured height over the height worked out, of pieces joined and packed in one way."""

    joint: str
    packing: str


class LearntWaste(LearntRate):
    """What a job uses of a material over what is planned."""

    item: str


class LearntSoft(LearntRate):
    """Chance that a balloon pops in the heat, by how much softer (`SOFTER`) it is blown for the sun."""

    soft: str
    popped: int


class Learnt(Value):
    """Everything that was learnt. `scatter`: standard deviation of sized diameters, mm.

    `unseen`: the Beta (a, b) of a balloon of a kind nothing is known of, by place where something is known of others.
    """

    pops: tuple[LearntPops, ...] = ()
    minutes: tuple[LearntMinutes, ...] = ()
    rise: tuple[LearntRise, ...] = ()
    shrink: LearntRate | None = None
    waste: tuple[LearntWaste, ...] = ()
    scatter: LearntRate | None = None
    soft: tuple[LearntSoft, ...] = ()
    unseen: tuple[tuple[Handling, float, float], ...] = ()

    def minutes_of(self, kind: str, person: str = "") -> float | None:
        """Minutes for one of a kind of work; None where nothing was measured."""
        return next((each.mean for each in self.minutes if (each.kind, each.person) == (kind, person)), None)


RATE_PARTS = "|"
"""Between the parts of a rate's name."""


def rate_name(of: str, *parts: object) -> str:
    """Name of a rate in the log: “pop|5.0|plain|indoors|usual”, “minutes|row|Ann”, “rise|wrapped|”."""
    return RATE_PARTS.join(map(str, (of, *parts)))
