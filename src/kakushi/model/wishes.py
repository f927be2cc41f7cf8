"""What one chooses for the workshop, beside the job: the inflator, the order of the sheet, the aim of buying."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Aim = Literal["cheapest", "fewest left over"]
Order = Literal["largest first", "row order"]


@dataclass(frozen=True)
class Wishes:
    """The inflator by name (None: the first), the order of the inflation sheet, the aim of buying bags."""

    inflator: str | None = None
    order: Order = "largest first"
    aim: Aim = "cheapest"
