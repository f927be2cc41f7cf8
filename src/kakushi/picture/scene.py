"""A piece as a picture: what to draw of a piece's plan, and how."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kakushi.model.frame import Frame
from kakushi.packing.stack import Geometry
from kakushi.picture.buffers import Buffers, Pole, draw_buffers
from kakushi.picture.shading import Paint, shade
from kakushi.picture.view import View, framing

POLE_SPARE_MM = 10.0


def pole_of(frame: Frame, geometry: Geometry) -> Pole | None:
    """The pole to draw: to its own length, or hidden just under the top of the last row's knot."""
    if frame.kind != "pole" or frame.pole_diameter_mm <= 0:
        return None
    length = frame.pole_length_mm
    top = (
        length if length is not None else (float(geometry.knots.max()) + POLE_SPARE_MM if len(geometry.frames) else 0.0)
    )
    return Pole(frame.pole_diameter_mm / 2, 0.0, top) if top > 0 else None


def extent_of(geometry: Geometry) -> tuple[float, float]:
    """Width (all round) and height from the floor of a geometry, mm; at least 100 each."""
    if not len(geometry.radii):
        return 100.0, 100.0
    out = np.hypot(geometry.centres[:, 0], geometry.centres[:, 1]) + geometry.shape_radii
    return max(2 * float(out.max()), 100.0), max(geometry.top, 100.0)


def draw_piece(
    geometry: Geometry, frame: Frame, paints: Sequence[Paint], view: View, lit: Sequence[int] = ()
) -> tuple[Buffers, NDArray[np.uint8]]:
    """Buffers and shaded RGBA picture (height, width, 4) of a piece in a view."""
    buffers = draw_buffers(geometry, view, pole_of(frame, geometry))
    return buffers, shade(buffers, paints, lit)


def portrait_view(geometry: Geometry, frame: Frame, width: int, height: int, azimuth: float = 0.0) -> View:
    """The view that a portrait of that size is drawn in."""
    wide, tall = extent_of(geometry)
    pole = pole_of(frame, geometry)
    return framing(width, height, wide, max(tall, pole.top if pole else 0.0), azimuth)


def portrait(
    geometry: Geometry, frame: Frame, paints: Sequence[Paint], width: int, height: int, azimuth: float = 0.0
) -> NDArray[np.uint8]:
    """Shaded RGBA picture of a whole piece, (height, width, 4), framed to fit."""
    return draw_piece(geometry, frame, paints, portrait_view(geometry, frame, width, height, azimuth))[1]
