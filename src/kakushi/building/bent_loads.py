"""How strands and open frames travel: they lie flat or on edge, and come apart at their ties or in their line."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Literal, NamedTuple

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.model.workshop import AccessLimits
from kakushi.plan.geometry import group_ranges
from kakushi.plan.values import PiecePlan

MOST_PARTS = 8
"""Most parts a piece is split into: more would be building it again."""
_TURNS = np.radians(np.arange(0.0, 180.0, 5.0))
"""Ways round, in its plane, in which a bent part is laid: finer ones save less than its bag takes."""

Box = tuple[float, float]
"""Length and width of a part as it lies or stands in the vehicle, mm."""


class Parted(NamedTuple):
    """A way to part a bent piece: the number of rows in each part, their boxes, and where it comes apart."""

    rows: tuple[int, ...]
    boxes: tuple[Box, ...]
    at: Literal["", "ties", "line"]


def is_bent(design: PiecePlan) -> bool:
    """Whether no pole goes through any of a piece: all of it is strands and open frames."""
    assembly = design.assembly
    held = len(assembly.strands) + len(assembly.frames)
    return bool(held) and held == len(design.piece.groups)


def parted(design: PiecePlan, limits: AccessLimits) -> Parted | None:
    """The fewest parts of a bent piece that go in, whole before parted; None where none do."""
    centres, radii, rows = _balls(design)
    count = len(design.piece.rows)
    for at, cuts in _ways(design):
        boxes = []
        for low, high in pairwise((0, *cuts, max(count, 1))):
            part = (rows >= low) & (rows < high)
            box = _laid(centres[part], radii[part], limits)
            if box is None:
                break
            boxes.append(box)
        else:
            ends = (0, *cuts, count)
            return Parted(tuple(b - a for a, b in pairwise(ends)), tuple(boxes), at)
    return None


def _ways(design: PiecePlan) -> Iterator[tuple[Literal["", "ties", "line"], tuple[int, ...]]]:
    """Where a piece is parted, before which rows: nowhere, from strand to strand, in more and more parts."""
    yield "", ()
    count = len(design.piece.rows)
    if between := tuple(r.start for r in group_ranges(design.piece)[1:] if len(r)):
        yield "ties", between
    for parts in range(2, min(MOST_PARTS, count) + 1):
        yield "line", tuple(count * k // parts for k in range(1, parts))


def _balls(design: PiecePlan) -> tuple[Floats, Floats, Ints]:
    """Everything drawn of a piece as balls, mm, links to their tips, each with the row that it goes with."""
    drawn = design.drawn
    links = [frame.bodies for _, frame in design.assembly.frames]
    centres = np.concatenate([drawn.centres, *(places for places, _ in links)])
    radii = np.concatenate([drawn.shape_radii, *(thick for _, thick in links)])
    origins = design.geometry.frames.origins
    if not len(origins):
        return centres, radii, np.zeros(len(radii), dtype=np.int64)
    rows = np.linalg.norm(centres[:, None] - origins[None], axis=2).argmin(axis=1)
    own = np.concatenate([drawn.row_of, np.full(len(radii) - len(drawn.row_of), -1)])
    return centres, radii, np.where(own >= 0, own, rows)


def _laid(centres: Floats, radii: Floats, limits: AccessLimits) -> Box | None:
    """Length and width of the smallest floor a part takes, turned in its plane, flat or on edge; None: too large."""
    if not len(radii):
        return None
    deep = float((centres[:, 1] + radii).max() - (centres[:, 1] - radii).min())
    found: list[Box] = []
    for turn in _TURNS:
        across = centres[:, 0] * math.cos(turn) + centres[:, 2] * math.sin(turn)
        up = centres[:, 2] * math.cos(turn) - centres[:, 0] * math.sin(turn)
        wide, tall = (float((axis + radii).max() - (axis - radii).min()) for axis in (across, up))
        if not _goes_through(sorted((wide, tall, deep)), limits):
            continue
        for floor, height in (((wide, tall), deep), ((wide, deep), tall), ((tall, deep), wide)):
            long, short = max(floor), min(floor)
            if long <= limits.room_long_mm and short <= limits.room_wide_mm and height <= limits.room_tall_mm:
                found.append((long, short))
    return min(found, key=lambda box: box[0] * box[1], default=None)


def _goes_through(sizes: Sequence[float], limits: AccessLimits) -> bool:
    """Whether a thing, its sizes the smallest first, goes through the door lengthwise."""
    low, high = sorted((limits.door_wide_mm, limits.door_tall_mm))
    return sizes[0] <= low and sizes[1] <= high
