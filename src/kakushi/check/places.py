"""Whether a balloon is there, and how large: its surroundings made up without it, and with it in other sizes.

For each size the pixels about a balloon are given to what they would show: the balloon, those behind it, pole or
ground. Each pixel has a likelihood for what it is given to, and every edge one for lying where something ends.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.check.edge_evidence import EdgeEvidence
from kakushi.check.image import Image
from kakushi.check.light import JudgedColours, SampledBalls
from kakushi.check.model_spheres import ModelSpheres
from kakushi.model.arrays import Floats, Ints
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.sight.expected import POLE, Balls, Window, expected
from kakushi.sight.pinhole import Pose
from kakushi.sight.spheres import NOTHING, sphere_depth

SIZES = (0.0, 0.55, 0.61, 0.67, 0.73, 0.80, 0.87, 0.94, 1.0, 1.06, 1.13, 1.20, 1.27, 1.33, 1.40)
"""Sizes tried, as multiples of the fitted one; 0 is a balloon that is not there."""
_PLANNED_NEAR = (0.92, 1.08)
"""Range of sizes that pass as the planned one, as multiples of it."""
_PIXELS_TO_ONE = 30.0
"""Pixels that count as one observation: neighbours are not independent."""
_FREEDOM = 3.0
"""Degrees of freedom of Student's t, so that single odd pixels do not decide."""
_SKIN_SPREAD, _LIGHT_SPREAD = 0.16, 0.55
"""Standard deviations of colour ratios and of brightness over one skin, logarithms."""
_MIXED = 1.1
"""Standard deviation of one colour ratio per median distance of the pixels from their middle in both."""
_UNIFORM = 0.04
"""Density of an unknown colour in the plane of colour ratios."""
_BINS, _RANGE = 28, 2.8
"""Cells of the histogram of the ground along each axis, and the colour ratio (logarithm) it reaches to."""
_HANGS_IN = (1.0, 0.5)
"""Share of its extra radius by which a larger balloon stands farther from the pole: on the same neck, or pressed in."""
_TO_THE_SIDE = 0.15
"""Visible share of that shift below which only one place is tried: head-on, both look the same."""
_TWO_FAULTS = 60.0
"""Extra evidence (log-likelihood, summed over pixels) for another size and another colour: two faults are rare."""


Front = tuple[tuple[slice, slice], NDArray[np.bool_]]
"""A part of a picture (lines, columns), and the pixels in it where something shows."""


@dataclass(frozen=True, slots=True, eq=False)
class PlaceEvidence:
    """For each ball (n,): log-likelihood of every one of SIZES over the planned, NaN where it was not looked at.

    `rough` (n,): how strong edges are inside it; `revealed` (n,): and where things end that it should hide; 0 to 1.
    `explained` (n,): log-likelihood of its pixels, on average, in the likeliest size or without it.
    """

    gains: Floats
    rough: Floats
    revealed: Floats
    explained: Floats

    def best(self, low: float, high: float) -> Floats:
        """Log-likelihood ratio of the best size from `low` to `high` to the best about the planned one, (n,)."""
        return np.asarray(self._most(low, high) - self._most(*_PLANNED_NEAR))

    @property
    def size(self) -> Floats:
        """The likeliest size among those that are clearly not the planned one, as a multiple of it, (n,)."""
        sizes = np.array(SIZES)
        other = (sizes > 0) & ((sizes < _PLANNED_NEAR[0]) | (sizes > _PLANNED_NEAR[1]))
        filled = np.where(np.isfinite(self.gains[:, other]), self.gains[:, other], -np.inf)
        return np.asarray(sizes[other][filled.argmax(axis=1)])

    @property
    def other_size(self) -> Floats:
        """Log-likelihood ratio of the best other size to the best about the planned one, (n,)."""
        low, high = _PLANNED_NEAR
        smaller, larger = self.best(SIZES[1], low), self.best(high, SIZES[-1])
        return np.asarray(np.fmax(smaller, larger))

    def _most(self, low: float, high: float) -> Floats:
        sizes = np.array(SIZES)
        return np.asarray(self.gains[:, (sizes >= low) & (sizes <= high)].max(axis=1))


@dataclass(frozen=True, slots=True, eq=False)
class Looks:
    """Colour ratios and brightness of each ball as it is (n, 3), as `planned`, and of the pole; of `ground` a density.

    `spread` (n,): of colour ratios over each ball's skin.
    """

    balls: Floats
    planned: Floats
    spread: Floats
    pole: Floats
    ground: NDArray[np.float64]


def looks_of(
    image: Image,
    window: Window,
    identity: NDArray[np.int32],
    sample: SampledBalls,
    judged: JudgedColours,
    model: ModelSpheres,
) -> Looks:
    """Gather colours of all that is in a photograph: of balloons as sampled where they fit, else as computed."""
    usual = judged.means[judged.seen].copy()
    offsets = np.column_stack([sample.red, sample.blue, sample.light]) - usual
    # What is not as planned may be what is seen behind a balloon that is not there.
    planned = judged.seen == model.colours
    fits = sample.known & planned & (np.abs(offsets[:, :2]).max(axis=1) < 0.5) & (sample.mixed < 0.3)
    light = float(np.median(offsets[fits, 2])) if fits.any() else 0.0
    balls = np.where(fits[:, None], usual + offsets, usual + np.array([0.0, 0.0, light]))
    # Dark and deep colours scatter more from pixel to pixel.
    mixed = np.array(
        [
            np.median(sample.mixed[fits & (model.colours == k)]) if (fits & (model.colours == k)).any() else 0.0
            for k in range(len(model.palette))
        ]
    )
    spread = np.maximum(_SKIN_SPREAD, _MIXED * mixed)[judged.seen]
    lines, columns = window.slices
    empty = (identity == NOTHING) & image.clear[lines, columns]
    ground, _, _ = np.histogram2d(
        np.clip(image.red[lines, columns][empty], -_RANGE, _RANGE),
        np.clip(image.blue[lines, columns][empty], -_RANGE, _RANGE),
        bins=_BINS,
        range=((-_RANGE, _RANGE), (-_RANGE, _RANGE)),
    )
    ground = ground / max(float(ground.sum()), 1.0) / (2 * _RANGE / _BINS) ** 2
    # Grey in this light.
    grey = (
        float(np.median(judged.means[:, 0] - _planned_ratio(model, 0))),
        float(np.median(judged.means[:, 1] - _planned_ratio(model, 2))),
    )
    as_planned = np.where(
        (fits | ~model.is_balloon)[:, None], balls, judged.means[model.colours] + np.array([0.0, 0.0, light])
    )
    return Looks(balls, as_planned, spread, np.array([*grey, float(np.nanmedian(balls[:, 2])) - 0.7]), ground)


def _planned_ratio(model: ModelSpheres, channel: int) -> Floats:
    albedo = np.maximum(model.albedo, 1e-3)
    return np.asarray(np.log(albedo[:, channel]) - np.log(albedo[:, 1]))


def places(
    image: Image,
    pose: Pose,
    balls: Balls,
    looks: Looks,
    which: Ints,
    pole: tuple[Floats, Floats, float] | None,
    hidden: NDArray[np.bool_] | None = None,
    cancelled: Cancelled = never,
) -> PlaceEvidence:
    """Judge the places of the balls in `which`. `hidden` (h, w): something is in front. Raises Cancelled."""
    gains, within = np.full((len(balls.radii), len(SIZES)), np.nan), np.full((len(balls.radii), 3), np.nan)
    circles = pose.circles(balls.local, balls.radii)
    for ball in which.tolist():
        stop_if(cancelled)
        column, line, radius = circles[ball].tolist()
        reach = math.ceil(radius * max(SIZES) * 1.15) + 3
        x0, y0 = max(int(column) - reach, 0), max(int(line) - reach, 0)
        x1, y1 = min(int(column) + reach + 1, image.shape[1]), min(int(line) + reach + 1, image.shape[0])
        if x1 - x0 < 8 or y1 - y0 < 8:
            continue
        window = Window(x0, y0, x1 - x0, y1 - y0)
        gains[ball], within[ball] = _place(image, pose, balls, looks, (ball, radius), window, pole, hidden)
    return PlaceEvidence(gains, *within.T)


def _place(
    image: Image,
    pose: Pose,
    balls: Balls,
    looks: Looks,
    which: tuple[int, float],
    window: Window,
    pole: tuple[Floats, Floats, float] | None,
    hidden: NDArray[np.bool_] | None,
) -> tuple[Floats, tuple[float, float, float]]:
    """Gains of one ball, and what shows within it; `which`: its index and radius, px."""
    ball, radius = which
    near = _near(pose, balls, ball, window)
    part = Balls(balls.local[near], balls.radii[near])
    own_at = int(np.flatnonzero(near == ball)[0])
    without = expected(pose, part, window, pole, np.arange(len(near)) != own_at)
    behind = np.where(without.identity >= 0, near[without.identity], without.identity)
    lines, columns = window.slices
    use = image.clear[lines, columns].copy()
    if hidden is not None:
        use &= ~hidden[lines, columns]
    ends = EdgeEvidence(image.edges[lines, columns], behind, use, radius)
    seen = _seen(image, window, looks)
    spread = np.where(behind >= 0, looks.spread[np.maximum(behind, 0)], 2 * _SKIN_SPREAD)
    rest = _likely(seen, _means(behind.ravel(), looks).reshape(*behind.shape, 3), spread, behind == NOTHING)
    # In its planned colour or in the one that is seen; what has another size has the planned colour.
    own = np.where(use, _likely(seen, looks.planned[ball], float(looks.spread[ball])) - rest, 0.0)
    as_seen = own
    if (looks.planned[ball] != looks.balls[ball]).any():
        as_seen = np.where(use, _likely(seen, looks.balls[ball], float(looks.spread[ball])) - rest, 0.0)
    hypotheses = _Hypotheses(pose, window, without.depth)
    costs = np.full(len(SIZES), ends.rest)
    planned_front = hypotheses.front(balls.local[ball], float(balls.radii[ball]))
    # What its disc shows in the likeliest of all sizes.
    shown, alone = _within(planned_front, window) & use, np.where(use, rest, 0.0)
    explained = alone
    best = ends.rest
    for index, size in enumerate(SIZES[1:], 1):
        costs[index] = -np.inf
        for middle, size_mm in _resized(balls, pose, ball, size):
            front = hypotheses.front(middle, size_mm)
            area, mask = front
            planned = float(own[area][mask].sum())
            other = planned if as_seen is own else float(as_seen[area][mask].sum())
            other -= 0.0 if size == 1.0 else _TWO_FAULTS
            told = max(planned, other) / _PIXELS_TO_ONE + ends.with_front(*front)
            costs[index] = max(costs[index], told)
            if told > best:
                best, explained = told, alone.copy()
                explained[area] += np.where(mask, (own if planned >= other else as_seen)[area], 0.0)
    usual = float(explained[shown].mean()) if shown.any() else 0.0
    return costs - costs[SIZES.index(1.0)], (*ends.within(_within(planned_front, window)), usual)


@dataclass(frozen=True, slots=True, eq=False)
class _WindowColours:
    """Colour ratios and brightness of the pixels of a window, (h, w); how likely each is something of the ground."""

    red: NDArray[np.float32]
    blue: NDArray[np.float32]
    light: NDArray[np.float32]
    ground: Floats


def _seen(image: Image, window: Window, looks: Looks) -> _WindowColours:
    red, blue, light = (channel[window.slices] for channel in (image.red, image.blue, image.light))
    cell = [np.clip(((each + _RANGE) / (2 * _RANGE) * _BINS).astype(int), 0, _BINS - 1) for each in (red, blue)]
    return _WindowColours(red, blue, light, 0.35 * (0.7 * looks.ground[cell[0], cell[1]] + 0.3 * _UNIFORM))


class _Hypotheses:
    """Tries a ball in a window in front of what is there at depth `deep`, (h, w) mm."""

    def __init__(self, pose: Pose, window: Window, deep: NDArray[np.float32]) -> None:
        self._pose, self._window, self._deep = pose, window, deep
        x = window.left + np.arange(window.width) + 0.5 - pose.middle[0]
        y = window.top + np.arange(window.height) + 0.5 - pose.middle[1]
        self._x, self._y = (x / pose.focal).astype(np.float32), (y / pose.focal).astype(np.float32)

    def front(self, middle: Floats, radius: float) -> Front:
        """The part of the window around a balloon of `radius` (px), and a mask of the pixels where it shows."""
        column, line, px = self._pose.circles(middle[None], np.array([radius]))[0].tolist()
        reach = 1.12 * px + 2
        x0, x1 = (int(np.clip(column + side * reach - self._window.left, 0, self._window.width)) for side in (-1, 1))
        y0, y1 = (int(np.clip(line + side * reach - self._window.top, 0, self._window.height)) for side in (-1, 1))
        area = np.s_[y0:y1, x0:x1]
        return area, sphere_depth(self._x[x0:x1], self._y[y0:y1], middle, radius)[0] < self._deep[area]


def _within(front: Front, window: Window) -> NDArray[np.bool_]:
    """The pixels of the whole window where a ball shows."""
    inside = np.zeros((window.height, window.width), dtype=bool)
    inside[front[0]] = front[1]
    return inside


def _near(pose: Pose, balls: Balls, ball: int, window: Window) -> Ints:
    circles = pose.circles(balls.local, balls.radii)
    reach = 1.15 * circles[:, 2] + 2
    there = (circles[:, 0] + reach > window.left) & (circles[:, 0] - reach < window.left + window.width)
    there &= (circles[:, 1] + reach > window.top) & (circles[:, 1] - reach < window.top + window.height)
    there[ball] = True
    return np.flatnonzero(there)


def _resized(balls: Balls, pose: Pose, ball: int, size: float) -> list[tuple[Floats, float]]:
    """Places where a ball of another size may hang, with its radius, mm; only one where all look the same."""
    radius = float(balls.radii[ball])
    middle = balls.local[ball]
    if size == 1.0:
        return [(middle, radius)]
    axis = pose.local(np.array([[0.0, 0.0, 0.0]]))[0]
    up = pose.turn[:, 2]
    away = middle - axis
    away = away - (away @ up) * up
    long = float(np.linalg.norm(away))
    out = away / long if long > 1 else np.zeros(3)
    aside = out - (out @ middle) / (middle @ middle) * middle
    hangs = _HANGS_IN if float(np.linalg.norm(aside)) > _TO_THE_SIDE else _HANGS_IN[:1]
    return [(middle + out * (size - 1) * radius * hangs_in, radius * size) for hangs_in in hangs]


def _means(labels: NDArray[np.int64], looks: Looks) -> Floats:
    """Expected look of labelled pixels, (k, 3); the ground has none of its own."""
    means = np.full((len(labels), 3), np.nan)
    there = labels >= 0
    means[there] = looks.balls[labels[there]]
    means[labels == POLE] = looks.pole
    return np.where(np.isfinite(means), means, looks.pole)


def _likely(
    seen: _WindowColours, means: Floats, spread: Floats | float, is_ground: NDArray[np.bool_] | None = None
) -> Floats:
    """Log-likelihood of each pixel, (h, w), under something that looks like `means` with a `spread`."""
    colour = 1 + ((seen.red - means[..., 0]) ** 2 + (seen.blue - means[..., 1]) ** 2) / (_FREEDOM * spread**2)
    # Student's t of two values and of one, with three degrees of freedom.
    density = 1 / (colour * colour * np.sqrt(colour) * (2 * np.pi * spread**2))
    dim = 1 + ((seen.light - means[..., 2]) / _LIGHT_SPREAD) ** 2 / _FREEDOM
    # What lies deeper is darker: brightness says less than colour.
    shaded = 0.37 / (dim * dim * _LIGHT_SPREAD)
    likelihood = (0.94 * density + 0.06 * _UNIFORM) * (0.9 * shaded + 0.035)
    if is_ground is not None:
        likelihood = np.where(is_ground, seen.ground, likelihood)
    return np.asarray(np.log(np.maximum(likelihood, 1e-9)))
