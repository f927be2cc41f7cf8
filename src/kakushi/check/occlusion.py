"""Something in front of the piece: which balloons cannot be judged for it.

A fault ends where its balloon ends. What stands in front does not: it goes on over the rims of the balloons behind it,
and ends in the middle of others. What is measured of that is weighed by a logistic law, fitted to simulated photographs
with boards, people, plants, posts and cloths in front (`benchmarks/fit_occlusion.py`).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from kakushi.check.alignment import AlignedPhoto
from kakushi.check.light import JudgedColours, SampledBalls
from kakushi.check.model_spheres import ModelSpheres
from kakushi.model.arrays import Floats, Ints

_OFF, _DIM = 0.38, 1.6
"""Distance (logarithms) of colour ratios, and of brightness, from the planned colour beyond which a pixel is odd."""
_SCATTER = 3.5
"""The same as a multiple of the usual scatter of a colour's pixels."""
_INSIDE, _DEEP = 0.9, 0.8
"""Parts of a disc, out to these shares of its radius: what is counted, and where nothing of the balloon ends."""
_WEAK = 0.30
"""Strength of an edge, 0 to 1, below which nothing ends there."""
_FEW_PIXELS = 20
"""Pixels of a balloon below which nothing is measured of it."""
_LAW = {
    "constant": -1.738,
    "odd": -2.855,
    "odd or not": 4.773,
    "strange": 1.36,
    "dark": 9.417,
    "goes on over rims": 16.921,
    "goes on over the outline": -0.408,
    "ends within": -0.639,
    "rim": -0.639,
    "oddest beside": -0.049,
    "second oddest beside": 2.356,
    "far": 0.638,
    "mixed": 2.14,
    "glare": -1.188,
    "rough": -3.533,
}
"""Weight of each feature in the log-odds that something in front covers part of a balloon."""
_SURE, _LIKELY, _MAYBE = 3.0, 0.0, -1.7
"""Log-odds that an occluder must reach on one balloon, of those beside it that belong to it, and of those at its border
(probabilities 0.95, 0.5 and 0.15)."""
_DOUBTFUL = -2.2
"""Log-odds (probability 0.1) above which a balloon behind something is only marked for a look."""
_LEAST_GROUP = 3
"""Balloons that an occluder must cover: what is confined to one or two balloons may be faults of theirs."""
_CROWD, _CROWD_GONE = 3, 2
"""Faults beside each other, and among them missing balloons or other sizes, from which they are no faults."""
_BESIDE = 1.35
"""Distance of two balloons, over the sum of their radii, up to which they are beside each other."""


@dataclass(frozen=True, slots=True, eq=False)
class OccluderPixels:
    """Pixels of balloons in a window that do not show what was planned, (h, w) bool each.

    `odd`: not the planned colour; `strange`: no colour of the piece; `dark`: far too dark for the inside of a balloon.
    """

    odd: NDArray[np.bool_]
    strange: NDArray[np.bool_]
    dark: NDArray[np.bool_]

    def without(self, marked: NDArray[np.bool_]) -> OccluderPixels:
        """The same but for pixels (h, w) that are known to be hidden."""
        return replace(self, odd=self.odd & ~marked, strange=self.strange & ~marked, dark=self.dark & ~marked)


def occluder_pixels(photo: AlignedPhoto, colours: JudgedColours, model: ModelSpheres) -> OccluderPixels:
    """Masks of pixels that do not show the planned balloon, leaving out the dark hollows between balloons."""
    image, shown = photo.image, photo.shown
    lines, columns = shown.window.slices
    of_piece = shown.identity >= 0
    whose = shown.identity[of_piece]
    red, blue, light = (channel[lines, columns][of_piece] for channel in (image.red, image.blue, image.light))
    clear, rim = image.clear[lines, columns][of_piece], shown.rim[of_piece]
    planned, balloon = model.colours[whose], model.is_balloon[whose]
    is_lit = light > np.median(light) - _DIM
    usual = {
        colour: float(np.median(_off(red, blue, colours, colour)[planned == colour])) for colour in np.unique(planned)
    }
    strange, odd = is_lit & clear, np.zeros(len(whose), dtype=bool)
    for colour in np.unique(np.concatenate([planned[balloon], colours.seen[~colours.strange]])).tolist():
        difference = _off(red, blue, colours, colour)
        # Dark and deep colours scatter more from pixel to pixel.
        is_off = difference > max(_OFF, _SCATTER * usual.get(colour, 0.0))
        strange &= is_off
        odd |= is_off & (planned == colour)
    expected = colours.means[planned, 2]
    level = float(np.median((light - expected)[balloon & clear])) if (balloon & clear).any() else 0.0
    dark = (light - expected - level < -_DIM) & (rim < _DEEP)
    masks = [np.zeros(shown.identity.shape, dtype=bool) for _ in range(3)]
    for mask, values in zip(masks, ((odd & is_lit & clear) | dark, strange, dark), strict=True):
        mask[of_piece] = values & balloon
    return OccluderPixels(*masks)


def _off(red: Floats, blue: Floats, colours: JudgedColours, colour: int) -> Floats:
    return np.asarray(np.hypot(red - colours.means[colour, 0], blue - colours.means[colour, 1]))


def features(
    photo: AlignedPhoto, pixels: OccluderPixels, sample: SampledBalls, colours: JudgedColours, model: ModelSpheres
) -> Floats:
    """Measure the features of the law for each balloon, (n, 14); NaN where too little of it is seen."""
    balloons, shown = len(model), photo.shown
    identity = np.append(model.whole, [-2, -1])[shown.identity]
    lines, columns = shown.window.slices
    weak = photo.image.edges[lines, columns] < _WEAK
    inside = (identity >= 0) & (shown.rim < _INSIDE)
    whole = np.bincount(identity[inside], minlength=balloons)

    def share(mask: NDArray[np.bool_]) -> Floats:
        return np.asarray(np.bincount(identity[inside & mask], minlength=balloons) / np.maximum(whole, 1))

    flows, ends, outer, borders, outline = (np.zeros(balloons) for _ in range(5))
    for here, there in ((np.s_[:, :-1], np.s_[:, 1:]), (np.s_[:-1], np.s_[1:])):
        one, other = identity[here], identity[there]
        odd_one, odd_other, is_weak = pixels.odd[here], pixels.odd[there], weak[here] & weak[there]
        both = (one >= 0) & (other >= 0) & (one != other)
        within = (one >= 0) & (one == other) & (np.maximum(shown.rim[here], shown.rim[there]) < _DEEP)
        for side, at_odd in ((one, odd_one), (other, odd_other)):
            borders += np.bincount(side[both], minlength=balloons)
            flows += np.bincount(side[both & odd_one & odd_other & is_weak], minlength=balloons)
            edge = (side >= 0) & (np.minimum(one, other) < 0)
            outline += np.bincount(side[edge], minlength=balloons)
            outer += np.bincount(side[edge & at_odd & is_weak], minlength=balloons)
        ends += np.bincount(one[within & (odd_one != odd_other)], minlength=balloons)
    odd, strange, dark = share(pixels.odd), share(pixels.strange), share(pixels.dark)
    beside = _beside(photo.circles, model.whole)
    around = np.where(beside, odd[None, :], 0.0)
    rough = np.bincount(
        identity[inside & (shown.rim < _DEEP)],
        weights=photo.image.edges[lines, columns][inside & (shown.rim < _DEEP)],
        minlength=balloons,
    )
    deep = np.bincount(identity[inside & (shown.rim < _DEEP)], minlength=balloons)
    around_2 = np.sort(around, axis=1)[:, -2] if balloons > 1 else np.zeros(balloons)
    table = np.column_stack(
        [
            odd,
            np.minimum(odd, 1 - odd),
            strange,
            dark,
            flows / np.maximum(borders, 1),
            outer / np.maximum(outline, 1),
            ends / np.maximum(2 * np.pi * photo.circles[:, 2], 1),
            np.nan_to_num(photo.rims),
            around.max(axis=1, initial=0.0),
            around_2,
            np.minimum(colours.far, 12.0) / 12,
            np.nan_to_num(sample.mixed),
            np.nan_to_num(sample.glare),
            rough / np.maximum(deep, 1),
        ]
    )
    table[whole < _FEW_PIXELS] = np.nan
    return table


def hidden_balls(
    photo: AlignedPhoto, pixels: OccluderPixels, sample: SampledBalls, colours: JudgedColours, model: ModelSpheres
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Find the balls that something in front hides, wholly or in part, (n,) bool; and those that it may touch."""
    score = np.nan_to_num(
        np.column_stack([np.ones(len(model)), features(photo, pixels, sample, colours, model)])
        @ np.array(list(_LAW.values())),
        nan=-np.inf,
    )
    hidden = np.zeros(len(model), dtype=bool)
    beside = _beside(photo.circles, model.whole)
    for group in _groups(score > _LIKELY, beside):
        if len(group) >= _LEAST_GROUP and score[group].max() > _SURE:
            hidden[group] = True
    # What is in front ends somewhere on the balloons around it.
    hidden |= (score > _MAYBE) & beside[:, hidden].any(axis=1)
    return hidden[model.whole], (score > _DOUBTFUL)[model.whole] & hidden.any()


def crowded_balls(
    gone: NDArray[np.bool_],
    plain: NDArray[np.bool_],
    wrong: NDArray[np.bool_],
    hidden: NDArray[np.bool_],
    circles: Floats,
    whole: Ints,
) -> NDArray[np.bool_]:
    """Find balloons that seem `gone` (missing, another size) or `wrong` (no known colour) close together, (n,) bool.

    `plain`: those of the gone whose places show nothing strange. Other faults do not crowd: so many beside each other
    are hidden by something, whatever its colour. So are those that seem gone beside `hidden` ones.
    """
    beside = _beside(circles, whole)
    crowded = np.zeros(len(circles), dtype=bool)
    odd = gone & ~plain
    for group in _groups(odd | wrong, beside):
        if len(group) >= _CROWD and int(odd[group].sum()) >= _CROWD_GONE:
            crowded[group] = True
    for group in _groups(gone | hidden | crowded, beside):
        if (hidden | crowded)[group].any():
            crowded[group] = True
    return crowded & ~hidden


def _groups(balls: NDArray[np.bool_], beside: NDArray[np.bool_]) -> list[Ints]:
    """Indices of some balls, (n,), that are beside each other, group by group."""
    from scipy.sparse.csgraph import connected_components  # noqa: PLC0415 - large, and only needed here

    which = np.flatnonzero(balls)
    _, label = connected_components(beside[np.ix_(which, which)], directed=False)
    return [which[label == group] for group in np.unique(label)]


def _beside(circles: Floats, whole: Ints) -> NDArray[np.bool_]:
    """Which balls are beside which others, (n, n); those that draw out a link stand for it and are beside none."""
    apart = np.hypot(*(circles[:, None, :2] - circles[None, :, :2]).transpose(2, 0, 1))
    near = apart < _BESIDE * np.maximum(circles[:, None, 2] + circles[None, :, 2], 1e-6)
    one, other = np.nonzero(near)
    beside = np.zeros_like(near)
    beside[whole[one], whole[other]] = True
    np.fill_diagonal(beside, False)
    return np.asarray(beside)
