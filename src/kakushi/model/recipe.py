"""A proven piece that can be built again: its colours as roles, what it took, what it cost."""

from __future__ import annotations

from typing import Annotated, NamedTuple

from pydantic import Field

from kakushi.model.catalogue import BalloonColour
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.model.values import Value

ROLES = ("main", "second", "accent")
"""Roles of the colours of a piece, the one with most balloons first; further ones are numbered accents."""


class RecipeFacts(Value):
    """What is told of a recipe without planning it: one copy of it, as it was. Money in `currency`."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    height_mm: float = Field(ge=0, le=20_000)
    balloons: int = Field(ge=0, le=1_000_000)
    sizes: int = Field(default=0, ge=0, le=1000)
    minutes: float = Field(default=0.0, ge=0, le=1e6)
    popped: int = Field(default=0, ge=0, le=1_000_000)
    price: float = Field(default=0.0, ge=0, le=1e9)
    currency: Annotated[str, Field(max_length=12)] = ""
    heights_mm: Annotated[tuple[Annotated[float, Field(gt=0, le=20_000)], ...], Field(max_length=500)] = ()
    notes: Annotated[str, Field(max_length=2000)] = ""


class Recipe(NamedTuple):
    """A recipe: a job of one piece whose palette are its roles, what is told of it, and photographs (JPEG)."""

    job: Job
    facts: RecipeFacts
    photos: tuple[bytes, ...] = ()

    @property
    def piece(self) -> Piece:
        """The piece, its colours being roles."""
        return self.job.pieces[0]

    @property
    def roles(self) -> tuple[BalloonColour, ...]:
        """The colours that it was kept with, by the keys of their roles."""
        return self.job.palette
