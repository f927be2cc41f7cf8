"""Where in a photograph the piece probably stands: a first proposal of its foot and top."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from kakushi.check.image import Image, Pixels, image_of
from kakushi.check.pinhole import Ends
from kakushi.check.pose import Fitted, Search, Told, is_large
from kakushi.check.subject import Subject
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled, never, stop_if

_LONG_PX = 150
_KINDS = 12
"""Kinds of colour that the pixels of a photograph are sorted into."""
_HEIGHTS = (0.36, 0.42, 0.48, 0.54, 0.60, 0.66, 0.72, 0.78, 0.84, 0.90, 0.96)
"""Heights of the piece over that of the photograph that are tried."""
_ALIKE = 0.45
"""Logarithm of colour ratios over which a kind of pixel is still like a colour of the plan: tints are not known yet."""
_LIKE_WEIGHT, _LARGE_WEIGHT = 0.9, 0.25
_UNLIKE_WEIGHT, _UNLIKE_FROM = 1.0, 0.6
_TRIED, _EACH, _NEAR = 22, 6, 0.10
"""Places that are looked at, and of each height; nearer to each other than that, over the height, they are one."""
_COARSE_PX = 80.0
_ROUNDS, _FINER = 60, 4
_FINE_PX, _FINE_ROUNDS, _STRETCHES = 90.0, 35, ((0, 0), (0.1, 0.1), (-0.1, -0.1), (0.1, 0), (0, -0.1))


def proposed_ends(linear: Pixels, subject: Subject, cancelled: Cancelled = never) -> Ends:
    """Foot and top where the silhouette differs most from what lies about it and is most like the planned colours."""
    height, width = linear.shape[:2]
    scale = min(_LONG_PX / max(height, width), 1.0)
    image = image_of(linear, scale)
    kinds, centres = _kinds(image)
    like = np.exp(-((_off_plan(centres, subject) / _ALIKE) ** 2))
    found: list[tuple[float, float, float, float]] = []
    for share in _HEIGHTS:
        stop_if(cancelled)
        tall = share * image.shape[0]
        inside, ring, middle = _masks(subject, tall)
        if inside.shape[0] > image.shape[0] or inside.shape[1] > image.shape[1]:
            continue
        scores = _scores(kinds, like, inside, ring) + _LARGE_WEIGHT * share
        for _ in range(_EACH):
            line, column = np.unravel_index(int(scores.argmax()), scores.shape)
            found.append((float(scores[line, column]), column + middle, line + (inside.shape[0] + tall) / 2, tall))
            scores[max(line - 6, 0) : line + 7, max(column - 6, 0) : column + 7] = -np.inf
    if not found:
        return Ends((width / 2, 0.95 * height), (width / 2, 0.05 * height), 0.0, subject.top_mm)
    return _best([_ends(each, subject, scale) for each in _apart(found)[:_TRIED]], linear, subject, cancelled)


def _apart(found: list[tuple[float, float, float, float]]) -> list[tuple[float, float, float, float]]:
    """Places (score, column, line of the foot, height), best first, of which no two are nearly the same."""
    kept: list[tuple[float, float, float, float]] = []
    for each in sorted(found, reverse=True):
        if all(max(abs(a - b) for a, b in zip(each[1:], other[1:], strict=True)) > _NEAR * each[3] for other in kept):
            kept.append(each)
    return kept


def _ends(found: tuple[float, float, float, float], subject: Subject, scale: float) -> Ends:
    _, x, foot, tall = found
    return Ends((x / scale, foot / scale), (x / scale, (foot - tall) / scale), 0.0, subject.top_mm)


def _best(candidates: list[Ends], linear: Pixels, subject: Subject, cancelled: Cancelled) -> Ends:
    """Of some places the one at which colours and edges agree best, moved a little."""
    thing = subject.only(is_large(subject))
    glances = []
    for ends in candidates:
        stop_if(cancelled)
        scale = min(_COARSE_PX / max(ends.long_px, 1.0), 1.0)
        search = Search(image_of(linear, scale), thing, Told(), is_quick=True)
        fit = search.glance(ends.scaled(scale), cancelled)
        if fit is not None:
            glances.append((fit, search, scale))
    glances.sort(key=lambda each: _cost(each[0]))
    fits = [(search.finer(fit, _ROUNDS, 5.0, cancelled), scale) for fit, search, scale in glances[:_FINER]]
    if not fits:
        return candidates[0]
    best, scale = min(fits, key=lambda each: _cost(each[0]))
    ends = best.ends.scaled(1 / scale)
    # A row too far up or down looks nearly as good from afar.
    near = [_stretched(ends, foot, top) for foot, top in _STRETCHES]
    fits = []
    for each in near:
        stop_if(cancelled)
        scale = min(_FINE_PX / max(each.long_px, 1.0), 1.0)
        search = Search(image_of(linear, scale), thing, Told(), is_quick=True)
        values = np.array([best.pose.azimuth, math.log(best.pose.distance), best.pose.eye, 0.0, 0.0, 0.0, 0.0])
        placed = search.pose(values, each.scaled(scale))
        if placed is not None:
            fits.append((search.finer(search.judged(*placed), _FINE_ROUNDS, 4.0, cancelled), scale))
    best, scale = min(fits, key=lambda each: _cost(each[0]), default=(best, scale))
    return best.ends.scaled(1 / scale)


def _stretched(ends: Ends, foot: float, top: float) -> Ends:
    """Ends moved along their line, each by a share of its length downwards."""
    (x0, y0), (x1, y1) = ends.foot, ends.top
    dx, dy = x0 - x1, y0 - y1
    return Ends((x0 + foot * dx, y0 + foot * dy), (x1 + top * dx, y1 + top * dy), ends.foot_mm, ends.top_mm)


def _cost(fit: Fitted) -> float:
    """A plain wall has no scatter and hardly an edge: only its colours are not the planned ones."""
    return fit.cost + _UNLIKE_WEIGHT * max(fit.unlike - _UNLIKE_FROM, 0.0)


def _kinds(image: Image) -> tuple[NDArray[np.int64], Floats]:
    """Which kind of colour each pixel has, (h, w), and the kinds' colour ratios and brightness (k, 3)."""
    from scipy.cluster.vq import kmeans2, vq  # noqa: PLC0415 - large, and only needed here

    points = np.stack([image.red, image.blue, 0.5 * image.light], axis=-1).reshape(-1, 3).astype(float)
    few = points[:: max(len(points) // 4000, 1)]
    centres, _ = kmeans2(few, min(_KINDS, len(np.unique(np.round(few, 2), axis=0))), minit="++", seed=1, iter=12)
    kinds, _ = vq(points, centres)
    return kinds.reshape(image.shape), centres


def _off_plan(centres: Floats, subject: Subject) -> Floats:
    """How far kinds of pixels are from the nearest planned colour, in colour ratios."""
    used = np.unique(subject.colours[subject.is_balloon])
    albedo = np.maximum(subject.albedo[used], 2e-3)
    ratios = np.log(np.stack([albedo[:, 0] / albedo[:, 1], albedo[:, 2] / albedo[:, 1]], axis=1))
    return np.asarray(np.abs(centres[:, None, :2] - ratios[None]).sum(axis=2).min(axis=1))


def _masks(subject: Subject, tall: float) -> tuple[NDArray[np.bool_], NDArray[np.bool_], float]:
    """The silhouette so many pixels tall, what lies about it, and the column of its axis."""
    from scipy.ndimage import binary_dilation  # noqa: PLC0415 - large, and only needed here

    large = is_large(subject)
    per_mm = tall / subject.top_mm
    x, z, r = subject.centres[large, 0] * per_mm, subject.centres[large, 2] * per_mm, subject.radii[large] * per_mm
    margin = max(round(0.06 * tall), 3)
    half = math.ceil(float(np.abs(x).max() + r.max())) + margin
    lines, columns = np.mgrid[: math.ceil(tall) + 2 * margin, : 2 * half + 1]
    up = tall + margin - lines - 0.5
    inside = np.zeros(lines.shape, dtype=bool)
    for each in zip(x.tolist(), z.tolist(), r.tolist(), strict=True):
        inside |= (columns - half - each[0]) ** 2 + (up - each[1]) ** 2 < each[2] ** 2
    near = binary_dilation(inside, iterations=1)
    return inside, binary_dilation(inside, iterations=margin) & ~near, float(half)


def _scores(kinds: NDArray[np.int64], like: Floats, inside: NDArray[np.bool_], ring: NDArray[np.bool_]) -> Floats:
    """For every place of the silhouette in the photograph how well it fits there."""
    from scipy.signal import fftconvolve  # noqa: PLC0415 - large, and only needed here

    differ, alike = 0.0, 0.0
    for kind in range(len(like)):
        mine = (kinds == kind).astype(float)
        within, about = (
            fftconvolve(mine, mask[::-1, ::-1].astype(float), mode="valid") / max(int(mask.sum()), 1)
            for mask in (inside, ring)
        )
        differ = differ + np.abs(within - about) / 2
        alike = alike + like[kind] * (within - 0.5 * about)
    return np.asarray(differ + _LIKE_WEIGHT * alike)
