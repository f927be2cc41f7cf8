"""What the worker process can be asked for. No Qt."""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Sequence
from typing import Any

from kakushi.building.part_order import safest_order
from kakushi.building.schedule import scheduled
from kakushi.building.tasks import Schedule
from kakushi.desktop.document.task_context import TaskContext
from kakushi.dress.collars import PlacedRing
from kakushi.dress.placing import PlacedClusters
from kakushi.dress.shows import Showing
from kakushi.model.catalogue import BalloonColour, Studio
from kakushi.model.groups import Row
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.packing.tolerance import Spread
from kakushi.plan.fitting import Alternative, fit_alternatives, fit_piece, sketch_rows, spread_of
from kakushi.plan.pipeline import plans_as_they_come
from kakushi.plan.showing import placed_fillers, placed_ring, showing_of
from kakushi.plan.values import PiecePlan, Plan
from kakushi.plan.words_on_balloons import WordsOnBalloon, words_on_balloons
from kakushi.shape.fit_result import FitResult
from kakushi.words.parts import order_words
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.offers import Offer, offers

_DRAFTS_EVERY_S, _WHOLE_DRAFTS_EVERY_S = 0.5, 4.0
"""Time between drafts, s, until every piece has been shown once, and after: drawing them slows planning."""


def plan_pieces(
    context: TaskContext,
    job: Job,
    studio: Studio,
    last: Plan | None,
    first: int | None,
) -> tuple[PiecePlan, ...]:
    """The pieces of `pipeline.plan`; drafts are pieces too."""
    pieces: tuple[PiecePlan, ...] = ()
    told, seen = -_DRAFTS_EVERY_S, 0
    for plan in plans_as_they_come(job, studio, last, first, context.cancelled):
        pieces = plan.pieces
        is_last_to_come = len(pieces) == len(job.pieces) > seen
        pause = _WHOLE_DRAFTS_EVERY_S if len(pieces) == len(job.pieces) else _DRAFTS_EVERY_S
        if plan.is_draft and (is_last_to_come or time.monotonic() - told > pause):
            context.drafted(pieces)
            told = time.monotonic()
        seen = len(pieces)
    return pieces


def spread_of_piece(context: TaskContext, piece_plan: PiecePlan, studio: Studio) -> Spread:
    """As `fitting.spread_of`."""
    return spread_of(piece_plan, studio, context.cancelled)


def dossier_of(context: TaskContext, dossier: Dossier) -> dict[str, Any]:
    """What is worked out of a dossier, to be given to one of the same plan."""
    return dossier.worked_out(context.cancelled).answers


def look_of_piece(
    context: TaskContext, piece_plan: PiecePlan, studio: Studio
) -> tuple[Showing, str, tuple[WordsOnBalloon, ...]]:
    """Of a planned piece: what shows, the safest order of its parts in words, the words on its balloons."""
    showing = showing_of(piece_plan, cancelled=context.cancelled)
    order = safest_order(piece_plan, studio)
    return showing, order_words(order) if order else "", words_on_balloons(piece_plan)


def place_clusters(
    context: TaskContext,
    piece_plan: PiecePlan,
    key: int,
    most: int,
    palette: Sequence[BalloonColour],
) -> PlacedClusters:
    """As `showing.placed_fillers`; drafts are sketches."""
    return placed_fillers(piece_plan, key, context.progress, context.cancelled, most, palette, context.drafted)


def place_collar(context: TaskContext, piece_plan: PiecePlan, key: int) -> PlacedRing | None:
    """As `showing.placed_ring`."""
    return placed_ring(piece_plan, key, context.cancelled)


def choose_rows(context: TaskContext, piece: Piece, studio: Studio) -> FitResult:
    """As `fitting.fit_piece`."""
    return fit_piece(piece, studio, context.progress, context.cancelled)


def choose_alternatives(context: TaskContext, piece: Piece, studio: Studio) -> tuple[Alternative, ...]:
    """As `fitting.fit_alternatives`."""
    return fit_alternatives(piece, studio, context.progress, context.cancelled)


def sketch_of_rows(context: TaskContext, piece: Piece, studio: Studio) -> tuple[Row, ...]:
    """As `fitting.sketch_rows`."""
    return sketch_rows(piece, studio, context.cancelled)


def schedule_of(context: TaskContext, plan: Plan, now: dt.datetime) -> Schedule:
    """As `schedule.scheduled`."""
    return scheduled(plan, now, context.cancelled)


def offers_of(context: TaskContext, dossier: Dossier) -> list[Offer]:
    """As `offers.offers`."""
    return offers(dossier, context.progress, context.cancelled)
