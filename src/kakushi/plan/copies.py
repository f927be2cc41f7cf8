"""Copies with groups of their own: where their balloons lie, and their colours."""

from __future__ import annotations

from collections.abc import Iterator

from kakushi.model.catalogue import Studio
from kakushi.model.groups import balloons_in
from kakushi.model.limits import MAX_COPIES
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.piece import Piece, designs
from kakushi.plan.bare import bare_plan
from kakushi.plan.geometry import assembly_of
from kakushi.plan.values import PiecePlan, Stuffed


def plans_of_copies(
    piece: Piece, studio: Studio, fallback: str, stuffed: Stuffed, cancelled: Cancelled = never
) -> Iterator[tuple[str, PiecePlan]]:
    """Label and plan of every copy of a piece that has groups of its own, with its own height and pole."""
    for design in designs(piece):
        # The piece itself is planned anyway.
        if design.groups is not piece.groups:
            yield design.label, _copy_plan(design.of(piece), studio, fallback, stuffed, cancelled=cancelled)


@remembered(2 * MAX_COPIES, lambda piece: balloons_in(piece.groups))
def _copy_plan(
    piece: Piece, studio: Studio, fallback: str, stuffed: Stuffed, *, cancelled: Cancelled = never
) -> PiecePlan:
    return bare_plan(piece, assembly_of(piece, piece.groups, studio, cancelled), studio, fallback, stuffed)
