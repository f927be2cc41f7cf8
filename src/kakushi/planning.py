"""The pipeline: a job in, everything derived out. Pure, memoised per stage by what the stage reads."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from kakushi.attention import advice, packing_warnings, row_warnings, settling_warnings
from kakushi.colour.colouring import Colouring, colour_rows, pattern_of
from kakushi.colour.faults import Fault, colour_faults
from kakushi.colour.surface import Surface, surface_of
from kakushi.colour.words import turn_words
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.job import (
    SMALLEST_HEIGHT_MM,
    BallGroup,
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
    Slot,
    Tightness,
    size_count,
)
from kakushi.model.values import replace
from kakushi.packing.assembly import Assembly, assemble, reassembled, resting_height, settled, takes_search
from kakushi.packing.contacts import RowMeasure, row_measures
from kakushi.packing.stack import Geometry, Packing, stack_row
from kakushi.packing.tolerance import SAMPLES, Spread, height_spread
from kakushi.prep.supplies import Stuffed, SupplyLine, Use, sum_lines, supply_lines, times, uses_of, with_spares
from kakushi.shape.fit import FitResult, Progress, alternatives, fit, sketch
from kakushi.shape.judge import FitRequest, PinnedRow
from kakushi.shape.match import Match, match_of
from kakushi.shape.profile import Profile, profile_of

_TOPPER_WITHIN_MM = 2.0
TAU = {Tightness.LOOSE: 0.05, Tightness.SNUG: 0.3, Tightness.TIGHT: 0.5}


@dataclass(frozen=True, slots=True, eq=False)
class PiecePlan:
    """What follows from one piece. Heights mm from the floor; geometry stands at its true height.

    `uses` are for one copy of the main design; `supplies` for all copies, spares included.
    """

    piece: Piece
    assembly: Assembly
    packing: Packing
    surface: Surface
    colouring: Colouring
    profile: Profile
    column_target_mm: float
    match: Match | None
    uses: tuple[Use, ...]
    supplies: tuple[SupplyLine, ...]
    warnings: tuple[str, ...]
    advice: tuple[str, ...]
    faults: tuple[Fault, ...]
    fallback: str

    @property
    def geometry(self) -> Geometry:
        """The rows."""
        return self.assembly.rows

    @property
    def drawn(self) -> Geometry:
        """The rows with the piece's balls and the toppers that rest on it (their row is -1)."""
        return _with_others(self.assembly, self.piece)

    @property
    def measures(self) -> tuple[RowMeasure, ...]:
        """Ring radius, width, squish and gap to the pole of every row."""
        return _measures(self.geometry, self.packing.pole_radius)

    @property
    def foot_mm(self) -> float:
        """Height above the floor of where the first balloons stand."""
        return self.piece.foot_mm

    @property
    def height_mm(self) -> float:
        """Floor to the highest balloon of the column, base included, topper excluded; 0 without rows."""
        return self.assembly.top

    @property
    def overall_height_mm(self) -> float:
        """The same with the topper."""
        return self.height_mm + topper_rise_mm(self.piece, self.assembly)

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
        return size_count(self.piece.rows)

    def turned(self, row: int, job: Job) -> str:
        """How a row (from 0) is brought on, in words: which colour into which gap of the row below."""
        names = {colour.key: colour.name for colour in job.palette}
        keys = {key for line in self.colouring for key in line}
        names |= {key: job.colour(key).name for key in keys if key not in names}
        below = self.colouring[row - 1] if row else ()
        return turn_words(self.surface, row, self.colouring[row], below, names)

    def balloon_colours(self) -> list[str]:
        """Colour key per balloon of the column, in the geometry's order."""
        return [colour for line in self.colouring for colour in line]

    def drawn_colours(self) -> list[str]:
        """Colour key per balloon of `drawn`."""
        balls = [
            slot.colour or self.fallback for g in self.piece.groups if isinstance(g, BallGroup) for slot in g.slots
        ]
        return [*self.balloon_colours(), *balls, *(part.balloons[0].colour for part in drawn_toppers(self.piece))]


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """Everything derived from a job, piece by piece, and the supplies of the whole.

    `confidence` is the chance that no size and colour runs out.
    """

    job: Job
    pieces: tuple[PiecePlan, ...]
    supplies: tuple[SupplyLine, ...]
    studio: Studio = field(default_factory=Studio)
    confidence: float = 1.0

    def piece(self, key: int) -> PiecePlan | None:
        """The plan of the piece with that key, or None."""
        return next((p for p in self.pieces if p.piece.key == key), None)


def plan(job: Job, studio: Studio) -> Plan:
    """Derive the plan of a job. Pure: equal arguments give equal plans; unchanged stages are not run again."""
    return _planned(job, studio, {})


def drafted(job: Job, studio: Studio, last: Plan) -> Plan | None:
    """A plan to show until `plan` is ready; None where that is quick anyway.

    Rows that take a search among several balances are settled from where they lay in the `last` plan; what the
    search finds may lie a little higher or lower.
    """
    before = {found.piece.key: found for found in last.pieces}
    drafts = {
        piece.key: draft
        for piece in job.pieces
        if (found := before.get(piece.key)) and (draft := _resettled(piece, found, studio))
    }
    return _planned(job, studio, drafts) if drafts else None


def _resettled(piece: Piece, found: PiecePlan, studio: Studio) -> Assembly | None:
    """The one group of rows of a piece, settled from where it lay before an edit; None without need or when unlike."""
    match piece.groups, found.piece.groups:
        case (RowsGroup() as group,), (RowsGroup() as former,) if _plain(group) != _plain(former):
            counts = [row.count for row in group.rows]
            packing = packing_of(piece, studio)
            if counts != [row.count for row in former.rows] or not takes_search(group, packing, piece.joint):
                return None
            draft = reassembled(group, packing, piece.joint, _foot_mm(piece.frame), found.geometry)
            return draft if draft.rows.report.converged else None
    return None


def _planned(job: Job, studio: Studio, drafts: Mapping[int, Assembly]) -> Plan:
    """The plan of a job, with these assemblies of some pieces, by key."""
    stuffed = tuple((c.key, c.outer, c.inner) for c in job.palette if c.outer and c.inner)
    settling = _settling(studio)
    fallback = _fallback(job)
    bare = [
        _derived(piece, drafts[piece.key], settling, fallback, stuffed) if piece.key in drafts
        else _piece_plan(piece, settling, fallback, stuffed)
        for piece in job.pieces
    ]  # fmt: skip
    supplies = with_spares([p.supplies for p in bare], job.brief.place, studio.pops, job.settings.confidence)
    pieces = tuple(_with_supplies(piece, lines) for piece, lines in zip(bare, supplies.pieces, strict=True))
    return Plan(job, pieces, sum_lines(supplies.pieces), studio, supplies.confidence)


def _settling(studio: Studio) -> Studio:
    """The studio without what changes no piece: stock, bags, rates, inflators."""
    usual = Studio()
    kept = ("nominals", "sizer", "sizing_scatter_mm", "packings", "landings", "palette")
    return usual.model_copy(update={name: getattr(studio, name) for name in kept})


@lru_cache(maxsize=256)
def _with_supplies(found: PiecePlan, supplies: tuple[SupplyLine, ...]) -> PiecePlan:
    return dataclasses.replace(found, supplies=supplies)


def _fallback(job: Job) -> str:
    return job.palette[0].key


@lru_cache(maxsize=512)
def _piece_plan(piece: Piece, studio: Studio, fallback: str, stuffed: Stuffed = ()) -> PiecePlan:
    return _derived(piece, _assembly(piece, piece.groups, studio), studio, fallback, stuffed)


def _derived(piece: Piece, assembly: Assembly, studio: Studio, fallback: str, stuffed: Stuffed) -> PiecePlan:
    """All that follows from a piece and where its balloons lie."""
    geometry, packing = assembly.rows, packing_of(piece, studio)
    surface = _surface(piece.rows, geometry)
    colouring = colour_rows(piece.rows, surface, piece.layers, fallback, piece.paint_shown)
    target = column_target_mm(piece, assembly)
    height = max(target - piece.foot_mm - _above_rows_mm(piece, assembly), 1.0)
    pattern = pattern_of(piece.rows, surface, piece.layers, fallback)
    uses = uses_of(piece.groups, colouring, piece.parts, fallback, stuffed, piece.frame)
    return PiecePlan(
        piece, assembly, packing, surface, colouring, profile_of(piece.outline, height), target,
        _match(geometry, piece.outline, height, piece.foot_mm) if piece.rows else None,
        uses, supply_lines(_all_copies(piece, uses, studio, fallback, stuffed)),
        (*packing_warnings(piece, studio), *row_warnings(piece.rows, studio.nominals),
         *settling_warnings(piece, geometry, packing)),
        advice(piece, geometry, packing, studio), colour_faults(surface, piece.layers, colouring, pattern), fallback,
    )  # fmt: skip


def _surface(rows: tuple[Row, ...], geometry: Geometry) -> Surface:
    return surface_of(geometry, tuple(row.count for row in rows))


def _assembly(piece: Piece, groups: tuple[Group, ...], studio: Studio) -> Assembly:
    foot_angle = math.radians(piece.foot_angle_deg)
    plain = tuple(map(_plain, groups))
    return _assembled(plain, packing_of(piece, studio), piece.joint, foot_angle, _foot_mm(piece.frame))


def _plain(group: Group) -> Group:
    """A group without its hand paint: colours never settle anything again."""
    if isinstance(group, RowsGroup):
        return group.model_copy(update={"rows": tuple(map(_plain_row, group.rows))})
    if isinstance(group, BallGroup):
        return group.model_copy(update={"slots": _plain_slots(group.slots)})
    return group


@lru_cache(maxsize=4096)
def _plain_row(row: Row) -> Row:
    return row.model_copy(update={"slots": _plain_slots(row.slots), "pinned": False})


def _plain_slots(slots: tuple[Slot, ...]) -> tuple[Slot, ...]:
    return tuple(slot.model_copy(update={"colour": None, "inner_colour": None}) for slot in slots)


@lru_cache(maxsize=256)
def _assembled(
    groups: tuple[Group, ...], packing: Packing, joint: JointKind, foot_angle: float, foot_mm: float
) -> Assembly:
    return assemble(groups, packing, joint, foot_angle, foot_mm)


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


def topper_rise_mm(piece: Piece, assembly: Assembly) -> float:
    """How far the tallest topper stands above the column, mm; toppers sink into the hollow of the last row."""
    toppers = [part.tall_mm for part in piece.parts if part.kind is PartKind.TOPPER and part.tall_mm > 0]
    centres, radii = assembly.spheres
    if not len(radii):
        return max(toppers, default=0.0)
    tops = [resting_height(centres, radii, tall / 2) + tall / 2 for tall in toppers]
    return max([0.0, *(top - assembly.top for top in tops)])


def drawn_toppers(piece: Piece) -> list[Part]:
    """Toppers that can be drawn: they have a height and a balloon to take the colour from."""
    toppers = [p for p in piece.parts if p.kind is PartKind.TOPPER]
    return [p for p in toppers if p.tall_mm > 0 and p.balloons] if _has_balloons(piece) else []


def _has_balloons(piece: Piece) -> bool:
    return bool(piece.rows) or any(isinstance(group, BallGroup) for group in piece.groups)


@lru_cache(maxsize=256)
def _with_others(assembly: Assembly, piece: Piece) -> Geometry:
    centres, radii = assembly.spheres
    toppers = [part.tall_mm / 2 for part in drawn_toppers(piece)]
    stand = [[0.0, 0.0, resting_height(centres, radii, radius)] for radius in toppers]
    geometry = assembly.rows
    none = np.full(len(radii) - len(geometry.radii) + len(toppers), -1)
    return dataclasses.replace(
        geometry,
        centres=np.concatenate([centres, np.array(stand).reshape(-1, 3)]),
        radii=np.concatenate([radii, toppers]),
        row_of=np.concatenate([geometry.row_of, none]),
        slot_of=np.concatenate([geometry.slot_of, none]),
    )


@lru_cache(maxsize=256)
def _measures(geometry: Geometry, pole_radius: float) -> tuple[RowMeasure, ...]:
    return row_measures(geometry, pole_radius)


def column_target_mm(piece: Piece, assembly: Assembly) -> float:
    """Floor to the highest balloon as wished: the target height less the topper where it includes it."""
    off = topper_rise_mm(piece, assembly) if piece.target_includes_topper else 0.0
    return max(piece.target_height_mm - off, 1.0)


def _all_copies(
    piece: Piece, uses: tuple[Use, ...], studio: Studio, fallback: str, stuffed: Stuffed
) -> tuple[Use, ...]:
    alike = sum(1 for copy in piece.copies if copy.groups is None)
    found = list(times(uses, alike))
    for copy in piece.copies:
        if copy.groups is not None:
            variant, colouring = variant_colouring(piece, copy.groups, studio, fallback)
            found += uses_of(variant.groups, colouring, piece.parts, fallback, stuffed, piece.frame)
    return tuple(found)


@lru_cache(maxsize=256)
def variant_colouring(
    piece: Piece, groups: tuple[Group, ...], studio: Studio, fallback: str
) -> tuple[Piece, Colouring]:
    """A piece with the groups of a copy that has its own, and the colours of its rows."""
    variant = replace(piece, groups=groups)
    geometry = _assembly(piece, groups, studio).rows
    rows = variant.rows
    return variant, colour_rows(rows, _surface(rows, geometry), piece.layers, fallback, piece.paint_shown)


def fit_request(piece: Piece, studio: Studio) -> FitRequest:
    """What the fit is asked for a piece's first rows. Raises BadInput when there is no room or no balloon to use."""
    assembly = _assembly(piece, piece.groups, studio)
    height = column_target_mm(piece, assembly) - piece.foot_mm - _above_rows_mm(piece, assembly)
    if height < SMALLEST_HEIGHT_MM / 2:
        raise BadInput("The topper, the base and other groups leave no height for the rows.", "height")
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


def _above_rows_mm(piece: Piece, assembly: Assembly) -> float:
    """How far what stands on the first group of rows (balls, further rows) reaches above it, mm."""
    first = next((i for i, g in enumerate(piece.groups) if isinstance(g, RowsGroup)), None)
    rest = piece.groups[first + 1 :] if first is not None else ()
    if first is None or not rest or any(group.anchor.kind != "floor" for group in rest):
        return 0.0
    return assembly.top - assembly.spans[first][1]


def sketch_rows(piece: Piece, studio: Studio, cancelled: Callable[[], bool] = lambda: False) -> tuple[Row, ...]:
    """A quick choice of rows while an outline is dragged. Raises as `fit_piece` does."""
    return sketch(fit_request(piece, studio), cancelled)


def spread_of(found: PiecePlan, studio: Studio, cancelled: Callable[[], bool] = lambda: False) -> Spread:
    """What the studio's sizing scatter does to a piece's height and gaps. Raises Cancelled."""
    groups = [group for group in found.piece.groups if isinstance(group, RowsGroup) and group.rows]
    stacks = [tuple(stack_row(row, found.packing, found.piece.joint) for row in group.rows) for group in groups]
    spreads = [
        height_spread(
            stack, found.packing, settled(stack, found.packing, 0.0), studio.sizing_scatter_mm, SAMPLES, cancelled
        )
        for stack in stacks
    ]
    if not spreads:
        return Spread(0.0, np.zeros(0), 0)
    # Groups vary independently.
    sd = math.sqrt(sum(spread.height_sd**2 for spread in spreads))
    return Spread(sd, np.concatenate([spread.gaps for spread in spreads]), spreads[0].samples)


def _pinned_rows(piece: Piece, studio: Studio) -> tuple[PinnedRow, ...]:
    """Rows pinned by hand, with the heights of their knots above the foot now."""
    if not any(row.pinned for row in piece.rows):
        return ()
    knots = _assembly(piece, piece.groups, studio).rows.knots - piece.foot_mm
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
    request = fit_request(piece, studio)
    result = fit(request, progress, cancelled)
    if not (piece.target_includes_topper and topper_rise_mm(piece, _assembly(piece, (), studio))):
        return result
    # How deep the topper sinks depends on the last row: once more with the rows just found.
    again = fit_request(with_rows(piece, result.rows), studio)
    if abs(again.profile.height - request.profile.height) <= _TOPPER_WITHIN_MM:
        return result
    return fit(again, progress, cancelled)


def with_rows(piece: Piece, rows: tuple[Row, ...]) -> Piece:
    """The piece with other rows in its first group of rows; other groups stay."""
    first = next((i for i, group in enumerate(piece.groups) if isinstance(group, RowsGroup)), len(piece.groups))
    return replace(piece, groups=(*piece.groups[:first], RowsGroup(rows=rows), *piece.groups[first + 1 :]))
