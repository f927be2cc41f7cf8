"""What something uses up: one record for balloons and for everything else."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from pydantic import Field, model_serializer

from kakushi.model.roles import BalloonRole
from kakushi.model.values import Value

BALLOON = "balloon"
"""The item of every balloon; its nominal size and colour say which."""


class Used(Value):
    """So much of one thing: balloons have a nominal size (in), a colour key and a role, other things a unit.

    `seen`: of balloons, whether they are drawn. `link_in`: nominal size, in, of link balloons: they pop like others.
    """

    item: str = Field(min_length=1, max_length=200)
    count: float = Field(ge=0, le=10_000_000)
    unit: str = Field(default="pcs", max_length=12)
    nominal_in: float | None = None
    colour: str | None = None
    role: BalloonRole | None = None
    seen: bool = True
    link_in: float | None = None

    @model_serializer(mode="wrap")
    def _without_defaults(self, usual: Callable[[Used], dict[str, Any]]) -> dict[str, Any]:
        """Things that are no balloons keep three keys in a file."""
        told = usual(self)
        return told if self.is_balloon else {key: told[key] for key in ("item", "count", "unit")}

    @property
    def is_balloon(self) -> bool:
        """Whether it counts among the balloons."""
        return self.nominal_in is not None

    @property
    def kind(self) -> tuple[float, str]:
        """Nominal size and colour of a balloon."""
        return self.nominal_in or 0.0, self.colour or ""

    def times(self, factor: float) -> Used:
        """The same for so many things."""
        return self.model_copy(update={"count": self.count * factor})


def balloons(count: int, nominal_in: float, colour: str, role: BalloonRole, seen: bool = True) -> Used:
    """So many balloons of one kind."""
    return Used(item=BALLOON, count=count, nominal_in=nominal_in, colour=colour, role=role, seen=seen)


def merged(uses: Iterable[Used]) -> tuple[Used, ...]:
    """Uses merged by all but their count, in the order first met; those of nothing are left out."""
    counted: dict[tuple[object, ...], Used] = {}
    for use in uses:
        key = (use.item, use.unit, use.nominal_in, use.colour, use.role, use.seen)
        before = counted.get(key)
        counted[key] = use if before is None else before.model_copy(update={"count": before.count + use.count})
    return tuple(use for use in counted.values() if use.count)
