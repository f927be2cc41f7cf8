"""The pipeline: a job in, everything derived out. Pure, memoised per stage by what the stage reads."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Iterator, Mapping
from functools import lru_cache

from kakushi.colour.colouring import pattern_of
from kakushi.colour.faults import colour_faults
from kakushi.model.catalogue import Studio
from kakushi.model.groups import RowsGroup, balloons_in, rows_groups
from kakushi.model.job import Job
from kakushi.model.memo import Cancelled, never, remembered, stop_if
from kakushi.model.outline import Outline
from kakushi.model.piece import Piece, groups_built
from kakushi.packing.assembly import Assembly, reassembled, takes_search
from kakushi.packing.groups.table import without_paint
from kakushi.packing.stack import Geometry
from kakushi.plan.advice import (
    advice,
    overlap_warnings,
    packing_warnings,
    pole_warnings,
    row_warnings,
    settling_warnings,
)
from kakushi.plan.bare import bare_plan
from kakushi.plan.copies import plans_of_copies
from kakushi.plan.doming import doming_of
from kakushi.plan.dressing import fillers_warnings
from kakushi.plan.geometry import (
    assembly_of,
    core_seen_of,
    first_strand,
    group_ranges,
    packing_of,
    rows_of_first_group,
    rows_span_mm,
)
from kakushi.plan.intent import concerns_of, without
from kakushi.plan.parts import lost_parts, unheld_parts
from kakushi.plan.resting import resting_notes
from kakushi.plan.strands import strand_notes
from kakushi.plan.toppers import topper_notes
from kakushi.plan.values import PiecePlan, Plan, Stuffed
from kakushi.shape.match import POOR_MATCH, Match, match_of
from kakushi.shape.profile import profile_of

_DRAFTED_FROM = 200
"""Rows of one piece from which a draft is shown first: what follows from their places takes a second."""


def plan(job: Job, studio: Studio, cancelled: Cancelled = never) -> Plan:
    """Derive the plan of a job. Pure: equal arguments give equal plans; unchanged stages are not run again.

    Raises `errors.Cancelled` soon after `cancelled()` answers True, however long a search would still take.
    """
    planning = _Planning(job, studio)
    return planning.whole(planning.piece(piece, cancelled) for piece in job.pieces)


def plans_as_they_come(
    job: Job, studio: Studio, last: Plan | None = None, first: int | None = None, cancelled: Cancelled = never
) -> Iterator[Plan]:
    """Plans of a job with ever more worked out, that of the `first` piece (a key) before the others; then `plan`'s.

    The ones before are drafts: pieces may be missing or as they were in the `last` plan, and bare at first where they
    take long or are new (but for the first). Rows that take a search among several balances are settled from where they
    lay: what the search finds may lie a little higher or lower. Raises as `plan`.
    """
    planning = _Planning(job, studio)
    before = {piece_plan.piece.key: piece_plan for piece_plan in last.pieces} if last else {}
    # What was planned of a piece stays in sight until more is known.
    shown = {piece.key: before[piece.key] for piece in job.pieces if piece.key in before}
    pieces = sorted(job.pieces, key=lambda piece: piece.key != first)
    new = [piece for piece in pieces[1:] if piece.key not in shown]
    for index, piece in enumerate(pieces):
        if draft := planning.draft(piece, before.get(piece.key)):
            yield planning.so_far({**shown, piece.key: draft})
        shown[piece.key] = planning.piece(piece, cancelled)
        if new:
            yield planning.so_far(shown)
        if index == 0 and len(new) > 1:
            # All are seen before any of the others is judged.
            for other in new:
                shown[other.key] = planning.bare(other, cancelled)
                yield planning.so_far(shown)
    yield planning.whole(shown[piece.key] for piece in job.pieces)


class _Planning:
    """What planning the pieces of one job shares."""

    def __init__(self, job: Job, studio: Studio) -> None:
        self._job, self._studio, self._settling = job, studio, _settling(studio)
        self._fallback = job.palette[0].key
        self._stuffed = frozenset((c.key, c.inner_nominal_in) for c in job.palette if c.is_stuffed)

    def piece(self, piece: Piece, cancelled: Cancelled) -> PiecePlan:
        """The plan of a piece."""
        stop_if(cancelled)
        return _piece_plan(piece, self._settling, self._fallback, self._stuffed, cancelled=cancelled)

    def draft(self, piece: Piece, before: PiecePlan | None) -> PiecePlan | None:
        """A bare plan of a piece with its match, to show until its own is ready; None where that is quick anyway."""
        if before and before.piece == piece:
            return None
        if before and (assembly := _resettled(piece, before, self._settling)):
            return self._bare(piece, assembly)
        if len(piece.rows) >= _DRAFTED_FROM and not _takes_search(piece, self._settling):
            return self.bare(piece, never)
        return None

    def bare(self, piece: Piece, cancelled: Cancelled) -> PiecePlan:
        """A bare plan of a piece with its match."""
        stop_if(cancelled)
        return self._bare(piece, assembly_of(piece, piece.groups, self._settling, cancelled))

    def _bare(self, piece: Piece, assembly: Assembly) -> PiecePlan:
        bare = bare_plan(piece, assembly, self._settling, self._fallback, self._stuffed)
        return dataclasses.replace(bare, match=_match(bare))

    def so_far(self, ready: Mapping[int, PiecePlan]) -> Plan:
        """The draft of a plan with the pieces that are ready."""
        there = tuple(ready[piece.key] for piece in self._job.pieces if piece.key in ready)
        return Plan(self._job, there, self._studio, is_draft=True)

    def whole(self, pieces: Iterable[PiecePlan]) -> Plan:
        """The plan of the job."""
        return Plan(self._job, tuple(pieces), self._studio)


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


def _takes_search(piece: Piece, studio: Studio) -> bool:
    """Whether rows of a piece have several balances."""
    packing = packing_of(piece, studio)
    return any(takes_search(group, packing, piece.joint) for _, group in rows_groups(piece.groups))


@lru_cache(maxsize=8)
def _settling(studio: Studio) -> Studio:
    """The studio without what changes no piece: stock, bags, rates, inflators."""
    usual = Studio()
    kept = ("nominals", "sizer", "packings", "landings", "palette")
    scatter = {"sizing_scatter_mm": studio.working_scatter_mm}
    return usual.model_copy(update={name: getattr(studio, name) for name in kept} | scatter)


@remembered(512, lambda piece: sum(map(balloons_in, groups_built(piece))))
def _piece_plan(
    piece: Piece, studio: Studio, fallback: str, stuffed: Stuffed = frozenset(), *, cancelled: Cancelled = never
) -> PiecePlan:
    """All that follows from a piece."""
    assembly = assembly_of(piece, piece.groups, studio, cancelled)
    bare = bare_plan(piece, assembly, studio, fallback, stuffed)
    geometry, packing, surface = assembly.rows, bare.packing, bare.surface
    own_copies = tuple(plans_of_copies(piece, studio, fallback, stuffed, cancelled))
    stop_if(cancelled)
    doming = doming_of(piece, packing, cancelled)
    stop_if(cancelled)
    pattern = pattern_of(piece.rows, surface, piece.layers, fallback)
    warned = (
        *pole_warnings(piece, assembly),
        *packing_warnings(piece, studio),
        *overlap_warnings(piece, assembly),
        *row_warnings(piece.rows, studio.nominals),
        *strand_notes(piece, assembly),
        *settling_warnings(geometry, doming, packing, cancelled),
        *fillers_warnings(piece, assembly),
        *lost_parts(piece),
        *unheld_parts(piece, assembly),
        *resting_notes(piece, assembly),
    )
    advised = (
        *advice(piece, assembly, packing, studio, doming, cancelled),
        *topper_notes(piece, assembly, studio),
    )
    faults = colour_faults(surface, piece.layers, bare.colouring, pattern)
    concerns = concerns_of((*warned, *advised, *faults))
    aside = tuple(concern for concern in concerns if concern.is_meant(piece.meant))
    return dataclasses.replace(
        bare,
        match=_match(bare),
        warnings=without(warned, aside),
        advice=without(advised, aside),
        faults=without(faults, aside),
        concerns=tuple(concern for concern in concerns if concern not in aside),
        set_aside=aside,
        lies_flat=tuple(bool(flat) for group in doming for flat in group.lies_flat),
        # How much of the line inside a strand shows is not measured, and in an open frame there is none.
        core_seen=None
        if assembly.strands or (assembly.frames and not piece.rows)
        else core_seen_of(bare.drawn, packing.pole_radius, group_ranges(piece)),
        own_copies=own_copies,
    )


def _match(bare: PiecePlan) -> Match | None:
    """How well the first group of rows follows the outline; None while it has no rows."""
    piece, (foot, top) = bare.piece, rows_span_mm(bare.piece, bare.assembly)
    if not any(group_ranges(piece)[:1]):
        return None
    laid = first_strand(piece, bare.assembly)
    if laid is not None and laid.curve.is_closed:
        # A ring is as large as its rows make it: only the thickness along it can be wished.
        top = foot + laid.straight.top - laid.straight.bottom
    found = _match_of(rows_of_first_group(piece, bare.assembly), piece.outline, max(top - foot, 1.0), foot)
    # Rows laid by hand beside the outline that every piece begins with: nobody has wished for that outline.
    is_untouched = piece.outline == Piece.model_fields["outline"].default
    return None if is_untouched and found.mean < POOR_MATCH else found


@remembered(512, lambda geometry: len(geometry.radii))
def _match_of(geometry: Geometry, outline: Outline, height_mm: float, foot_mm: float) -> Match:
    return match_of(geometry, profile_of(outline, height_mm), foot_mm)
