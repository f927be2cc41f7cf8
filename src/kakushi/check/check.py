"""The check itself: pose, light, colours, places, lean and rows, and what is wrong with them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from kakushi.check.alignment import RIM_REACH, aligned, for_rims
from kakushi.check.evidence import agreement, confidence, evidence_of, sampled_photo
from kakushi.check.image import Pixels, image_of
from kakushi.check.locate import proposed_ends
from kakushi.check.mismatch import mismatch_of, rows_moved
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.pose import Fitted, Search, apart, for_pose
from kakushi.check.request import CheckRequest
from kakushi.check.result import result_of
from kakushi.check.rims import fitted_to_rims
from kakushi.check.values import PartsOff, Phase, Refusal, Result
from kakushi.model.memo import Cancelled, never
from kakushi.sight.pinhole import Pose

_COARSE_PX, _RIM_PX = 170.0, 450.0
"""Height of the piece, px, in the picture that is searched for a pose, and in the one fitted to rims."""
_ROUNDS, _FINER = 60, 2
"""Evaluations of the simplex (enough for a pose within a few degrees), and how many poses it starts from."""
_ALIKE = 0.058
"""Difference in cost below which two poses look the same. An azimuth nobody expected costs 0.048 by itself."""
_SUSPECT = 0.80
"""Confidence below which other row counts, the mirror image and another piece are considered."""
_OFF_ROWS, _AGREE_PLAIN = 0.33, 0.88
"""Distance of foot or top from its mark, in rows, above which they are considered too; and the share of balloons in
their planned colour below which they are."""
_BETTER = 0.1
"""Confidence that a piece without its parts must have more than the whole one to be taken for what is there."""
_REFUSED_BELOW = 0.25
"""Confidence below which nothing is judged."""


def check_photo(
    model: ModelSpheres,
    linear: Pixels,
    request: CheckRequest,
    on_pose: Callable[[Pose], None] = lambda _: None,
    cancelled: Cancelled = never,
    on_phase: Callable[[Phase], None] = lambda _: None,
) -> Result:
    """Check a photograph in linear light (h, w, 3) against a model; `on_pose` hears of the first pose.

    Where the whole piece does not fit, it is tried without what stands on top, and without any parts: photographs are
    taken before they are on. Raises Cancelled.
    """
    best = _checked(model, linear, request, on_pose, cancelled, on_phase)
    rows = model.without_parts()
    tried = [len(model)]
    for smaller, note in ((model.without_topper(), PartsOff(all=False)), (rows, PartsOff(all=True))):
        if len(smaller) in tried or (not best.refused and best.confidence >= _SUSPECT):
            continue
        tried.append(len(smaller))
        ends = request.ends if request.ends_told else proposed_ends(linear, smaller, cancelled)
        again = replace(request, ends=replace(ends, top_mm=smaller.top_mm))
        result = _checked(smaller, linear, again, on_pose, cancelled, on_phase)
        if not result.refused and (best.refused or result.confidence > best.confidence + _BETTER):
            best = replace(result, notes=(*result.notes, note))
    return best


def _checked(
    model: ModelSpheres,
    linear: Pixels,
    request: CheckRequest,
    on_pose: Callable[[Pose], None],
    cancelled: Cancelled,
    on_phase: Callable[[Phase], None],
) -> Result:
    """Check a photograph against a model of just what should be in it."""
    on_phase(Phase.POSE)
    fits = poses(model, linear, request, on_pose, cancelled)
    if not fits:
        return refused(request, linear, Refusal("marks"))
    best = fits[0]
    azimuths = tuple(each.pose.azimuth for each in fits[1:] if each.cost < best.cost + _ALIKE)
    on_phase(Phase.COLOURS)
    photo = aligned(model, linear, request, best, cancelled)
    seen = sampled_photo(model, photo, request.hidden)
    sure = confidence(model, photo, seen)
    off_count = sure < _SUSPECT or rows_moved(model, request, photo.ends) > _OFF_ROWS
    if off_count or agreement(model, photo, seen) < _AGREE_PLAIN:
        on_phase(Phase.OTHERS)
        # Rows too many or too few do not go on straight where a path bends.
        mismatch = mismatch_of(model, linear, request, cancelled, rows=off_count and not model.is_bent)
        if mismatch:
            return replace(refused(request, linear, mismatch), pose=best.pose, confidence=sure)
    if sure < _REFUSED_BELOW:
        return replace(refused(request, linear, Refusal("other piece")), pose=best.pose, confidence=sure)
    on_phase(Phase.BALLOONS)
    evidence = evidence_of(model, photo, seen, cancelled)
    return result_of(model, photo, evidence, request, sure, azimuths)


def refused(request: CheckRequest, linear: Pixels, why: Refusal) -> Result:
    """An empty result that says why the photograph, linear (height, width, 3), was refused."""
    height, width = linear.shape[:2]
    pose = Pose(
        0.0, 4000.0, 1500.0, float(height), (width / 2, height / 2), np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
    )
    return Result(pose, 0.0, request.ends.foot, request.ends.top, 0.0, (), None, (), (), (), refused=why)


def poses(
    model: ModelSpheres, linear: Pixels, request: CheckRequest, on_pose: Callable[[Pose], None], cancelled: Cancelled
) -> list[Fitted]:
    """Find the best poses, best first, in pixels of the photograph, linear (height, width, 3)."""
    thing = for_pose(model)
    coarse, rim = (min(px / max(request.ends.long_px, 1.0), 1.0) for px in (_COARSE_PX, _RIM_PX))
    search = Search(image_of(linear, coarse), thing, request.prior, is_quick=True)
    poses_found = search.coarse(request.ends.scaled(coarse), cancelled)
    if not poses_found:
        return []
    on_pose(poses_found[0].pose.scaled(1 / coarse))
    finer = [search.finer(each, _ROUNDS, 1.5, cancelled) for each in poses_found[:_FINER]]
    finer += [each for each in poses_found[_FINER:] if each.cost < poses_found[0].cost + 0.08]
    fine = Search(image_of(linear, rim), for_rims(model), request.prior)
    by = rim / coarse
    fits = []
    for each in finer:
        start = fine.judged(each.pose.scaled(by), each.ends.scaled(by))
        fits.append(fitted_to_rims(fine, start, RIM_REACH, cancelled))
    return [replace(each, pose=each.pose.scaled(1 / rim), ends=each.ends.scaled(1 / rim)) for each in apart(fits)]
