"""What of a piece stands at a step of its build, for pictures."""

from __future__ import annotations

from collections.abc import Collection, Iterator

import numpy as np
from numpy.typing import NDArray

from kakushi.building.step import Step, StepKind
from kakushi.model.groups import LinkFrameGroup
from kakushi.model.parts import Fillers
from kakushi.plan.dressing import seated_fillers
from kakushi.plan.values import PiecePlan

Owner = tuple[str, int, int]
"""What puts balloons on: a row by its index; a ball or wrap by its group's place; a joint by that and its number from
0; a part by key and place."""


def standing(design: PiecePlan, done: Collection[Step], now: Collection[Step]) -> tuple[NDArray[np.bool_], list[int]]:
    """Return which balls of a full picture (`drawn`, then `trimmings`) stand after the steps at hand, (n,) bool.

    And the indices of those that the steps `now` add. A link stands once both its joints do. Necks are left out.
    """
    owners = [*_owners(design), *_owners_of_trimmings(design)]
    there, coming = ({_owner(step) for step in steps} - {None} for steps in (done, now))
    shown = np.zeros(len(owners) + _neck_balls(design, len(owners)), dtype=bool)
    shown[: len(owners)] = [bool(owner) and owner <= there | coming for owner in owners]
    return shown, [index for index, owner in enumerate(owners) if shown[index] and not owner <= there]


def _neck_balls(design: PiecePlan, owned: int) -> int:
    return len(design.drawn.radii) + len(design.trimmings) - owned


def _owner(step: Step) -> Owner | None:
    """What a step puts on; None where it adds nothing to the picture."""
    if step.row is not None:
        return "row", step.row.index, 0
    name = step.key.split(".")
    match step.kind:
        case StepKind.BALL:
            return "ball", int(name[-1]), 0
        case StepKind.WRAP:
            return "wrap", int(name[-1]), 0
        case StepKind.LINK if name[-2] == "joint":
            return "joint", int(name[-3]), int(name[-1])
    return ("part", *step.part) if step.part is not None else None


def _owners(design: PiecePlan) -> Iterator[frozenset[Owner]]:
    """The owners of each drawn balloon: all of them must be there before it is."""
    for row in design.geometry.row_of:
        yield frozenset({("row", int(row), 0)})
    balls = [place for place, group in enumerate(design.piece.groups) if group.kind == "ball"]
    for place, ball in zip(balls, design.assembly.balls, strict=True):
        yield from [frozenset({("ball", place, 0)})] * len(ball.radii)
    for place, group in _frames(design):
        for number, joint in enumerate(group.joints):
            yield from [frozenset({("joint", place, number)})] * len(joint.balloons)
        yield from _owners_of_links(place, group)
    clusters = iter(seated_fillers(design.piece, design.assembly))
    for part, count in design.drawn_parts:
        place = next(clusters).place if isinstance(part, Fillers) else 0
        yield from [frozenset({("part", part.key, place)})] * count


def _owners_of_trimmings(design: PiecePlan) -> Iterator[frozenset[Owner]]:
    for place, body in design.wraps:
        yield from [frozenset({("wrap", place, 0)})] * len(body)
    for (place, group), (_, body) in zip(_frames(design), design.links, strict=True):
        links = list(_owners_of_links(place, group))
        for owner in links:
            yield from [owner] * (len(body) // len(links))


def _owners_of_links(place: int, group: LinkFrameGroup) -> Iterator[frozenset[Owner]]:
    """The two joints of each link's chain."""
    for chain in group.chains:
        yield from [frozenset({("joint", place, chain.first), ("joint", place, chain.last)})] * chain.links


def _frames(design: PiecePlan) -> Iterator[tuple[int, LinkFrameGroup]]:
    for place, _ in design.assembly.frames:
        group = design.piece.groups[place]
        assert isinstance(group, LinkFrameGroup)
        yield place, group
