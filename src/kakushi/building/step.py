"""One step of a build, as a value: what is done, what it takes, and the facts that are said of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Literal, NamedTuple

from kakushi.building.poles import PoleCuts, Sections
from kakushi.colour.relation import Relation
from kakushi.colour.tying import Balloon, Kind
from kakushi.model.joints import JointKind
from kakushi.model.parts import FillerTie, Part
from kakushi.model.paths import StrandStands
from kakushi.model.roles import BalloonRole
from kakushi.model.sizing import Sizing
from kakushi.model.ties import Mount
from kakushi.model.used import Used
from kakushi.plan.strands import StrandMark


class StepKind(StrEnum):
    """What is done in a step."""

    CUT = "cut"
    PAINT = "paint"
    WAIT = "wait"
    INFLATE = "inflate"
    BASE = "base"
    GLUE = "glue"
    WRAP = "wrap"
    ROW = "row"
    BALL = "ball"
    SLIDE = "slide"
    STRAND = "strand"
    LINK = "link"
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


class Work(StrEnum):
    """Kinds of work that the time of a job is split by."""

    FRAME = "poles and bases"
    INFLATE = "inflating and tying"
    BUILD = "building"
    DRESS = "dressing"
    LOOK = "looking over"
    PACK = "packing"


WORK: Mapping[StepKind, Work] = {
    StepKind.CUT: Work.FRAME, StepKind.PAINT: Work.FRAME, StepKind.WAIT: Work.FRAME, StepKind.BASE: Work.FRAME,
    StepKind.GLUE: Work.FRAME, StepKind.INFLATE: Work.INFLATE, StepKind.WRAP: Work.BUILD, StepKind.ROW: Work.BUILD,
    StepKind.BALL: Work.BUILD, StepKind.SLIDE: Work.BUILD, StepKind.STRAND: Work.BUILD,
    StepKind.LINK: Work.BUILD, StepKind.CAP: Work.BUILD,
    StepKind.NECKS: Work.BUILD, StepKind.CLUSTER: Work.DRESS,
    StepKind.ACCENT: Work.DRESS, StepKind.HANG: Work.DRESS, StepKind.WEIGHT: Work.DRESS, StepKind.TOPPER: Work.DRESS,
    StepKind.LOOK: Work.LOOK, StepKind.FIX: Work.LOOK, StepKind.PACK: Work.PACK,
}  # fmt: skip


class LaidBalloon(NamedTuple):
    """Final place of a balloon in its row: slot (from 0), azimuth (radians from the front), the balloon."""

    slot: int
    azimuth: float
    balloon: Balloon


class LaidBunches(NamedTuple):
    """How a cluster is tied and laid on. Places and numbers from 0, anticlockwise from above.

    `ties`: the bunches; crossed, bunch j of m holds the balloons numbered j, j + m, j + 2m …, counted from the gap that
    takes the pole; laid on one after the other, bunch after bunch (`is_crossed` False). `half_turns`: each exchanges
    the last number and the first; None where nothing is wrapped. `lock`: neighbouring places exchanged afterwards, on
    line those pulled across. `is_taught`: as the sculptor's own hands do it. `first`: the slot in which place 0 lies in
    the end.
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


# --- what is said of a step --------------------------------------------------------------------------------


class Cutting(NamedTuple):
    """Poles cut for the whole job."""

    poles: tuple[PoleCuts, ...]


class Painting(NamedTuple):
    """Poles of pieces (by name) to paint, with the number of coats."""

    pieces: tuple[str, ...]
    coats: int


class Waiting(NamedTuple):
    """Something dries or sets."""

    what: Literal["paint", "glue"]


class Inflating(NamedTuple):
    """Balloons inflated for one copy; `bunches`: how many are tied together (1 for singles), and how often.

    `inserts`: what is put into how many of them first; `inside`: how many of each are inflated inside a larger one,
    `together`: inside one of their own size.
    """

    balloons: int
    bunches: tuple[tuple[int, int], ...]
    inserts: tuple[tuple[str, int], ...] = ()
    inside: tuple[tuple[Balloon, int], ...] = ()
    together: tuple[tuple[Balloon, int], ...] = ()


class SettingUp(NamedTuple):
    """What a piece stands on is set up; `screwed`: the sections of its pole, None for one in one length."""

    what: Literal["pole in base", "pole", "line", "foot", "line stretched", "bent pipe"]
    screwed: Sections | None


class LayingRow(NamedTuple):
    """A row to lay: how it lies, and how it is held (`joint`; None for the first row of a group).

    `begins`, `ends`: the first and last row of a group on line or ribbon, which begins or ends there. `has_inner`: a
    balloon is inside another one. `knot_mm`: height of its knot above the floor, where nothing else says it. `marks`:
    what happens there along its strand. `sizing`: how its balloons are sized; None to their diameters.
    `any_way`: colours of a free mix, or sizes assorted on purpose, may lie in any order.
    """

    relation: Relation
    joint: JointKind | None
    has_inner: bool
    knot_mm: float | None
    begins: JointKind | None = None
    marks: tuple[StrandMark, ...] = ()
    sizing: Sizing | None = None
    any_way: bool = False
    ends: JointKind | None = None


class BendingStrand(NamedTuple):
    """A strand of so many rows is bent along its path and held; `closing`: how the ends of a closed one are joined.

    `slack_mm`: line that is left slack at the bends. `on_line`: a line runs through it, no bent pipe.
    """

    rows: int
    marks: tuple[StrandMark, ...]
    closing: JointKind | None
    stands: StrandStands
    slack_mm: float = 0.0
    on_line: bool = True


class TyingRows(NamedTuple):
    """Two rows (from 0) are tied to each other, or one to a mount."""

    row: int
    other: int | None
    mount: Mount
    loose: bool


class TyingChains(NamedTuple):
    """So many chains of link balloons tied tip to tip, each inflated to a length and thickness, mm."""

    chains: int
    links: int
    nominal_in: float
    length_mm: float
    thick_mm: float
    colour: str


class TyingJoint(NamedTuple):
    """One joint of a frame, its number and how many there are (from 1), and the joints that its chains lead to.

    `balloons`: of its cluster; `collar`: those round it. `water_g`: water in the first one, g.
    """

    number: int
    joints: int
    to: tuple[int, ...]
    balloons: int
    collar: int = 0
    water_g: float = 0.0


class ThreadingBall(NamedTuple):
    """A ball tied and threaded on; colours with their counts, height of its middle above the floor, mm.

    None for one that stays on the table for now.
    """

    colours: tuple[tuple[str, int], ...]
    middle_mm: float | None
    has_inner: bool


class SlidingOn(NamedTuple):
    """A group that was built on the table is slid on the pole: how many rows, 0 for a ball; its lowest point, mm."""

    rows: int
    low_mm: float


class WrappingPole(NamedTuple):
    """Bare pole wrapped."""

    strands: int
    style: str
    clockwise: bool


class Capping(NamedTuple):
    """A balloon pulled over the pole's end; whether it keeps the last row down: a ball is slid on over it."""

    nominal_in: float
    keeps_row: bool


class Looking(NamedTuple):
    """A look from all sides, at what stands upright or lies and hangs."""

    when: Literal["third", "half", "fillers", "last"]
    is_upright: bool


class RoomForMore(NamedTuple):
    """A pole that may take one more row than the `rows` planned; asked before the last one, or after all of them."""

    rows: int
    fewest: int
    most: int
    before_last: bool


class TyingCluster(NamedTuple):
    """A cluster of fillers to tie on: its set, its number in the set, its balloons, row and azimuth of its seat.

    `ball`: number (from 0) of the ball that it is tied to, where it is on one.
    """

    part: Part
    number: int
    many: int
    balloons: tuple[tuple[float, float | None, str, int], ...]
    """Nominal size (in), sized diameter (mm; None for the usual one), colour key, count."""
    tie: FillerTie
    row: int | None
    azimuth: float
    ball: int | None = None


class PuttingOn(NamedTuple):
    """A part put on, at a row (from 0; None where it is at none) and on a side (degrees from the front).

    `joints`: numbers of the joints of a frame that it is tied to.
    """

    part: Part
    row: int | None
    side_deg: float | None
    joints: tuple[int, ...] = ()


class PackingUp(NamedTuple):
    """A copy is done: it is packed for the way, is ready to be collected, or stays where it was built."""

    goes: Literal["on its way", "collected", "stays"]


class PuttingRight(NamedTuple):
    """A repair that a photo check asked for, in its words."""

    text: str


Fact = (
    Cutting | Painting | Waiting | Inflating | SettingUp | LayingRow | ThreadingBall | SlidingOn | WrappingPole
    | BendingStrand | TyingRows | TyingChains | TyingJoint | Capping | Looking | RoomForMore | TyingCluster | PuttingOn
    | PackingUp | PuttingRight | None
)  # fmt: skip
"""What is said of a step beyond its kind; None where the kind says it all."""


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to do. `key` stays the same while the plan changes elsewhere; `after`: keys of steps that come first.

    `piece` (key) and `copy` (from 0) are None for what is done once for the whole job. Minutes of work, and of
    waiting afterwards in which something else can be done. Rows laid alike share a `run`. `part`: key and, of
    fillers, place of the cluster; `ties`: what a cluster of fillers is made of. `tied`: what is inflated and tied
    beforehand for this step, with the role of its balloons and how often.
    """

    key: str
    kind: StepKind
    fact: Fact = None
    after: tuple[str, ...] = ()
    piece: int | None = None
    copy: int | None = None
    minutes: float = 0.0
    wait_minutes: float = 0.0
    row: RowRef | None = None
    run: int | None = None
    uses: tuple[Used, ...] = ()
    laid: LaidBunches | None = None
    places: tuple[LaidBalloon, ...] = field(default=())
    part: tuple[int, int] | None = None
    ties: tuple[tuple[Balloon, ...], ...] = ()
    tied: tuple[tuple[BalloonRole, Kind, int], ...] = ()
