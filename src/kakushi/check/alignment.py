"""A photograph aligned with the plan: rows and balloons moved to their rims in it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.check.image import Image, Pixels, image_of
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.pose import Fitted, Search, is_large
from kakushi.check.request import CheckRequest
from kakushi.check.rims import fitted_balls, fitted_to_rims, rim_strength
from kakushi.check.shifts import ASIDE, UP, row_shifts, shifted
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled
from kakushi.sight.expected import Balls, Expected, expected, window_of
from kakushi.sight.pinhole import Ends, Pose

JUDGE_PX = 800.0
"""Height of the piece in the picture that is judged, px: finer detail does not tell more, and costs time."""
RIM_REACH, _LAST_REACH = 12.0, 6.0
"""Distance from the expected rims within which edges are looked for, px: in the first fit, and in the last."""
_BALL_REACH = 0.25
"""The same for one balloon by itself, as a share of its radius."""
_THIN_MM = 7.0
"""Radius, mm, up to which stems and ribbons hide too little to count."""
_MARGIN = 0.9
"""Margin of the window about the piece, in radii of its largest balloon: room for balloons larger than planned."""
_OFF_PLACE = 0.10
"""Shift or change of size, as a share of its radius, beyond which a balloon says nothing of the camera."""


@dataclass(frozen=True, slots=True, eq=False)
class AlignedPhoto:
    """A photograph with the balloons of the plan where they are seen in it. Pixels are those of `image`.

    `balls`: as the camera has them where they are seen; `planned` (n, 3): their middles as planned, in the same axes.
    `circles` (n, 3) px: middles and radii. `moved` (n, 3) px: right, down, larger, from the planned circle to the one
    seen; `sure` (n,): points of rims that speak for it. `rims` (n,): strength of edges along them, 0 to 1. `pole`:
    foot, top (3,) and radius, mm. `shown`: what each pixel of a window about the piece shows.
    """

    image: Image
    fitted: Fitted
    planned: Floats
    balls: Balls
    circles: Floats
    moved: Floats
    sure: Floats
    rims: Floats
    pole: tuple[Floats, Floats, float] | None
    shown: Expected

    @property
    def pose(self) -> Pose:
        """The camera, in pixels of the image."""
        return self.fitted.pose

    @property
    def ends(self) -> Ends:
        """Foot and top, px of the photograph."""
        return self.fitted.ends.scaled(1 / self.image.scale)

    @property
    def is_cut(self) -> NDArray[np.bool_]:
        """Balls that the border of the photograph cuts, (n,)."""
        x, y, r = self.circles.T
        height, width = self.image.shape
        return np.asarray((x - 0.7 * r < 0) | (y - 0.7 * r < 0) | (x + 0.7 * r > width) | (y + 0.7 * r > height))

    @property
    def shifts(self) -> Floats:
        """Distance from the planned place to the one seen, over the radius, (n,)."""
        return np.asarray(np.hypot(self.moved[:, 0], self.moved[:, 1]) / np.maximum(self.circles[:, 2], 1.0))


def for_rims(model: ModelSpheres) -> ModelSpheres:
    """Keep what has rims or hides them: boards and toys too, but no stems and ribbons."""
    return model.only(is_large(model) | (model.radii > _THIN_MM))


def aligned(
    model: ModelSpheres, linear: Pixels, request: CheckRequest, fitted: Fitted, cancelled: Cancelled
) -> AlignedPhoto:
    """Align a photograph in linear light (h, w, 3) with a model, from a pose in its pixels. Raises Cancelled."""
    scale = min(JUDGE_PX / max(request.ends.long_px, 1.0), 1.0)
    image = image_of(linear, scale)
    search = Search(image, for_rims(model), request.prior)
    start = search.judged(fitted.pose.scaled(scale), fitted.ends.scaled(scale))
    fitted = fitted_to_rims(search, start, _LAST_REACH, cancelled)
    stands, search, fitted = _with_rows_in_place(model, search, fitted, request.ends.scaled(scale), cancelled)
    # Balloons that lie elsewhere, or are missing, say nothing of the camera.
    moved, sure = fitted_balls(search, fitted.pose, _BALL_REACH)
    residuals = np.abs(moved).max(axis=1) / np.maximum(search.circles(fitted.pose)[:, 2], 1e-6)
    search.has_rims &= (residuals < _OFF_PLACE) & (sure > 0)
    fitted = fitted_to_rims(search, fitted, _LAST_REACH, cancelled)
    return _with_balls_in_place(model, stands, Search(image, stands, request.prior), fitted)


def _with_rows_in_place(
    model: ModelSpheres, search: Search, fitted: Fitted, asked: Ends, cancelled: Cancelled
) -> tuple[ModelSpheres, Search, Fitted]:
    """Move the rows of a model to where they are seen, and fit the pose again; `asked`: the requested ends, px."""
    image, stands = search.image, model
    # Twice upwards: a gap stretches the piece, and foot and top were fitted to that.
    for direction in (UP, UP, ASIDE):
        shifts = row_shifts(search, fitted.pose, direction)
        if not shifts.any():
            continue
        azimuth = fitted.pose.azimuth
        axis = np.array([0.0, 0.0, 1.0]) if direction == UP else np.array([math.cos(azimuth), math.sin(azimuth), 0.0])
        stands = shifted(stands, shifts, axis)
        search = Search(image, for_rims(stands), search.prior)
        # What was fitted to rows out of their places had foot and top elsewhere.
        ends = replace(
            asked if direction == UP else fitted.ends, top_mm=fitted.ends.top_mm + float(shifts[-1] * axis[2])
        )
        again = search.pose(np.array([azimuth, math.log(fitted.pose.distance), fitted.pose.eye, 0, 0, 0, 0]), ends)
        if again is not None:
            fitted = fitted_to_rims(search, search.judged(*again), RIM_REACH, cancelled)
    return stands, search, fitted


def _with_balls_in_place(model: ModelSpheres, stands: ModelSpheres, search: Search, fitted: Fitted) -> AlignedPhoto:
    """Every balloon of a model whose rows are in place moved to its own rim."""
    pose = fitted.pose
    moved, sure = fitted_balls(search, pose, _BALL_REACH)
    planned = pose.local(model.centres)
    mm_per_px = planned[:, 2] / pose.focal
    local = pose.local(stands.centres)
    local[:, :2] += moved[:, :2] * mm_per_px[:, None]
    balls = Balls(local, model.radii + moved[:, 2] * mm_per_px)
    circles = pose.circles(local, balls.radii)
    pole = None
    if model.pole is not None:
        radius, low, high = model.pole
        foot, top = pose.local(np.array([[0.0, 0.0, low], [0.0, 0.0, high]]))
        pole = (foot, top, radius)
    shown = expected(pose, balls, window_of(pose, balls, search.image.shape, _MARGIN), pole)
    rims = rim_strength(search, shown, circles)
    return AlignedPhoto(search.image, fitted, planned, balls, circles, moved, sure, rims, pole, shown)
