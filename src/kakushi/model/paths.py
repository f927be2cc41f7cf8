"""Paths that a strand of rows is bent along, in the plane of the front: presets with a few measures, and drawn ones."""

from __future__ import annotations

import math
from enum import StrEnum
from itertools import pairwise
from typing import Annotated, Literal, get_args

from pydantic import Field, model_validator

from kakushi.model.limits import LARGEST_WIDTH_MM, Name
from kakushi.model.values import Value

MAX_PATH_POINTS = 10_000
"""Most points of a drawn path: a millimetre apart along ten metres."""
SHORTEST_PATH_MM = 50.0
"""A path shorter than one small balloon is no path."""

PathMeasure = Annotated[float, Field(ge=SHORTEST_PATH_MM, le=LARGEST_WIDTH_MM)]
PathPreset = Literal["arch", "pointed-arch", "ring", "loop", "heart", "wave", "spiral", "s"]
PATH_PRESETS: tuple[PathPreset, ...] = get_args(PathPreset)
CLOSED_PRESETS = frozenset({"ring", "heart"})
"""Presets whose end is their beginning."""


class PresetPath(Value):
    """One of the usual paths, over the centreline of the strand: how wide and how tall it is.

    `tail_mm`: length of each tail of a loop; `turns`: of a spiral, or waves of a wave.
    """

    kind: Literal["preset"] = "preset"
    preset: PathPreset = "arch"
    width_mm: PathMeasure = 2000.0
    height_mm: PathMeasure = 2000.0
    tail_mm: float = Field(default=400.0, ge=0, le=LARGEST_WIDTH_MM)
    turns: float = Field(default=2.0, ge=0.5, le=20)

    @property
    def is_closed(self) -> bool:
        """Whether its end is its beginning."""
        return self.preset in CLOSED_PRESETS

    @model_validator(mode="after")
    def _can_be_drawn(self) -> PresetPath:
        if self.preset == "pointed-arch" and 2 * self.height_mm < self.width_mm:
            raise ValueError("a pointed arch is at least half as tall as it is wide")
        if self.preset == "loop" and self.height_mm < 1.2 * self.width_mm + self.tail_mm / 2:
            raise ValueError("a loop with tails is taller than its width and half a tail")
        return self


class PathPoint(Value):
    """A point of a drawn path: to the right of the piece's middle (left is negative), and above the floor, mm."""

    x_mm: float = Field(ge=-LARGEST_WIDTH_MM, le=LARGEST_WIDTH_MM)
    z_mm: float = Field(ge=-LARGEST_WIDTH_MM, le=LARGEST_WIDTH_MM)


class DrawnPath(Value):
    """A path through points, smooth or cornered. `closed`: the last point is joined to the first."""

    kind: Literal["drawn"] = "drawn"
    name: Name = ""
    points: Annotated[tuple[PathPoint, ...], Field(min_length=2, max_length=MAX_PATH_POINTS, fail_fast=True)]
    smooth: bool = True
    closed: bool = False

    @property
    def is_closed(self) -> bool:
        """Whether its end is its beginning."""
        return self.closed

    @model_validator(mode="after")
    def _has_length(self) -> DrawnPath:
        steps = [math.hypot(b.x_mm - a.x_mm, b.z_mm - a.z_mm) for a, b in pairwise(self.points)]
        if sum(steps) < SHORTEST_PATH_MM:
            raise ValueError(f"the path is shorter than {SHORTEST_PATH_MM / 10:g} cm")
        if self.closed and len(self.points) < 3:
            raise ValueError("a closed path needs three points")
        return self


Path = Annotated[PresetPath | DrawnPath, Field(discriminator="kind")]


class StrandStands(StrEnum):
    """How a strand is held up."""

    BASES = "a base at each end"
    HUNG = "hung from above"
    LIES = "as it lies"


class Strand(Value):
    """How a group of rows is bent: along a path, its middle `x_mm` to the right of the piece's.

    `front_first`: where it crosses itself, the part nearer its beginning passes in front. `shares_row`: both ways go
    through one row there, which lies half-way between them. `stands`: how it is held up;
    `core`: what keeps it bent, the line alone or a bent pipe or flat bar through it.
    """

    path: Path = PresetPath()
    x_mm: float = Field(default=0.0, ge=-LARGEST_WIDTH_MM, le=LARGEST_WIDTH_MM)
    front_first: bool = True
    shares_row: bool = False
    stands: StrandStands = StrandStands.BASES
    core: Literal["line", "bent pipe"] = "line"
