"""What the pixels of a picture show of balloons and pole: whose skin, how far from its middle, which way it faces."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from kakushi.sight.buffers import NOTHING, POLE, Buffers, pole_across


@dataclass(frozen=True, slots=True, eq=False)
class VisiblePixels:
    """The pixels of a crop that show something, (k,): `at` in the crop, line by line, `owner` (the pole last).

    `identity` is the crop's, of all its pixels.
    `dx`, `dy`, `away`: from the middle of its balloon of that `radius`, px; `nx`, `ny`: the normal to the right and up;
    `coverage`: how much of the pixel is covered where nothing lies behind.
    """

    identity: NDArray[np.int32]
    at: NDArray[np.int64]
    owner: NDArray[np.int64]
    dx: NDArray[np.float32]
    dy: NDArray[np.float32]
    away: NDArray[np.float32]
    radius: NDArray[np.float32]
    nx: NDArray[np.float32]
    ny: NDArray[np.float32]
    coverage: NDArray[np.float32]

    @property
    def shape(self) -> tuple[int, int]:
        """Lines and columns of the crop."""
        height, width = self.identity.shape
        return height, width

    def only(self, which: NDArray[np.int64]) -> VisiblePixels:
        """The pixels at some indices, (k,)."""
        at, owner, *rest = (getattr(self, each.name).take(which) for each in fields(self)[1:])
        return VisiblePixels(self.identity, at, owner, *rest)

    def places(self, which: NDArray[np.int64] | NDArray[np.bool_]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Lines and columns of some of the pixels."""
        return places(self.at[which], self.shape[1])


def skin_of(buffers: Buffers, crop: tuple[slice, slice]) -> VisiblePixels:
    """The visible pixels of a crop (rows, columns) of the buffers."""
    identity = buffers.identity[crop]
    width = identity.shape[1]
    at = np.flatnonzero(identity != NOTHING)
    owner_at = identity.reshape(-1).take(at)
    on_pole = owner_at == POLE
    owner = np.where(on_pole, len(buffers.radii), owner_at).astype(np.int64)
    line, column = places(at, width)
    # The middles in the crop, half a pixel off: pixels are looked at in their middles.
    middles = np.concatenate([buffers.placed, np.zeros((1, 3), dtype=np.float32)])
    radii = np.concatenate([buffers.radii, np.ones(1, dtype=np.float32)])
    left, top = np.float32(crop[1].start + 0.5), np.float32(crop[0].start + 0.5)
    dx = column.astype(np.float32) + (left - middles[:, 0]).take(owner)
    dy = line.astype(np.float32) + (top - middles[:, 1]).take(owner)
    radius = radii.take(owner)
    away = np.sqrt(dx * dx + dy * dy)
    scale = 1 / np.maximum(radius, away)
    nx, ny = dx * scale, -dy * scale
    # Rims fade over one pixel against the empty ground.
    coverage = np.ones(len(at), dtype=np.float32)
    edge = np.searchsorted(at, np.flatnonzero(_borders_nothing(identity) & (identity >= 0)))
    coverage[edge] = np.clip(radius[edge] + np.float32(0.5) - away[edge], 0.0, 1.0)
    if buffers.pole is not None and on_pole.any():
        nx[on_pole] = np.clip(pole_across(buffers.view, buffers.pole, column[on_pole] + crop[1].start), -1.0, 1.0)
        ny[on_pole] = 0.0
        away[on_pole] = 0.0
    return VisiblePixels(identity, at, owner, dx, dy, away, radius, nx, ny, coverage)


def places(at: NDArray[np.int64], width: int) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Lines and columns of places that count line by line. In 32 bits: dividing takes a fifth of the time."""
    flat, wide = at.astype(np.int32), np.int32(width)
    line = flat // wide
    return line, flat - line * wide


def _borders_nothing(identity: NDArray[np.int32]) -> NDArray[np.bool_]:
    """Pixels beside an empty one, (h, w)."""
    empty = np.asarray(identity == NOTHING)
    beside = np.zeros_like(empty)
    beside[1:] |= empty[:-1]
    beside[:-1] |= empty[1:]
    beside[:, 1:] |= empty[:, :-1]
    beside[:, :-1] |= empty[:, 1:]
    return np.asarray(beside)
