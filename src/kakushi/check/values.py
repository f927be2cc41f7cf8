"""What a check of a photograph finds, as values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Literal, NamedTuple

from kakushi.sight.pinhole import Point, Pose

_BAR_SHARE, _BAR_MM = 0.08, 15.0
"""Difference of a side from the plan that is shown: as a share of it, and in mm; hands are no better."""


class FaultKind(StrEnum):
    """What can be wrong; the values are those of the JSON."""

    COLOUR = "colour"
    MISSING = "missing"
    SIZE = "size"
    GAP = "gap"
    LEAN = "lean"
    SIDES = "sides"
    TURNED = "turned"


@dataclass(frozen=True, slots=True)
class Fault:
    """Something that is not as planned: row and slot from 0 (-1: of a row, or the piece), and where, px.

    `likely`: 0 to 1. `look`: it may well be right; somebody should look. `with_row`, `with_slot`: the balloon that it
    is to be exchanged with, -1 for none. `seen` and `planned`: keys of colours, "" where they do not matter;
    `strange`: the colour is none of the palette. `amount`: size over planned size; width of a gap (mm); how much
    farther to the right it reaches (mm); lean to the right (radians); slots turned anticlockwise, of `slots`.
    """

    kind: FaultKind
    row: int
    slot: int
    at: tuple[float, float, float]
    likely: float
    look: bool = False
    with_row: int = -1
    with_slot: int = -1
    planned: str = ""
    seen: str = ""
    strange: bool = False
    amount: float = 0.0
    slots: int = 0


class Phase(StrEnum):
    """What the check of a photograph is at."""

    TAKING = "taking"
    READING = "reading"
    ENDS = "ends"
    POSE = "pose"
    COLOURS = "colours"
    OTHERS = "others"
    BALLOONS = "balloons"


class Hidden(StrEnum):
    """Why a balloon was not judged."""

    IN_FRONT = "something in front"
    CUT_OFF = "cut off by the border"
    BEHIND = "hidden by others"
    GLARE = "in glare or in the dark"
    SMALL = "too small to judge"


class NotChecked(NamedTuple):
    """Number of balloons that were not checked because something in front hides them."""

    balloons: int


class SizesNotJudged(NamedTuple):
    """Sizes and gaps of a bent strand, or of an open frame (`of_frame`), which are not judged."""

    of_frame: bool = False


class PartsOff(NamedTuple):
    """Parts that are not on yet, so that the rows were checked without them: the topper alone, or `all`."""

    all: bool


class LeanUntold(NamedTuple):
    """Nothing upright is seen behind the piece; `roll`: how oblique it stands, radians to the left, 0 for upright."""

    roll: float


Note = NotChecked | SizesNotJudged | PartsOff | LeanUntold
"""What somebody should know of a photograph."""


class Refusal(NamedTuple):
    """Why nothing was judged; with `rows` more (negative: fewer) than planned in the photograph."""

    why: Literal["marks", "other piece", "rows", "mirrored"]
    rows: int = 0


class FramePlace(NamedTuple):
    """A joint of an open frame, or the chain from it `to` another one; numbers as in the steps, `to` 0 for none."""

    joint: int
    to: int = 0


@dataclass(frozen=True, slots=True)
class SeenBalloon:
    """One balloon of a row: row and slot from 0; colours by key; how sure, 0 to 1; where it is seen, px.

    `why_not`: why it was not judged; None when it was.
    """

    row: int
    slot: int
    planned: str
    seen: str
    sure: float
    x: float
    y: float
    radius: float
    share: float
    why_not: Hidden | None = None


@dataclass(frozen=True, slots=True)
class RowSides:
    """How far a row reaches left and right of the axis, as seen and as planned, mm as the plan counts them; NaN unseen.

    `rise`: how much higher it is than planned; `height`: how high it is planned; `y`: where it is seen, px.
    """

    row: int
    left: float
    right: float
    planned_left: float
    planned_right: float
    rise: float
    height: float
    y: float

    @property
    def bars(self) -> tuple[tuple[int, float, float, bool], ...]:
        """For left (-1) and right (1): reach as seen and as planned, mm, and whether they differ clearly."""
        both = (-1, self.left, self.planned_left), (1, self.right, self.planned_right)
        return tuple(
            (side, seen, planned, abs(seen - planned) > max(_BAR_SHARE * planned, _BAR_MM))
            for side, seen, planned in both
        )


@dataclass(frozen=True, slots=True, eq=False)
class Result:
    """What a photograph shows of a piece. `pose` in pixels of the photograph; `lean` in radians, None where unknown.

    `azimuth`: where the photograph was taken from; the pose's azimuth leans with the piece.

    `confidence` that the photograph shows this piece, from there: 0 to 1. `azimuths`: others from which it would look
    the same. `refused`: why nothing was judged; None otherwise. `notes`: what somebody should know of the photograph.
    `in_frames`: rows (from 0) that are joints and chains of open frames.
    """

    pose: Pose
    azimuth: float
    foot: Point
    top: Point
    confidence: float
    azimuths: tuple[float, ...]
    lean: float | None
    balloons: tuple[SeenBalloon, ...]
    faults: tuple[Fault, ...]
    sides: tuple[RowSides, ...]
    notes: tuple[Note, ...] = ()
    refused: Refusal | None = None
    in_frames: Mapping[int, FramePlace] = field(default_factory=dict)

    @property
    def px_per_m(self) -> float:
        """Pixels to the metre at the axis of the piece."""
        return self.pose.focal / self.pose.distance * 1000
