"""The bare plan of a piece: where its balloons lie and their colours, without what it is judged and told by."""

from __future__ import annotations

from kakushi.colour.colouring import colour_rows
from kakushi.model.catalogue import Studio
from kakushi.model.piece import Piece
from kakushi.packing.assembly import Assembly
from kakushi.plan.geometry import column_target_mm, packing_of, rows_span_mm, surface_for, with_bodies
from kakushi.plan.parts import bodies_of
from kakushi.plan.values import PiecePlan, Stuffed
from kakushi.shape.profile import profile_of


def bare_plan(piece: Piece, assembly: Assembly, studio: Studio, fallback: str, stuffed: Stuffed) -> PiecePlan:
    """The plan of a piece without match, mechanics seen, warnings, advice, faults and copies."""
    surface = surface_for(piece.rows, assembly.rows)
    colouring = colour_rows(piece.rows, surface, piece.layers, fallback, piece.paint_shown)
    # The outline is stretched over what the first group may take, not over the whole piece.
    foot, top = rows_span_mm(piece, assembly)
    bodies = bodies_of(piece, assembly)
    return PiecePlan(
        piece=piece,
        assembly=assembly,
        packing=packing_of(piece, studio),
        surface=surface,
        colouring=colouring,
        profile=profile_of(piece.outline, max(top - foot, 1.0)),
        column_target_mm=column_target_mm(piece, assembly),
        match=None,
        stuffed=stuffed,
        warnings=(),
        advice=(),
        faults=(),
        fallback=fallback,
        lies_flat=tuple(assembly.rows.flat.tolist()),
        bodies=bodies,
        drawn=with_bodies(assembly, (body for _, body in bodies)),
    )
