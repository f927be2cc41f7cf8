"""The days before a job must stand: who works when, and what the way there takes."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kakushi.model.values import Value


class Pin(Value):
    """A task (its key) that begins at a chosen time."""

    task: str = Field(min_length=1, max_length=120)
    start: dt.datetime

    @model_validator(mode="after")
    def _is_local(self) -> Pin:
        if self.start.tzinfo is not None:
            raise ValueError("times of a schedule have no time zone")
        return self


class Days(Value):
    """What a schedule is made with.

    `stands_at`: the hour of the event's day by which everything stands. Work is done from `from_hour` to `to_hour`.
    `early_h`: so many hours before that a balloon may be inflated at the earliest, because it shrinks. Minutes for
    shop, load, drive and set up.
    """

    stands_at: dt.time = dt.time(12, 0)
    people: int = Field(default=1, ge=1, le=12)
    from_hour: float = Field(default=8.0, ge=0, le=23)
    to_hour: float = Field(default=19.0, ge=1, le=24)
    early_h: float = Field(default=36.0, ge=1, le=400)
    builds: Literal["at home", "on site"] = "at home"
    shop_minutes: float = Field(default=60.0, ge=0, le=600)
    load_minutes: float = Field(default=30.0, ge=0, le=600)
    drive_minutes: float = Field(default=45.0, ge=0, le=600)
    set_up_minutes: float = Field(default=45.0, ge=0, le=600)
    pins: Annotated[tuple[Pin, ...], Field(max_length=500, fail_fast=True)] = ()

    @model_validator(mode="after")
    def _a_day_has_hours(self) -> Days:
        if self.to_hour - self.from_hour < 1:
            raise ValueError("a working day has at least an hour")
        if self.stands_at.tzinfo is not None:
            raise ValueError("times of a schedule have no time zone")
        return self
