"""The check itself: pose, light, colours, places, lean and rows, and what is wrong with them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from kakushi.check.image import Pixels, image_of
from kakushi.check.looked import RIM_REACH, Looked, for_rims
from kakushi.check.pinhole import Pose
from kakushi.check.pose import Fitted, Search, apart, for_pose
from kakushi.check.rims import fitted_to_rims
from kakushi.check.subject import Subject
from kakushi.check.values import Refusal, Result
from kakushi.check.variants import other_piece, rows_moved
from kakushi.check.wish import Wish
from kakushi.model.memo import Cancelled, never

_COARSE_PX, _RIM_PX = 170.0, 450.0
"""Height of the piece in the pictures that are searched, and fitted to rims."""
_ROUNDS, _FINER = 60, 2
"""Steps of the simplex, which find a pose within some degrees, and from how many poses it begins."""
_ALIKE = 0.058
"""Poses whose costs differ by less look the same: 0.048 of it is what an azimuth costs that was not told."""
_SUSPECT = 0.80
"""Confidence below which other numbers of rows, the mirror and a wrong piece are thought of."""
_OFF_ROWS, _AGREE_PLAIN = 0.33, 0.88
"""Foot or top so many rows off, and so few balloons in their planned colour, make one think of them too."""
_REFUSED_BELOW = 0.25
"""And below which nothing is judged."""


def check_photo(
    subject: Subject,
    linear: Pixels,
    wish: Wish,
    on_pose: Callable[[Pose], None] = lambda _: None,
    cancelled: Cancelled = never,
) -> Result:
    """Check a photograph in linear light (h, w, 3) against a subject; `on_pose` hears of the first pose.

    Raises Cancelled.
    """
    fits = poses(subject, linear, wish, on_pose, cancelled)
    if not fits:
        return refused(wish, linear, Refusal("marks"))
    best = fits[0]
    azimuths = tuple(each.pose.azimuth for each in fits[1:] if each.cost < best.cost + _ALIKE)
    looked = Looked(subject, linear, wish, best, cancelled)
    confidence = looked.confidence()
    off_count = confidence < _SUSPECT or rows_moved(subject, wish, looked.ends) > _OFF_ROWS
    if off_count or looked.agreement() < _AGREE_PLAIN:
        other = other_piece(subject, linear, wish, cancelled, rows=off_count)
        if other:
            return replace(refused(wish, linear, other), pose=best.pose, confidence=confidence)
    if confidence < _REFUSED_BELOW:
        return replace(refused(wish, linear, Refusal("other piece")), pose=best.pose, confidence=confidence)
    return looked.result(confidence, azimuths, cancelled)


def refused(wish: Wish, linear: Pixels, why: Refusal) -> Result:
    """A result of which only that it was refused counts."""
    height, width = linear.shape[:2]
    pose = Pose(
        0.0, 4000.0, 1500.0, float(height), (width / 2, height / 2), np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
    )
    return Result(pose, 0.0, wish.ends.foot, wish.ends.top, 0.0, (), None, (), (), (), refused=why)


def poses(
    subject: Subject, linear: Pixels, wish: Wish, on_pose: Callable[[Pose], None], cancelled: Cancelled
) -> list[Fitted]:
    """The best poses, best first, in pixels of the photograph."""
    thing = for_pose(subject)
    coarse, rim = (min(px / max(wish.ends.long_px, 1.0), 1.0) for px in (_COARSE_PX, _RIM_PX))
    search = Search(image_of(linear, coarse), thing, wish.told, is_quick=True)
    found = search.coarse(wish.ends.scaled(coarse), cancelled)
    if not found:
        return []
    on_pose(found[0].pose.scaled(1 / coarse))
    finer = [search.finer(each, _ROUNDS, 1.5, cancelled) for each in found[:_FINER]]
    finer += [each for each in found[_FINER:] if each.cost < found[0].cost + 0.08]
    fine = Search(image_of(linear, rim), for_rims(subject), wish.told)
    by = rim / coarse
    fits = []
    for each in finer:
        start = fine.judged(each.pose.scaled(by), each.ends.scaled(by))
        fits.append(fitted_to_rims(fine, start, RIM_REACH, cancelled))
    return [replace(each, pose=each.pose.scaled(1 / rim), ends=each.ends.scaled(1 / rim)) for each in apart(fits)]
