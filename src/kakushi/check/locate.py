"""Where in a photograph the piece probably stands: a first proposal of its foot and top."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft2, rfft2

from kakushi.check.image import Image, Pixels, image_of
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.pose import Fitted, PosePrior, Search, is_large
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.sight.pinhole import Ends, Pose

_LONG_PX = 150
"""Longer side of the picture that is searched for the silhouette, px."""
_KINDS = 12
"""Number of colour classes that the pixels of a photograph are sorted into."""
_HEIGHTS = (0.36, 0.42, 0.48, 0.54, 0.60, 0.66, 0.72, 0.78, 0.84, 0.90, 0.96)
"""Heights of the piece that are tried, as shares of the height of the photograph."""
_WIDE_FROM, _WIDE_TO, _WIDE_HEIGHTS = 0.36, 0.96, 31
"""The same for a piece that is wide beside its height, like an arch, as shares of the largest that fits; how many: what
is off in height is off as much sideways."""
_FRONT, _WIDE_TRIED = (-0.12, 0.0, 0.12), 5
"""Sides, radians, from which wide pieces are looked for, and how many places for them are tried with what is near."""
_ALIKE = 0.45
"""Distance of colour ratios (logarithm) within which a class is like a planned colour: the tint is not known yet."""
_LIKE_WEIGHT, _LARGE_WEIGHT = 0.9, 0.25
"""Weights of matching colours and of silhouette size, relative to contrast with the surroundings (1)."""
_UNLIKE_WEIGHT, _UNLIKE_FROM, _UNLIKE_FROM_WIDE = 1.0, 0.6, 0.1
"""Cost of a colour that differs from the plan, and the difference it starts at: tinted light alone costs nothing. What
is wide and thin lies nearly as well on any plain wall, so that its colours have to tell it from one."""
_TRIED, _EACH, _NEAR = 22, 6, 0.10
"""Places compared in all, and for each height; and the distance, in heights, below which two places are one."""
_COARSE_PX, _MOST_COARSE_PX, _BALLOON_PX = 80.0, 200.0, 6.0
"""Length of the piece, px, at which all places are compared: enough for the rows, and quick; and the width of a balloon
that it comes to where balloons are small beside the piece."""
_SCALES = 0.05
"""Step between the scales of pictures that places are compared in, as a logarithm."""
_ROUNDS, _FINER = 60, 4
"""Rounds of the first refinement, and number of places refined."""
_FINE_PX, _FINE_ROUNDS, _STRETCHES = 90.0, 35, ((0, 0), (0.1, 0.1), (-0.1, -0.1), (0.1, 0), (0, -0.1))
"""Length of the piece, px, rounds, and shifts of foot and top (shares of the length) of the last refinement."""


def proposed_ends(
    linear: Pixels,
    model: ModelSpheres,
    cancelled: Cancelled = never,
    on_guess: Callable[[Pose, Ends], None] = lambda _pose, _ends: None,
) -> Ends:
    """Propose foot and top, px: where the silhouette differs most from its surroundings and resembles the plan.

    `on_guess` hears of the best place so far, with a rough pose, whenever there is a better one.
    """
    height, width = linear.shape[:2]
    scale = min(_LONG_PX / max(height, width), 1.0)
    image = image_of(linear, scale)
    kinds, centres = _kinds(image)
    like = np.exp(-((_off_plan(centres, model) / _ALIKE) ** 2))
    spectra = _spectra(kinds, len(centres))
    lines: list[tuple[float, float, float, float]] = []
    for share in _heights_of_wide(model, image.shape) if model.is_bent else _HEIGHTS:
        stop_if(cancelled)
        tall = share * image.shape[0]
        inside, ring, middle = _masks(model, tall)
        if inside.shape[0] > image.shape[0] or inside.shape[1] > image.shape[1]:
            continue
        scores = _scores(spectra, image.shape, like, inside, ring) + _LARGE_WEIGHT * share
        for _ in range(_EACH):
            line, column = np.unravel_index(int(scores.argmax()), scores.shape)
            lines.append((float(scores[line, column]), column + middle, line + (inside.shape[0] + tall) / 2, tall))
            scores[max(line - 6, 0) : line + 7, max(column - 6, 0) : column + 7] = -np.inf
    if not lines:
        return anywhere(width, height, model.top_mm)
    candidates = [_ends(each, model, scale) for each in _apart(lines)[:_TRIED]]
    return _best(candidates, linear, model, cancelled, on_guess)


def anywhere(width: int, height: int, top_mm: float) -> Ends:
    """Ends that nothing is known of: most of a photograph of that size, px."""
    return Ends((width / 2, 0.95 * height), (width / 2, 0.05 * height), 0.0, top_mm)


def _heights_of_wide(model: ModelSpheres, shape: tuple[int, int]) -> list[float]:
    """Heights that are tried of a piece that is wide beside its height, as shares of that of the picture."""
    fits = min(1.0, shape[1] / shape[0] * model.top_mm / max(model.wide_mm, 1.0))
    return [float(share) * fits for share in np.linspace(_WIDE_FROM, _WIDE_TO, _WIDE_HEIGHTS)]


def _coarse_px(model: ModelSpheres) -> float:
    """Length of the piece, px, at which places are compared: its balloons are some pixels wide then."""
    usual = 2 * float(np.median(model.radii[model.is_balloon])) if model.is_balloon.any() else model.top_mm
    return float(np.clip(_BALLOON_PX * model.top_mm / max(usual, 1.0), _COARSE_PX, _MOST_COARSE_PX))


def _apart(lines: list[tuple[float, float, float, float]]) -> list[tuple[float, float, float, float]]:
    """Keep the best places (score, column, line of the foot, height), best first, no two nearly the same."""
    kept: list[tuple[float, float, float, float]] = []
    for each in sorted(lines, reverse=True):
        if all(max(abs(a - b) for a, b in zip(each[1:], other[1:], strict=True)) > _NEAR * each[3] for other in kept):
            kept.append(each)
    return kept


def _ends(line: tuple[float, float, float, float], model: ModelSpheres, scale: float) -> Ends:
    _, x, foot, tall = line
    return Ends((x / scale, foot / scale), (x / scale, (foot - tall) / scale), 0.0, model.top_mm)


def _best(
    candidates: list[Ends],
    linear: Pixels,
    model: ModelSpheres,
    cancelled: Cancelled,
    on_guess: Callable[[Pose, Ends], None],
) -> Ends:
    """Choose the place where colours and edges agree best, and refine it."""
    thing = model.only(is_large(model))
    glances, coarse = [], _coarse_px(model)
    # What is wide is photographed from its front, and where it stands is less sure by its outline alone.
    sides = _FRONT if model.is_bent else None
    if sides is not None:
        candidates = [moved for ends in candidates[:_WIDE_TRIED] for moved in _around(ends)]
    searches: dict[float, Search] = {}
    unlike_from = _UNLIKE_FROM_WIDE if model.is_bent else _UNLIKE_FROM

    def cost(fit: Fitted) -> float:
        """A plain wall has no scatter and hardly an edge: only its colours are not the planned ones."""
        return fit.cost + _UNLIKE_WEIGHT * max(fit.unlike - unlike_from, 0.0)

    for ends in candidates:
        stop_if(cancelled)
        # Places that are nearly as large are looked for in one picture.
        scale = min(math.exp(round(math.log(coarse / max(ends.long_px, 1.0)) / _SCALES) * _SCALES), 1.0)
        if scale not in searches:
            searches[scale] = Search(image_of(linear, scale), thing, PosePrior(), is_quick=True)
        search = searches[scale]
        fit = search.glance(ends.scaled(scale), cancelled, sides)
        if fit is not None:
            glances.append((fit, search, scale))
            if fit is min((each for each, _, _ in glances), key=cost):
                on_guess(fit.pose.scaled(1 / scale), fit.ends.scaled(1 / scale))
    glances.sort(key=lambda each: cost(each[0]))
    fits = [(search.finer(fit, _ROUNDS, 5.0, cancelled), scale) for fit, search, scale in glances[:_FINER]]
    if not fits:
        return candidates[0]
    best, scale = min(fits, key=lambda each: cost(each[0]))
    ends = best.ends.scaled(1 / scale)
    # A row too far up or down looks nearly as good from afar.
    near = [_stretched(ends, foot, top) for foot, top in _STRETCHES]
    fits = []
    for each in near:
        stop_if(cancelled)
        scale = min(max(_FINE_PX, coarse) / max(each.long_px, 1.0), 1.0)
        search = Search(image_of(linear, scale), thing, PosePrior(), is_quick=True)
        values = np.array([best.pose.azimuth, math.log(best.pose.distance), best.pose.eye, 0.0, 0.0, 0.0, 0.0])
        placed = search.pose(values, each.scaled(scale))
        if placed is not None:
            fits.append((search.finer(search.judged(*placed), _FINE_ROUNDS, 4.0, cancelled), scale))
    best, scale = min(fits, key=lambda each: cost(each[0]), default=(best, scale))
    return best.ends.scaled(1 / scale)


def _around(ends: Ends) -> list[Ends]:
    """Places near one: somewhat larger and smaller, to both sides, higher and lower."""
    (x0, y0), (x1, y1) = ends.foot, ends.top
    x, y, tall = (x0 + x1) / 2, (y0 + y1) / 2, math.hypot(x0 - x1, y0 - y1)
    return [
        Ends(
            (x + (x0 - x) * grown + aside * tall, y + (y0 - y) * grown + down * tall),
            (x + (x1 - x) * grown + aside * tall, y + (y1 - y) * grown + down * tall),
            ends.foot_mm,
            ends.top_mm,
        )
        for grown in (0.93, 1.0, 1.08, 1.16)
        for aside in (-0.05, 0.0, 0.05)
        for down in (-0.05, 0.0, 0.05)
    ]


def _stretched(ends: Ends, foot: float, top: float) -> Ends:
    """Move both ends along their line, each by a share of its length, downwards."""
    (x0, y0), (x1, y1) = ends.foot, ends.top
    dx, dy = x0 - x1, y0 - y1
    return Ends((x0 + foot * dx, y0 + foot * dy), (x1 + top * dx, y1 + top * dy), ends.foot_mm, ends.top_mm)


def _kinds(image: Image) -> tuple[NDArray[np.int64], Floats]:
    """Sort the pixels into colour classes, (h, w); also the classes' colour ratios and brightness, (k, 3)."""
    from scipy.cluster.vq import kmeans2, vq  # noqa: PLC0415 - large, and only needed here

    points = np.stack([image.red, image.blue, 0.5 * image.light], axis=-1).reshape(-1, 3).astype(float)
    few = points[:: max(len(points) // 4000, 1)]
    centres, _ = kmeans2(few, min(_KINDS, len(np.unique(np.round(few, 2), axis=0))), minit="++", seed=1, iter=12)
    kinds, _ = vq(points, centres)
    return kinds.reshape(image.shape), centres


def _off_plan(centres: Floats, model: ModelSpheres) -> Floats:
    """Distance of colour classes from the nearest planned colour, in colour ratios."""
    used = np.unique(model.colours[model.is_balloon])
    albedo = np.maximum(model.albedo[used], 2e-3)
    ratios = np.log(np.stack([albedo[:, 0] / albedo[:, 1], albedo[:, 2] / albedo[:, 1]], axis=1))
    return np.asarray(np.abs(centres[:, None, :2] - ratios[None]).sum(axis=2).min(axis=1))


def _masks(model: ModelSpheres, tall: float) -> tuple[NDArray[np.bool_], NDArray[np.bool_], float]:
    """The silhouette at a height in pixels, the ring around it, and the column of its axis."""
    from scipy.ndimage import binary_dilation  # noqa: PLC0415 - large, and only needed here

    large = is_large(model)
    per_mm = tall / model.top_mm
    x, z, r = model.centres[large, 0] * per_mm, model.centres[large, 2] * per_mm, model.radii[large] * per_mm
    margin = max(round(0.06 * tall), 3)
    half = math.ceil(float(np.abs(x).max() + r.max())) + margin
    lines, columns = np.mgrid[: math.ceil(tall) + 2 * margin, : 2 * half + 1]
    up = tall + margin - lines - 0.5
    inside = np.zeros(lines.shape, dtype=bool)
    for each in zip(x.tolist(), z.tolist(), r.tolist(), strict=True):
        inside |= (columns - half - each[0]) ** 2 + (up - each[1]) ** 2 < each[2] ** 2
    near = binary_dilation(inside, iterations=1)
    return inside, binary_dilation(inside, iterations=margin) & ~near, float(half)


def _spectra(kinds: NDArray[np.int64], count: int) -> NDArray[np.complex128]:
    """Fourier transforms of the masks of all kinds of pixel, (k, h, w // 2 + 1)."""
    return np.asarray(rfft2((kinds == np.arange(count)[:, None, None]).astype(float)))


def _scores(
    spectra: NDArray[np.complex128],
    shape: tuple[int, int],
    like: Floats,
    inside: NDArray[np.bool_],
    ring: NDArray[np.bool_],
) -> Floats:
    """Score every place of the silhouette in the photograph, by correlation.

    `spectra` of kinds in a photograph of that `shape`; `like` (k,): how like the planned colours each kind is.
    """
    within, about = (np.conj(rfft2(mask.astype(float), shape)) / max(int(mask.sum()), 1) for mask in (inside, ring))
    lines, columns = shape[0] - inside.shape[0] + 1, shape[1] - inside.shape[1] + 1
    differ = np.abs(irfft2(spectra * (within - about), shape)[:, :lines, :columns]).sum(axis=0) / 2
    alike = irfft2(np.tensordot(like, spectra, axes=1) * (within - 0.5 * about), shape)[:lines, :columns]
    return np.asarray(differ + _LIKE_WEIGHT * alike)
