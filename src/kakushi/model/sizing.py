"""How the balloons of a row are sized where nobody measures their diameter."""

from __future__ import annotations

import math
from typing import Literal

from pydantic import Field, model_validator

from kakushi.model.limits import LARGEST_DIAMETER_MM, SMALLEST_DIAMETER_MM
from kakushi.model.units import inches
from kakushi.model.values import Value

FREE_FILLS = 0.65, 0.95
"""Sized over nominal diameter of balloons that are blown up as they come: soft, and full as every day (figures of
practice)."""


class Sizing(Value):
    """`by` strokes of a pump or seconds of an inflator, `amount` of them; like a reference; within a range; or free.

    `low_mm`, `high_mm`: smallest and largest diameter of a range. Free: any size that the balloon comes to.
    """

    by: Literal["strokes", "seconds", "reference", "range", "free"]
    amount: float = Field(default=0.0, ge=0, le=1000)
    low_mm: float = Field(default=0.0, ge=0, le=LARGEST_DIAMETER_MM)
    high_mm: float = Field(default=0.0, ge=0, le=LARGEST_DIAMETER_MM)

    @model_validator(mode="after")
    def _says_how_much(self) -> Sizing:
        if self.by in ("strokes", "seconds") and self.amount <= 0:
            raise ValueError(f"the number of {self.by} is above 0")
        if self.by == "range" and not SMALLEST_DIAMETER_MM <= self.low_mm <= self.high_mm:
            raise ValueError("a range goes from a smaller to a larger diameter")
        return self

    @property
    def is_set(self) -> bool:
        """Whether it is the setting of an inflator."""
        return self.by in ("strokes", "seconds")

    def ends_mm(self, nominal_in: float) -> tuple[float, float] | None:
        """Smallest and largest diameter, mm, where it leaves a range open; None where it does not."""
        if self.by == "range":
            return self.low_mm, self.high_mm
        low, high = FREE_FILLS
        return (low * inches(nominal_in), high * inches(nominal_in)) if self.by == "free" else None

    def scatter_mm(self, nominal_in: float) -> float:
        """Standard deviation of one balloon's diameter, mm, beyond careless sizing: of an even spread."""
        ends = self.ends_mm(nominal_in)
        return 0.0 if ends is None else (ends[1] - ends[0]) / math.sqrt(12)
