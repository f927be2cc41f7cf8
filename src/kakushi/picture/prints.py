"""What is printed on balloons or lies in them: dots, stars, confetti, spread evenly all round."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from kakushi.model.catalogue import Finish

Pixels = NDArray[np.float32]

_CELLS = 48
"""Directions are looked up in so many cells each way: a third of the room between bits of confetti."""
GOLDEN = math.pi * (3 - math.sqrt(5))
"""The golden angle, radians: prints at its multiples are spread evenly."""
_POINT = math.pi / 5
"""Half the angle from one point of a star to the next."""


@dataclass(frozen=True, slots=True)
class _Print:
    """`many` marks all round, each of a `size` over the balloon's radius."""

    many: int
    size: float


PRINTS = {Finish.PRINTED: _Print(60, 0.11), Finish.STARS: _Print(44, 0.22), Finish.CONFETTI: _Print(150, 0.07)}
"""Number of prints on a balloon, and their size as a share of its radius."""


def printed_share(finish: Finish, normals: tuple[Pixels, Pixels, Pixels], pixel: Pixels) -> Pixels:
    """How much of each pixel its balloon's marks cover, (k,).

    `normals` to the right, towards who stands before the piece's front, up; `pixel`: one pixel over the balloon's
    radius. Raises KeyError for a finish that has no marks.
    """
    kind = PRINTS[finish]
    _, right, up = _marks(kind.many)
    points = np.stack(normals, axis=1)
    # Cells are small against the room between marks, so that those of a cell share their mark.
    x, y, z = (((normal + 1) * np.float32(_CELLS / 2)).astype(np.int32).clip(0, _CELLS - 1) for normal in normals)
    nearest = _nearest(kind.many).take((x * _CELLS + y) * _CELLS + z)
    u, v = (np.einsum("ij,ij->i", points, axis[nearest]) for axis in (right, up))
    match finish:
        case Finish.STARS:
            beyond = np.hypot(u, v) - _star_radius(np.arctan2(u, v), kind.size)
        case Finish.CONFETTI:
            # Bits of paper, each lying as it fell.
            c, s = np.cos(nearest * 1.7), np.sin(nearest * 1.7)
            beyond = np.maximum(np.abs(u * c + v * s), np.abs(v * c - u * s)) - kind.size
        case _:
            beyond = np.hypot(u, v) - kind.size
    return np.asarray(np.clip(0.5 - beyond / pixel, 0.0, 1.0), dtype=np.float32)


@lru_cache(maxsize=len(PRINTS))
def _nearest(colours: int) -> NDArray[np.int16]:
    """Which mark is nearest to the middle of each cell, (_CELLS³,)."""
    axis = (np.arange(_CELLS, dtype=np.float32) + np.float32(0.5)) * np.float32(2 / _CELLS) - 1
    marks = _marks(colours)[0]
    planes = (np.stack(np.broadcast_arrays(x, axis[:, None], axis[None]), axis=-1).reshape(-1, 3) for x in axis)
    return np.concatenate([(plane @ marks.T).argmax(axis=1).astype(np.int16) for plane in planes])


@lru_cache(maxsize=len(PRINTS))
def _marks(colours: int) -> tuple[Pixels, Pixels, Pixels]:
    """Where marks are and their axes across and up, (many, 3) each."""
    up = 1 - (2 * np.arange(colours) + 1) / colours
    across, turn = np.sqrt(1 - up**2), np.arange(colours) * GOLDEN
    marks = np.stack([across * np.sin(turn), across * np.cos(turn), up], axis=1)
    right = np.stack([np.cos(turn), -np.sin(turn), np.zeros(colours)], axis=1)
    # Right, up and outwards stand square to each other.
    over = np.cross(marks, right)
    over *= np.where(over[:, 2:] < 0, -1, 1)
    return marks.astype(np.float32), right.astype(np.float32), over.astype(np.float32)


def _star_radius(angle: Pixels, size: float) -> Pixels:
    """Radius of a five-pointed star in a direction, one point up."""
    folded = np.abs((angle + _POINT) % (2 * _POINT) - _POINT)
    inner = 0.42 * size
    return np.asarray(
        size * inner * math.sin(_POINT) / (size * np.sin(folded) + inner * np.sin(_POINT - folded)), dtype=np.float32
    )
