"""A piece: one thing that stands on the floor, with its groups, parts, frame, layers and copies."""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum
from typing import Annotated, NamedTuple, cast

from pydantic import Field, model_validator

from kakushi.model.frame import Frame
from kakushi.model.groups import Group, Row, RowsGroup, clear_foot_mm, first_rows_group, rows_of
from kakushi.model.joints import JointKind
from kakushi.model.layers import ColourLayer
from kakushi.model.limits import (
    LARGEST_HEIGHT_MM,
    MAX_COPIES,
    MAX_ROWS,
    SMALLEST_HEIGHT_MM,
    Key,
    Length,
    Name,
)
from kakushi.model.outline import Outline, PresetOutline
from kakushi.model.parts import Dressing, Part
from kakushi.model.ties import Tie
from kakushi.model.values import Value, replace

MAX_GROUPS = 40
"""Most groups on one pole."""
MAX_STEPS = 5000
"""Most steps of a copy whose order is kept: a thousand rows, and a cluster for each of three of four."""
MAX_MEANT = 200
"""Most warnings set aside on a piece: several for each of its parts."""
StepName = Annotated[str, Field(pattern=r"^[a-z]{1,12}(\.[a-z0-9]{1,12}){0,2}$")]
"""What a step is called within its copy, like “row.3” or “part.2.0”."""


class Tightness(StrEnum):
    """How hard rows are packed, as a hand feels it."""

    LOOSE = "loose"
    SNUG = "snug"
    TIGHT = "tight"


class LandingSchool(StrEnum):
    """How clusters are brought to the pole; it decides how colours land."""

    CLUSTER_FIRST = "cluster first"
    DUPLETS_LAID_ON = "duplets laid on"
    LINE_BUILT = "line-built"


class SeenSides(StrEnum):
    """Which sides the client sees."""

    FRONT = "front only"
    FRONT_AND_BACK = "front and back"
    ALL_ROUND = "all round"


class StockLine(Value):
    """Balloons of one nominal size on hand for a piece, all colours together."""

    nominal_in: float = Field(gt=0, le=100)
    balloons: int = Field(ge=0, le=1_000_000)


class FitControls(Value):
    """What the fit may use. None means no limit; empty `nominals` means the whole catalogue.

    `ratio_limit` bounds neighbouring diameters, `even_steps` (0 to 1) weighs smooth grading,
    `row_count` fixes the number of rows, `stock` the balloons of a nominal size.
    """

    counts: Annotated[tuple[int, ...], Field(min_length=1, max_length=7, fail_fast=True)] = (4,)
    nominals: Annotated[tuple[float, ...], Field(max_length=30, fail_fast=True)] = ()
    max_sizes: int | None = Field(default=None, ge=1, le=60)
    ratio_limit: float | None = Field(default=None, ge=1.05, le=5)
    even_steps: float = Field(default=0.0, ge=0, le=1)
    row_count: int | None = Field(default=None, ge=1, le=200)
    stock: Annotated[tuple[StockLine, ...], Field(max_length=60, fail_fast=True)] = ()


class Copy(Value):
    """One copy of a piece. One that differs has groups of its own, and the height they were chosen for.

    `target_height_mm` is read when rows are chosen for such a copy; the piece's where it is None. `pole_length_mm`:
    its own pole; None: the piece's, as much longer or shorter as the copy is wished.
    """

    label: Name = ""
    target_height_mm: Length | None = None
    pole_length_mm: Length | None = None
    groups: Annotated[tuple[Group, ...], Field(max_length=MAX_GROUPS, fail_fast=True)] | None = None


class Meant(Value):
    """A warning or an advice that is set aside, as `plan.intent` names it, with its figures at that moment."""

    what: Annotated[str, Field(min_length=1, max_length=500)]
    figures: Annotated[tuple[float, ...], Field(max_length=4, fail_fast=True)] = ()


class Firmness(StrEnum):
    """How firmly a piece must stand; `plan.stability` gives the lean and push for each."""

    BY_ITSELF = "by itself"
    BRUSH = "a brush in passing"
    BUMP = "a bump where people pass"


class Piece(Value):
    """One thing that stands on the floor, in one or more copies.

    `learnt_tau`: packing force measured on what stands of it, instead of tightness and measured packing.
    `target_includes_topper`: the target height is that of the topper's top, else of the highest balloon of the column.
    `firmness`: how firmly it must stand; None: as its frame suggests. `step_order`: names of the steps of a copy in the
    sculptor's own order; empty for the usual one. `meant`: what is not told again, because it is meant so. `ties`:
    rows joined to others than their neighbours.
    """

    __slots__ = ("_rows",)

    key: Key
    name: Name
    target_height_mm: float = Field(default=2100.0, ge=SMALLEST_HEIGHT_MM, le=LARGEST_HEIGHT_MM)
    target_includes_topper: bool = False
    outline: Outline = PresetOutline(preset="straight")
    groups: Annotated[tuple[Group, ...], Field(max_length=MAX_GROUPS, fail_fast=True)] = (RowsGroup(),)
    foot_angle_deg: float = Field(default=0.0, ge=-360, le=360)
    seen_sides: SeenSides = SeenSides.ALL_ROUND
    copies: Annotated[tuple[Copy, ...], Field(min_length=1, max_length=MAX_COPIES, fail_fast=True)] = (Copy(),)
    joint: JointKind = JointKind.WRAPPED
    school: LandingSchool = LandingSchool.CLUSTER_FIRST
    tightness: Tightness = Tightness.SNUG
    packing_name: Name | None = None
    learnt_tau: float | None = Field(default=None, gt=0, le=20)
    frame: Frame = Frame()
    parts: Annotated[tuple[Part, ...], Field(max_length=500, fail_fast=True)] = ()
    dressing: Dressing = Dressing()
    layers: Annotated[tuple[ColourLayer, ...], Field(max_length=50, fail_fast=True)] = ()
    paint_shown: bool = True
    locked: bool = False
    half_turns: int = Field(default=1, ge=0, le=4)
    tie_mixed: bool = False
    fit: FitControls = FitControls()
    firmness: Firmness | None = None
    step_order: Annotated[tuple[StepName, ...], Field(max_length=MAX_STEPS, fail_fast=True)] = ()
    meant: Annotated[tuple[Meant, ...], Field(max_length=MAX_MEANT, fail_fast=True)] = ()
    ties: Annotated[tuple[Tie, ...], Field(max_length=200, fail_fast=True)] = ()

    @property
    def rows(self) -> tuple[Row, ...]:
        """All rows, foot first, over all groups of rows; gathered once."""
        try:
            return cast("tuple[Row, ...]", object.__getattribute__(self, "_rows"))
        except AttributeError:
            rows = rows_of(self.groups)
            object.__setattr__(self, "_rows", rows)
            return rows

    @property
    def firm(self) -> Firmness:
        """How firmly it must stand. What has no base, a weight or foam for one stands where nobody passes."""
        has_stand = self.frame.base.is_there and self.frame.base.kind not in ("weight", "foam")
        return self.firmness or (Firmness.BRUSH if has_stand else Firmness.BY_ITSELF)

    @property
    def landing_school(self) -> LandingSchool:
        """How its clusters are brought on: without a pole there is nothing to wrap them round."""
        if self.school is LandingSchool.CLUSTER_FIRST and not self.frame.has_pole:
            return LandingSchool.LINE_BUILT
        return self.school

    @property
    def foot_mm(self) -> float:
        """Floor to where the first balloons stand: the base, and bare pole or room left above it."""
        return self.frame.base_height_mm + clear_foot_mm(self.groups)

    @property
    def copies_alike(self) -> int:
        """Copies built as the piece itself: those without groups of their own."""
        return sum(1 for copy in self.copies if copy.groups is None)

    @model_validator(mode="after")
    def _rows_are_told_apart(self) -> Piece:
        for groups in groups_built(self):
            keys = [row.key for row in rows_of(groups)]
            if len(keys) > MAX_ROWS:
                raise ValueError(f"“{self.name}” has more than {MAX_ROWS} rows")
            if len(set(keys)) != len(keys):
                raise ValueError(f"“{self.name}” has two rows with one key")
        return self


class Design(NamedTuple):
    """What is built in so many copies: groups, and the height and pole they are for.

    `label` names a copy with groups of its own, "" the piece itself.
    """

    label: str
    copies: int
    groups: tuple[Group, ...]
    height_mm: float
    pole_length_mm: float | None

    def of(self, piece: Piece) -> Piece:
        """The piece with the groups, height and pole of this design, built once."""
        frame = replace(piece.frame, pole_length_mm=self.pole_length_mm)
        # Copied, not validated with all its copies once more: what a copy holds was validated with the piece.
        changes = {"groups": self.groups, "target_height_mm": self.height_mm, "frame": frame, "copies": (Copy(),)}
        return piece.model_copy(update=changes)


def designs(piece: Piece) -> Iterator[Design]:
    """What is built: the piece itself where a copy follows it, then every copy with groups of its own."""
    whole, pole = piece.target_height_mm, piece.frame.pole_length_mm
    if piece.copies_alike:
        yield Design("", piece.copies_alike, piece.groups, whole, pole)
    for number, copy in enumerate(piece.copies, 1):
        if copy.groups is not None:
            height = copy.target_height_mm or whole
            own_pole = copy.pole_length_mm or (max(pole + height - whole, 1.0) if pole else None)
            yield Design(copy.label or f"copy {number}", 1, copy.groups, height, own_pole)


def groups_built(piece: Piece) -> Iterator[tuple[Group, ...]]:
    """The groups of the piece, then of every copy that has its own."""
    yield piece.groups
    yield from (copy.groups for copy in piece.copies if copy.groups is not None)


def free_row_key(piece: Piece) -> int:
    """A key no row of the piece has."""
    return max((row.key for row in piece.rows), default=0) + 1


def with_rows(piece: Piece, rows: tuple[Row, ...], place: int | None = None) -> Piece:
    """The piece with other rows in the group of rows at `place`, the first one unless given; its anchor stays."""
    groups = list(piece.groups)
    index = place if place is not None else first_rows_group(groups)
    if index is None:
        groups.append(RowsGroup(rows=rows))
    else:
        groups[index] = replace(groups[index], rows=rows)
    return replace(piece, groups=tuple(groups))


def copy_name(piece: Piece, number: int) -> str:
    """What a copy (from 0) is called: the piece's name, with its label or its number where there are several."""
    label = piece.copies[number].label or (str(number + 1) if len(piece.copies) > 1 else "")
    return f"{piece.name} {label}".strip()
