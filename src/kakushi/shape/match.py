"""How well a settled column fills its outline: intersection over union of silhouettes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.stack import Geometry
from kakushi.shape.profile import Profile

# mm between the lines of the comparison.
GRID_MM = 5.0
# Sides compared, evenly round the piece.
AZIMUTHS = 12


@dataclass(frozen=True, slots=True)
class Match:
    """Intersection over union of the projected balloons and the outline, per azimuth."""

    by_azimuth: tuple[float, ...]

    @property
    def mean(self) -> float:
        """Mean over the azimuths, 0 to 1."""
        return float(np.mean(self.by_azimuth))

    @property
    def worst(self) -> float:
        """The worst side, 0 to 1."""
        return float(min(self.by_azimuth))


def match_of(
    geometry: Geometry, profile: Profile, foot_mm: float = 0.0, grid_mm: float = GRID_MM, azimuths: int = AZIMUTHS
) -> Match:
    """Match of a geometry with an outline standing at height `foot_mm`.

    Silhouettes are sampled at the centres of grid cells, from `azimuths` (even) evenly spaced sides.
    """
    top = max(profile.height + foot_mm, geometry.top)
    reach = max(float(profile.left.max()), float(profile.right.max()))
    if len(geometry.radii):
        out = geometry.local.out + geometry.shape_radii
        reach = max(reach, float(out.max()))
    lines = (np.arange(int(np.ceil(top / grid_mm))) + 0.5) * grid_mm
    half = int(np.ceil(reach / grid_mm)) + 1
    across = (np.arange(-half, half) + 0.5) * grid_mm
    left, right = profile.sides(lines - foot_mm)
    wanted = (across[None, :] >= -left[:, None]) & (across[None, :] <= right[:, None])
    chords = _chords(geometry, lines)
    # Opposite sides are mirror images: where the outline is symmetric, half of them tell all.
    symmetric = np.array_equal(profile.left, profile.right)
    sides = azimuths // 2 if symmetric else azimuths
    shares = []
    for azimuth in np.arange(sides) * 2 * np.pi / azimuths:
        covered = _covered(geometry, chords, azimuth, wanted.shape, float(across[0]), grid_mm)
        union = np.count_nonzero(covered | wanted)
        shares.append(np.count_nonzero(covered & wanted) / union if union else 0.0)
    return Match(tuple(shares * (azimuths // sides)))


@dataclass(frozen=True, slots=True)
class _Chords:
    """Where balloons cross grid lines: line and balloon (c,), half the chord's length, mm."""

    line: Ints
    balloon: Ints
    half: Floats


def _chords(geometry: Geometry, lines: Floats) -> _Chords:
    off = lines[:, None] - geometry.centres[None, :, 2]
    squared = geometry.shape_radii[None, :] ** 2 - off**2
    line, balloon = np.nonzero(squared > 0)
    return _Chords(line, balloon, np.sqrt(squared[line, balloon]))


def _covered(
    geometry: Geometry, chords: _Chords, azimuth: float, shape: tuple[int, ...], first: float, grid_mm: float
) -> np.ndarray:
    """Grid cells covered by the balloons seen from `azimuth`, (lines, cells) bool.

    `first` is the x of the leftmost cell's centre, mm.
    """
    lines, cells = shape
    x = (geometry.centres[:, 0] * np.cos(azimuth) + geometry.centres[:, 1] * np.sin(azimuth))[chords.balloon]
    start = np.clip(np.ceil((x - chords.half - first) / grid_mm).astype(int), 0, cells)
    stop = np.clip(np.floor((x + chords.half - first) / grid_mm).astype(int) + 1, 0, cells)
    size = lines * (cells + 1)
    opened = np.bincount(chords.line * (cells + 1) + np.minimum(start, stop), minlength=size)
    closed = np.bincount(chords.line * (cells + 1) + stop, minlength=size)
    inside = np.cumsum((opened - closed).reshape(lines, cells + 1), axis=1)
    return np.asarray(inside[:, :-1] > 0)
