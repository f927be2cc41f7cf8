"""Whether a balloon is there, and how large: its surroundings made up without it, and with it in other sizes.

For each size the pixels about a balloon are given to what they would show: the balloon, those behind it, pole or
ground. Each pixel has a likelihood for what it is given to, and every edge one for lying where something ends.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.check.ends import Ends
from kakushi.check.expected import NOTHING, POLE, Balls, Window, ball_depth, expected
from kakushi.check.image import Image
from kakushi.check.light import Judged, Sample
from kakushi.check.pinhole import Pose
from kakushi.check.subject import Subject
from kakushi.model.arrays import Floats, Ints
from kakushi.model.memo import Cancelled, never, stop_if

SIZES = (0.0, 0.55, 0.61, 0.67, 0.73, 0.80, 0.87, 0.94, 1.0, 1.06, 1.13, 1.20, 1.27, 1.33, 1.40)
"""Sizes over the fitted one that are tried; 0 is a balloon that is not there."""
_PLANNED_NEAR = (0.92, 1.08)
"""Sizes that pass as the planned one."""
_PIXELS_TO_ONE = 30.0
"""Neighbouring pixels tell the same: so many count as one."""
_FREEDOM = 3.0
_SKIN_SPREAD, _LIGHT_SPREAD = 0.16, 0.55
"""Spread of colour ratios and brightness over one skin, logarithms."""
_MIXED = 1.1
"""Spread of one colour ratio over the median distance of pixels from their middle in both."""
_UNIFORM = 0.04
"""Density of anything at all in the plane of colour ratios."""
_BINS, _RANGE = 28, 2.8
_HANGS_IN = (1.0, 0.5)
"""A larger balloon stands out from the pole by so much of what its radius has more: on the same neck, or pressed in."""
_TWO_FAULTS = 60.0
"""What pixels must tell more for a balloon of another size that has another colour too."""


@dataclass(frozen=True, slots=True, eq=False)
class Places:
    """For each ball (n,): log-likelihood of every one of SIZES over the planned, NaN where it was not looked at.

    `rough` (n,): how strong edges are inside it; `revealed` (n,): and where things end that it should hide; 0 to 1.
    `explained` (n,): log-likelihood of its pixels, on average, in the likeliest size or without it.
    """

    gains: Floats
    rough: Floats
    revealed: Floats
    explained: Floats

    def best(self, low: float, high: float) -> Floats:
        """How much likelier the likeliest size from `low` to `high` is than the likeliest about the planned, (n,)."""
        return np.asarray(self._most(low, high) - self._most(*_PLANNED_NEAR))

    @property
    def size(self) -> Floats:
        """Its likeliest size over the planned."""
        filled = np.where(np.isfinite(self.gains), self.gains, -np.inf)
        return np.asarray(np.array(SIZES)[1:][filled[:, 1:].argmax(axis=1)])

    @property
    def other_size(self) -> Floats:
        """How much likelier any other size is than about the planned one, logarithm."""
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
    image: Image, window: Window, identity: NDArray[np.int32], sample: Sample, judged: Judged, subject: Subject
) -> Looks:
    """What everything in a photograph looks like: balls as sampled, where they fit a colour; else as computed."""
    usual = judged.means[judged.seen].copy()
    offsets = np.column_stack([sample.red, sample.blue, sample.light]) - usual
    # What is not as planned may be what is seen behind a balloon that is not there.
    planned = judged.seen == subject.colours
    fits = sample.known & planned & (np.abs(offsets[:, :2]).max(axis=1) < 0.5) & (sample.mixed < 0.3)
    light = float(np.median(offsets[fits, 2])) if fits.any() else 0.0
    balls = np.where(fits[:, None], usual + offsets, usual + np.array([0.0, 0.0, light]))
    # Dark and deep colours scatter more from pixel to pixel.
    mixed = np.array(
        [
            np.median(sample.mixed[fits & (subject.colours == k)]) if (fits & (subject.colours == k)).any() else 0.0
            for k in range(len(subject.palette))
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
        float(np.median(judged.means[:, 0] - _planned_ratio(subject, 0))),
        float(np.median(judged.means[:, 1] - _planned_ratio(subject, 2))),
    )
    as_planned = np.where(
        (fits | ~subject.is_balloon)[:, None], balls, judged.means[subject.colours] + np.array([0.0, 0.0, light])
    )
    return Looks(balls, as_planned, spread, np.array([*grey, float(np.nanmedian(balls[:, 2])) - 0.7]), ground)


def _planned_ratio(subject: Subject, channel: int) -> Floats:
    albedo = np.maximum(subject.albedo, 1e-3)
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
) -> Places:
    """Judge the places of some balls. `hidden` (h, w) of the image: something else is in front. Raises Cancelled."""
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
    return Places(gains, *within.T)


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
    """Gains of a ball that has such a radius, px, and what shows within it."""
    ball, radius = which
    near = _near(pose, balls, ball, window)
    part = Balls(balls.local[near], balls.radii[near])
    mine = int(np.flatnonzero(near == ball)[0])
    without = expected(pose, part, window, pole, np.arange(len(near)) != mine)
    behind = np.where(without.identity >= 0, near[without.identity], without.identity)
    lines, columns = window.slices
    use = image.clear[lines, columns].copy()
    if hidden is not None:
        use &= ~hidden[lines, columns]
    ends = Ends(image.edges[lines, columns], behind, use, radius)
    rest = _likely(image, window, _means(behind.ravel(), looks).reshape(*behind.shape, 3), behind, looks)
    # In its planned colour or in the one that is seen; what has another size has the planned colour.
    owns = [
        np.where(
            use,
            _likely(image, window, np.broadcast_to(look, (*behind.shape, 3)), np.full_like(behind, ball), looks) - rest,
            0.0,
        )
        for look in (looks.planned[ball], looks.balls[ball])
    ]
    x = ((window.left + np.arange(window.width) + 0.5 - pose.middle[0]) / pose.focal).astype(np.float32)
    y = ((window.top + np.arange(window.height) + 0.5 - pose.middle[1]) / pose.focal).astype(np.float32)
    found = np.full(len(SIZES), ends.rest)
    # What its disc shows without it.
    planned_front = ball_depth(x, y, balls.local[ball], float(balls.radii[ball]))[0] < without.depth
    shown, rest_shown = planned_front & use, np.where(use, rest, 0.0)
    best, best_value = rest_shown, ends.rest
    for index, size in enumerate(SIZES[1:], 1):
        found[index] = -np.inf
        for hangs_in in _HANGS_IN[:1] if size == 1.0 else _HANGS_IN:
            front = ball_depth(x, y, *_resized(balls, pose, ball, size, hangs_in))[0] < without.depth
            planned, seen = (float(own[front].sum()) for own in owns)
            seen -= 0.0 if size == 1.0 else _TWO_FAULTS
            told = max(planned, seen) / _PIXELS_TO_ONE + ends.with_front(front)
            found[index] = max(found[index], told)
            if told > best_value:
                best, best_value = rest_shown + np.where(front, owns[0] if planned > seen else owns[1], 0.0), told
    explained = float(best[shown].mean()) if shown.any() else 0.0
    within = *ends.within(planned_front), explained
    return found - found[SIZES.index(1.0)], within


def _near(pose: Pose, balls: Balls, ball: int, window: Window) -> Ints:
    circles = pose.circles(balls.local, balls.radii)
    reach = 1.15 * circles[:, 2] + 2
    there = (circles[:, 0] + reach > window.left) & (circles[:, 0] - reach < window.left + window.width)
    there &= (circles[:, 1] + reach > window.top) & (circles[:, 1] - reach < window.top + window.height)
    there[ball] = True
    return np.flatnonzero(there)


def _resized(balls: Balls, pose: Pose, ball: int, size: float, hangs_in: float) -> tuple[Floats, float]:
    """A ball in another size: it stands out by `hangs_in` of what its radius has more."""
    radius = float(balls.radii[ball]) * size
    axis = pose.local(np.array([[0.0, 0.0, 0.0]]))[0]
    up = pose.turn[:, 2]
    away = balls.local[ball] - axis
    away = away - (away @ up) * up
    long = float(np.linalg.norm(away))
    out = away / long if long > 1 else np.zeros(3)
    return balls.local[ball] + out * (radius - float(balls.radii[ball])) * hangs_in, radius


def _means(labels: NDArray[np.int64], looks: Looks) -> Floats:
    """What pixels with labels look like, (k, 3); the ground like nothing known."""
    found = np.full((len(labels), 3), np.nan)
    there = labels >= 0
    found[there] = looks.balls[labels[there]]
    found[labels == POLE] = looks.pole
    return np.where(np.isfinite(found), found, looks.pole)


def _likely(image: Image, window: Window, means: Floats, labels: NDArray[np.int64], looks: Looks) -> Floats:
    """Log-likelihood of each pixel for what it is given to, with what that looks like, (h, w)."""
    lines, columns = window.slices
    red, blue, light = (channel[lines, columns] for channel in (image.red, image.blue, image.light))
    spread = np.where(labels >= 0, looks.spread[np.maximum(labels, 0)], 2 * _SKIN_SPREAD)
    square = ((red - means[..., 0]) / spread) ** 2 + ((blue - means[..., 1]) / spread) ** 2
    density = (1 + square / _FREEDOM) ** (-(_FREEDOM + 2) / 2) / (2 * np.pi * spread**2)
    dim = ((light - means[..., 2]) / _LIGHT_SPREAD) ** 2
    # What lies deeper is darker: brightness says less than colour.
    shaded = (1 + dim / _FREEDOM) ** (-(_FREEDOM + 1) / 2) / _LIGHT_SPREAD * 0.37
    cell = [np.clip(((each + _RANGE) / (2 * _RANGE) * _BINS).astype(int), 0, _BINS - 1) for each in (red, blue)]
    ground = 0.7 * looks.ground[cell[0], cell[1]] + 0.3 * _UNIFORM
    found = np.where(labels == NOTHING, ground * 0.35, (0.94 * density + 0.06 * _UNIFORM) * (0.9 * shaded + 0.035))
    return np.asarray(np.log(np.maximum(found, 1e-9)))
