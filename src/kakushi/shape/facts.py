"""What is told of a fit: where it cannot follow its outline or height, and what would close a straight column."""

from __future__ import annotations

from typing import Literal, NamedTuple


class BeyondReach(NamedTuple):
    """The outline is thinner (wider) at a height, mm, than the smallest (largest) cluster of a count."""

    is_thin: bool
    outline_mm: float
    at_mm: float
    cluster_mm: float
    balloons: int


class HeightMissed(NamedTuple):
    """The height comes no nearer than so far above the target (negative: below), mm."""

    off_mm: float


class RowsImpossible(NamedTuple):
    """That number of rows cannot reach the height."""

    rows: int


class StockExceeded(NamedTuple):
    """More balloons of a nominal size (in) are used than there are."""

    nominal_in: float
    used: int
    have: int


class Brittle(NamedTuple):
    """A little off in sizing or packing, and a row changes its place."""


class StraightEnds(NamedTuple):
    """Rows of one size end so far above the target (negative: below), and what would close it; mm.

    `other`: another size for all rows and how far above they end; `hands`: packed tighter (True) or looser;
    `last_mm`: a smaller last row.
    """

    rows: int
    diameter_mm: float
    off_mm: float
    other: tuple[float, float] | None
    tighter: bool | None
    last_mm: float | None


Note = BeyondReach | HeightMissed | RowsImpossible | StockExceeded | Brittle | StraightEnds


class MissReason(NamedTuple):
    """Why a stretch of an outline is missed, with the extreme cluster (balloons, width in mm) that may be why."""

    why: Literal["smallest", "largest", "few sizes", "unequal", "round end", "steep", "bulges"]
    balloons: int
    width_mm: float
