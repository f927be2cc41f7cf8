"""How many balloons a piece takes, told apart by what they are for."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from kakushi.building.step import Step
from kakushi.model.roles import BalloonRole
from kakushi.model.units import UnitSystem, format_height
from kakushi.plan.values import PiecePlan
from kakushi.words.wording import counted

_IN = {
    BalloonRole.ROW: "in rows",
    BalloonRole.BALL: "in balls",
    BalloonRole.JOINT: "at joints",
    BalloonRole.INNER: "inside others",
    BalloonRole.TOPPER: "in the topper",
    BalloonRole.COLLAR: "in collars",
    BalloonRole.FILLERS: "in small clusters",
    BalloonRole.ACCENT: "as accents",
    BalloonRole.CAP: "as the cap",
}
"""Where balloons go, after their number; those of other parts are named by the part."""


def balloons_words(steps: Iterable[Step]) -> str:
    """Say how many balloons steps use: “60 balloons (55 in rows, 4 as accents, 1 as the cap), 22 link balloons”."""
    used = [use for step in steps for use in step.uses]
    counts, links = Counter[BalloonRole](), sum(int(use.count) for use in used if use.link_in)
    for use in used:
        if use.is_balloon and use.role is not None:
            counts[use.role] += int(use.count)
    told = counted(sum(counts.values()), "balloon")
    if len(counts) > 1:
        shares = (f"{count} {_IN.get(role, f'in the {role.value}')}" for role, count in counts.items())
        told = f"{told} ({', '.join(shares)})"
    return f"{told}, {counted(links, 'link balloon')}" if links else told


def height_words(design: PiecePlan, units: UnitSystem) -> Iterator[str]:
    """How tall a piece is: its highest balloon, and with what stands on it where that is higher."""
    top = format_height(design.height_mm, units)
    if design.overall_height_mm <= design.height_mm:
        yield f"{top} tall"
        return
    yield f"{top} without what stands on it"
    yield f"{format_height(design.overall_height_mm, units)} with it"
