"""What should be known of a strand: bends that are too tight, ends that do not meet, and what happens where."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from enum import StrEnum
from typing import NamedTuple

import numpy as np

from kakushi.colour.kinds.spiral import climb_of
from kakushi.model.groups import LinkFrameGroup, RowsGroup, rows_groups
from kakushi.model.layers import SpiralLayer
from kakushi.model.paths import StrandStands
from kakushi.model.piece import Piece
from kakushi.packing.assembly import Assembly
from kakushi.packing.curve import crossings_of
from kakushi.packing.link_frames import FrameGeometry, numbers_of_joints
from kakushi.packing.strands import CLOSES_WITHIN, Laid, crossing_rows
from kakushi.plan.facts import (
    FrameLeans,
    FrameStrained,
    SpiralOpen,
    StrandMisses,
    StrandNote,
    StrandOpen,
    StrandPresses,
    StrandSags,
    StrandTight,
    TieLost,
)

_HALF_A_ROW = 0.5
"""How far, in rows, a strand may end from its path's end: nearer no whole number of rows brings it."""
_CLOSED_SEARCH = 12
"""Rows more or fewer among which a number is looked for that closes a strand."""
_CLOSED = 1e-6
"""Angle, radians, up to which a spiral of colours is closed: rounding only."""
_COMES_DOWN = 3.0
"""Height of an end of a strand above its lowest row, in diameters, up to which it stands on a base."""
_STRAINED = 0.02
"""Stretch of a chain of links from which it is told: hands size no more exactly."""
_LIES_FLAT = 4.0
"""Height of a strand over its reach from its centreline up to which it lies."""
_AS_GOOD = 0.97
"""Share of a radius that is as good as the whole: hands bend no more exactly."""
_FAR_ALONG = 4
"""Rows along a strand from which two of them are no neighbours."""
_PRESSES = 0.12
"""Overlap of two balloons of strands that are no neighbours, over the sum of their radii, from which it is told."""
_MEETS = 2
"""Rows to each side of a shared one that lie close to those of the other way."""
_BENT_BELOW = 12.0
"""Radius of the centreline, over the sized diameter, below which a stretch is called a bend."""


class MarkKind(StrEnum):
    """What happens at a place along a strand."""

    BEND_BEGINS = "bend begins"
    BEND_ENDS = "bend ends"
    CROSSES = "crosses"
    COMES_BACK = "goes through a row again"


class StrandMark(NamedTuple):
    """A place along a strand: the row (from 0, of the strand), and how many it is from the other end (from 1).

    `through`: the row (from 0) that the strand goes through again after that row.
    """

    kind: MarkKind
    row: int
    from_end: int
    through: int | None = None


def strands_of(piece: Piece, assembly: Assembly) -> list[tuple[int, RowsGroup, Laid]]:
    """The strands of a piece with the index of their first row among all rows."""
    laid, first, found = dict(assembly.strands), 0, []
    for place, group in rows_groups(piece.groups):
        if place in laid:
            found.append((first, group, laid[place]))
        first += len(group.rows)
    return found


def closes(group: RowsGroup, laid: Laid) -> bool:
    """Whether a closed strand's ends lock, or an open one ends within half a row of its path's end."""
    if laid.turned is not None:
        return laid.turned <= CLOSES_WITHIN
    return len(group.rows) > 1 and abs(laid.missing_mm) <= _HALF_A_ROW * float(laid.geometry.frames.rises.mean())


def base_places(piece: Piece, assembly: Assembly) -> list[tuple[float, float]]:
    """Where the bases of a piece stand, x and y, mm: under its pole, and under the ends of strands that stand on them.

    A closed strand stands on one, under its lowest row; an end that does not come down has none.
    """
    strands = strands_of(piece, assembly)
    has_straight = any(group.strand is None and group.rows for _, group in rows_groups(piece.groups))
    places = [(0.0, 0.0)] if has_straight or not strands else []
    for _, group, laid in strands:
        if group.strand is None or group.strand.stands is not StrandStands.BASES:
            continue
        origins, diameter = laid.geometry.frames.origins, group.rows[0].diameter_mm
        ends = [int(origins[:, 2].argmin())] if laid.curve.is_closed else sorted({0, len(origins) - 1})
        low = float(origins[:, 2].min()) + _COMES_DOWN * diameter
        places += [(float(origins[end, 0]), float(origins[end, 1])) for end in ends if origins[end, 2] <= low]
    return places


def is_hung(piece: Piece, assembly: Assembly) -> bool:
    """Whether all of a piece hangs from above."""
    strands = strands_of(piece, assembly)
    bent = [group.strand for _, group, _ in strands if group.strand]
    return bool(bent) and len(bent) == len(piece.groups) and all(each.stands is StrandStands.HUNG for each in bent)


def strand_notes(piece: Piece, assembly: Assembly) -> Iterator[StrandNote]:
    """Warnings about the strands of a piece."""
    places = {id(laid): place for place, laid in assembly.strands}
    for first, group, laid in strands_of(piece, assembly):
        yield from _tight(first, group, laid)
        yield from _misses(places[id(laid)], group, laid)
        strand = group.strand
        if strand and strand.core == "line" and strand.stands is not StrandStands.HUNG and _stands_up(laid):
            yield StrandSags(places[id(laid)])
        if laid.curve.is_closed:
            yield from _open_ends(group, laid)
            yield from _open_spirals(piece, group)
    yield from _presses(piece, assembly)
    for place, frame in assembly.frames:
        if len(frame.modes):
            yield FrameLeans(place, len(frame.modes), weakest_joint(piece, place, frame))
        worst = frame.strain[np.abs(frame.strain).argmax()]
        if abs(worst) > _STRAINED:
            yield FrameStrained(place, float(worst))
    keys = {row.key for row in piece.rows}
    if gone := sum(1 for tie in piece.ties if not {tie.row, tie.other or tie.row} <= keys):
        yield TieLost(gone)


def _stands_up(laid: Laid) -> bool:
    """Whether a strand is taller than a coil that lies on the floor."""
    return laid.geometry.top - laid.geometry.bottom > _LIES_FLAT * laid.reach_mm


def _tight(first: int, group: RowsGroup, laid: Laid) -> Iterator[StrandTight]:
    bends = laid.bends
    for past in (True, False):
        radii = bends.radius / _AS_GOOD
        tight = radii < bends.limit if past else (radii < bends.comfort) & (radii >= bends.limit)
        rows = np.flatnonzero(tight)
        if not len(rows):
            continue
        worst = int(rows[np.argmin(bends.radius[rows] / bends.comfort[rows])])
        radius, comfort = float(bends.radius[worst]), float(bends.comfort[worst])
        fits = group.rows[worst].diameter_mm * radius / comfort
        yield StrandTight(tuple(int(row) + first for row in rows), radius, comfort, past, fits)


def _misses(place: int, group: RowsGroup, laid: Laid) -> Iterator[StrandMisses]:
    if len(group.rows) < 2 or laid.curve.is_closed:
        return
    rise = float(laid.geometry.frames.rises.mean())
    rows = laid.missing_mm / rise
    if abs(rows) > _HALF_A_ROW:
        yield StrandMisses(place, laid.missing_mm, round(rows) or int(math.copysign(1, rows)))


def _open_ends(group: RowsGroup, laid: Laid) -> Iterator[StrandOpen]:
    """Ends of a ring of like rows that do not lock: each joint turns by as much, so the nearest number is known."""
    if laid.turned is None or laid.turned <= CLOSES_WITHIN or len({row.count for row in group.rows}) > 1:
        return
    rows, count = len(group.rows), group.rows[0].count
    step = 2 * math.pi / count
    joint = math.remainder(float(np.median(np.diff(laid.straight.turns))), step)

    def closes(number: int) -> bool:
        return abs(math.remainder(number * joint, step)) / step <= CLOSES_WITHIN

    yield StrandOpen(rows, *_nearest(rows, closes))


def _open_spirals(piece: Piece, group: RowsGroup) -> Iterator[SpiralOpen]:
    """Spirals whose lanes do not meet where a closed strand's end meets its beginning."""
    rows, counts = len(group.rows), [row.count for row in group.rows]
    if len(set(counts)) > 1:
        return
    for layer in piece.layers:
        if not isinstance(layer, SpiralLayer) or not layer.shown:
            continue
        period = 2 * math.pi * _period(layer.lanes) / len(layer.lanes)

        def closes(number: int, layer: SpiralLayer = layer, period: float = period) -> bool:
            # From the first row to itself again: one joint more than between the rows.
            return abs(math.remainder(climb_of(layer, [counts[0]] * (number + 1)), period)) < _CLOSED

        if not closes(rows):
            yield SpiralOpen(rows, *_nearest(rows, closes))


def _period(lanes: Sequence[str]) -> int:
    """After how many lanes their colours repeat."""
    count = len(lanes)
    return next(k for k in range(1, count + 1) if (count % k == 0 and lanes[k:] == lanes[:-k]) or k == count)


def _nearest(rows: int, closes: Callable[[int], bool]) -> tuple[int | None, int | None]:
    """The nearest numbers of rows below and above that close."""
    fewer = next((n for n in range(rows - 1, max(rows - _CLOSED_SEARCH, 2), -1) if closes(n)), None)
    more = next((n for n in range(rows + 1, rows + _CLOSED_SEARCH + 1) if closes(n)), None)
    return fewer, more


def _presses(piece: Piece, assembly: Assembly) -> Iterator[StrandPresses]:
    """The deepest of the places where strands lie in themselves, or in other rows."""
    strands = strands_of(piece, assembly)
    if not strands:
        return
    from scipy.spatial import cKDTree  # noqa: PLC0415 - takes half a second, and few pieces need it

    rows = assembly.rows
    pairs = cKDTree(rows.centres).query_pairs(2 * float(rows.shape_radii.max()), output_type="ndarray")
    one, other = rows.row_of[pairs[:, 0]], rows.row_of[pairs[:, 1]]
    along = np.abs(one - other)
    for first, group, laid in strands:
        if laid.curve.is_closed:
            within = (np.minimum(one, other) >= first) & (np.maximum(one, other) < first + len(group.rows))
            along = np.where(within, np.minimum(along, len(group.rows) - along), along)
    bent, shares = (np.zeros(len(rows.frames), dtype=bool) for _ in range(2))
    for first, group, laid in strands:
        bent[first : first + len(group.rows)] = True
        for row, before in laid.shared:
            # Two ways that meet in one row give way to each other there.
            shares[first + max(row - _MEETS, 0) : first + row + _MEETS + 1] = True
            shares[first + before - _MEETS : first + before + _MEETS] = True
    kept = (along >= _FAR_ALONG) & (bent[one] | bent[other]) & ~(shares[one] & shares[other])
    pairs, one, other = pairs[kept], one[kept], other[kept]
    both = rows.radii[pairs].sum(axis=1)
    deep = both - np.linalg.norm(rows.centres[pairs[:, 0]] - rows.centres[pairs[:, 1]], axis=1)
    if len(deep) and (deep > _PRESSES * both).any():
        worst = int(np.argmax(deep / both))
        low, high = sorted((int(one[worst]), int(other[worst])))
        yield StrandPresses(low, high, float(deep[worst]))


def weakest_joint(piece: Piece, place: int, frame: FrameGeometry) -> int:
    """Number (from 1) of the joint of an open frame that gives most."""
    group = piece.groups[place]
    return numbers_of_joints(group)[frame.weakest] if isinstance(group, LinkFrameGroup) else 1


def marks_of(group: RowsGroup, laid: Laid) -> list[StrandMark]:
    """Where a strand's bends begin and end and where it crosses itself, in order; a bend all along has no ends."""
    count = len(group.rows)
    diameters = np.array([row.diameter_mm for row in group.rows])
    bent = laid.bends.radius < _BENT_BELOW * diameters
    marks = [
        StrandMark(MarkKind.COMES_BACK, each.before - 1, count - each.before + 1, each.row) for each in laid.shared
    ]
    if not laid.shared:
        marks += [StrandMark(MarkKind.CROSSES, row, count - row) for pair in _crossings(laid) for row in pair]
    changes = np.flatnonzero(np.diff(bent.astype(int)))
    for row in changes.tolist() if not bent.all() else []:
        kind = MarkKind.BEND_BEGINS if bent[row + 1] else MarkKind.BEND_ENDS
        marks.append(StrandMark(kind, row, count - row))
    return sorted(marks, key=lambda mark: (mark.row, mark.kind))


def _crossings(laid: Laid) -> list[tuple[int, int]]:
    return crossing_rows(laid, crossings_of(laid.curve))
