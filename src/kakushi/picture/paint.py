"""What a ball is painted with: colour, finish, evenness, letters."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kakushi.model.catalogue import Finish
from kakushi.picture.film import Film
from kakushi.picture.prints import PRINTS


@dataclass(frozen=True, slots=True, eq=False)
class Letters:
    """Film on a balloon's front: a square mask over its disc, and the film's colour."""

    mask: NDArray[np.bool_]
    rgb: tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Paint:
    """A balloon's colour (r, g, b in 0 to 1) and finish, and the letters on it.

    `outer`: the colour of the outer one of two balloons, which shows at the rim, where one looks along its skin;
    `inner_share`: how wide the inner one is beside it. `holds_thing`: a leaf or paper in it shows through its skin.
    `film`: from this ball on, so many stand for a film.
    `evened_mm`: of a ball of something that is no round balloon, whose skin runs on from ball to ball, over how much it
    is evened out.
    """

    rgb: tuple[float, float, float]
    finish: Finish = Finish.PLAIN
    letters: Letters | None = None
    evened_mm: float = 0.0
    outer: tuple[float, float, float] | None = None
    inner_share: float = 1.0
    holds_thing: bool = False
    film: tuple[int, Film] | None = None

    @property
    def has_marks(self) -> bool:
        """Whether its skin is not the same all round."""
        return self.letters is not None or self.outer is not None or self.holds_thing or self.finish in PRINTS


def paint_of(
    hex_colour: str,
    finish: Finish = Finish.PLAIN,
    evened_mm: float = 0.0,
    outer: str | None = None,
    inner_share: float = 1.0,
) -> Paint:
    """Paint from ``#rrggbb``. Raises ValueError for anything else."""
    around = None if outer is None else rgb_share(outer)
    return Paint(rgb_share(hex_colour), finish, evened_mm=evened_mm, outer=around, inner_share=inner_share)


def rgb_share(hex_colour: str) -> tuple[float, float, float]:
    """Red, green and blue of “#rrggbb”, 0 to 1. Raises ValueError for anything else."""
    if len(hex_colour) != 7:
        raise ValueError(f"not a colour: {hex_colour}")
    r, g, b = (int(hex_colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return r, g, b
