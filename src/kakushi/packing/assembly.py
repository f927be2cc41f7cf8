"""Groups on one centreline: each settled by itself and put where its anchor says; what rests on top."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.model.groups import Anchor, BarePoleGroup, Group, RowsGroup
from kakushi.model.joints import JointKind
from kakushi.model.memo import Cancelled, never
from kakushi.packing.ball import BallGeometry
from kakushi.packing.groups.kind import Settled
from kakushi.packing.groups.rows import packing_of_rows
from kakushi.packing.groups.table import settled_group
from kakushi.packing.link_frames import FrameGeometry
from kakushi.packing.settle import resettle, settle
from kakushi.packing.stack import Geometry, Packing, joined, stack_row
from kakushi.packing.strands import Laid
from kakushi.packing.turns import has_open_joints


@dataclass(frozen=True, slots=True, eq=False)
class Assembly:
    """All rows of a piece as one geometry, rows numbered through, and its balls, at their heights.

    `spans`: lowest and highest point of every group, mm. `pole_end`: height of the pole's end, mm; 0 where it is not
    known. `strands`: those that are bent, `frames`: open frames of links, both by the place of their group.
    """

    rows: Geometry
    balls: tuple[BallGeometry, ...]
    spans: tuple[tuple[float, float], ...] = ()
    pole_end: float = 0.0
    strands: tuple[tuple[int, Laid], ...] = ()
    frames: tuple[tuple[int, FrameGeometry], ...] = ()

    @property
    def off_pole(self) -> frozenset[int]:
        """Places of the groups that no pole goes through: strands and open frames."""
        return frozenset(place for place, _ in (*self.strands, *self.frames))

    @property
    def top(self) -> float:
        """Highest point, mm; 0 without balloons."""
        return max([self.rows.top, *(ball.top for ball in self.balls), *(frame.top for _, frame in self.frames)])

    @property
    def spheres(self) -> tuple[Floats, Floats]:
        """Centres (n, 3) and swollen radii (n,) of all balloons, mm: of rows, then balls, then frames.

        Of a frame those of its joints, then each link by the ball at its thickest.
        """
        others = [*((ball.centres, ball.shape_radii) for ball in self.balls), *(f.spheres for _, f in self.frames)]
        return (
            np.concatenate([self.rows.centres, *(centres for centres, _ in others)]),
            np.concatenate([self.rows.shape_radii, *(radii for _, radii in others)]),
        )

    @property
    def sized_radii(self) -> Floats:
        """Sized radii (n,) of the same balloons, mm."""
        frames = (frame.spheres[1] for _, frame in self.frames)
        return np.concatenate([self.rows.radii, *(ball.radii for ball in self.balls), *frames])


def assemble(
    groups: Iterable[Group],
    packing: Packing,
    joint: JointKind,
    foot_angle: float,
    foot_mm: float,
    cancelled: Cancelled = never,
) -> Assembly:
    """Place groups from the foot up, the first on `foot_mm`, each on what is below unless its anchor says otherwise."""
    rows: list[Geometry] = []
    balls: list[BallGeometry] = []
    spans: list[tuple[float, float]] = []
    strands: list[tuple[int, Laid]] = []
    frames: list[tuple[int, FrameGeometry]] = []
    floor = foot_mm
    listed = list(groups)
    every = [settled_group(group, packing, joint, foot_angle, cancelled) for group in listed]
    for place, (group, settled) in enumerate(zip(listed, every, strict=True)):
        # A group without rows yet takes no room, but keeps its place in the list of spans.
        if settled is None:
            spans.append((floor, floor))
            continue
        fills = isinstance(group, BarePoleGroup) and group.fills
        fitted = settled._replace(top=_room_above(listed, every, place, floor)) if fills else settled
        placed = fitted.lifted(_lift(group.anchor, fitted.bottom, fitted.top, floor))
        if placed.rows is not None:
            rows.append(placed.rows)
        if placed.ball is not None:
            balls.append(placed.ball)
        spans.append((placed.bottom, placed.top))
        if placed.strand is not None:
            # Held by no pole: what comes next stands beside it, on what stands below.
            strands.append((place, placed.strand))
            continue
        if placed.frame is not None:
            frames.append((place, placed.frame))
            continue
        # Also above what hangs: what comes next stands on what was placed last.
        floor = placed.top
    return Assembly(
        joined(rows) if rows else settle((), packing),
        tuple(balls),
        tuple(spans),
        strands=tuple(strands),
        frames=tuple(frames),
    )


def _room_above(groups: Sequence[Group], every: Sequence[Settled | None], place: int, floor: float) -> float:
    """What remains from `floor` up to the next group that is held at a height, mm; 0 where there is none."""
    for group, settled in zip(groups[place + 1 :], every[place + 1 :], strict=True):
        if settled is None:
            continue
        if group.anchor.kind == "floor":
            return 0.0
        lift = _lift(group.anchor, settled.bottom, settled.top, 0.0)
        return max(settled.bottom + lift - floor, 0.0)
    return 0.0


def reassembled(group: RowsGroup, packing: Packing, joint: JointKind, foot_mm: float, near: Geometry) -> Assembly:
    """A piece of one straight group of rows, settled from where rows of the same counts lay (`near`)."""
    packing = packing_of_rows(group, packing)
    part = resettle([stack_row(row, packing, joint) for row in group.rows], packing, near)
    placed = part.lifted(_lift(group.anchor, part.bottom, part.top, foot_mm))
    return Assembly(placed, (), ((placed.bottom, placed.top),))


def takes_search(group: RowsGroup, packing: Packing, joint: JointKind) -> bool:
    """Whether rows have several balances, so that settling them takes time."""
    return has_open_joints([stack_row(row, packing, joint) for row in group.rows])


def _lift(anchor: Anchor, bottom: float, top: float, floor: float) -> float:
    """How far a part from `bottom` to `top` is raised."""
    match anchor.kind:
        case "at height":
            return anchor.height_mm - bottom
        case "hanging below":
            return anchor.height_mm - top
        case _:
            return floor - bottom


def resting_height(centres: Floats, radii: Floats, radius: float, at: tuple[float, float] = (0.0, 0.0)) -> float:
    """Height, mm, of the centre of a ball of `radius` over a place `at` that rests on spheres (n, 3), (n,).

    Where it would fall through the hole between them it is held level with their tops.
    """
    out = np.hypot(centres[:, 0] - at[0], centres[:, 1] - at[1])
    reach = radii + radius
    # Spheres farther out cannot be touched from there.
    touching = out < reach
    rests = centres[touching, 2] + np.sqrt(reach[touching] ** 2 - out[touching] ** 2)
    top = float((centres[:, 2] + radii).max())
    return max(float(rests.max(initial=-np.inf)), top - radius)
