"""Whether a balloon is there, and how large: its surroundings made up without it, and with it in other sizes.

For each size the pixels about a balloon are given to what they would show: the balloon, those behind it, pole or
ground. Each pixel has a likelihood for what it is given to, and every edge one for lying where something ends.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.check.expected import NOTHING, POLE, Balls, Window, ball_depth, expected
from kakushi.check.image import Image
from kakushi.check.light import Judged, Sample
from kakushi.check.pinhole import Pose
from kakushi.check.subject import Subject
from kakushi.model.arrays import Floats, Ints
from kakushi.model.memo import Cancelled, never, stop_if

SIZES = (0.0, 0.55, 0.61, 0.67, 0.73, 0.80, 0.87, 0.94, 1.0, 1.06, 1.13, 1.20, 1.27, 1.33, 1.40, 1.48)
"""Sizes over the fitted one that are tried; 0 is a balloon that is not there."""
_PRESENT = tuple(range(1, len(SIZES)))
_PLANNED_NEAR = (0.92, 1.08)
"""Sizes that pass as the planned one."""
_PIXELS_TO_ONE = 30.0
"""Neighbouring pixels tell the same: so many count as one."""
_EDGE_TO_ONE = 5.0
_EDGE_WORTH, _EDGE_LEVEL = 4.0, 0.36
"""An edge of strength e speaks for an end there by worth × (e - level): log of what rims and skins show."""
_FREEDOM = 3.0
_SKIN_SPREAD, _LIGHT_SPREAD = 0.16, 0.55
"""Spread of colour ratios and brightness over one skin, logarithms."""
_MIXED = 1.1
"""Spread of one colour ratio over the median distance of pixels from their middle in both."""
_UNIFORM = 0.04
"""Density of anything at all in the plane of colour ratios."""
_BINS, _RANGE = 28, 2.8
_HANGS_IN = 0.75
"""A larger balloon stands out from the pole by so much of what its radius has more."""


@dataclass(frozen=True, slots=True, eq=False)
class Places:
    """For each ball (n,): log-likelihood of every one of SIZES over the planned, NaN where it was not looked at.

    `could` (n,): how much a missing balloon would have told, as far as one can know beforehand. `rims` (n, sizes): how
    strong edges are along the rim that the balloon would have in that size, 0 to 1.
    """

    gains: Floats
    could: Floats
    rims: Floats

    @property
    def missing(self) -> Floats:
        """How much likelier it is missing than there in any size, logarithm."""
        with np.errstate(invalid="ignore"):
            return np.asarray(self.gains[:, 0] - np.max(self.gains[:, list(_PRESENT)], axis=1))

    @property
    def size(self) -> Floats:
        """Its likeliest size over the planned."""
        filled = np.where(np.isfinite(self.gains), self.gains, -np.inf)
        return np.asarray(np.array(SIZES)[1:][filled[:, 1:].argmax(axis=1)])

    @property
    def other_size(self) -> Floats:
        """How much likelier that size is than about the planned one, logarithm."""
        sizes = np.array(SIZES)
        usual = (sizes >= _PLANNED_NEAR[0]) & (sizes <= _PLANNED_NEAR[1])
        other = (sizes > 0) & ~usual
        return np.asarray(self.gains[:, other].max(axis=1) - self.gains[:, usual].max(axis=1))


@dataclass(frozen=True, slots=True, eq=False)
class Looks:
    """Colour ratios and brightness of each ball as it is (n, 3), of pole and ground; `ground` is a density of both.

    `spread` (n,): of colour ratios over each ball's skin.
    """

    balls: Floats
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
    return Looks(balls, spread, np.array([*grey, float(np.nanmedian(balls[:, 2])) - 0.7]), ground)


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
    gains = np.full((len(balls.radii), len(SIZES)), np.nan)
    could, rims = np.zeros(len(balls.radii)), np.full_like(gains, np.nan)
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
        gains[ball], rims[ball], could[ball] = _place(image, pose, balls, looks, ball, window, pole, hidden)
    return Places(gains, could, rims)


def _place(
    image: Image,
    pose: Pose,
    balls: Balls,
    looks: Looks,
    ball: int,
    window: Window,
    pole: tuple[Floats, Floats, float] | None,
    hidden: NDArray[np.bool_] | None,
) -> tuple[Floats, Floats, float]:
    from scipy.ndimage import maximum_filter  # noqa: PLC0415 - large, and only needed here

    near = _near(pose, balls, ball, window)
    part = Balls(balls.local[near], balls.radii[near])
    mine = int(np.flatnonzero(near == ball)[0])
    without = expected(pose, part, window, pole, np.arange(len(near)) != mine)
    behind = np.where(without.identity >= 0, near[without.identity], without.identity)
    lines, columns = window.slices
    use = image.clear[lines, columns].copy()
    if hidden is not None:
        use &= ~hidden[lines, columns]
    edges = image.edges[lines, columns]
    rest = _likely(image, window, behind, looks)
    own = _likely(image, window, np.full_like(behind, ball), looks)
    x = ((window.left + np.arange(window.width) + 0.5 - pose.middle[0]) / pose.focal).astype(np.float32)
    y = ((window.top + np.arange(window.height) + 0.5 - pose.middle[1]) / pose.focal).astype(np.float32)
    found, rims = np.empty(len(SIZES)), np.full(len(SIZES), np.nan)
    wide = maximum_filter(edges, 3)
    labels_planned = behind
    for index, size in enumerate(SIZES):
        labels, likely = behind, rest
        if size > 0:
            middle, radius = _resized(balls, pose, ball, size)
            depth, _ = ball_depth(x, y, middle, radius)
            front = depth < without.depth
            labels = np.where(front, ball, behind)
            likely = np.where(front, own, rest)
            along = _outline(front) & use
            rims[index] = float(wide[along].mean()) if along.any() else np.nan
        if size == 1.0:
            labels_planned = labels
        found[index] = likely[use].sum() / _PIXELS_TO_ONE + _ends(labels, edges, use)
    # What the same comparison would give on average if it were there.
    differs = (labels_planned == ball) & use
    apart = looks.balls[ball] - _means(behind[differs], looks)
    scale = np.array([looks.spread[ball], looks.spread[ball], _LIGHT_SPREAD])
    told = float(np.minimum((apart / scale) ** 2, 6.0).sum() / 2 / _PIXELS_TO_ONE) if differs.any() else 0.0
    usual = SIZES.index(1.0)
    return found - found[usual], rims, told


def _outline(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The outermost pixels of a mask, but for those at the border of the picture."""
    found = np.zeros_like(mask)
    found[1:-1, 1:-1] = mask[1:-1, 1:-1] & ~(mask[:-2, 1:-1] & mask[2:, 1:-1] & mask[1:-1, :-2] & mask[1:-1, 2:])
    return found


def _near(pose: Pose, balls: Balls, ball: int, window: Window) -> Ints:
    circles = pose.circles(balls.local, balls.radii)
    reach = 1.15 * circles[:, 2] + 2
    there = (circles[:, 0] + reach > window.left) & (circles[:, 0] - reach < window.left + window.width)
    there &= (circles[:, 1] + reach > window.top) & (circles[:, 1] - reach < window.top + window.height)
    there[ball] = True
    return np.flatnonzero(there)


def _resized(balls: Balls, pose: Pose, ball: int, size: float) -> tuple[Floats, float]:
    """A ball in another size: it hangs on the same neck, so that it stands out by what it is larger."""
    radius = float(balls.radii[ball]) * size
    axis = pose.local(np.array([[0.0, 0.0, 0.0]]))[0]
    up = pose.turn[:, 2]
    away = balls.local[ball] - axis
    away = away - (away @ up) * up
    long = float(np.linalg.norm(away))
    out = away / long if long > 1 else np.zeros(3)
    return balls.local[ball] + out * (radius - float(balls.radii[ball])) * _HANGS_IN, radius


def _means(labels: NDArray[np.int64], looks: Looks) -> Floats:
    """What pixels with labels look like, (k, 3); the ground like nothing known."""
    found = np.full((len(labels), 3), np.nan)
    there = labels >= 0
    found[there] = looks.balls[labels[there]]
    found[labels == POLE] = looks.pole
    return np.where(np.isfinite(found), found, looks.pole)


def _likely(image: Image, window: Window, labels: NDArray[np.int64], looks: Looks) -> Floats:
    """Log-likelihood of each pixel for what it is given to, (h, w)."""
    lines, columns = window.slices
    red, blue, light = (channel[lines, columns] for channel in (image.red, image.blue, image.light))
    means = _means(labels.ravel(), looks).reshape(*labels.shape, 3)
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


def _ends(labels: NDArray[np.int64], edges: NDArray[np.float32], use: NDArray[np.bool_]) -> float:
    """What edges say for things ending where labels change."""
    across, down = labels[:, 1:] != labels[:, :-1], labels[1:] != labels[:-1]
    # An edge lies between two pixels: the stronger of both.
    between_columns = np.maximum(edges[:, 1:], edges[:, :-1])[across & use[:, 1:] & use[:, :-1]]
    between_lines = np.maximum(edges[1:], edges[:-1])[down & use[1:] & use[:-1]]
    worth = _EDGE_WORTH * (np.concatenate([between_columns, between_lines]) - _EDGE_LEVEL)
    return float(worth.sum()) / _EDGE_TO_ONE
