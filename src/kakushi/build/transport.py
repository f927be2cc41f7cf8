"""Which pieces go through the door and into the vehicle, whole or split at a joint, and in how many trips."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kakushi.model.units import UnitSystem, format_length
from kakushi.model.workshop import Way
from kakushi.plan.values import PiecePlan, Plan

_SPLITS = 8
"""Parts a piece is split into at most: more is building it anew."""


@dataclass(frozen=True, slots=True)
class Load:
    """One copy as it travels: parts of so many rows each, in order from the foot, and their boxes, mm.

    `boxes`: length and width of each part as it lies or stands. `stands`: it travels upright, whole.
    """

    name: str
    parts: tuple[int, ...]
    boxes: tuple[tuple[float, float], ...]
    stands: bool
    problem: str = ""

    @property
    def is_split(self) -> bool:
        """Whether it is taken apart."""
        return len(self.parts) > 1


def loads_of(plan: Plan) -> list[tuple[Load, int]]:
    """How the copies of every piece travel, those alike together with their number."""
    return [
        (_load(design, label, plan.studio.way), many)
        for piece_plan in plan.pieces
        for label, many, design in piece_plan.built
        if design.balloon_count
    ]


def _load(design: PiecePlan, label: str, way: Way) -> Load:
    name = f"{design.piece.name} {label}".strip()
    drawn = design.drawn
    wide = 2 * float((np.hypot(drawn.centres[:, 0], drawn.centres[:, 1]) + drawn.shape_radii).max())
    tall = max(design.overall_height_mm, design.piece.frame.pole_length_mm or 0.0)
    rows = len(design.piece.rows)
    if wide > min(way.room_wide_mm, way.room_tall_mm, way.room_long_mm) or wide > way.door_wide_mm:
        return Load(name, (rows,), ((tall, wide),), False, "is too wide: build it there")
    if tall <= way.room_tall_mm and tall <= way.door_tall_mm:
        return Load(name, (rows,), ((wide, wide),), True)
    # Lying it goes through a door lengthwise; it must fit the room's length, or its diagonal no hand relies on.
    if tall <= way.room_long_mm:
        return Load(name, (rows,), ((tall, wide),), False)
    for many in range(2, min(_SPLITS, rows) + 1):
        parts = _split(design, many)
        if all(long <= way.room_long_mm for long, _ in parts):
            counts = [rows * (k + 1) // many - rows * k // many for k in range(many)]
            return Load(name, tuple(counts), tuple((long, wide) for long, _ in parts), False)
    return Load(name, (rows,), ((tall, wide),), False, "is too long even in parts: build it there")


def _split(design: PiecePlan, many: int) -> list[tuple[float, float]]:
    """Length and width of parts of about equally many rows."""
    geometry, rows = design.geometry, len(design.piece.rows)
    cuts = [rows * k // many for k in range(many + 1)]
    boxes = []
    for low, high in pairwise(cuts):
        mine = (geometry.row_of >= low) & (geometry.row_of < high)
        z, radii = geometry.centres[mine, 2], geometry.shape_radii[mine]
        boxes.append((float((z + radii).max() - (z - radii).min()), float(radii.max())))
    return boxes


def trips_of(loads: list[tuple[Load, int]], way: Way) -> int:
    """Trips that take everything: parts side by side on the floor, in shelves (first fit, longest first)."""
    boxes = sorted(
        ((long, wide) for load, many in loads if not load.problem for long, wide in load.boxes * many), reverse=True
    )
    if not boxes:
        return 0
    # Of each trip its shelves: how wide, and how long they are taken. First fit.
    trips: list[list[list[float]]] = []
    for long, wide in boxes:
        for shelves in trips:
            shelf = next((s for s in shelves if s[0] >= wide and s[1] + long <= way.room_long_mm), None)
            if shelf is not None:
                shelf[1] += long
                break
            if sum(s[0] for s in shelves) + wide <= way.room_wide_mm:
                shelves.append([wide, long])
                break
        else:
            trips.append([[wide, long]])
    return len(trips)


def transport_words(plan: Plan, units: UnitSystem = UnitSystem.METRIC) -> Iterator[str]:
    """How everything travels, in sentences."""
    loads, way = loads_of(plan), plan.studio.way
    for load, many in loads:
        each = f" ({many} of them)" if many > 1 else ""
        long, wide = load.boxes[0]
        if load.problem:
            yield f"{load.name}{each} {load.problem} ({format_length(wide, units)} across)."
        elif load.is_split:
            rows, joints = 0, []
            for count in load.parts[:-1]:
                rows += count
                joints.append(f"{rows} and {rows + 1}")
            yield f"{load.name}{each}: split between rows {', '.join(joints)}, where the pole must come apart too."
        elif load.stands:
            yield f"{load.name}{each}: whole, standing."
        else:
            yield f"{load.name}{each}: whole, lying down, {format_length(long, units)} long."
    trips = trips_of(loads, way)
    bags = math.ceil(sum(len(load.boxes) * many for load, many in loads if not load.problem))
    if trips:
        yield f"{trips} trip{'' if trips == 1 else 's'} with your vehicle, {bags} large bags to cover the parts."
