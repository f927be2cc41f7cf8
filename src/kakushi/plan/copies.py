"""Copies with groups of their own: their colours, and what all copies consume."""

from __future__ import annotations

from kakushi.colour.colouring import Colouring, colour_rows
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Group
from kakushi.model.memo import Cancelled, never, remembered
from kakushi.model.piece import Piece, designs
from kakushi.model.values import replace
from kakushi.plan.geometry import assembly_of, surface_for
from kakushi.prep.supplies import BalloonCount, Stuffed, count_balloons, times


def balloons_of_copies(
    piece: Piece,
    balloon_counts: tuple[BalloonCount, ...],
    studio: Studio,
    fallback: str,
    stuffed: Stuffed,
    cancelled: Cancelled = never,
) -> tuple[BalloonCount, ...]:
    """What all copies of a piece consume; `balloon_counts` is what one copy of the main design does."""
    counts = list(times(balloon_counts, piece.copies_alike))
    for design in designs(piece):
        if design.groups is not piece.groups:
            own = design.of(piece)
            counts += times(counts_of_design(own, studio, fallback, stuffed, cancelled=cancelled), design.copies)
    return tuple(counts)


@remembered(256)
def counts_of_design(
    design: Piece, studio: Studio, fallback: str, stuffed: Stuffed, *, cancelled: Cancelled = never
) -> tuple[BalloonCount, ...]:
    """What one copy of a design of its own consumes."""
    _, colouring = variant_colouring(design, design.groups, studio, fallback, cancelled=cancelled)
    return count_balloons(design.groups, colouring, design.parts, fallback, stuffed, design.frame)


@remembered(256)
def variant_colouring(
    piece: Piece, groups: tuple[Group, ...], studio: Studio, fallback: str, *, cancelled: Cancelled = never
) -> tuple[Piece, Colouring]:
    """A piece with the groups of a copy that has its own, and the colours of its rows."""
    variant = replace(piece, groups=groups)
    geometry = assembly_of(piece, groups, studio, cancelled).rows
    rows = variant.rows
    return variant, colour_rows(rows, surface_for(rows, geometry), piece.layers, fallback, piece.paint_shown)
