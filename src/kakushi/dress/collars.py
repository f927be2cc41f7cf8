"""Where a ring of small balloons hides most of what shows, and how many balloons close it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.dress.clusters import STUCK_ON, KnotLine, settled_clusters, shape_of_balloons
from kakushi.dress.placing import SettledColumn
from kakushi.dress.rays import Rays
from kakushi.dress.shows import Showing
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.parts import PartBalloons

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


def ring_lines(azimuth: float, height: float, count: int) -> list[KnotLine]:
    """Where the balloons of a ring lie: evenly round the pole."""
    return [KnotLine(azimuth + 2 * math.pi * k / count, height, 0.0, STUCK_ON) for k in range(count)]


def place_ring(
    balloon: PartBalloons, column: SettledColumn, showing: Showing, cancelled: Cancelled = never
) -> PlacedRing | None:
    """The ring of such balloons that hides most; where nothing shows, the one at the foot. None without rows.

    Raises `errors.Cancelled`.
    """
    knots = column.geometry.knots
    if not len(knots):
        return None
    halves = [column.rows[0].diameter_mm / 2, *(np.diff(knots) / 2)]
    heights = [float(knot - half) for knot, half in zip(knots, halves, strict=True)]
    counts = _closing(balloon, column, heights, cancelled)
    lines = [ring_lines(0.0, height, count) for height, count in zip(heights, counts, strict=True)]
    balloons = _settled(balloon, column, [line for ring in lines for line in ring], cancelled)
    ends = np.cumsum(counts)
    rings = [balloons[end - count : end] for end, count in zip(ends, counts, strict=True)]
    rays = Rays(showing.visible)
    radius = shape_of_balloons((balloon,)).radii[0]
    hides = rays.hidden_by(rings, [np.full(count, radius) for count in counts], cancelled, lambda _: None)
    gains = hides @ rays.weights if len(rays.weights) else np.zeros(len(rings))
    best = int(np.argmax(gains)) if gains.max(initial=0.0) > _NOTHING_MM2 else 0
    whole = float(rays.weights.sum())
    up = heights[best] - float(knots[best])
    return PlacedRing(column.rows[best].key, up, counts[best], float(gains[best]) / whole if whole else 0.0)


def _closing(balloon: PartBalloons, column: SettledColumn, heights: Sequence[float], cancelled: Cancelled) -> list[int]:
    """How many balloons close a ring at each height: neighbours touch."""
    lines = [line for height in heights for line in ring_lines(0.0, height, _PROBES)]
    centres = _settled(balloon, column, lines, cancelled)
    out = np.hypot(centres[:, 0], centres[:, 1]).reshape(len(heights), _PROBES).mean(axis=1)
    half = shape_of_balloons((balloon,)).radii[0] * _PRESSED
    return [int(np.clip(math.pi / math.asin(min(half / each, 1.0)) + 1e-9, 2, MOST_IN_RING)) for each in out.tolist()]


def _settled(balloon: PartBalloons, column: SettledColumn, lines: Sequence[KnotLine], cancelled: Cancelled) -> Floats:
    stop_if(cancelled)
    shape = shape_of_balloons((balloon,))
    settled = settled_clusters(
        lines, [shape] * len(lines), (column.centres, column.radii), column.pole_radius, cancelled
    )
    return np.concatenate([np.zeros((0, 3)), *settled])
