"""Rows chosen for a piece: what the fit is asked, quick sketches, alternatives, and the spread of the height."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, Length
from kakushi.model.groups import Row, first_rows_group, rows_groups, rows_of
from kakushi.model.limits import SMALLEST_HEIGHT_MM
from kakushi.model.piece import Piece, with_rows
from kakushi.packing.groups.rows import packing_of_rows, settled
from kakushi.packing.stack import Packing, stack_row
from kakushi.packing.tolerance import USUAL_HEIGHT_PERCENT, Spread, height_spread
from kakushi.plan.facts import StrandOpen
from kakushi.plan.geometry import assembly_of, core_seen_of, first_strand, packing_of, rows_span_mm
from kakushi.plan.parts import topper_rise_mm
from kakushi.plan.strands import strand_notes
from kakushi.plan.values import PiecePlan
from kakushi.shape.fit import Progress, alternatives, fit, sketch
from kakushi.shape.fit_result import FitResult
from kakushi.shape.judge import FitRequest, PinnedRow
from kakushi.shape.profile import profile_of
from kakushi.sight.core_seen import CoreSeen

_TOPPER_WITHIN_MM = 2.0
"""Change in how far a topper sinks, mm, above which rows are fitted again: nobody notices less."""


@dataclass(frozen=True, slots=True)
class Alternative:
    """One of several fits, with the visible share of its pole or line."""

    fit: FitResult
    core_seen: CoreSeen


def fit_request(piece: Piece, studio: Studio) -> FitRequest:
    """Build the fit request for a piece's first rows. Raises BadInput when there is no room or no balloon to use."""
    foot, top = rows_span_mm(piece, assembly_of(piece, piece.groups, studio))
    height = top - foot
    if height < SMALLEST_HEIGHT_MM / 2:
        raise BadInput(
            "There is no room for the rows: they would stand from {foot} to {top}, between base, topper and other "
            "groups. Move or take away one of them.",
            "height",
            foot=Length(foot),
            top=Length(top),
        )
    # None chosen means all of the catalogue.
    allowed = piece.fit.nominals
    nominals = tuple(n for n in studio.nominals if not allowed or n.nominal_in in allowed)
    if not nominals:
        raise BadInput("None of the chosen balloon sizes is in your catalogue.", "nominals")
    controls = piece.fit
    return FitRequest(
        profile=profile_of(piece.outline, height),
        nominals=nominals,
        sizer=studio.sizer,
        packing=_packing_of_first(piece, studio),
        counts=controls.counts,
        max_sizes=controls.max_sizes,
        ratio_limit=controls.ratio_limit,
        even_steps=controls.even_steps,
        row_count=controls.row_count,
        pinned=_pinned_rows(piece, studio),
        stock=tuple((line.nominal_in, line.balloons) for line in controls.stock),
        joint=piece.joint,
    )


def _packing_of_first(piece: Piece, studio: Studio) -> Packing:
    """How the first group of rows is packed: a strand goes round no pole."""
    packing, groups = packing_of(piece, studio), rows_groups(piece.groups)
    if not groups:
        return packing
    packing = packing_of_rows(groups[0][1], packing)
    return packing if groups[0][1].strand is None else replace(packing, pole_radius=0.0)


def sketch_rows(piece: Piece, studio: Studio, cancelled: Callable[[], bool] = lambda: False) -> tuple[Row, ...]:
    """A quick choice of rows while an outline is dragged. Raises as `fit_piece` does."""
    return sketch(fit_request(piece, studio), cancelled)


def spread_of(piece_plan: PiecePlan, studio: Studio, cancelled: Callable[[], bool] = lambda: False) -> Spread:
    """How far a piece's height and gaps may be off, by the studio's sizing and by its packing. Raises Cancelled."""
    measured = studio.packing(piece_plan.piece.packing_name)
    percent = measured.height_percent if measured is not None else USUAL_HEIGHT_PERCENT
    # How high a strand reaches is its path's affair: what its rows are off by makes it longer.
    groups = [group for _, group in rows_groups(piece_plan.piece.groups) if group.rows and group.strand is None]
    packings = [packing_of_rows(group, piece_plan.packing) for group in groups]
    stacks = [
        tuple(stack_row(row, packing, piece_plan.piece.joint) for row in group.rows)
        for group, packing in zip(groups, packings, strict=True)
    ]
    spreads = [
        height_spread(
            stack,
            packing,
            settled(stack, packing, 0.0, group.twist),
            studio.working_scatter_mm,
            percent,
            [
                max(row.sizing.scatter_mm(slot.nominal_in) for slot in row.slots) if row.sizing else 0.0
                for row in group.rows
            ],
            cancelled=cancelled,
        )
        for group, stack, packing in zip(groups, stacks, packings, strict=True)
    ]
    if not spreads:
        return Spread(0.0, 0.0, 0.0, np.zeros(0), 0)
    # Balloons of several groups are off independently, hands pack all of them alike.
    return Spread(
        sizing_sd=math.sqrt(sum(spread.sizing_sd**2 for spread in spreads)),
        packing_sd=sum(spread.packing_sd for spread in spreads),
        shift=sum(spread.shift for spread in spreads),
        gaps=np.concatenate([spread.gaps for spread in spreads]),
        samples=spreads[0].samples,
    )


def _pinned_rows(piece: Piece, studio: Studio) -> tuple[PinnedRow, ...]:
    """Rows of the first group pinned by hand, with the heights of their knots above its foot now."""
    first = first_rows_group(piece.groups)
    rows = rows_of((piece.groups[first],)) if first is not None else ()
    if not any(row.pinned for row in rows):
        return ()
    assembly = assembly_of(piece, piece.groups, studio)
    knots = assembly.rows.knots[: len(rows)] - rows_span_mm(piece, assembly)[0]
    return tuple(PinnedRow(float(z), row) for row, z in zip(rows, knots, strict=True) if row.pinned)


def fit_alternatives(
    piece: Piece,
    studio: Studio,
    progress: Progress = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> tuple[Alternative, ...]:
    """Fits with fewer and fewer sizes, for the trade-off. Raises as `fit_piece` does."""
    choices = alternatives(fit_request(piece, studio), progress, cancelled)
    radius = piece.frame.pole_radius_mm
    return tuple(Alternative(fit, core_seen_of(fit.geometry, radius, (range(len(fit.rows)),))) for fit in choices)


def _rows_that_lock(piece: Piece, studio: Studio) -> int | None:
    """The nearest number of rows with which a closed strand's ends lock; None where they lock or none is near."""
    assembly = assembly_of(piece, piece.groups, studio)
    note = next((note for note in strand_notes(piece, assembly) if isinstance(note, StrandOpen)), None)
    near = [rows for rows in (note.fewer, note.more) if rows is not None] if note else []
    return min(near, key=lambda rows: abs(rows - len(piece.rows)), default=None)


def _shared_mm(piece: Piece, studio: Studio) -> float:
    """Length of the path that a strand takes through rows it shares with itself, mm: no rows are laid there."""
    assembly = assembly_of(piece, piece.groups, studio)
    laid = first_strand(piece, assembly)
    return len(laid.shared) * float(np.median(laid.geometry.frames.rises)) if laid is not None and laid.shared else 0.0


def fit_piece(
    piece: Piece,
    studio: Studio,
    progress: Progress = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> FitResult:
    """Choose rows for a piece. Raises BadInput, FitImpossible, Cancelled; the piece is not changed."""
    request = fit_request(piece, studio)
    result = fit(request, progress, cancelled)
    if (rows := _rows_that_lock(with_rows(piece, result.rows), studio)) is not None:
        # The ends of a ring lock with every second number of rows or so.
        return fit(replace(request, row_count=rows), progress, cancelled)
    if shared := _shared_mm(with_rows(piece, result.rows), studio):
        shorter = profile_of(piece.outline, request.profile.height - shared)
        return fit(replace(request, profile=shorter), progress, cancelled)
    if not (piece.target_includes_topper and topper_rise_mm(piece, assembly_of(piece, (), studio))):
        return result
    # How deep the topper sinks depends on the last row: once more with the rows just found.
    again = fit_request(with_rows(piece, result.rows), studio)
    if abs(again.profile.height - request.profile.height) <= _TOPPER_WITHIN_MM:
        return result
    return fit(again, progress, cancelled)
