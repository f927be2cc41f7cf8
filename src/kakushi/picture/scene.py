"""A piece as a picture: what to draw of a piece's plan, and how."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from kakushi.model.frame import Frame
from kakushi.packing.stack import Geometry
from kakushi.picture.paint import Paint
from kakushi.picture.shading import shade
from kakushi.sight.buffers import Buffers, Pole, draw_buffers
from kakushi.sight.view import View, framing

POLE_SPARE_MM = 10.0
"""Length of pole drawn above the last knot where none is chosen, mm."""


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
    return buffers, shaded(geometry, buffers, paints, lit)


def shaded(geometry: Geometry, buffers: Buffers, paints: Sequence[Paint], lit: Sequence[int] = ()) -> NDArray[np.uint8]:
    """RGBA picture (height, width, 4) of the drawn balloons of a geometry; clear ones show what is behind them."""
    picture = shade(buffers, paints, lit)
    clear = np.array([paint.finish.is_clear for paint in paints], dtype=bool)
    if not clear.any():
        return picture
    numbers = np.cumsum(~clear) - 1
    behind = draw_buffers(geometry.only(~clear), buffers.view, buffers.pole)
    rest = [paint for paint, through in zip(paints, clear, strict=True) if not through]
    under = shade(behind, rest, [int(numbers[index]) for index in lit if not clear[index]])
    seen_clear = np.append(clear, [False])[np.where(buffers.identity >= 0, buffers.identity, len(clear))]
    over, back = picture[seen_clear].astype(np.float32), under[seen_clear].astype(np.float32)
    alpha = over[:, 3:] / 255
    whole = alpha + (1 - alpha) * back[:, 3:] / 255
    mixed = over[:, :3] * alpha + back[:, :3] * (back[:, 3:] / 255) * (1 - alpha)
    picture[seen_clear, :3] = np.rint(mixed / np.maximum(whole, 1e-6))
    picture[seen_clear, 3] = np.rint(whole[:, 0] * 255)
    return picture


_QUIET = 0.4
"""Opacity of balloons in the background: their colour can still be told, and the others stand out at two metres."""


def quieted(picture: NDArray[np.uint8], identity: NDArray[np.int32], kept: Sequence[int]) -> NDArray[np.uint8]:
    """An RGBA picture (h, w, 4) in which only some balloons keep their full colour; as it is where none are named.

    `identity` (h, w): the balloon that each pixel shows, negative where it shows none.
    """
    if not len(kept):
        return picture
    faint = (identity >= 0) & ~np.isin(identity, kept)
    quiet = picture.copy()
    quiet[faint, 3] = np.rint(quiet[faint, 3] * _QUIET)
    return quiet


def in_perspective(geometry: Geometry, azimuth: float, away_mm: float, eye_mm: float) -> Geometry:
    """Balloons moved and scaled as an eye sees them that stands `away_mm` off at that azimuth, `eye_mm` high.

    What stands at the centreline keeps its place and size. Balls stay balls, which is true within a fiftieth of their
    width up to 15° off the middle of what is looked at. Raises ValueError for an eye among the balloons.
    """
    c, s = np.cos(azimuth), np.sin(azimuth)
    x, y, z = geometry.centres.T
    across, deep = x * c + y * s, y * c - x * s
    if len(deep) and float((deep - geometry.shape_radii).min()) <= -away_mm:
        raise ValueError("the eye stands among the balloons")
    scale = away_mm / (away_mm + deep)
    across = across * scale
    return replace(
        geometry,
        centres=np.stack([across * c - deep * s, across * s + deep * c, eye_mm + (z - eye_mm) * scale], axis=1),
        radii=geometry.radii * scale,
        shape_radii=geometry.shape_radii * scale,
    )


def portrait_view(geometry: Geometry, frame: Frame, width: int, height: int, azimuth: float = 0.0) -> View:
    """The view that a portrait of that size is drawn in."""
    wide, tall = extent_of(geometry)
    pole = pole_of(frame, geometry)
    return framing(width, height, wide, max(tall, pole.top if pole else 0.0), azimuth)


def portrait(
    geometry: Geometry, frame: Frame, paints: Sequence[Paint], width: int, height: int, azimuth: float = 0.0
) -> NDArray[np.uint8]:
    """Shaded RGBA picture of a whole piece, (height, width, 4), framed to fit, with its shadow on the floor."""
    view = portrait_view(geometry, frame, width, height, azimuth)
    return with_shadow(draw_piece(geometry, frame, paints, view)[1], geometry, view)


def with_shadow(picture: NDArray[np.uint8], geometry: Geometry, view: View) -> NDArray[np.uint8]:
    """Add the soft shadow of what is near the floor behind everything drawn; the picture (height, width, 4) is changed.

    The floor is looked at level, so the shadow is an ellipse a tenth as deep as wide, drawn by eye.
    """
    lows = geometry.centres[:, 2] - geometry.shape_radii
    near = np.flatnonzero(lows < _NEAR_FLOOR_MM)
    if not len(near):
        return picture
    placed = view.project(geometry.centres[near])
    radii = geometry.shape_radii[near] / view.mm_per_px
    left, right = float((placed[:, 0] - radii).min()), float((placed[:, 0] + radii).max())
    half, middle, floor = (right - left) / 2 * 1.06, (left + right) / 2, view.y_px(0.0)
    deep = half * _DEEP
    first, last = max(int(floor - 2 * deep), 0), min(int(floor + 2 * deep) + 1, view.height)
    if first >= last or half < 1:
        return picture
    y, x = np.mgrid[first:last, 0 : view.width]
    away = ((x + 0.5 - middle) / half) ** 2 + ((y + 0.5 - floor) / deep) ** 2
    shadow = _DARK * np.exp(-1.6 * away)
    part = picture[first:last].astype(np.float64)
    alpha = part[..., 3] / 255
    whole = alpha + (1 - alpha) * shadow
    # Black behind what is there: only where something is seen through does it darken.
    kept = np.divide(alpha, whole, out=np.zeros_like(whole), where=whole > 0)
    part[..., :3] *= kept[..., None]
    part[..., 3] = whole * 255
    picture[first:last] = np.rint(part).astype(np.uint8)
    return picture


_NEAR_FLOOR_MM = 120.0
"""What hangs higher throws a shadow too faint and broad to draw."""
_DEEP, _DARK = 0.10, 0.34
"""Depth of the shadow's ellipse over its half width, and its darkness in the middle."""
