"""Steps that a check of a photograph asked for: what is to be put right in what is built already."""

from __future__ import annotations

from kakushi.building.step import PuttingRight, Step, StepKind
from kakushi.model.record import Event, Record, What

_MINUTES = 2.0
"""Minutes to take a balloon out of a packed row and put another in. Assumed."""


def fix_event(record: Record, piece: int, copy: int, words: str, at: float) -> Event:
    """The event that asks for it; its step's key is like no other."""
    fixed = sum(1 for event in record.events if event.what is What.FIX)
    return Event(what=What.FIX, step=f"fix {piece} {copy} {fixed + 1}", at=at, text=words)


def is_asked(record: Record, piece: int, copy: int, words: str) -> bool:
    """Whether the same repair was already requested for the same copy."""
    place = [str(piece), str(copy)]
    return any(e.what is What.FIX and e.text == words and e.step.split()[1:3] == place for e in record.events)


def fixes_of(record: Record) -> tuple[Step, ...]:
    """Repair steps from their keys, in order; other keys are ignored."""
    fixes = []
    for event in record.events:
        parts = event.step.split()
        if event.what is What.FIX and len(parts) == 4 and all(part.isdecimal() for part in parts[1:]):
            piece, copy = int(parts[1]), int(parts[2])
            fact = PuttingRight(event.text)
            fixes.append(Step(event.step, StepKind.FIX, fact, piece=piece, copy=copy, minutes=_MINUTES))
    return tuple(fixes)
