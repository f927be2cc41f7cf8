"""What of a piece stands at a step of its build, for pictures."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from numpy.typing import NDArray

from kakushi.building.step import Step, StepKind
from kakushi.model.parts import Fillers
from kakushi.plan.dressing import seated_fillers
from kakushi.plan.values import PiecePlan


def standing(design: PiecePlan, done: Collection[Step], now: Collection[Step]) -> tuple[NDArray[np.bool_], list[int]]:
    """Return which drawn balloons stand after the steps at hand, (n,) bool, and the indices of those they add."""
    owners = _owners(design)
    there, coming = ({_owner(each) for each in steps} - {None} for steps in (done, now))
    shown = np.array([owner in there or owner in coming for owner in owners], dtype=bool)
    return shown, [index for index, owner in enumerate(owners) if owner in coming]


Owner = tuple[str, int, int] | None


def _owner(step: Step) -> Owner:
    """What a step puts on: a row by its index, a ball by the place of its group, a part by key and place."""
    if step.row is not None:
        return "row", step.row.index, 0
    if step.kind is StepKind.BALL:
        return "ball", int(step.key.rsplit(".", 1)[1]), 0
    return ("part", *step.part) if step.part is not None else None


def _owners(design: PiecePlan) -> list[Owner]:
    """The owner of each drawn balloon."""
    geometry = design.geometry
    owners: list[Owner] = [("row", int(row), 0) for row in geometry.row_of]
    balls = [place for place, group in enumerate(design.piece.groups) if group.kind == "ball"]
    for place, ball in zip(balls, design.assembly.balls, strict=True):
        owners += [("ball", place, 0)] * len(ball.radii)
    clusters = iter(seated_fillers(design.piece, design.assembly))
    for part, count in design.drawn_parts:
        place = next(clusters).place if isinstance(part, Fillers) else 0
        owners += [("part", part.key, place)] * count
    return owners
