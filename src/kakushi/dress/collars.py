"""Where a ring of small balloons hides most of what shows, and how many balloons close it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from kakushi.dress.clusters import STUCK_ON, KnotLine, line_round, settled_clusters, shape_of_balloons
from kakushi.dress.placing import SettledColumn
from kakushi.dress.rays import Rays
from kakushi.dress.shows import Showing
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.parts import PartBalloons
from kakushi.packing.frames import Frames

_PRESSED = 0.97
"""Spacing of neighbours in a closed ring, as a share of their diameter: they press lightly."""
_PROBES = 8
"""Directions in which the distance of a ring's balloon from the pole is measured."""
MOST_IN_RING = 60
"""Most balloons of one ring."""
_NOTHING_MM2 = 30.0
"""Area, mm², hidden from all eyes together below which a collar is not worth its balloons."""


@dataclass(frozen=True, slots=True)
class PlacedRing:
    """A ring at the row with that key, `up_mm` above its knot, of `count` balloons; `hidden`: share of what showed."""

    row: int
    up_mm: float
    count: int
    hidden: float


def ring_lines(frames: Frames, row: int, up_mm: float, azimuth: float, count: int) -> list[KnotLine]:
    """Where the balloons of a ring lie: evenly round a row (from 0), `up_mm` along from its knot."""
    lines = (line_round(frames, row, azimuth + 2 * math.pi * k / count, up_mm) for k in range(count))
    return [replace(line, pull=STUCK_ON) for line in lines]


def place_ring(
    balloon: PartBalloons, column: SettledColumn, showing: Showing, cancelled: Cancelled = never
) -> PlacedRing | None:
    """The ring of such balloons that hides most; where nothing shows, the one at the foot. None without rows.

    Raises `errors.Cancelled`.
    """
    knots = column.geometry.knots
    if not len(knots):
        return None
    frames = column.geometry.frames
    ups = [-column.rows[0].diameter_mm / 2, *(-frames.rises / 2).tolist()]
    counts = closing_counts(balloon, column, list(enumerate(ups)), cancelled)
    lines = [ring_lines(frames, row, up, 0.0, count) for row, (up, count) in enumerate(zip(ups, counts, strict=True))]
    balloons = _settled(balloon, column, [line for ring in lines for line in ring], cancelled)
    ends = np.cumsum(counts)
    rings = [balloons[end - count : end] for end, count in zip(ends, counts, strict=True)]
    rays = Rays(showing.visible)
    radius = shape_of_balloons((balloon,)).radii[0]
    hides = rays.hidden_by(rings, [np.full(count, radius) for count in counts], cancelled, lambda _: None)
    gains = hides @ rays.weights if len(rays.weights) else np.zeros(len(rings))
    best = int(np.argmax(gains)) if gains.max(initial=0.0) > _NOTHING_MM2 else 0
    whole = float(rays.weights.sum())
    return PlacedRing(column.rows[best].key, ups[best], counts[best], float(gains[best]) / whole if whole else 0.0)


def closing_counts(
    balloon: PartBalloons, column: SettledColumn, places: Sequence[tuple[int, float]], cancelled: Cancelled = never
) -> list[int]:
    """How many balloons close a ring at each place: a row (from 0), and how far along from its knot, mm.

    Neighbours touch. Raises `errors.Cancelled`.
    """
    frames = column.geometry.frames
    lines = [line for row, up in places for line in ring_lines(frames, row, up, 0.0, _PROBES)]
    centres = _settled(balloon, column, lines, cancelled)
    rows = np.repeat([row for row, _ in places], _PROBES)
    out = frames.local(centres, rows).out.reshape(len(places), _PROBES).mean(axis=1)
    half = shape_of_balloons((balloon,)).radii[0] * _PRESSED
    return [int(np.clip(math.pi / math.asin(min(half / each, 1.0)) + 1e-9, 2, MOST_IN_RING)) for each in out.tolist()]


def _settled(balloon: PartBalloons, column: SettledColumn, lines: Sequence[KnotLine], cancelled: Cancelled) -> Floats:
    stop_if(cancelled)
    shape = shape_of_balloons((balloon,))
    settled = settled_clusters(
        lines, [shape] * len(lines), (column.centres, column.radii), column.pole_radius, cancelled
    )
    return np.concatenate([np.zeros((0, 3)), *settled])
