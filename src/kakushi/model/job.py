"""A job: the brief, the settings used and the pieces. See `docs/format.md`.

Nothing derived is stored here: heights reached, colours of slots and supplies come
from `kakushi.plan.pipeline`.
"""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kakushi.model.catalogue import DEFAULT_PALETTE, BalloonColour
from kakushi.model.days import Days
from kakushi.model.groups import balloons_in
from kakushi.model.limits import MAX_JOB_BALLOONS, MAX_PIECES, Name
from kakushi.model.piece import Piece, groups_built
from kakushi.model.values import Value


class Brief(Value):
    """What the client wants, and when and where."""

    title: Name = "Untitled job"
    event: Name = ""
    event_date: dt.date | None = None
    place: Literal["indoors", "outdoors"] = "indoors"
    handover: Literal["delivered", "collected"] = "delivered"
    gust_mps: float | None = Field(default=None, ge=0, le=60)
    notes: str = Field(default="", max_length=20_000)


class Settings(Value):
    """What this job is planned with.

    `confidence` that spares last; `drag` coefficient of a column in wind, `gust_factor` of gusts
    over the mean wind, `tilt_deg` a piece should be able to lean, `push_n` the level push it should stand.
    """

    confidence: float = Field(default=0.95, ge=0.5, le=0.999)
    drag: float = Field(default=1.2, ge=0.3, le=3)
    gust_factor: float = Field(default=1.5, ge=1, le=4)
    tilt_deg: float = Field(default=6.0, ge=0, le=45)
    push_n: float = Field(default=3.0, ge=0, le=500)


class Pricing(Value):
    """What a job is priced with; the currency is a free label. Percentages of the sum so far."""

    currency: str = Field(default="", max_length=12)
    hourly: float = Field(default=25.0, ge=0, le=100_000)
    delivery: float = Field(default=0.0, ge=0, le=1_000_000)
    margin_percent: float = Field(default=30.0, ge=0, le=1000)
    tax_percent: float = Field(default=0.0, ge=0, le=100)
    helpers: int = Field(default=1, ge=1, le=100)


class Done(Value):
    """So many duplets (triplets, singles) of a line of the inflation sheet are ready."""

    line: str = Field(min_length=1, max_length=400)
    count: int = Field(ge=1, le=1_000_000)


class Job(Value):
    """The document: everything a sculptor decided, nothing that follows from it."""

    brief: Brief = Brief()
    settings: Settings = Settings()
    palette: Annotated[tuple[BalloonColour, ...], Field(min_length=1, max_length=200, fail_fast=True)] = DEFAULT_PALETTE
    pieces: Annotated[tuple[Piece, ...], Field(max_length=MAX_PIECES, fail_fast=True)] = ()
    pricing: Pricing = Pricing()
    days: Days = Days()
    done: Annotated[tuple[Done, ...], Field(max_length=10_000, fail_fast=True)] = ()

    @model_validator(mode="after")
    def _keys_differ(self) -> Job:
        for what, keys in (
            ("pieces", [p.key for p in self.pieces]),
            ("colours", [c.key for c in self.palette]),
        ):
            if len(set(keys)) != len(keys):
                raise ValueError(f"two {what} share one key")
        return self

    @model_validator(mode="after")
    def _can_be_planned(self) -> Job:
        if balloons_in_rows(self) > MAX_JOB_BALLOONS:
            raise ValueError(f"the rows of the job have more than {MAX_JOB_BALLOONS:,} balloons")
        return self

    def piece(self, key: int) -> Piece | None:
        """The piece with that key, or None."""
        return next((p for p in self.pieces if p.key == key), None)

    def colour(self, key: str) -> BalloonColour:
        """The colour with that key; an unknown key gets a stand-in that says so."""
        colour = next((c for c in self.palette if c.key == key), None)
        return colour or BalloonColour(
            key=key[:60] or "?", name=f"{key[:40] or '?'} (not in palette)", code="?", hex="#9a9a9a"
        )


def balloons_in_rows(job: Job) -> int:
    """Balloons in rows whose places are worked out: of the pieces, and of copies with groups of their own."""
    return sum(balloons_in(groups) for piece in job.pieces for groups in groups_built(piece))
