"""Copies with groups of their own: where their balloons lie, their colours, and what all copies consume."""

from __future__ import annotations

from collections.abc import Iterator

from kakushi.model.catalogue import Studio
from kakushi.model.groups import balloons_in
from kakushi.model.limits import MAX_COPIES
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.piece import Piece, designs
from kakushi.plan.bare import bare_plan
from kakushi.plan.geometry import assembly_of
from kakushi.plan.values import PiecePlan
from kakushi.prep.supplies import BalloonCount, Stuffed, times


def plans_of_copies(
    piece: Piece, studio: Studio, fallback: str, stuffed: Stuffed, cancelled: Cancelled = never
) -> Iterator[tuple[str, PiecePlan]]:
    """Label and plan of every copy of a piece that has groups of its own, with its own height and pole."""
    for design in designs(piece):
        if design.groups is not piece.groups:
            yield design.label, _copy_plan(design.of(piece), studio, fallback, stuffed, cancelled=cancelled)


def balloons_of_all(
    piece: Piece, counts: tuple[BalloonCount, ...], copies: tuple[tuple[str, PiecePlan], ...]
) -> tuple[BalloonCount, ...]:
    """What all copies of a piece consume; `counts` is what one copy of the main design does."""
    own = [count for _, copy in copies for count in copy.balloon_counts]
    return (*times(counts, piece.copies_alike), *own)


@remembered(2 * MAX_COPIES, lambda piece: balloons_in(piece.groups))
def _copy_plan(
    piece: Piece, studio: Studio, fallback: str, stuffed: Stuffed, *, cancelled: Cancelled = never
) -> PiecePlan:
    return bare_plan(piece, assembly_of(piece, piece.groups, studio, cancelled), studio, fallback, stuffed)
