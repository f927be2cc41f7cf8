"""The pipeline: a job in, everything derived out. Pure, memoised per stage by what the stage reads."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from functools import lru_cache

from kakushi.colour.colouring import colour_rows, pattern_of
from kakushi.colour.faults import colour_faults
from kakushi.model import errors
from kakushi.model.catalogue import Studio
from kakushi.model.groups import RowsGroup
from kakushi.model.job import Job
from kakushi.model.limits import MAX_COPIES
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.outline import Outline
from kakushi.model.piece import Copy, Piece, designs
from kakushi.model.values import replace
from kakushi.packing.assembly import Assembly, reassembled, takes_search
from kakushi.packing.groups.table import without_paint
from kakushi.packing.stack import Geometry
from kakushi.plan.advice import advice, overlap_warnings, packing_warnings, row_warnings, settling_warnings
from kakushi.plan.copies import balloons_of_copies
from kakushi.plan.geometry import (
    assembly_of,
    column_target_mm,
    packing_of,
    rows_of_first_group,
    rows_span_mm,
    surface_for,
)
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.supplies import Stuffed, SupplyLine, count_balloons, sum_lines, supply_lines, with_spares
from kakushi.shape.match import Match, match_of
from kakushi.shape.profile import profile_of


def plan(job: Job, studio: Studio, cancelled: Cancelled = never) -> Plan:
    """Derive the plan of a job. Pure: equal arguments give equal plans; unchanged stages are not run again.

    Raises `errors.Cancelled` soon after `cancelled()` answers True, however long a search would still take.
    """
    return _planned(job, studio, {}, cancelled)


def drafted(job: Job, studio: Studio, last: Plan) -> Plan | None:
    """A plan to show until `plan` is ready; None where that is quick anyway.

    Rows that take a search among several balances are settled from where they lay in the `last` plan; what the
    search finds may lie a little higher or lower.
    """
    before = {piece_plan.piece.key: piece_plan for piece_plan in last.pieces}
    drafts = {
        piece.key: draft
        for piece in job.pieces
        if (piece_plan := before.get(piece.key)) and (draft := _resettled(piece, piece_plan, studio))
    }
    return _planned(job, studio, drafts, never) if drafts else None


def _resettled(piece: Piece, piece_plan: PiecePlan, studio: Studio) -> Assembly | None:
    """The one group of rows of a piece, settled from where it lay before an edit; None without need or when unlike."""
    match piece.groups, piece_plan.piece.groups:
        case (RowsGroup() as group,), (RowsGroup() as former,) if without_paint(group) != without_paint(former):
            counts = [row.count for row in group.rows]
            packing = packing_of(piece, studio)
            if counts != [row.count for row in former.rows] or not takes_search(group, packing, piece.joint):
                return None
            draft = reassembled(group, packing, piece.joint, piece.frame.base_height_mm, piece_plan.geometry)
            return draft if draft.rows.report.converged else None
    return None


def _planned(job: Job, studio: Studio, drafts: Mapping[int, Assembly], cancelled: Cancelled) -> Plan:
    """The plan of a job, with these assemblies of some pieces, by key."""
    stuffed = tuple((c.key, c.outer, c.inner) for c in job.palette if c.outer and c.inner)
    settling = _settling(studio)
    fallback = _fallback(job)
    bare = []
    for piece in job.pieces:
        if cancelled():
            raise errors.Cancelled
        if piece.key in drafts:
            bare.append(_derived(piece, drafts[piece.key], settling, fallback, stuffed, cancelled))
        else:
            bare.append(_piece_plan(piece, settling, fallback, stuffed, cancelled=cancelled))
    supplies = with_spares([p.supplies for p in bare], job.brief.place, studio.pops, job.settings.confidence)
    pieces = tuple(_with_supplies(piece, lines) for piece, lines in zip(bare, supplies.pieces, strict=True))
    return Plan(job, pieces, sum_lines(supplies.pieces), studio, supplies.confidence)


def plans_of_copies(piece_plan: PiecePlan, plan: Plan) -> tuple[tuple[str, PiecePlan], ...]:
    """Label and plan of every copy of a piece that has groups of its own, with its own height and pole.

    What they are judged and told by is left out: it is read of the piece alone.
    """
    stuffed = tuple((c.key, c.outer, c.inner) for c in plan.job.palette if c.outer and c.inner)
    piece, settling, fallback = piece_plan.piece, _settling(plan.studio), _fallback(plan.job)
    return tuple(
        (design.label, _copy_plan(replace(design.of(piece), copies=(Copy(),)), settling, fallback, stuffed))
        for design in designs(piece)
        if design.groups is not piece.groups
    )


@lru_cache(maxsize=MAX_COPIES)
def _copy_plan(piece: Piece, studio: Studio, fallback: str, stuffed: Stuffed) -> PiecePlan:
    """Where the balloons of a copy lie, and their colours."""
    assembly = assembly_of(piece, piece.groups, studio)
    surface = surface_for(piece.rows, assembly.rows)
    colouring = colour_rows(piece.rows, surface, piece.layers, fallback, piece.paint_shown)
    return PiecePlan(
        piece=piece,
        assembly=assembly,
        packing=packing_of(piece, studio),
        surface=surface,
        colouring=colouring,
        profile=profile_of(piece.outline, piece.target_height_mm),
        column_target_mm=column_target_mm(piece, assembly),
        match=None,
        balloon_counts=count_balloons(piece.groups, colouring, piece.parts, fallback, stuffed, piece.frame),
        supplies=(),
        warnings=(),
        advice=(),
        faults=(),
        fallback=fallback,
    )


def _settling(studio: Studio) -> Studio:
    """The studio without what changes no piece: stock, bags, rates, inflators."""
    usual = Studio()
    kept = ("nominals", "sizer", "sizing_scatter_mm", "packings", "landings", "palette")
    return usual.model_copy(update={name: getattr(studio, name) for name in kept})


@lru_cache(maxsize=256)
def _with_supplies(piece_plan: PiecePlan, supplies: tuple[SupplyLine, ...]) -> PiecePlan:
    return dataclasses.replace(piece_plan, supplies=supplies)


def _fallback(job: Job) -> str:
    return job.palette[0].key


@remembered(512)
def _piece_plan(
    piece: Piece, studio: Studio, fallback: str, stuffed: Stuffed = (), *, cancelled: Cancelled = never
) -> PiecePlan:
    return _derived(piece, assembly_of(piece, piece.groups, studio, cancelled), studio, fallback, stuffed, cancelled)


def _derived(
    piece: Piece, assembly: Assembly, studio: Studio, fallback: str, stuffed: Stuffed, cancelled: Cancelled
) -> PiecePlan:
    """All that follows from a piece and where its balloons lie."""
    geometry, packing = assembly.rows, packing_of(piece, studio)
    surface = surface_for(piece.rows, geometry)
    colouring = colour_rows(piece.rows, surface, piece.layers, fallback, piece.paint_shown)
    target = column_target_mm(piece, assembly)
    foot, top = rows_span_mm(piece, assembly)
    height = max(top - foot, 1.0)
    pattern = pattern_of(piece.rows, surface, piece.layers, fallback)
    balloon_counts = count_balloons(piece.groups, colouring, piece.parts, fallback, stuffed, piece.frame)
    return PiecePlan(
        piece=piece,
        assembly=assembly,
        packing=packing,
        surface=surface,
        colouring=colouring,
        profile=profile_of(piece.outline, height),
        column_target_mm=target,
        match=_match(rows_of_first_group(piece, geometry), piece.outline, height, foot) if piece.rows else None,
        balloon_counts=balloon_counts,
        supplies=supply_lines(balloons_of_copies(piece, balloon_counts, studio, fallback, stuffed, cancelled)),
        warnings=(
            *packing_warnings(piece, studio),
            *overlap_warnings(piece, assembly),
            *row_warnings(piece.rows, studio.nominals),
            *settling_warnings(piece, geometry, packing),
        ),
        advice=advice(piece, assembly, packing, studio),
        faults=colour_faults(surface, piece.layers, colouring, pattern),
        fallback=fallback,
    )


@lru_cache(maxsize=256)
def _match(geometry: Geometry, outline: Outline, height_mm: float, foot_mm: float) -> Match:
    return match_of(geometry, profile_of(outline, height_mm), foot_mm)
