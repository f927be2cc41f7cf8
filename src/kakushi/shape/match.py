"""How well a settled column fills its outline: intersection over union of silhouettes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kakushi.packing.stack import Floats, Geometry
from kakushi.shape.profile import Profile

GRID_MM = 5.0
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


def match_of(geometry: Geometry, profile: Profile, foot_mm: float = 0.0, grid_mm: float = GRID_MM) -> Match:
    """Match of a geometry with an outline standing at height `foot_mm`.

    Silhouettes are sampled at the centres of grid cells, from AZIMUTHS evenly spaced sides.
    """
    top = max(profile.height + foot_mm, geometry.top)
    reach = max(float(profile.left.max()), float(profile.right.max()))
    if len(geometry.radii):
        out = np.hypot(geometry.centres[:, 0], geometry.centres[:, 1]) + geometry.radii
        reach = max(reach, float(out.max()))
    lines = (np.arange(int(np.ceil(top / grid_mm))) + 0.5) * grid_mm
    half = int(np.ceil(reach / grid_mm)) + 1
    across = (np.arange(-half, half) + 0.5) * grid_mm
    left, right = profile.sides(lines - foot_mm)
    wanted = (across[None, :] >= -left[:, None]) & (across[None, :] <= right[:, None])
    shares = []
    for azimuth in np.arange(AZIMUTHS) * 2 * np.pi / AZIMUTHS:
        covered = silhouette(geometry, azimuth, lines, across[0], len(across), grid_mm)
        union = np.count_nonzero(covered | wanted)
        shares.append(np.count_nonzero(covered & wanted) / union if union else 0.0)
    return Match(tuple(shares))


def silhouette(
    geometry: Geometry, azimuth: float, lines: Floats, first: float, cells: int, grid_mm: float
) -> np.ndarray:
    """Grid cells covered by the balloons seen from `azimuth`, (lines, cells) bool.

    `lines` are the cells' heights, `first` the x of the leftmost cell's centre, mm.
    """
    marks = np.zeros((len(lines), cells + 1), dtype=np.int32)
    if len(geometry.radii):
        x = geometry.centres[:, 0] * np.cos(azimuth) + geometry.centres[:, 1] * np.sin(azimuth)
        off = lines[:, None] - geometry.centres[None, :, 2]
        chord = geometry.radii[None, :] ** 2 - off**2
        line, balloon = np.nonzero(chord > 0)
        half = np.sqrt(chord[line, balloon])
        start = np.ceil((x[balloon] - half - first) / grid_mm).astype(int)
        stop = np.floor((x[balloon] + half - first) / grid_mm).astype(int) + 1
        some = stop > start
        np.add.at(marks, (line[some], np.clip(start[some], 0, cells)), 1)
        np.add.at(marks, (line[some], np.clip(stop[some], 0, cells)), -1)
    return np.asarray(np.cumsum(marks, axis=1)[:, :-1] > 0)
