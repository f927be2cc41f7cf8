"""Rims: the pose, and then every balloon, moved to where the photograph has its rims."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.check.image import between
from kakushi.check.pose import Fitted, Search
from kakushi.check.soft_fit import soft_least_squares
from kakushi.model.arrays import Floats, Ints
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.sight.expected import Expected
from kakushi.sight.pinhole import Ends, Pose

_MOST_POINTS = 2400
"""Points on rims that are compared with edges: about 30 per balloon."""
_ROUNDS = 7
"""Steps of the fit; it stops earlier where nothing moves any more."""
_PRIOR = np.array([math.radians(6.0), 0.35, 300.0, 6.0, 6.0, 6.0, 6.0])
"""Prior standard deviations: azimuth (radians), log distance, eye height (mm), and the four coordinates of the ends
(px)."""
_SEEN_FROM = 0.12
"""Strength below which an edge is ignored, 0 to 1."""
_NEAR_PX = 3.0
"""Distance from a rim, px, within which an edge belongs to it."""
_PLACE, _SIZE = 0.10, 0.09
"""Prior standard deviations of a balloon's place and of its size, as shares of its radius."""


@dataclass(frozen=True, slots=True, eq=False)
class _Rims:
    """Points on visible rims, (k,): which ball, where, and which way is outwards, (k, 2)."""

    ball: Ints
    at: Floats
    out: Floats


def fitted_to_rims(search: Search, start: Fitted, reach_px: float, cancelled: Cancelled = never) -> Fitted:
    """Fit the pose so that visible rims lie on edges, from one that is nearly right.

    Edges are looked for `reach_px` to both sides at first, then ever nearer, at last within 3 px.
    """
    pose, ends = start.pose, start.ends
    values = np.array([pose.azimuth, math.log(pose.distance), pose.eye, 0.0, 0.0, 0.0, 0.0])
    begin = values.copy()
    best = start
    for round_ in range(_ROUNDS):
        stop_if(cancelled)
        placed = search.pose(values, ends)
        if placed is None:
            break
        reach = max(reach_px * 0.62**round_, 3.0)
        rims = rims_of(search.shown(placed[0]), search.circles(placed[0]), search.has_rims, search.model.whole)
        if len(rims.ball) < 20:
            break
        residuals, weight = edges_near(search, rims, reach)
        moved = _step(search, values, ends, rims, residuals, weight, reach, (values - begin) / _PRIOR)
        if moved is None:
            break
        values = values + moved
        if search.pose(values, ends) is None:
            break
        if np.abs(moved / _PRIOR).max() < 0.01:
            break
    placed = search.pose(values, ends)
    if placed is not None:
        fitted = search.judged(*placed)
        # Rims may lead astray where everything has one colour; colours then speak against it.
        if fitted.cost < start.cost + 0.05:
            best = fitted
    return best


def rims_of(shown: Expected, circles: Floats, of: NDArray[np.bool_], whole: Ints) -> _Rims:
    """Sample the rims of some balls (n,) where they end before something other than balls of the same `whole` (n,)."""
    identity, depth = shown.identity, shown.depth
    height, width = identity.shape
    whole_of = np.append(whole, [-2, -1])[identity]
    points = []
    for down, across in ((0, 1), (0, -1), (1, 0), (-1, 0)):
        here = np.s_[max(-down, 0) : height - max(down, 0), max(-across, 0) : width - max(across, 0)]
        there = np.s_[max(down, 0) : height + min(down, 0), max(across, 0) : width + min(across, 0)]
        is_rim = (identity[here] >= 0) & (whole_of[here] != whole_of[there]) & (depth[here] < depth[there])
        is_rim &= shown.rim[here] > 0.93
        line, column = np.nonzero(is_rim)
        points.append((line + max(-down, 0), column + max(-across, 0)))
    line, column = (np.concatenate([each[axis] for each in points]) for axis in (0, 1))
    flat = np.unique(line * width + column)
    flat = flat[of[identity.reshape(-1)[flat]]]
    flat = flat[:: max(len(flat) // _MOST_POINTS, 1)]
    line, column = np.divmod(flat, width)
    ball = identity[line, column].astype(np.int64)
    middle = circles[ball]
    away = np.stack([column + shown.window.left + 0.5, line + shown.window.top + 0.5], axis=1) - middle[:, :2]
    out = away / np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-6)
    # Half a pixel out: the last pixel of a ball lies within it.
    return _Rims(ball, middle[:, :2] + away + 0.5 * out, out)


def edges_near(search: Search, rims: _Rims, reach: float) -> tuple[Floats, Floats]:
    """Distance outwards from rims to the nearest strong edge, (k,) px, and its weight, 0 to 1."""
    steps = np.arange(-math.ceil(reach), math.ceil(reach) + 1)
    x = rims.at[:, :1] + rims.out[:, :1] * steps
    y = rims.at[:, 1:] + rims.out[:, 1:] * steps
    strength = between(search.image.edges, x, y) * np.exp(-0.5 * (steps / (0.6 * reach)) ** 2)
    top = strength.argmax(axis=1)
    rows = np.arange(len(top))
    inner = np.clip(top, 1, len(steps) - 2)
    left, mid, right = (strength[rows, inner + k] for k in (-1, 0, 1))
    # A parabola through three values has its top there.
    bend = left - 2 * mid + right
    part = np.where(bend < -1e-6, 0.5 * (left - right) / np.minimum(bend, -1e-6), 0.0)
    offsets = steps[inner] + np.clip(part, -1, 1)
    weight = np.where((strength[rows, top] > _SEEN_FROM) & (top > 0) & (top < len(steps) - 1), strength[rows, top], 0.0)
    return offsets, weight


def _step(
    search: Search,
    values: Floats,
    ends: Ends,
    rims: _Rims,
    residuals: Floats,
    weight: Floats,
    reach: float,
    away: Floats,
) -> Floats | None:
    """How to move the seven values, by least squares with a soft loss."""
    steps = _PRIOR * 0.02
    slopes = []
    for index in range(len(values)):
        sides = []
        for sign in (1.0, -1.0):
            moved = values.copy()
            moved[index] += sign * steps[index]
            placed = search.pose(moved, ends)
            if placed is None:
                return None
            sides.append(search.circles(placed[0])[rims.ball])
        change = (sides[0] - sides[1]) / 2
        slopes.append((change[:, :2] * rims.out).sum(axis=1) + change[:, 2])
    slope = np.stack(slopes, axis=1) / steps * _PRIOR
    spread = max(0.35 * reach, 1.0)
    pull = 2.0 * spread**2
    # Far edges are those of something else.
    prior = np.eye(len(values)) * pull
    return np.asarray(soft_least_squares(slope, residuals, weight, 0.5 * reach, prior, -pull * away) * _PRIOR)


def fitted_balls(search: Search, pose: Pose, reach: float) -> tuple[Floats, Floats]:
    """Fit each ball to its own rim: shift right, down and change of radius, (n, 3) px; points that support it, (n,).

    `reach`: how far off, over a ball's radius, its rim is looked for.
    """
    circles = search.circles(pose)
    shown = search.shown(pose)
    moved = np.zeros((len(circles), 3))
    sure = np.zeros(len(circles))
    rims = rims_of(shown, circles, search.model.is_balloon, search.model.whole)
    if not len(rims.ball):
        return moved, sure
    residuals, weight = edges_near(search, rims, max(reach * float(np.median(circles[rims.ball, 2])), 2.5))
    for ball in np.unique(rims.ball).tolist():
        of_ball = rims.ball == ball
        radius = circles[ball, 2]
        slope = np.column_stack([rims.out[of_ball], np.ones(int(of_ball.sum()))])
        soft = weight[of_ball] / (1 + (residuals[of_ball] / (0.12 * radius)) ** 2)
        # Neighbouring points see the same edge: about one in three counts.
        soft = soft / 3
        spread = max(0.04 * radius, 0.7)
        prior = np.diag([1 / (_PLACE * radius) ** 2, 1 / (_PLACE * radius) ** 2, 1 / (_SIZE * radius) ** 2])
        normal = slope.T @ (slope * soft[:, None]) / spread**2 + prior
        moved[ball] = np.linalg.solve(normal, slope.T @ (soft * residuals[of_ball]) / spread**2)
        sure[ball] = float(soft.sum())
    return moved, sure


def rim_strength(search: Search, shown: Expected, circles: Floats) -> Floats:
    """Mean strength of edges along the visible rims of balls, (n,) 0 to 1; NaN where no rim is seen."""
    strengths = np.full(len(circles), np.nan)
    rims = rims_of(shown, circles, search.model.is_balloon, search.model.whole)
    if len(rims.ball):
        _, weight = edges_near(search, rims, _NEAR_PX)
        points = np.bincount(rims.ball, minlength=len(circles))
        total = np.bincount(rims.ball, weights=weight, minlength=len(circles))
        strengths[points > 0] = total[points > 0] / points[points > 0]
    return strengths
