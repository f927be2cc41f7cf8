"""Which rows face the viewer with the middle of a balloon."""

from __future__ import annotations

import math

import numpy as np

from kakushi.colour.surface import Surface

FACING = math.radians(8)
"""Angle, radians, up to which a balloon faces the viewer: hardly visible from two metres."""


def rows_facing(surface: Surface, angle: float = 0.0) -> tuple[int, ...]:
    """Rows (from 0) with a balloon whose middle faces an angle from the front; quads do every second row."""
    near = np.abs(np.angle(np.exp(1j * (surface.angles - angle)))) <= FACING
    return tuple(np.unique(surface.row_of[near]).tolist())
