"""Colours as eyes see them: CIELAB, differences, colour-vision deficits, palettes out of pictures.

scikit-image does the colour spaces and the difference CIEDE2000; it is imported at first use, for it is large.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kakushi.colour.rgb import hex_of, rgb_of
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import BalloonColour

HARDLY_APART = 11.0
"""CIEDE2000 below which two balloon colours are hard to tell apart across a room; a judgement, not a standard."""

# Full loss of one kind of cone, on linear RGB. Source: Machado, Oliveira and Fernandes (2009), table for severity 1.
_DEFICITS = {
    "red-blind": ((0.152286, 1.052583, -0.204868), (0.114503, 0.786281, 0.099216), (-0.003882, -0.048116, 1.051998)),
    "green-blind": ((0.367322, 0.860646, -0.227968), (0.280085, 0.672501, 0.047413), (-0.011820, 0.042940, 0.968881)),
    "blue-blind": ((1.255528, -0.076749, -0.178779), (-0.078411, 0.930809, 0.147602), (0.004733, 0.691367, 0.303900)),
}
DEFICITS = tuple(_DEFICITS)


def lab_of(rgb: Floats) -> Floats:
    """CIELAB (n, 3) of sRGB from 0 to 1, (n, 3); D65."""
    from skimage.color import rgb2lab  # noqa: PLC0415 - see above

    return np.asarray(rgb2lab(np.asarray(rgb, dtype=float).reshape(1, -1, 3))[0])


def linear_light(rgb: Floats) -> Floats:
    """Linear light, 0 to 1, of sRGB from 0 to 1, any shape: the curve of IEC 61966-2-1."""
    return np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)


def rgb_of_lab(lab: Floats) -> Floats:
    """SRGB from 0 to 1, (n, 3), of CIELAB (n, 3)."""
    from skimage.color import lab2rgb  # noqa: PLC0415 - see above

    return np.asarray(lab2rgb(np.asarray(lab, dtype=float).reshape(1, -1, 3))[0])


@lru_cache(maxsize=64)
def differences(hexes: tuple[str, ...]) -> Floats:
    """CIEDE2000 between every two colours, (n, n)."""
    lab = lab_of(np.array([rgb_of(h) for h in hexes]))
    return _ciede2000(lab[:, None, :], lab[None, :, :])


def _ciede2000(one: Floats, other: Floats) -> Floats:
    from skimage import color  # noqa: PLC0415 - see above

    difference: Any = color.deltaE_ciede2000
    return np.asarray(difference(one, other))


def seen_with(deficit: str, hex_colour: str) -> str:
    """How a colour looks to somebody with one of DEFICITS."""
    # Cones add light, not code values.
    seen = np.clip(np.array(_DEFICITS[deficit]) @ linear_light(np.array(rgb_of(hex_colour))), 0, 1)
    return hex_of(np.where(seen <= 0.0031308, seen * 12.92, 1.055 * seen ** (1 / 2.4) - 0.055))


@dataclass(frozen=True, slots=True)
class Alike:
    """Two colours that are hard to tell apart, `to` everybody ("") or to people with one of DEFICITS."""

    one: str
    other: str
    difference: float
    to: str


def hardly_apart(colours: Sequence[BalloonColour]) -> list[Alike]:
    """Pairs of colours that are hard to tell apart, those for everybody first; each pair once."""
    alike: dict[tuple[str, str], Alike] = {}
    for deficit in ("", *DEFICITS):
        hexes = tuple(c.hex if not deficit else seen_with(deficit, c.hex) for c in colours)
        apart = differences(hexes) if len(hexes) > 1 else np.zeros((0, 0))
        for i, one in enumerate(colours):
            for j, other in enumerate(colours[:i]):
                # A matt and a chrome of one colour are told apart by their shine.
                if apart[i, j] < HARDLY_APART and one.finish == other.finish:
                    alike.setdefault((other.key, one.key), Alike(other.key, one.key, float(apart[i, j]), deficit))
    return list(alike.values())


def nearest(lab: Floats, palette: Sequence[BalloonColour]) -> NDArray[np.intp]:
    """Index of the palette colour nearest (CIEDE2000) to each of CIELAB (n, 3)."""
    own = lab_of(np.array([rgb_of(c.hex) for c in palette]))
    return np.asarray(np.argmin(_ciede2000(np.asarray(lab)[:, None, :], own[None, :, :]), axis=1))


def dark_first(keys: Sequence[str], palette: Sequence[BalloonColour]) -> tuple[str, ...]:
    """Colour keys from dark to light."""
    hexes = {c.key: c.hex for c in palette}
    # A colour the palette has lost counts as middle grey.
    lightness = {key: float(lab_of(np.array([rgb_of(hexes.get(key, "#808080"))]))[0, 0]) for key in keys}
    return tuple(sorted(keys, key=lambda key: lightness[key]))


def main_colours(rgb: Floats, count: int, seed: int = 1) -> list[str]:
    """The `count` main colours of pixels (n, 3), most frequent first: k-means in CIELAB.

    Raises ValueError without pixels.
    """
    from scipy.cluster.vq import kmeans2  # noqa: PLC0415 - large, and only needed here

    if not len(rgb):
        raise ValueError("no pixels")
    lab = lab_of(np.asarray(rgb, dtype=float))
    # A tenth of a unit cannot be seen; k-means must not be asked for more centres than there are colours.
    few = np.unique(np.round(lab, 1), axis=0)
    centres, owner = kmeans2(lab, min(count, len(few)), minit="++", seed=seed, iter=20)
    # Stable, so that equal shares come in the same order on every machine.
    order = np.argsort(-np.bincount(owner, minlength=len(centres)), kind="stable")
    used = [i for i in order if (owner == i).any()]
    return list(dict.fromkeys(hex_of(colour) for colour in rgb_of_lab(centres[used])))


def mixed_look(outer: str, inner: str) -> str:
    """The look of one balloon in another: the outer skin lets half of the inner one through (assumed), in CIELAB."""
    lab = lab_of(np.array([rgb_of(outer), rgb_of(inner)]))
    return hex_of(rgb_of_lab(lab.mean(axis=0, keepdims=True))[0])
