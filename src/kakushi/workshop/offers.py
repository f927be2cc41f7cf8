"""The same job in other sizes for the client to choose from: each really fitted, counted and priced."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from kakushi.model.errors import KakushiError
from kakushi.model.groups import rows_groups
from kakushi.model.limits import LARGEST_HEIGHT_MM, LARGEST_WIDTH_MM, SMALLEST_HEIGHT_MM
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.outline import Handle, Outline, PresetOutline
from kakushi.model.piece import Piece, with_rows
from kakushi.model.values import replace
from kakushi.plan.fitting import fit_piece
from kakushi.plan.heights import at_height
from kakushi.plan.pipeline import plan
from kakushi.plan.values import Plan
from kakushi.workshop.dossier import Dossier

SIZES = (("small", 0.85), ("as planned", 1.0), ("large", 1.2))
"""Sizes offered to a client, as multiples of the planned height: a head shorter and a head taller."""


@dataclass(frozen=True, slots=True, eq=False)
class Offer:
    """A size of the job: its plan, balloons in all with spares, and the price."""

    name: str
    plan: Plan
    balloons: int
    price: float
    problems: tuple[tuple[str, KakushiError], ...] = ()
    """Pieces (by name) that stay as they are, and why."""


def offers(
    dossier: Dossier, progress: Callable[[float], None] = lambda _: None, cancelled: Cancelled = never
) -> list[Offer]:
    """The job small, as planned and large. Raises `errors.Cancelled`."""
    job, offers_made = dossier.plan.job, []
    for size, (name, factor) in enumerate(SIZES):
        pieces, problems = [], []
        for place, piece in enumerate(job.pieces):
            stop_if(cancelled)
            try:
                pieces.append(piece if factor == 1.0 else _resized(piece, factor, dossier.plan, cancelled))
            except KakushiError as error:
                pieces.append(piece)
                problems.append((piece.name, error))
            progress((size * len(job.pieces) + place + 1) / max(len(job.pieces) * len(SIZES), 1))
        sized = replace(job, pieces=tuple(pieces))
        whole = Dossier(plan(sized, dossier.plan.studio, cancelled), dossier.forecast, dossier.wishes)
        balloons = sum(line.total for line in whole.supplies.whole)
        offers_made.append(Offer(name, whole.plan, balloons, whole.cost.price, tuple(problems)))
    return offers_made


def _resized(piece: Piece, factor: float, whole: Plan, cancelled: Cancelled) -> Piece:
    """A piece in another height and width, with rows of its own; what has no straight rows is scaled."""
    if not any(group.rows and group.strand is None for _, group in rows_groups(piece.groups)):
        found = whole.piece(piece.key)
        return at_height(piece, found.measured_height_mm * factor, whole.studio) if found else piece
    height = min(max(piece.target_height_mm * factor, SMALLEST_HEIGHT_MM), LARGEST_HEIGHT_MM)
    pole = piece.frame.pole_length_mm
    frame = replace(piece.frame, pole_length_mm=pole * factor) if pole else piece.frame
    # Copies of other heights follow the piece in an offer.
    copies = tuple(replace(copy, groups=None, target_height_mm=None, pole_length_mm=None) for copy in piece.copies)
    sized = replace(piece, target_height_mm=height, outline=_scaled(piece.outline, factor), frame=frame, copies=copies)
    return with_rows(sized, fit_piece(sized, whole.studio, cancelled=cancelled).rows)


def _scaled(outline: Outline, factor: float) -> Outline:
    """An outline that much wider; handles that are shares of the height stay."""
    if isinstance(outline, PresetOutline):
        handles = tuple(
            Handle(name=handle.name, value=min(handle.value * factor, LARGEST_WIDTH_MM)) if handle.value > 1 else handle
            for handle in outline.handles
        )
        return replace(outline, handles=handles)
    points = tuple(
        replace(point, left_mm=point.left_mm * factor, right_mm=point.right_mm * factor) for point in outline.points
    )
    return replace(outline, points=points)
