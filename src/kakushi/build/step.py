"""One step of a build, as a value."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

BALLOON = "balloon"
"""What a balloon is called among the things a step uses."""


class StepKind(StrEnum):
    """What is done in a step."""

    CUT = "cut"
    PAINT = "paint"
    WAIT = "wait"
    BASE = "base"
    GLUE = "glue"
    WRAP = "wrap"
    ROW = "row"
    BALL = "ball"
    CAP = "cap"
    NECKS = "necks"
    CLUSTER = "cluster"
    ACCENT = "accent"
    HANG = "hang"
    WEIGHT = "weight"
    TOPPER = "topper"
    LOOK = "look"
    FIX = "put right"
    PACK = "pack"


@dataclass(frozen=True, slots=True)
class Use:
    """So much of something a step uses up: balloons have a nominal size (in) and a colour key, other things a unit."""

    item: str
    count: float
    nominal_in: float | None = None
    colour: str | None = None
    unit: str = "pcs"


@dataclass(frozen=True, slots=True)
class Balloon:
    """A balloon of a bunch or a place: nominal size (in), sized diameter (mm), colour key."""

    nominal_in: float
    diameter_mm: float
    colour: str


@dataclass(frozen=True, slots=True)
class Spot:
    """Where a balloon of a row lies in the end: slot (from 0), direction (radians from the front), the balloon."""

    slot: int
    azimuth: float
    balloon: Balloon


@dataclass(frozen=True, slots=True)
class Laid:
    """How a cluster is tied and laid on. Places and numbers from 0, anticlockwise from above.

    `ties`: the bunches; crossed, bunch j of m holds the balloons numbered j, j + m, j + 2m …, counted from the gap that
    takes the pole; laid on one after the other, bunch after bunch (`is_crossed` False). `half_turns`: each exchanges
    the last number and the first; None where nothing is wrapped. `lock`: neighbouring places exchanged afterwards.
    `is_taught`: as the sculptor's own hands do it. `first`: the slot in which place 0 lies in the end.
    """

    school: str
    ties: tuple[tuple[Balloon, ...], ...]
    is_crossed: bool
    half_turns: int | None
    lock: tuple[int, int] | None
    first: int
    is_taught: bool = False

    @property
    def numbered(self) -> tuple[Balloon, ...]:
        """The balloons of the cluster as they are numbered before the wrap."""
        if not self.is_crossed:
            return tuple(balloon for bunch in self.ties for balloon in bunch)
        longest = max(len(bunch) for bunch in self.ties)
        return tuple(bunch[k] for k in range(longest) for bunch in self.ties if k < len(bunch))


@dataclass(frozen=True, slots=True)
class RowRef:
    """A row of a piece: its key, its index among all rows, that of its group, and its index in the group.

    `on`: the index among all rows of the one that it is laid on, None for the one that begins.
    """

    key: int
    index: int
    group: int
    in_group: int
    on: int | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to do. `key` stays the same while the plan changes elsewhere; `after`: keys of steps that come first.

    `piece` (key) and `copy` (from 0) are None for what is done once for the whole job. Minutes of work, and of
    waiting afterwards in which something else can be done. Rows laid alike share a `run`. `part`: key and, of
    fillers, place of the cluster; `ties`: what a cluster of fillers is made of.
    """

    key: str
    kind: StepKind
    words: str
    after: tuple[str, ...] = ()
    piece: int | None = None
    copy: int | None = None
    minutes: float = 0.0
    wait_minutes: float = 0.0
    row: RowRef | None = None
    run: int | None = None
    uses: tuple[Use, ...] = ()
    laid: Laid | None = None
    places: tuple[Spot, ...] = field(default=())
    part: tuple[int, int] | None = None
    ties: tuple[tuple[Balloon, ...], ...] = ()
