"""What shows through a balloon's skin: a balloon inside another one, a leaf or paper in a clear one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kakushi.picture.paint import Paint
from kakushi.picture.prints import GOLDEN
from kakushi.picture.skin import VisiblePixels

_EDGE, _OUTER_ALONE = 0.04, 0.9
"""Width of the edge of a balloon inside another one, over the outer radius, and how much of what is seen beside it is
the outer one's own colour."""


def show_outer(
    colour: NDArray[np.float32],
    skin: VisiblePixels,
    paints: Sequence[Paint],
    away: NDArray[np.float32],
    pole: tuple[float, float, float],
) -> None:
    """Of two balloons in one another the outer one's colour, the more the skin faces `away` (0 to 1)."""
    if all(paint.outer is None for paint in paints):
        return
    has = np.array([*(paint.outer is not None for paint in paints), False])
    outer = np.array([*(paint.outer or paint.rgb for paint in paints), pole], dtype=np.float32)
    see_through = np.flatnonzero(has[skin.owner])
    share = np.array([*(paint.inner_share for paint in paints), 1.0], dtype=np.float32)[skin.owner[see_through]]
    # Beyond the edge of a smaller inner balloon nearly all that is seen is the outer one.
    out = np.sqrt(np.maximum(1 - (1 - away[see_through]) ** 2, 0))
    beyond = np.clip((out - share) / np.float32(_EDGE), 0, 1) * np.float32(_OUTER_ALONE)
    mixed = np.maximum(away[see_through], beyond)
    colour[:, see_through] += (outer.T[:, skin.owner[see_through]] - colour[:, see_through]) * mixed


_THING_LONG, _THING_WIDE, _THING_DARKENS = 0.62, 0.3, 0.45
"""Half length and half width of a leaf or paper, in radii of its balloon; how much the skin in front darkens it."""


def show_things_inside(colour: NDArray[np.float32], skin: VisiblePixels, paints: Sequence[Paint]) -> None:
    """A leaf or paper in a clear balloon: an ellipse seen through its skin, each turned another way."""
    holds = np.array([*(paint.holds_thing for paint in paints), False])
    if not holds.any():
        return
    inside = np.flatnonzero(holds[skin.owner])
    turn = skin.owner[inside].astype(np.float32) * np.float32(GOLDEN)
    c, s = np.cos(turn), np.sin(turn)
    nx, ny = skin.nx[inside], skin.ny[inside]
    out = ((nx * c + ny * s) / np.float32(_THING_LONG)) ** 2 + ((ny * c - nx * s) / np.float32(_THING_WIDE)) ** 2
    dark = np.clip((1 - out) * 4, 0, 1) * np.float32(_THING_DARKENS)
    colour[:, inside] *= 1 - dark
