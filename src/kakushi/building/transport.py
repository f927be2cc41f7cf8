"""Which pieces go through the door and into the vehicle, whole or split at a joint, and in how many trips."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from kakushi.building.bent_loads import MOST_PARTS, Box, is_bent, parted
from kakushi.model.parts import Extended
from kakushi.model.workshop import AccessLimits
from kakushi.plan.stability import pole_length
from kakushi.plan.values import PiecePlan, Plan

_HAIR_MM = 1e-6


@dataclass(frozen=True, slots=True)
class CopyLoad:
    """One copy in transport: the number of rows in each part, from the foot, and the box of each.

    `stands`: it travels upright, whole. `at`: where it comes apart: with its pole, at the ties between its strands, or
    in its line; "" for a bent piece that stays whole. With a `problem` it is built on site.
    """

    name: str
    parts: tuple[int, ...]
    boxes: tuple[Box, ...]
    stands: bool
    problem: Literal["", "too wide", "too long"] = ""
    at: Literal["pole", "", "ties", "line"] = "pole"

    @property
    def is_split(self) -> bool:
        """Whether it is taken apart."""
        return len(self.parts) > 1


def loads_of(plan: Plan) -> list[tuple[CopyLoad, int]]:
    """How the copies of every piece travel, those alike together with their number."""
    return [
        ((_bent_load if is_bent(design) else _load)(design, label, plan.studio.way), copies)
        for piece_plan in plan.pieces
        for label, copies, design in piece_plan.built
        if design.balloon_count
    ]


def _bent_load(design: PiecePlan, label: str, limits: AccessLimits) -> CopyLoad:
    """A copy that no pole goes through."""
    name, way = f"{design.piece.name} {label}".strip(), parted(design, limits)
    if way is None:
        return CopyLoad(name, (len(design.piece.rows),), (_box(_things(design)),), False, "too wide")
    return CopyLoad(name, way.rows, way.boxes, False, at=way.at)


def _load(design: PiecePlan, label: str, limits: AccessLimits) -> CopyLoad:
    """Whole where it can be, standing before lying; else in the fewest parts that go in."""
    name = f"{design.piece.name} {label}".strip()
    things, length = _things(design), pole_length(design)
    long, wide = _box([*things, (0.0, length, design.piece.frame.pole_diameter_mm / 2)] if length else things)
    rows = len(design.piece.rows)
    if wide > min(limits.room_wide_mm, limits.room_tall_mm, limits.room_long_mm, limits.door_wide_mm):
        return CopyLoad(name, (rows,), ((long, wide),), False, "too wide")
    if long <= min(limits.room_tall_mm, limits.door_tall_mm):
        return CopyLoad(name, (rows,), ((wide, wide),), True)
    # Lying it goes through a door lengthwise; it must fit the room's length, since nobody relies on its diagonal.
    if long <= limits.room_long_mm:
        return CopyLoad(name, (rows,), ((long, wide),), False)
    for parts in range(2, min(MOST_PARTS, rows) + 1):
        boxes = tuple(_box(part) for part in _split(design, things, length, parts))
        if all(each <= limits.room_long_mm for each, _ in boxes):
            counts = tuple(rows * (k + 1) // parts - rows * k // parts for k in range(parts))
            return CopyLoad(name, counts, boxes, False)
    return CopyLoad(name, (rows,), ((long, wide),), False, "too long")


Extent = tuple[float, float, float]
"""Lowest and highest point of a thing, and how far from the pole it reaches, mm."""


def _things(design: PiecePlan) -> list[Extent]:
    """What a copy is made of but for its pole: balloons with all that is put on, the base, parts that are not drawn."""
    drawn, base = design.drawn, design.piece.frame.base
    across, z = np.hypot(drawn.centres[:, 0], drawn.centres[:, 1]) + drawn.shape_radii, drawn.centres[:, 2]
    extents: list[Extent] = list(zip(z - drawn.shape_radii, z + drawn.shape_radii, across, strict=True))
    if base.is_there:
        extents.append((0.0, base.height_mm, base.radius_mm))
    drawn_keys = {part.key for part, _ in design.drawn_parts}
    for part in design.parts:
        if isinstance(part, Extended) and part.key not in drawn_keys:
            x, y, middle = design.place_of(part)
            half = part.tall_mm / 2
            extents.append((middle - half, middle + half, math.hypot(x, y) + part.wide_mm / 2))
    return extents


def _box(things: Sequence[Extent]) -> Box:
    low, high, across = np.array(things).T
    return float(high.max() - low.min()), 2 * float(across.max())


def _split(design: PiecePlan, things: Sequence[Extent], length: float, parts: int) -> Iterator[list[Extent]]:
    """Split a copy into parts of about equal rows; a pole of that length comes apart with them."""
    knots, rows = np.sort(design.geometry.knots), len(design.piece.rows)
    firsts = (rows * k // parts for k in range(1, parts))
    cuts = [-math.inf, *((float(knots[first - 1] + knots[first]) / 2) for first in firsts), math.inf]
    for low, high in pairwise(cuts):
        part = [thing for thing in things if low <= (thing[0] + thing[1]) / 2 < high]
        if length > low:
            part.append((max(low, 0.0), min(high, length), design.piece.frame.pole_diameter_mm / 2))
        if part:
            yield part


# --- trips ---------------------------------------------------------------------------------------------------


def trips_of(loads: Sequence[tuple[CopyLoad, int]], limits: AccessLimits) -> int:
    """Trips that take everything side by side on the vehicle's floor.

    Boxes go into free rectangles of the floor, the fullest trip first (maximal rectangles; Jylänki 2010), in several
    orders and both ways round; the fewest trips count.
    """
    boxes = [box for load, copies in loads if not load.problem for box in load.boxes * copies]
    orders = (lambda box: box[0] * box[1], lambda box: box[0], lambda box: box[1], min)
    floor = (limits.room_long_mm, limits.room_wide_mm)
    return min(len(_trips(sorted(boxes, key=order, reverse=True), floor)) for order in orders)


Free = tuple[float, float, float, float]
"""A free rectangle of the floor: where it begins along and across, its length and width, mm."""


def _trips(boxes: Sequence[Box], floor: Box) -> list[list[Free]]:
    """Pack boxes into trips; the free rectangles left on the floor of each."""
    trips: list[list[Free]] = []
    for box in boxes:
        for free in trips:
            if _put(box, free):
                break
        else:
            trips.append([(0.0, 0.0, *floor)])
            _put(box, trips[-1])
    return trips


def _put(box: Box, free: list[Free]) -> bool:
    """Put a box where least is left beside it, and take its floor away; False where there is no room."""
    fits = [
        (min(at[2] - long, at[3] - wide), at[0], at[1], long, wide)
        for at in free
        for long, wide in (box, box[::-1])
        if long <= at[2] + _HAIR_MM and wide <= at[3] + _HAIR_MM
    ]
    if not fits:
        return False
    _, x, y, long, wide = min(fits)
    left = dict.fromkeys(rest for at in free for rest in _without(at, (x, y, long, wide)))
    free[:] = [a for a in left if not any(a != b and _inside(a, b) for b in left)]
    return True


def _without(at: Free, taken: Free) -> Iterator[Free]:
    """Largest rectangles left of a free one after another is taken from it."""
    x, y, long, wide = at
    a, b, c, d = taken
    if a >= x + long - _HAIR_MM or a + c <= x + _HAIR_MM or b >= y + wide - _HAIR_MM or b + d <= y + _HAIR_MM:
        yield at
        return
    if a > x:
        yield x, y, a - x, wide
    if a + c < x + long:
        yield a + c, y, x + long - a - c, wide
    if b > y:
        yield x, y, long, b - y
    if b + d < y + wide:
        yield x, b + d, long, y + wide - b - d


def _inside(a: Free, b: Free) -> bool:
    """Whether one rectangle lies inside another."""
    return a[0] >= b[0] and a[1] >= b[1] and a[0] + a[2] <= b[0] + b[2] and a[1] + a[3] <= b[1] + b[3]
