"""What an aligned photograph tells of each balloon: its colour, what hides it, whether it is there as planned."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.check.alignment import JUDGE_PX, AlignedPhoto
from kakushi.check.circles import circle_scores, slopes_of
from kakushi.check.image import Image
from kakushi.check.light import JudgedColours, SampledBalls, judged, sampled
from kakushi.check.model_spheres import ModelSpheres
from kakushi.check.occlusion import crowded_balls, hidden_balls, occluder_pixels
from kakushi.check.places import PlaceEvidence, looks_of, places
from kakushi.check.presence import PLANNED, features, presence
from kakushi.check.values import Hidden
from kakushi.model.arrays import Floats
from kakushi.model.memo import Cancelled
from kakushi.sight.expected import Window

_SHARE_JUDGED = 0.25
"""Share of its disc that must be seen of a balloon for anything to be said of it."""
_EDGES_HALF, _EDGES_WIDE = 0.17, 0.035
_AGREE_HALF, _AGREE_WIDE = 0.62, 0.08
"""Strength of edges on rims, and share of balloons in their planned colour, at which a photograph is as likely another
piece, and the widths of both logistic laws."""
_DOUBT = 0.45
"""Probability that a balloon is not there as planned from which it counts as gone."""
_GLARE = 0.6
"""Share of glare or darkness over a balloon that is the reason why nothing is said of it."""
_MARKED = 0.4
"""Share of a balloon behind what somebody marked as hidden from which it is not judged."""


@dataclass(frozen=True, slots=True, eq=False)
class SampledPhoto:
    """The colours in an aligned photograph, and what is in front of it.

    `in_front` (n,): balloons that something hides; `doubtful` (n,): others that it may touch; `covered` (h, w) of the
    window: where it shows. `is_marked`: somebody marked it, and it was not only found.
    """

    sample: SampledBalls
    colours: JudgedColours
    in_front: NDArray[np.bool_]
    doubtful: NDArray[np.bool_]
    covered: NDArray[np.bool_]
    is_marked: bool


@dataclass(frozen=True, slots=True, eq=False)
class Evidence:
    """Evidence for each balloon. `there` (n, 3): probability as planned, in another size, missing; NaN unjudged."""

    photo: SampledPhoto
    places: PlaceEvidence
    there: Floats


def sampled_photo(model: ModelSpheres, photo: AlignedPhoto, marked: NDArray[np.bool_] | None) -> SampledPhoto:
    """Take the colours of an aligned photograph, without what something in front hides.

    `marked` (h, w) of the whole photograph: where somebody said that something is in front; None where nobody did.
    """
    shown = photo.shown
    mask = None if marked is None else _in_window(marked, shown.window, photo.image)
    sample = sampled(photo.image, shown, photo.circles, mask)
    colours = judged(sample, model, _places(photo))
    in_front = np.zeros(len(model), dtype=bool)
    if mask is not None:
        behind = np.bincount(shown.identity[mask & (shown.identity >= 0)], minlength=len(model))
        whole = np.bincount(shown.identity[shown.identity >= 0], minlength=len(model))
        in_front = behind > _MARKED * np.maximum(whole, 1)
    occluders = occluder_pixels(photo, colours, model)
    if mask is not None:
        occluders = occluders.without(mask)
    hidden, doubtful = hidden_balls(photo, occluders, sample, colours, model)
    in_front |= hidden
    covered = occluders.strange if mask is None else occluders.strange | mask
    plain = SampledPhoto(sample, colours, in_front, doubtful, covered, marked is not None)
    return _sampled_again(model, photo, plain, in_front) if in_front.any() else plain


def _sampled_again(
    model: ModelSpheres, photo: AlignedPhoto, before: SampledPhoto, in_front: NDArray[np.bool_]
) -> SampledPhoto:
    """Colours anew, without the balloons that something hides."""
    sample = sampled(photo.image, photo.shown, photo.circles, before.covered)
    kept = replace(sample, red=np.where(in_front, np.nan, sample.red))
    return replace(before, sample=sample, colours=judged(kept, model, _places(photo)), in_front=in_front)


def _places(photo: AlignedPhoto) -> Floats:
    """Where balls are in the picture, over the height of the piece, (n, 2)."""
    return np.asarray((photo.circles[:, :2] - photo.circles[:, :2].mean(axis=0)) / JUDGE_PX)


def _in_window(marked: NDArray[np.bool_], window: Window, image: Image) -> NDArray[np.bool_]:
    """A mask of the photograph in a window of the image made of it."""
    line = ((window.top + np.arange(window.height) + 0.5) / image.scale).astype(int)
    column = ((window.left + np.arange(window.width) + 0.5) / image.scale).astype(int)
    return np.asarray(
        marked[np.clip(line, 0, marked.shape[0] - 1)[:, None], np.clip(column, 0, marked.shape[1] - 1)[None]]
    )


def is_judged(
    model: ModelSpheres, photo: AlignedPhoto, seen: SampledPhoto, hidden_too: bool = False
) -> NDArray[np.bool_]:
    """Balloons of rows that can be judged, (n,); `hidden_too`: also those that seem to be hidden."""
    enough = (seen.sample.share >= _SHARE_JUDGED) & seen.sample.known
    free = enough & (model.rows >= 0) & ~photo.is_cut
    return np.asarray(free if hidden_too else free & ~seen.in_front)


def why_not_judged(photo: AlignedPhoto, seen: SampledPhoto, ball: int) -> Hidden:
    """Say why a balloon was not judged."""
    if seen.in_front[ball]:
        return Hidden.IN_FRONT
    if photo.is_cut[ball]:
        return Hidden.CUT_OFF
    if seen.sample.share[ball] < _SHARE_JUDGED:
        return Hidden.BEHIND
    return Hidden.GLARE if seen.sample.glare[ball] > _GLARE else Hidden.SMALL


def confidence(model: ModelSpheres, photo: AlignedPhoto, seen: SampledPhoto) -> float:
    """Probability that the photograph shows this piece from this pose: edges on rims, and planned colours."""
    edges = 1 / (1 + math.exp(-(photo.fitted.edges - _EDGES_HALF) / _EDGES_WIDE))
    # What seems to be hidden counts here: where half a piece seems so, it is another one.
    counted = is_judged(model, photo, seen, hidden_too=not seen.is_marked)
    if counted.sum() < 3:
        return 0.5 * edges
    colours = 1 / (1 + math.exp(-(agreement(model, photo, seen) - _AGREE_HALF) / _AGREE_WIDE))
    if len(np.unique(model.colours[counted])) < 2:
        # One colour agrees with anything.
        colours = 0.5 + 0.5 * colours
    return edges * colours


def agreement(model: ModelSpheres, photo: AlignedPhoto, seen: SampledPhoto) -> float:
    """Share of the balloons in their planned colour."""
    counted = is_judged(model, photo, seen, hidden_too=not seen.is_marked)
    right = (seen.colours.seen == model.colours) & ~seen.colours.strange
    return float(np.mean(right[counted])) if counted.any() else 1.0


def evidence_of(model: ModelSpheres, photo: AlignedPhoto, seen: SampledPhoto, cancelled: Cancelled) -> Evidence:
    """Judge whether balloons are there and how large. Raises Cancelled."""
    placed, closes = _measured(model, photo, seen, cancelled)
    there = presence(_features(photo, seen, placed, closes))
    crowded = _crowded(model, photo, seen, placed, there)
    if crowded.any():
        seen = _sampled_again(model, photo, seen, seen.in_front | crowded)
        there = presence(_features(photo, seen, placed, closes))
    return Evidence(seen, placed, there)


def presence_features(model: ModelSpheres, photo: AlignedPhoto, seen: SampledPhoto, cancelled: Cancelled) -> Floats:
    """Measure the features of the presence classifier, (n, 17), for fitting its law. Raises Cancelled."""
    return _features(photo, seen, *_measured(model, photo, seen, cancelled))


def _features(photo: AlignedPhoto, seen: SampledPhoto, placed: PlaceEvidence, closes: Floats) -> Floats:
    return features(placed, closes, photo.rims, photo.shifts, seen.sample, seen.colours)


def _measured(
    model: ModelSpheres, photo: AlignedPhoto, seen: SampledPhoto, cancelled: Cancelled
) -> tuple[PlaceEvidence, Floats]:
    """Places of the balloons that can be judged, and how well circles close around them (n, radii)."""
    which = np.flatnonzero(is_judged(model, photo, seen))
    closes = circle_scores(slopes_of(photo.image), photo.shown, photo.circles, photo.balls.local[:, 2], which)
    return _placed(model, photo, seen, which, cancelled), closes


def _placed(
    model: ModelSpheres, photo: AlignedPhoto, seen: SampledPhoto, which: NDArray[np.int64], cancelled: Cancelled
) -> PlaceEvidence:
    window, identity = photo.shown.window, photo.shown.identity
    looks = looks_of(photo.image, window, identity, seen.sample, seen.colours, model)
    hidden = np.zeros(photo.image.shape, dtype=bool)
    if seen.in_front.any() or seen.is_marked:
        hidden[window.slices] = seen.covered & (seen.in_front[np.maximum(identity, 0)])
    return places(photo.image, photo.pose, photo.balls, looks, which, photo.pole, hidden, cancelled)


def _crowded(
    model: ModelSpheres, photo: AlignedPhoto, seen: SampledPhoto, placed: PlaceEvidence, there: Floats
) -> NDArray[np.bool_]:
    """Balloons that seem wrong because something stands in front of them, (n,)."""
    ok = is_judged(model, photo, seen)
    gone = ok & (np.nan_to_num(1 - there[:, PLANNED]) > _DOUBT)
    # Nothing stands before those whose place shows just what a fault leaves there.
    rest = placed.explained[ok & ~gone]
    usual = float(np.nanmedian(rest)) if np.isfinite(rest).any() else 0.0
    plain = gone & (np.nan_to_num(placed.explained, nan=-np.inf) >= usual)
    return crowded_balls(gone, plain, ok & ~gone & seen.colours.strange, seen.in_front, photo.circles, model.whole)
