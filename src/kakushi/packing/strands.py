"""Strands: rows settled straight, then laid along a path; what a bend does to them.

A row keeps its shape and comes to lie across the path at its knot. What the bend then does to the joints, by the
distances of neighbours beside those while it was straight, is the gap outside and the crush inside: how much farther
apart skins stand, and how much deeper they press.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.model.paths import Strand
from kakushi.packing.curve import Curve, crossings_of, curve_of, passed
from kakushi.packing.frames import Frames
from kakushi.packing.stack import Geometry, some_rows

COMFORTABLE_RADIUS, LIMIT_RADIUS = 4.5, 3.0
"""Radius of the centreline, over the sized diameter, at which quads bend comfortably and at which they no longer do
(figure of practice: `docs/strands.md`). Rows of other counts bend by their reach, as quads do by theirs."""
_QUAD_REACH = 0.5 + math.sqrt(0.5)
"""Reach of touching quads from the centreline to their outer skin, over the diameter."""
_BESIDE = 1.15
"""Distance of two balloons over the sum of their radii up to which they are neighbours while the strand is straight:
line wound between rows keeps them a little apart."""
CLOSES_WITHIN = 0.2
"""How far, as a share of the step between two slots, the last row's gaps may be turned from where the first row's
balloons go for the ends of a closed strand to lock."""


@dataclass(frozen=True, slots=True, eq=False)
class Bends:
    """What the path does to each of m rows, each (m,) mm.

    `radius` of the centreline there, inf where it is straight; `gap` and `crush`: the widest opening and the deepest
    further press at its joints; `limit`: the radius that such a row no longer bends to; `comfort`: that it bends to
    easily.
    """

    radius: Floats
    gap: Floats
    crush: Floats
    limit: Floats
    comfort: Floats

    def of(self, rows: Ints) -> Bends:
        """Those of some rows (indices)."""
        return Bends(*(each[rows] for each in (self.radius, self.gap, self.crush, self.limit, self.comfort)))


class SharedRow(NamedTuple):
    """A strand that runs into itself: the row it runs into, and the row before which it does (both from 0)."""

    row: int
    before: int


@dataclass(frozen=True, slots=True, eq=False)
class Laid:
    """A strand as laid: its geometry, what its bends do, and how its length fits the path.

    `straight`: the rows before they were bent. `arc_mm`: length of the path as it was asked for; `used_mm`: of the
    centreline that the rows take. `turned`: how far off the ends of a closed strand are turned from locking, as a share
    of the step between two slots; None for others. `closing_mm`: from its last knot to its first. `shared`: rows that
    it goes through twice.
    """

    geometry: Geometry
    straight: Geometry
    bends: Bends
    curve: Curve
    arc_mm: float
    used_mm: float
    turned: float | None
    closing_mm: float
    shared: tuple[SharedRow, ...] = ()

    @property
    def reach_mm(self) -> float:
        """From its centreline to its outermost skin, mm."""
        return reach_of(self.straight)

    @property
    def fills(self) -> float:
        """Length that the rows take over that of the path as it was asked for."""
        return self.used_mm / self.arc_mm

    @property
    def missing_mm(self) -> float:
        """How much of an open path is left over, mm; below 0 where the rows reach beyond its end; 0 of a closed one."""
        return 0.0 if self.curve.is_closed else self.arc_mm - self.used_mm

    @property
    def slack_mm(self) -> float:
        """Line to leave slack at the bends, mm: by so much the insides of the bends press while it is taut."""
        crush = self.bends.crush
        return float(np.minimum(crush[:-1], crush[1:]).sum())

    def lifted(self, by: float) -> Laid:
        """This strand `by` mm higher."""
        return replace(self, geometry=self.geometry.lifted(by), curve=self.curve.moved(0.0, by))


def reach_of(straight: Geometry) -> float:
    """From the centreline of straight rows to their outermost skin, mm."""
    return float((straight.local.out + straight.shape_radii).max(initial=0.0))


def shared_rows(knots: Floats, closing_mm: float, strand: Strand) -> tuple[SharedRow, ...]:
    """Rows that a strand with these knots (m,), mm along it, goes through twice, in the order of coming back to them.

    Each time it comes back it is longer by one row. Raises BadInput for a path without length.
    """
    if not strand.shares_row or len(knots) < 2:
        return ()
    curve, rise = curve_of(strand.path), float(np.diff(knots).mean())
    now, numbers, shared = knots - knots[0], np.arange(len(knots)), []
    # A closed path is as large as its rows make it.
    size = (float(now[-1]) + closing_mm) / curve.length if curve.is_closed else 1.0
    for first, later in sorted(crossings_of(curve), key=lambda pair: pair[1]):
        row, before = int(np.abs(now - first * size).argmin()), int(np.searchsorted(now, later * size - rise / 2))
        if row < before < len(knots):
            shared.append(SharedRow(int(numbers[row]), before))
            now = np.where(numbers >= before, now + rise, now)
    return tuple(shared)


def laid_along(
    straight: Geometry,
    strand: Strand,
    closing_mm: float = 0.0,
    closing_turn: float = 0.0,
    shared: Sequence[SharedRow] = (),
) -> Laid:
    """A straight settled geometry laid along a strand's path.

    Of a closed one the last joint is `closing_mm` long and turns by `closing_turn`, radians. A closed path is made as
    large as the rows make it; an open one keeps its size, and the rows end where they end. `straight` has a copy of
    each of the `shared` rows where the strand comes back to it; those are taken out. Raises BadInput for a path without
    length.
    """
    curve = curve_of(strand.path)
    arc, knots = curve.length, straight.knots
    if curve.is_closed and closing_mm <= 0:
        # One or two rows close nothing.
        curve = replace(curve, is_closed=False)
    if curve.is_closed:
        used = float(knots[-1] - knots[0]) + closing_mm
        curve = curve.scaled(used / arc)
        along = knots - knots[0]
    else:
        # The first row's lowest skin begins at the path's beginning, as a column's does on the floor.
        used = straight.top
        along = knots
    curve = passed(curve, 2 * reach_of(straight), strand.front_first)
    frames = curve.frames_at(along)
    local = straight.local
    ahead = straight.centres[:, 2] - knots[straight.row_of]
    row = straight.row_of
    across = np.cross(frames.tangents, frames.normals)
    centres = (
        frames.origins[row]
        + ahead[:, None] * frames.tangents[row]
        + (local.out * np.cos(local.angle))[:, None] * frames.normals[row]
        + (local.out * np.sin(local.angle))[:, None] * across[row]
    )
    aside = np.array([strand.x_mm, 0.0, 0.0])
    frames = Frames(frames.origins + aside, frames.tangents, frames.normals, frames.along)
    bent = replace(straight, centres=centres + aside, frames=frames)
    turned = None
    if curve.is_closed and len(knots):
        step = 2 * math.pi / int(np.bincount(row)[0])
        total = float(straight.turns[-1] - straight.turns[0]) + closing_turn
        turned = abs(math.remainder(total, step)) / step
    bends, moved = _bends(straight, bent, curve, closing_mm), curve.moved(strand.x_mm, 0.0)
    if shared:
        copies = [each.before + number for number, each in enumerate(shared)]
        kept = np.setdiff1d(np.arange(len(frames)), copies)
        bent, straight, bends = some_rows(bent, kept), some_rows(straight, kept), bends.of(kept)
        for each in shared:
            # Half-way between what passes in front and behind.
            bent = _in_the_middle(bent, each.row)
    return Laid(bent, straight, bends, moved, arc, used, turned, closing_mm, tuple(shared))


def _in_the_middle(bent: Geometry, row: int) -> Geometry:
    """A bent geometry with one of its rows moved into the plane of the path."""
    back = float(bent.frames.origins[row, 1])
    centres, origins = bent.centres.copy(), bent.frames.origins.copy()
    centres[bent.row_of == row, 1] -= back
    origins[row, 1] = 0.0
    frames = bent.frames
    return replace(bent, centres=centres, frames=Frames(origins, frames.tangents, frames.normals, frames.along))


def _bends(straight: Geometry, bent: Geometry, curve: Curve, closing_mm: float) -> Bends:
    rows = len(straight.knots)
    one, other = _joined(straight)
    before = np.linalg.norm(straight.centres[one] - straight.centres[other], axis=1)
    after = np.linalg.norm(bent.centres[one] - bent.centres[other], axis=1)
    touch = straight.radii[one] + straight.radii[other]
    gap, crush = np.zeros(rows), np.zeros(rows)
    for end in (one, other):
        np.maximum.at(gap, straight.row_of[end], after - np.maximum(before, touch))
        np.maximum.at(crush, straight.row_of[end], np.minimum(before, touch) - after)
    diameter = np.bincount(straight.row_of, 2 * straight.radii, rows) / np.maximum(np.bincount(straight.row_of), 1)
    reach = np.zeros(rows)
    np.maximum.at(reach, straight.row_of, straight.local.out + straight.radii)
    # Between a column's centre and its skin a loose row has more room than touching quads.
    per = np.maximum(reach / _QUAD_REACH, diameter / 2)
    return Bends(_radii(bent.frames, curve.is_closed, closing_mm), np.maximum(gap, 0), np.maximum(crush, 0),
                 LIMIT_RADIUS * per, COMFORTABLE_RADIUS * per)  # fmt: skip


def _joined(straight: Geometry) -> tuple[Ints, Ints]:
    """Pairs of balloons of neighbouring rows that lie beside each other while the strand is straight."""
    firsts = np.searchsorted(straight.row_of, np.arange(len(straight.knots) + 1))
    pairs = [
        np.stack(np.meshgrid(np.arange(a, b), np.arange(b, c), indexing="ij"), axis=-1).reshape(-1, 2)
        for a, b, c in zip(firsts[:-2].tolist(), firsts[1:-1].tolist(), firsts[2:].tolist(), strict=True)
    ]
    every = np.concatenate([np.zeros((0, 2), dtype=np.int64), *pairs])
    away = np.linalg.norm(straight.centres[every[:, 0]] - straight.centres[every[:, 1]], axis=1)
    near = every[away <= _BESIDE * straight.radii[every].sum(axis=1)]
    return near[:, 0], near[:, 1]


def _radii(frames: Frames, is_closed: bool, closing_mm: float) -> Floats:
    """Radius of the centreline at each row, (m,) mm: the distance to its neighbours over how they are turned."""
    # In the plane of the path: what comes forward to pass another part does so gently.
    flat = frames.tangents * [1.0, 0.0, 1.0]
    tangents, along = flat / np.maximum(np.linalg.norm(flat, axis=1), 1e-12)[:, None], frames.along
    if is_closed and len(along) > 1:
        tangents = np.concatenate([tangents[-1:], tangents, tangents[:1]])
        along = np.concatenate([[along[0] - closing_mm], along, [along[-1] + closing_mm]])
    if len(along) < 2:
        return np.full(len(frames), math.inf)
    cosine = np.clip((tangents[1:] * tangents[:-1]).sum(axis=1), -1, 1)
    with np.errstate(divide="ignore"):
        joints = np.diff(along) / np.maximum(np.arccos(cosine), 1e-12)
    joints[cosine > 1 - 1e-9] = math.inf
    tightest = np.minimum(np.append(joints, math.inf), np.append(math.inf, joints))
    return np.asarray(tightest[1:-1] if is_closed else tightest)


def crossing_rows(laid: Laid, crossings: Sequence[tuple[float, float]]) -> list[tuple[int, int]]:
    """Rows (from 0) nearest to where the strand crosses itself, the one nearer its beginning first."""
    along = laid.geometry.frames.along
    if not len(along):
        return []
    return [(int(np.abs(along - a).argmin()), int(np.abs(along - b).argmin())) for a, b in crossings]
