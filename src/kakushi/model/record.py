"""What happened while a job was built: an append-only list beside the design, in the same file."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from kakushi.model.limits import ColourKey
from kakushi.model.values import Value

MOST_EVENTS = 100_000
"""A job of 500 copies with 60 steps each, everything ticked twice, has 60,000."""


class What(StrEnum):
    """What happened."""

    DONE = "done"
    UNDONE = "not done after all"
    LATER = "put off"
    POP = "popped"
    NOTE = "note"
    HEIGHT = "measured"


class Event(Value):
    """One thing that happened at a step (its key). `at`: seconds since 1970 (UTC); `seconds` of work, pauses left out.

    Of a balloon that popped the nominal size and colour; of a measured height `mm` above the floor; `text` of a note.
    `who`: which helper, "" for nobody in particular.
    """

    what: What
    step: str = Field(default="", max_length=200)
    at: float = Field(ge=0, le=1e11)
    seconds: float = Field(default=0.0, ge=0, le=1e6)
    nominal_in: float | None = Field(default=None, gt=0, le=100)
    colour: ColourKey = ""
    text: str = Field(default="", max_length=2000)
    mm: float | None = Field(default=None, ge=0, le=20_000)
    who: str = Field(default="", max_length=60)


class Record(Value):
    """Everything that happened, in order."""

    events: Annotated[tuple[Event, ...], Field(max_length=MOST_EVENTS, fail_fast=True)] = ()

    def with_event(self, event: Event) -> Record:
        """The record with one more event."""
        # Not validated with all its events once more.
        return self.model_copy(update={"events": (*self.events, event)})
