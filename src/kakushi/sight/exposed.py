"""How much of a piece the wind meets: the area of its silhouette, from several sides, at every step of the build."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.sight.buffers import Pole
from kakushi.sight.view import View

PIXEL_MM = 5.0
"""Side of the pixels that silhouettes are measured with, mm."""
_LATE = np.iinfo(np.int32).max


@dataclass(frozen=True, slots=True, eq=False)
class Silhouettes:
    """Per side and step: area (mm²) and moment about the floor (mm³), arrays (sides, steps)."""

    azimuths: tuple[float, ...]
    area: Floats
    moment: Floats


def silhouettes(
    *,
    centres: Floats,
    radii: Floats,
    step_of: NDArray[np.int32],
    steps: int,
    pole: Pole | None,
    azimuths: Sequence[float],
    pixel: float = PIXEL_MM,
    cancelled: Cancelled = never,
) -> Silhouettes:
    """Silhouettes of balloons (n, 3), (n,) mm that are put on at `step_of` (0 first); the pole stands from step 0.

    At step s everything with step_of <= s is there. What overlaps counts once. Raises `errors.Cancelled`.
    """
    areas, moments = np.zeros((len(azimuths), steps)), np.zeros((len(azimuths), steps))
    for side, azimuth in enumerate(azimuths):
        stop_if(cancelled)
        areas[side], moments[side] = _one_side(
            centres=centres, radii=radii, step_of=step_of, steps=steps, pole=pole, azimuth=azimuth, pixel=pixel
        )
    return Silhouettes(tuple(azimuths), areas, moments)


def _one_side(
    *,
    centres: Floats,
    radii: Floats,
    step_of: NDArray[np.int32],
    steps: int,
    pole: Pole | None,
    azimuth: float,
    pixel: float,
) -> tuple[Floats, Floats]:
    reach = float(np.hypot(centres[:, 0], centres[:, 1]).max(initial=0.0) + radii.max(initial=0.0))
    reach = max(reach, pole.radius if pole else 0.0) + pixel
    top = max(float((centres[:, 2] + radii).max(initial=0.0)), pole.top if pole else 0.0) + pixel
    bottom = min(float((centres[:, 2] - radii).min(initial=0.0)), pole.bottom if pole else 0.0) - pixel
    view = View(int(2 * reach / pixel) + 1, int((top - bottom) / pixel) + 1, pixel, -reach, top, azimuth)
    first = _first_steps(centres, radii, step_of, view)
    heights = view.top - (np.arange(view.height) + 0.5) * pixel
    area, moment = np.zeros(steps), np.zeros(steps)
    seen = first < _LATE
    np.add.at(area, first[seen], 1.0)
    np.add.at(moment, first[seen], np.broadcast_to(heights[:, None], first.shape)[seen])
    area, moment = np.cumsum(area) * pixel**2, np.cumsum(moment) * pixel**2
    if pole is not None:
        bare, bare_moment = _bare_pole(first, steps, view, pole)
        area += bare
        moment += bare_moment
    return area, moment


def _first_steps(centres: Floats, radii: Floats, step_of: NDArray[np.int32], view: View) -> NDArray[np.int32]:
    """The step at which every pixel is first covered."""
    first = np.full((view.height, view.width), _LATE, dtype=np.int32)
    placed = view.project(centres)
    for (x, y, _), radius, step in zip(placed, radii / view.mm_per_px, step_of, strict=True):
        x0, x1, y0, y1 = int(x - radius), int(x + radius) + 2, max(int(y - radius), 0), int(y + radius) + 2
        dx, dy = np.arange(x0, x1) + 0.5 - x, np.arange(y0, min(y1, view.height)) + 0.5 - y
        area = first[y0:y1, x0:x1]
        inside = dx[None, :] ** 2 + dy[:, None] ** 2 < radius**2
        np.minimum(area, step, out=area, where=inside)
    return first


def _bare_pole(first: NDArray[np.int32], steps: int, view: View, pole: Pole) -> tuple[Floats, Floats]:
    """Area of pole not hidden by balloons, mm², and its moment about the floor, mm³, (steps,) each.

    Parts of pixels count as such.
    """
    pixel = view.mm_per_px
    lefts = view.left + np.arange(view.width) * pixel
    across = np.clip(np.minimum(lefts + pixel, pole.radius) - np.maximum(lefts, -pole.radius), 0.0, None)
    tops = view.top - np.arange(view.height) * pixel
    along = np.clip(np.minimum(tops, pole.top) - np.maximum(tops - pixel, pole.bottom), 0.0, None)
    columns = np.flatnonzero(across)
    areas = along[:, None] * across[columns]
    moments = areas * (tops - pixel / 2)[:, None]
    # A pixel is bare until the step that first covers it.
    covered = np.minimum(first[:, columns], steps).ravel()
    bare = [
        each.sum() - np.cumsum(np.bincount(covered, each.ravel(), minlength=steps + 1))[:steps]
        for each in (areas, moments)
    ]
    return bare[0], bare[1]
