"""Something in front of the piece: which balloons cannot be judged for it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kakushi.check.expected import Expected
from kakushi.check.image import Image
from kakushi.check.light import Judged, Sample
from kakushi.check.subject import Subject
from kakushi.model.arrays import Floats

_OFF, _DIM = 0.38, 1.6
"""Colour ratios and brightness, logarithms, farther off the planned colour than that are something else."""
_SCATTER = 3.5
"""So many times the usual scatter of a colour's pixels is something else."""
_TOUCHED, _PARTLY = 0.30, 0.14
"""Shares of a balloon's pixels that something else shows at, of one that is hidden and of one beside it."""
_AT_LEAST = 4
"""So many balloons beside each other are hidden by something; fewer may be faults."""
_CROWD, _CROWD_GONE = 3, 2
"""So many faults beside each other, and of them so many of missing balloons or sizes, are no faults."""
_FAR, _MIXED = 6.0, 0.25
"""A balloon beside them so many spreads off its colour, and so mixed, is hidden in part."""
_BESIDE = 1.35
"""Balloons nearer than that, over the sum of their radii, are beside each other."""


def strange_pixels(image: Image, shown: Expected, judged: Judged, subject: Subject) -> NDArray[np.bool_]:
    """Pixels of balloons that show none of the piece's colours, planned or found, (h, w); dark hollows are none."""
    lines, columns = shown.window.slices
    mine = shown.identity >= 0
    found = np.zeros(shown.identity.shape, dtype=bool)
    whose = shown.identity[mine]
    red, blue, light = (channel[lines, columns][mine] for channel in (image.red, image.blue, image.light))
    planned = subject.colours[whose]
    strange = light > np.median(light) - _DIM
    for colour in np.unique(
        np.concatenate([subject.colours[subject.is_balloon], judged.seen[~judged.strange]])
    ).tolist():
        off = np.hypot(red - judged.means[colour, 0], blue - judged.means[colour, 1])
        # Dark and deep colours scatter more from pixel to pixel.
        own = planned == colour
        usual = float(np.median(off[own])) if own.any() else 0.0
        strange &= off > max(_OFF, _SCATTER * usual)
    found[mine] = strange & image.clear[lines, columns][mine]
    return found


def hidden_balls(
    shown: Expected, strange: NDArray[np.bool_], sample: Sample, judged: Judged, circles: Floats
) -> NDArray[np.bool_]:
    """Balls that something in front hides, (n,)."""
    many = len(circles)
    inside = (shown.identity >= 0) & (shown.rim < 0.9)
    whole = np.bincount(shown.identity[inside], minlength=many)
    share = np.bincount(shown.identity[inside & strange], minlength=many) / np.maximum(whole, 1)
    share[whole < 20] = 0.0
    hidden = np.zeros(many, dtype=bool)
    for group in _groups(np.flatnonzero(share > _TOUCHED).tolist(), circles):
        if len(group) >= _AT_LEAST:
            hidden[group] = True
    if hidden.any():
        # What is in front ends somewhere on the balloons about it.
        partly = (share > _PARTLY) | ((judged.far > _FAR) & (sample.mixed > _MIXED))
        for ball in np.flatnonzero(~hidden & (whole > 0) & partly).tolist():
            hidden[ball] = bool((_gaps(circles, ball)[hidden] < _BESIDE).any())
    return hidden


def crowded_balls(
    gone: NDArray[np.bool_],
    plain: NDArray[np.bool_],
    wrong: NDArray[np.bool_],
    hidden: NDArray[np.bool_],
    circles: Floats,
) -> NDArray[np.bool_]:
    """Balls told as `gone` (missing, of another size) or `wrong` (of no colour that is known) in one place, (n,).

    `plain`: those of the gone whose places show nothing strange. Other faults do not crowd: so many beside each other
    are hidden by something, whatever its colour. So are those that seem gone beside `hidden` ones.
    """
    crowded = np.zeros(len(circles), dtype=bool)
    odd = gone & ~plain
    for group in _groups(np.flatnonzero(odd | wrong).tolist(), circles):
        if len(group) >= _CROWD and int(odd[group].sum()) >= _CROWD_GONE:
            crowded[group] = True
    for group in _groups(np.flatnonzero(gone | hidden | crowded).tolist(), circles):
        if (hidden | crowded)[group].any():
            crowded[group] = True
    return crowded & ~hidden


def _groups(balls: list[int], circles: Floats) -> list[list[int]]:
    """Balls beside each other, group by group."""
    left, groups = set(balls), []
    while left:
        group, wave = [], [left.pop()]
        while wave:
            ball = wave.pop()
            group.append(ball)
            gaps = _gaps(circles, ball)
            near = [other for other in left if gaps[other] < _BESIDE]
            left.difference_update(near)
            wave += near
        groups.append(sorted(group))
    return groups


def _gaps(circles: Floats, ball: int) -> Floats:
    """How far all balls lie from one, over the sum of both radii."""
    apart = np.hypot(circles[:, 0] - circles[ball, 0], circles[:, 1] - circles[ball, 1])
    return np.asarray(apart / np.maximum(circles[:, 2] + circles[ball, 2], 1e-6))
