"""What happened while a job was built: an append-only list beside the design, in the same file."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from kakushi.model.limits import ColourKey
from kakushi.model.values import Value

MOST_EVENTS = 100_000
"""Most events of a record: 500 copies with 60 steps each, everything ticked twice, make 60,000."""

MOST_PHOTOS = 200
"""Most photographs of a record: four of each of fifty pieces; at a megabyte each they fit into a job file."""


class What(StrEnum):
    """What happened."""

    DONE = "done"
    UNDONE = "not done after all"
    LATER = "put off"
    POP = "popped"
    NOTE = "note"
    HEIGHT = "measured"
    FIX = "to put right"


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


class Found(Value):
    """A fault that a check found: its kind, row and slot from 0 (-1: of a row or the piece), where, px, and words.

    `with_row`, `with_slot`: what it is to be exchanged with, -1 for nothing. `look`: it may be right.
    """

    kind: str = Field(max_length=20)
    row: int = Field(default=-1, ge=-1, le=10_000)
    slot: int = Field(default=-1, ge=-1, le=10_000)
    x: float = Field(ge=-1e5, le=1e5)
    y: float = Field(ge=-1e5, le=1e5)
    radius: float = Field(ge=0, le=1e5)
    likely: float = Field(default=1.0, ge=0, le=1)
    words: str = Field(max_length=400)
    look: bool = False
    with_row: int = Field(default=-1, ge=-1, le=10_000)
    with_slot: int = Field(default=-1, ge=-1, le=10_000)
    dismissed: bool = False


class Photo(Value):
    """A photograph of a piece and what its check found; places in pixels of the picture that is kept.

    `copy_number`: which copy of the piece, from 0. `rows`: half-way, so many were built. `picture`: a JPEG, kept in
    `photos/`; empty where it is lost.
    """

    name: str = Field(pattern=r"^[a-z0-9-]{1,40}$")
    piece: int = Field(ge=0, le=10**9)
    copy_number: int = Field(default=0, ge=0, le=10_000)
    title: str = Field(default="", max_length=200)
    at: float = Field(ge=0, le=1e11)
    foot: tuple[float, float] | None = None
    top: tuple[float, float] | None = None
    rows: int | None = Field(default=None, ge=1, le=10_000)
    azimuth_deg: float = Field(default=0.0, ge=-360, le=360)
    focal: float | None = Field(default=None, gt=0, le=20)
    words: Annotated[tuple[Annotated[str, Field(max_length=400)], ...], Field(max_length=60)] = ()
    faults: Annotated[tuple[Found, ...], Field(max_length=2000, fail_fast=True)] = ()
    picture: bytes = Field(default=b"", exclude=True, repr=False)


class Record(Value):
    """Everything that happened, in order, and the photographs that were taken, the oldest first."""

    events: Annotated[tuple[Event, ...], Field(max_length=MOST_EVENTS, fail_fast=True)] = ()
    photos: Annotated[tuple[Photo, ...], Field(max_length=MOST_PHOTOS, fail_fast=True)] = ()

    def with_event(self, event: Event) -> Record:
        """The record with one more event."""
        # Not validated with all its events once more.
        return self.model_copy(update={"events": (*self.events, event)})

    def with_photo(self, photo: Photo) -> Record:
        """The record with one more photograph, or with another of the same name; the oldest go where there are many."""
        kept = tuple(photo if each.name == photo.name else each for each in self.photos)
        if photo not in kept:
            kept = (*kept, photo)[-MOST_PHOTOS:]
        return self.model_copy(update={"photos": kept})

    def without_photo(self, name: str) -> Record:
        """The record without a photograph."""
        return self.model_copy(update={"photos": tuple(each for each in self.photos if each.name != name)})
