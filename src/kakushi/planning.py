"""The pipeline: a job in, everything derived out. Pure, memoised per stage by what the stage reads."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from kakushi.colour.patterns import Colouring, colour_rows
from kakushi.model.catalogue import NominalSize, Studio
from kakushi.model.errors import BadInput
from kakushi.model.job import (
    SMALLEST_HEIGHT_MM,
    Frame,
    Group,
    Job,
    JointKind,
    Outline,
    Part,
    PartKind,
    Piece,
    Row,
    RowsGroup,
    Tightness,
)
from kakushi.model.values import replace
from kakushi.packing.settle import settle
from kakushi.packing.stack import Geometry, Packing, StackRow, joined, stack_row
from kakushi.prep.supplies import SupplyLine, Use, sum_lines, supply_lines, times, uses_of
from kakushi.shape.fit import FitResult, Progress, alternatives, fit
from kakushi.shape.judge import FitRequest, PinnedRow
from kakushi.shape.match import Match, match_of
from kakushi.shape.profile import Profile, profile_of

TAU = {Tightness.LOOSE: 0.05, Tightness.SNUG: 0.3, Tightness.TIGHT: 0.5}


@dataclass(frozen=True, slots=True, eq=False)
class PiecePlan:
    """What follows from one piece. Heights mm from the floor; geometry stands at its true height.

    `uses` are for one copy of the main design; `supplies` for all copies, spares included.
    """

    piece: Piece
    geometry: Geometry
    colouring: Colouring
    profile: Profile
    column_target_mm: float
    match: Match | None
    uses: tuple[Use, ...]
    supplies: tuple[SupplyLine, ...]
    warnings: tuple[str, ...]

    @property
    def drawn(self) -> Geometry:
        """The column's geometry with its toppers standing on it (their row is -1)."""
        return _with_toppers(self.geometry, self.piece)

    @property
    def foot_mm(self) -> float:
        """Height of the piece's foot (top of the base) above the floor."""
        return _foot_mm(self.piece.frame)

    @property
    def height_mm(self) -> float:
        """Floor to the highest balloon of the column, base included, topper excluded; 0 without rows."""
        return self.geometry.top if self.piece.rows else 0.0

    @property
    def overall_height_mm(self) -> float:
        """The same with the topper."""
        return self.height_mm + topper_height_mm(self.piece)

    @property
    def measured_height_mm(self) -> float:
        """The height that the target height speaks of."""
        return self.overall_height_mm if self.piece.target_includes_topper else self.height_mm

    @property
    def height_error_mm(self) -> float:
        """Height reached less height wished, with or without topper as the target says."""
        return self.measured_height_mm - self.piece.target_height_mm

    @property
    def balloon_count(self) -> int:
        """Balloons drawn in one copy."""
        return sum(use.count for use in self.uses if use.seen)

    @property
    def consumed_count(self) -> int:
        """Balloons used up by one copy, inner ones and weights included."""
        return sum(use.count for use in self.uses)

    @property
    def distinct_sizes(self) -> int:
        """Different sizer settings: pairs of nominal size and sized diameter."""
        return len({(s.nominal_in, round(s.diameter_mm, 3)) for row in self.piece.rows for s in row.slots})

    def balloon_colours(self) -> list[str]:
        """Colour key per balloon of the column, in the geometry's order."""
        return [colour for line in self.colouring for colour in line]

    def drawn_colours(self) -> list[str]:
        """Colour key per balloon of `drawn`."""
        return [*self.balloon_colours(), *(part.balloons[0].colour for part in _drawn_toppers(self.piece))]


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """Everything derived from a job, piece by piece, and the supplies of the whole."""

    job: Job
    pieces: tuple[PiecePlan, ...]
    supplies: tuple[SupplyLine, ...]

    def piece(self, key: int) -> PiecePlan | None:
        """The plan of the piece with that key, or None."""
        return next((p for p in self.pieces if p.piece.key == key), None)


def plan(job: Job, studio: Studio) -> Plan:
    """Derive the plan of a job. Pure: equal arguments give equal plans; unchanged stages are not run again."""
    pieces = tuple(_piece_plan(piece, studio, job.settings.spares_percent, _fallback(job)) for piece in job.pieces)
    return Plan(job, pieces, sum_lines(p.supplies for p in pieces))


def _fallback(job: Job) -> str:
    return job.palette[0].key


@lru_cache(maxsize=512)
def _piece_plan(piece: Piece, studio: Studio, spares_percent: float, fallback: str) -> PiecePlan:
    geometry = _piece_geometry(piece, piece.groups, studio)
    colouring = colour_rows(piece.rows, geometry.turns.tolist(), piece.layers, fallback)
    target = column_target_mm(piece)
    height = max(target - _foot_mm(piece.frame), 1.0)
    uses = uses_of(piece.groups, colouring, piece.parts, fallback)
    return PiecePlan(
        piece, geometry, colouring, profile_of(piece.outline, height), target,
        _match(geometry, piece.outline, height, _foot_mm(piece.frame)) if piece.rows else None,
        uses, supply_lines(_all_copies(piece, uses, studio, fallback), spares_percent),
        (*_row_warnings(piece.rows, studio.nominals), *_settling_warnings(geometry), *_group_warnings(piece)),
    )  # fmt: skip


def _piece_geometry(piece: Piece, groups: tuple[Group, ...], studio: Studio) -> Geometry:
    foot_angle = math.radians(piece.foot_angle_deg)
    return _geometry(groups, packing_of(piece, studio), piece.joint, foot_angle, _foot_mm(piece.frame))


@lru_cache(maxsize=256)
def _geometry(
    groups: tuple[Group, ...], packing: Packing, joint: JointKind, foot_angle: float, foot_mm: float
) -> Geometry:
    """All groups of rows, each settled by itself and put where its anchor says."""
    placed: list[Geometry] = []
    for group in groups:
        if not isinstance(group, RowsGroup) or not group.rows:
            continue
        settled = _settled(tuple(stack_row(row, packing, joint) for row in group.rows), packing, foot_angle)
        match group.anchor.kind:
            case "floor":
                lift = placed[-1].top if placed else foot_mm
            case "at height":
                lift = group.anchor.height_mm
            case "hanging below":
                lift = group.anchor.height_mm - settled.top
        placed.append(settled.lifted(lift))
    return joined(placed) if placed else _settled((), packing, foot_angle)


@lru_cache(maxsize=256)
def _settled(stack: tuple[StackRow, ...], packing: Packing, foot_angle: float) -> Geometry:
    return settle(stack, packing, foot_angle)


@lru_cache(maxsize=256)
def _match(geometry: Geometry, outline: Outline, height_mm: float, foot_mm: float) -> Match:
    return match_of(geometry, profile_of(outline, height_mm), foot_mm)


def packing_of(piece: Piece, studio: Studio) -> Packing:
    """How a piece is packed: the studio's measured packing of that name, else its tightness; and its pole."""
    pole_radius = piece.frame.pole_diameter_mm / 2 if piece.frame.kind == "pole" else 0.0
    measured = studio.packing(piece.packing_name)
    if measured is not None:
        return Packing(measured.tau, pole_radius, measured.slack)
    return Packing(TAU[piece.tightness], pole_radius)


def _foot_mm(frame: Frame) -> float:
    return frame.base.height_mm if frame.base.kind != "none" else 0.0


def topper_height_mm(piece: Piece) -> float:
    """How far the tallest topper stands above the column, mm."""
    return max((part.tall_mm for part in piece.parts if part.kind is PartKind.TOPPER), default=0.0)


def _drawn_toppers(piece: Piece) -> list[Part]:
    """Toppers that can be drawn: they have a height and a balloon to take the colour from."""
    toppers = [p for p in piece.parts if p.kind is PartKind.TOPPER]
    return [p for p in toppers if p.tall_mm > 0 and p.balloons] if piece.rows else []


@lru_cache(maxsize=256)
def _with_toppers(geometry: Geometry, piece: Piece) -> Geometry:
    toppers = _drawn_toppers(piece)
    if not toppers:
        return geometry
    radii = np.array([part.tall_mm / 2 for part in toppers])
    centres = np.zeros((len(toppers), 3))
    centres[:, 2] = geometry.top + radii
    none = np.full(len(toppers), -1)
    return dataclasses.replace(
        geometry,
        centres=np.concatenate([geometry.centres, centres]),
        radii=np.concatenate([geometry.radii, radii]),
        row_of=np.concatenate([geometry.row_of, none]),
        slot_of=np.concatenate([geometry.slot_of, none]),
    )


def column_target_mm(piece: Piece) -> float:
    """Floor to the highest balloon as wished: the target height less the topper where it includes it."""
    off = topper_height_mm(piece) if piece.target_includes_topper else 0.0
    return max(piece.target_height_mm - off, 1.0)


def _all_copies(piece: Piece, uses: tuple[Use, ...], studio: Studio, fallback: str) -> tuple[Use, ...]:
    alike = sum(1 for copy in piece.copies if copy.groups is None)
    found = list(times(uses, alike))
    for copy in piece.copies:
        if copy.groups is not None:
            found += _uses_of_variant(piece, copy.groups, studio, fallback)
    return tuple(found)


def _uses_of_variant(piece: Piece, groups: tuple[Group, ...], studio: Studio, fallback: str) -> tuple[Use, ...]:
    rows = tuple(row for group in groups if isinstance(group, RowsGroup) for row in group.rows)
    geometry = _piece_geometry(piece, groups, studio)
    colouring = colour_rows(rows, geometry.turns.tolist(), piece.layers, fallback)
    return uses_of(groups, colouring, piece.parts, fallback)


def _row_warnings(rows: tuple[Row, ...], nominals: tuple[NominalSize, ...]) -> tuple[str, ...]:
    sizes = {n.nominal_in: n for n in nominals}
    outside = [
        i
        for i, row in enumerate(rows, 1)
        for slot in row.slots[:1]
        if (size := sizes.get(slot.nominal_in))
        and not size.smallest_mm - 0.1 <= slot.diameter_mm <= size.largest_mm + 0.1
    ]
    if not outside:
        return ()
    named = ", ".join(map(str, outside[:6])) + ("…" if len(outside) > 6 else "")
    return (f"Sized outside the usable range of its balloon: row{'s' if len(outside) > 1 else ''} {named}.",)


def _settling_warnings(geometry: Geometry) -> tuple[str, ...]:
    report, found = geometry.report, []
    if not report.converged:
        found.append("The rows could not be brought to balance: heights are rough.")
    if not report.in_order:
        found.append("A row is swallowed by its neighbour: their sizes differ too much.")
    if domed := [str(i + 1) for i in np.flatnonzero(~geometry.flat)]:
        rows, wants = ("Rows", "want") if len(domed) > 1 else ("Row", "wants")
        named = ", ".join(domed[:6]) + ("…" if len(domed) > 6 else "")
        found.append(
            f"{rows} {named} {wants} to dome: nothing holds it down, or its necks are too short for its count."
        )
    return tuple(found)


def _group_warnings(piece: Piece) -> tuple[str, ...]:
    if any(not isinstance(group, RowsGroup) for group in piece.groups):
        return ("Balls, reserved room and bare pole are counted but not drawn yet.",)
    return ()


def fit_request(piece: Piece, studio: Studio) -> FitRequest:
    """What the fit is asked for a piece. Raises BadInput when there is no room or no balloon to use."""
    height = column_target_mm(piece) - _foot_mm(piece.frame)
    if height < SMALLEST_HEIGHT_MM / 2:
        raise BadInput("The topper and the base leave no height for the column.", "height")
    allowed = piece.fit.nominals
    nominals = tuple(n for n in studio.nominals if not allowed or n.nominal_in in allowed)
    if not nominals:
        raise BadInput("None of the chosen balloon sizes is in your catalogue.", "nominals")
    controls = piece.fit
    return FitRequest(
        profile_of(piece.outline, height), nominals, studio.sizer, packing_of(piece, studio), controls.counts,
        controls.max_sizes, controls.ratio_limit, controls.even_steps, controls.row_count,
        _pinned_rows(piece, studio), tuple((line.nominal_in, line.balloons) for line in controls.stock), piece.joint,
    )  # fmt: skip


def _pinned_rows(piece: Piece, studio: Studio) -> tuple[PinnedRow, ...]:
    """Rows pinned by hand, with the heights of their knots above the foot now."""
    if not any(row.pinned for row in piece.rows):
        return ()
    knots = _piece_geometry(piece, piece.groups, studio).knots - _foot_mm(piece.frame)
    return tuple(PinnedRow(float(z), row) for row, z in zip(piece.rows, knots, strict=True) if row.pinned)


def fit_alternatives(
    piece: Piece,
    studio: Studio,
    progress: Progress = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> tuple[FitResult, ...]:
    """Fits with fewer and fewer sizes, for the trade-off. Raises as `fit_piece` does."""
    return alternatives(fit_request(piece, studio), progress, cancelled)


def fit_piece(
    piece: Piece,
    studio: Studio,
    progress: Progress = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> FitResult:
    """Choose rows for a piece. Raises BadInput, FitImpossible, Cancelled; the piece is not changed."""
    return fit(fit_request(piece, studio), progress, cancelled)


def with_rows(piece: Piece, rows: tuple[Row, ...]) -> Piece:
    """The piece with one group of rows, standing on the floor."""
    return replace(piece, groups=(RowsGroup(rows=rows),))
