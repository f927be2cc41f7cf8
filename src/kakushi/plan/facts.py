"""What a sculptor should know of a planned piece: warnings, and advice for the build. Lengths mm, masses g."""

from __future__ import annotations

from typing import Literal, NamedTuple

from kakushi.packing.dome_remedies import DomeRemedies
from kakushi.packing.pole import PoleRange


class SizedOutside(NamedTuple):
    """Rows (from 0) sized outside the usable range; `beyond`: how far the worst passes its limit, as a share of it."""

    rows: tuple[int, ...]
    beyond: float


class PackingUnknown(NamedTuple):
    """A measured packing that this studio does not have; the tightness planned with instead."""

    name: str
    tightness: str


class GroupsOverlap(NamedTuple):
    """Two groups (from 0) that take up the same length of pole."""

    one: int
    other: int
    shared_mm: float


class GroupTooLow(NamedTuple):
    """A group (from 0) that reaches below where it can stand."""

    group: int
    below_mm: float


class NotSettled(NamedTuple):
    """Rows that could not be brought to balance."""


class RowSunk(NamedTuple):
    """A row that has sunk into its neighbour."""


class Domes(NamedTuple):
    """The free row (from 0) at the end of a group, which domes, and what keeps it flat; `hangs`: from below."""

    row: int
    remedies: DomeRemedies
    hangs: bool


class Bulges(NamedTuple):
    """Rows (from 0) between others that cannot lie flat: their necks are too short for so many balloons."""

    rows: tuple[int, ...]
    remedies: DomeRemedies


class Lifts(NamedTuple):
    """The free row (from 0) at the end of a group, which lifts unless it is held; `hangs`: it drops."""

    row: int
    hangs: bool


class BarePole(NamedTuple):
    """Pole between groups that nothing covers."""

    low_mm: float
    high_mm: float


class RowsOnPole(NamedTuple):
    """How many rows a pole takes, and how many are planned; `above_others`: on top of other groups."""

    rows: int
    pole: PoleRange
    above_others: bool


class ClustersLost(NamedTuple):
    """Clusters of a set of fillers whose row or slot is gone."""

    name: str
    clusters: int


class ClustersPress(NamedTuple):
    """Pairs of clusters that lie deep in each other."""

    pairs: int


class PartLost(NamedTuple):
    """A part whose row, the part that it was fixed to, or a joint that it was tied to, is gone."""

    name: str
    lost: Literal["row", "part", "joint"]


class PartUnheld(NamedTuple):
    """A part that lies on the column, at a height where no balloon touches it."""

    name: str


class PartSunk(NamedTuple):
    """A part of which a share of the surface lies inside balloons."""

    name: str
    share: float


class PartFloats(NamedTuple):
    """A part that touches no balloon, so far off the nearest, mm."""

    name: str
    gap_mm: float


class PartBelowFloor(NamedTuple):
    """A part that reaches below the floor, mm."""

    name: str
    below_mm: float


class TopperNarrow(NamedTuple):
    """A topper's width relative to the top row, too small to cover it."""

    name: str
    share: float
    row_mm: float


class TopperHeavy(NamedTuple):
    """A topper heavier than the top row bears."""

    name: str
    weighs_g: float
    bears_g: float


class TopperLeans(NamedTuple):
    """A topper that follows the swirl and leans, radians."""

    name: str
    lean: float


class StrandTight(NamedTuple):
    """Rows (from 0) of a strand that are bent to a radius tighter than is comfortable, or than they bend at all.

    `fits_mm`: the sized diameter that bends there comfortably.
    """

    rows: tuple[int, ...]
    radius_mm: float
    comfort_mm: float
    is_past_limit: bool
    fits_mm: float


class StrandMisses(NamedTuple):
    """A strand (place of its group, from 0) whose rows end before their path does, or beyond; rows to add."""

    group: int
    missing_mm: float
    rows_to_add: int


class StrandOpen(NamedTuple):
    """A closed strand whose ends do not lock: its rows, and the nearest numbers of rows that do."""

    rows: int
    fewer: int | None
    more: int | None


class SpiralOpen(NamedTuple):
    """A spiral of colours that does not close on a closed strand: its rows, and the nearest numbers of rows."""

    rows: int
    fewer: int | None
    more: int | None


class StrandPresses(NamedTuple):
    """Two rows (from 0) of strands, far from each other along them, that lie in each other, mm deep."""

    one: int
    other: int
    deep_mm: float


class StrandSags(NamedTuple):
    """A strand (place of its group, from 0) on nothing but line that stands up: it does not hold its shape."""

    group: int


class TieLost(NamedTuple):
    """Ties of which a row is gone."""

    ties: int


class FrameLeans(NamedTuple):
    """An open frame (place of its group, from 0) that can lean in so many ways that no link resists.

    `joint`: number (from 1) of the one that moves most.
    """

    group: int
    ways: int
    joint: int = 1


class FrameStrained(NamedTuple):
    """An open frame whose chains do not fit each other: the worst is so much longer than it is tied, as a share."""

    group: int
    by: float


StrandNote = (
    FrameLeans | FrameStrained | StrandSags | TieLost | StrandTight | StrandMisses | StrandOpen | SpiralOpen
    | StrandPresses
)  # fmt: skip
"""What is told of strands and open frames."""


class PoleTooShort(NamedTuple):
    """Rows (from 0) whose knots lie above the pole's end, the highest by `over_mm`."""

    rows: tuple[int, ...]
    over_mm: float


PoleNote = BarePole | RowsOnPole | PoleTooShort
"""What is told of the pole."""
RowNote = (
    SizedOutside
    | PackingUnknown
    | GroupsOverlap
    | GroupTooLow
    | NotSettled
    | RowSunk
    | Domes
    | Bulges
    | Lifts
    | PoleNote
    | StrandNote
)
"""What is told of rows and groups."""
PartNote = (
    ClustersLost | ClustersPress | PartLost | PartUnheld | PartSunk | PartFloats | PartBelowFloor | TopperNarrow
    | TopperHeavy | TopperLeans
)  # fmt: skip
"""What is told of parts and fillers."""
Note = RowNote | PartNote
"""A warning or an advice."""
