"""What stands on a piece's centreline: rows, balls, reserved room, bare pole."""

from __future__ import annotations

import math
from collections.abc import Iterable
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kakushi.model.joints import JointKind
from kakushi.model.limits import (
    LARGEST_COUNT,
    LARGEST_DIAMETER_MM,
    LARGEST_WIDTH_MM,
    MAX_JOINTS,
    MAX_ROWS,
    SMALLEST_COUNT,
    SMALLEST_DIAMETER_MM,
    ColourKey,
    Key,
    Length,
)
from kakushi.model.paths import Strand
from kakushi.model.sizing import Sizing
from kakushi.model.values import Value


class Slot(Value):
    """One balloon's place. `colour` None: the piece's pattern decides."""

    nominal_in: float = Field(gt=0, le=100)
    diameter_mm: float = Field(ge=SMALLEST_DIAMETER_MM, le=LARGEST_DIAMETER_MM)
    colour: ColourKey | None = None
    inner_colour: ColourKey | None = None


Slots = Annotated[tuple[Slot, ...], Field(min_length=SMALLEST_COUNT, max_length=LARGEST_COUNT, fail_fast=True)]


class Row(Value):
    """One flat cluster. `key` stays with the row through every edit of the piece.

    `sizing`: how its balloons are sized where nobody measures them to the slots' diameters; None: measured.
    """

    key: Key
    slots: Slots
    pinned: bool = False
    joint: JointKind | None = None
    turn_deg: float | None = Field(default=None, ge=-360, le=360)
    sizing: Sizing | None = None

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


class Twist(StrEnum):
    """Which way rows of several sizes turn on each other: as they lie lowest, or all the same way going up."""

    FREE = "as they lie lowest"
    RIGHT = "all to the right"
    LEFT = "all to the left"


class Direction(StrEnum):
    """In which order rows are built: foot up, top down, or from both ends to a join half-way."""

    UP = "foot up"
    DOWN = "top down"
    BOTH = "from both ends"


class RowsGroup(Value):
    """Consecutive rows that touch, foot first. `direction` None: foot up, or top down where the group hangs.

    `on_table`: built and dressed on the table, then slid on the pole whole. `strand`: bent along a path, held by no
    pole; its first row is that at the path's beginning. `learnt_tau`: packing force it was built with, where that
    differs from the piece's.
    """

    kind: Literal["rows"] = "rows"
    anchor: Anchor = Anchor()
    rows: Annotated[tuple[Row, ...], Field(max_length=MAX_ROWS, fail_fast=True)] = ()
    twist: Twist = Twist.FREE
    direction: Direction | None = None
    on_table: bool = False
    strand: Strand | None = None
    learnt_tau: float | None = Field(default=None, gt=0, le=20)

    @property
    def built(self) -> Direction:
        """The order in which its rows are built."""
        return self.direction or (Direction.DOWN if self.anchor.kind == "hanging below" else Direction.UP)

    def build_order(self) -> tuple[int, ...]:
        """Indices of its rows in the order in which they are built."""
        count = len(self.rows)
        if self.built is Direction.UP:
            return tuple(range(count))
        if self.built is Direction.DOWN:
            return tuple(reversed(range(count)))
        # The join is the last one to go in, with a row laid on either side of it.
        join = (count + 1) // 2
        return (*range(join), *reversed(range(join, count)))


class BallGroup(Value):
    """A ball: many duplets crossed on one knot, pointing all ways. `on_table`: dressed there, then slid on the pole."""

    kind: Literal["ball"] = "ball"
    anchor: Anchor = Anchor()
    slots: Annotated[tuple[Slot, ...], Field(min_length=4, max_length=24, fail_fast=True)]
    on_table: bool = False


class ClearPole(Value):
    """What a group without balloons has: the height it takes on the pole."""

    anchor: Anchor = Anchor()
    height_mm: Length


class RoomGroup(ClearPole):
    """Reserved room on the pole (for a sign, a light, a hung thing)."""

    kind: Literal["room"] = "room"


class BarePoleGroup(ClearPole):
    """A length of bare pole, wrapped with strands of modelling balloons in a style, inflated or flat, in a colour.

    `clockwise`: how a coil goes up, seen from above. `fills`: it takes what remains up to the next group that stands or
    hangs at a height, whatever `height_mm` says.
    """

    kind: Literal["bare pole"] = "bare pole"
    colour: ColourKey | None = None
    wrap: Literal["none", "coil", "plait"] = "coil"
    strands: int = Field(default=1, ge=1, le=4)
    inflated: bool = True
    clockwise: bool = False
    fills: bool = False


_MM3_PER_G = 1000.0
"""Volume of a gram of water, mm³."""
MAX_CHAINS = 400
"""Most chains of a link frame: ten by ten windows and more."""
MAX_LINKS = 5
"""Most links of a chain: a longer one hangs through."""


class FrameJoint(Value):
    """Where chains of links meet: to the right of the middle, behind the front and above the foot, mm.

    `slots`: the cluster tied there; `collar`: small balloons round it that hide the knots. `water_filled`: the first
    balloon, doubled, is filled with water and is the frame's weight there.
    """

    x_mm: float = Field(ge=-LARGEST_WIDTH_MM, le=LARGEST_WIDTH_MM)
    z_mm: float = Field(ge=0, le=2 * LARGEST_WIDTH_MM)
    y_mm: float = Field(default=0.0, ge=-LARGEST_WIDTH_MM, le=LARGEST_WIDTH_MM)
    slots: Annotated[tuple[Slot, ...], Field(max_length=8, fail_fast=True)] = ()
    collar: Annotated[tuple[Slot, ...], Field(max_length=12, fail_fast=True)] = ()
    water_filled: bool = False

    @property
    def balloons(self) -> Slots:
        """Its cluster, then its collar."""
        return (*self.slots, *self.collar)

    @property
    def water_g(self) -> float:
        """Water in it, g: a ball as large as its first balloon."""
        return math.pi / 6 * self.slots[0].diameter_mm ** 3 / _MM3_PER_G if self.water_filled else 0.0

    @model_validator(mode="after")
    def _holds_water(self) -> FrameJoint:
        if self.water_filled and not self.slots:
            raise ValueError("water needs a balloon at the joint")
        return self


class LinkChain(Value):
    """So many link balloons, tip to tip, from one joint (place among them, from 0) to another.

    Each is inflated `length_mm` long, from tip to tip, and `thick_mm` thick.
    """

    first: int = Field(ge=0, lt=MAX_JOINTS)
    last: int = Field(ge=0, lt=MAX_JOINTS)
    links: int = Field(default=1, ge=1, le=MAX_LINKS)
    nominal_in: float = Field(default=12, gt=0, le=100)
    length_mm: float = Field(default=350.0, ge=50, le=2000)
    thick_mm: float = Field(default=130.0, ge=SMALLEST_DIAMETER_MM, le=1000)
    colour: ColourKey | None = None


class LinkFrameGroup(Value):
    """An open frame of link balloons tied tip to tip, with clusters at its joints. It hangs on no pole."""

    kind: Literal["link frame"] = "link frame"
    anchor: Anchor = Anchor()
    joints: Annotated[tuple[FrameJoint, ...], Field(min_length=2, max_length=MAX_JOINTS, fail_fast=True)]
    chains: Annotated[tuple[LinkChain, ...], Field(min_length=1, max_length=MAX_CHAINS, fail_fast=True)]

    @model_validator(mode="after")
    def _is_a_frame(self) -> LinkFrameGroup:
        places = range(len(self.joints))
        if any(chain.first not in places or chain.last not in places for chain in self.chains):
            raise ValueError("a chain of links needs a joint at both ends")
        pairs = [frozenset((chain.first, chain.last)) for chain in self.chains]
        if any(len(pair) < 2 for pair in pairs):
            raise ValueError("a chain of links joins two joints, not one to itself")
        if len(set(pairs)) < len(pairs):
            raise ValueError("two chains of links join the same two joints")
        return self


Group = Annotated[RowsGroup | BallGroup | RoomGroup | BarePoleGroup | LinkFrameGroup, Field(discriminator="kind")]


def rows_groups(groups: Iterable[Group]) -> list[tuple[int, RowsGroup]]:
    """The groups of rows, foot first, with their places among the groups."""
    return [(place, group) for place, group in enumerate(groups) if isinstance(group, RowsGroup)]


def first_rows_group(groups: Iterable[Group]) -> int | None:
    """The place of the first group of rows, the one that the fit chooses rows for; None without one."""
    return next((place for place, _ in rows_groups(groups)), None)


def balloons_in(groups: Iterable[Group]) -> int:
    """Balloons of all rows."""
    return sum(row.count for row in rows_of(groups))


def rows_of(groups: Iterable[Group]) -> tuple[Row, ...]:
    """All rows, foot first, over all groups of rows."""
    return tuple(row for _, group in rows_groups(groups) for row in group.rows)


def clear_foot_mm(groups: Iterable[Group]) -> float:
    """Pole left clear or kept for something else at the foot, below the first balloons, mm."""
    clear = 0.0
    for group in groups:
        if not isinstance(group, ClearPole) or group.anchor.kind != "floor":
            break
        # One that fills takes nothing below what stands on it, and what is held at a height minds no foot.
        clear += 0.0 if isinstance(group, BarePoleGroup) and group.fills else group.height_mm
    return clear
