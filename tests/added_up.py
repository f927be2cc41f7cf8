"""What the steps of a planned job come to, for tests: balloons, things, sentences."""

from __future__ import annotations

from kakushi.building.steps import steps_of, steps_of_copy
from kakushi.model.catalogue import Studio
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.model.used import Used
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan, Plan
from kakushi.words.plan import fault_words, note_words
from kakushi.words.wording import Wording
from kakushi.workshop.ledger import TiedKind, balloons_used, things_used, tied_kinds
from kakushi.workshop.supplies import SupplyLine, supplies_of


def things(found: Plan) -> dict[str, float]:
    """What a job uses besides balloons, by item."""
    return {used.item: used.count for used in things_used(steps_of(found))}


def balloons(found: PiecePlan | Plan) -> tuple[Used, ...]:
    """Balloons of the first copy of a piece, by role."""
    job = found if isinstance(found, Plan) else plan(Job(pieces=(found.piece,)), Studio())
    return balloons_used(steps_of_copy(steps_of(job), job.pieces[0].piece.key, 0))


def needed(found: Plan) -> tuple[SupplyLine, ...]:
    """The supplies of the whole job."""
    return supplies_of(found).whole


def tied(found: Plan) -> tuple[TiedKind, ...]:
    """Kinds of duplets of the whole job."""
    return tied_kinds(steps_of(found))


def planned_job(piece: Piece, studio: Studio = Studio()) -> Plan:  # noqa: B008 - a frozen value
    """The plan of a job of one piece."""
    return plan(Job(pieces=(piece,)), studio)


def warnings(found: PiecePlan) -> list[str]:
    """Warnings in words."""
    return [note_words(note, Wording(Job())) for note in found.warnings]


def advice(found: PiecePlan) -> list[str]:
    """Advice in words."""
    return [note_words(note, Wording(Job())) for note in found.advice]


def faults(found: PiecePlan) -> list[str]:
    """Faults of the colours in words."""
    return [fault_words(fault) for fault in found.faults]
