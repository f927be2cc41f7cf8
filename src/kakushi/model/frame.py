"""What holds a piece: a pole in a base, a line on a weight, link frames."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from kakushi.model.limits import Length, Mass, Name
from kakushi.model.values import Value


class Base(Value):
    """What the pole or line stands on.

    A weight may lie inside row 1 instead of under it, or beside it on a ribbon: there it lifts nothing.
    """

    kind: Literal["stand", "plate", "foam", "weight", "none"] = "stand"
    height_mm: Length = 0.0
    radius_mm: Length = 150.0
    mass_g: Mass = 3000.0
    place: Literal["under", "inside row 1", "beside, on a ribbon"] = "under"

    @property
    def is_there(self) -> bool:
        """Whether there is a base at all."""
        return self.kind != "none"

    @property
    def is_tied_on(self) -> bool:
        """Whether it lies beside the piece, held by a ribbon that only pulls once the piece has moved."""
        return self.is_there and self.place == "beside, on a ribbon"

    @property
    def is_under(self) -> bool:
        """Whether the rows stand on it."""
        return self.is_there and self.place == "under"


class Frame(Value):
    """What holds the column: a pole in a base, a line on a weight, or link frames."""

    kind: Literal["pole", "line", "frameless"] = "pole"
    pole_diameter_mm: Length = 25.0
    pole_length_mm: Length | None = None
    pole_name: Name = ""
    pole_g_per_m: float = Field(default=250.0, ge=0, le=50_000)
    painted: bool = False
    capped: bool = True
    base: Base = Base()

    @property
    def has_pole(self) -> bool:
        """Whether a pole holds the column."""
        return self.kind == "pole"

    @property
    def pole_radius_mm(self) -> float:
        """Radius of the pole, mm; 0 without one."""
        return self.pole_diameter_mm / 2 if self.has_pole else 0.0

    @property
    def base_height_mm(self) -> float:
        """How far the base lifts what stands on it above the floor, mm; 0 without one under the rows."""
        return self.base.height_mm if self.base.is_under else 0.0
