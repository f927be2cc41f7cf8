"""What rows the fit may choose from, and what each does to height and silhouette."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.model.catalogue import NominalSize, Sizer
from kakushi.model.units import MM_PER_INCH
from kakushi.packing.stack import Packing
from kakushi.packing.uniform import Uniform, uniform_stacks

# Sides of a row that stand for all by symmetry.
AZIMUTH_SAMPLES = 3
# Heights across a row's band on which its width is compared.
BAND_SAMPLES = 6


@dataclass(frozen=True, slots=True, eq=False)
class RowKinds:
    """The kinds of row of one count: nominal sizes (k,) in, sized diameters (k,) mm, their packing.

    `rise` (k, k) mm from a row to the next; `extent` (k, k, BAND_SAMPLES, AZIMUTH_SAMPLES)
    half-width, mm, of two rows' union at even heights between their knots;
    `cap` (k, BAND_SAMPLES, AZIMUTH_SAMPLES) that of one row from its knot to its end.
    """

    count: int
    nominals: Floats
    diameters: Floats
    slacks: Floats
    fill: Floats
    uniform: Uniform
    rise: Floats
    extent: Floats
    cap: Floats

    @property
    def half_width(self) -> Floats:
        """Half-width of each kind of row at its knot, averaged over the azimuths, mm."""
        return self.uniform.ring * float(_lean(self.count, False).mean()) + self.shape_radii

    @property
    def widest(self) -> Floats:
        """Whole width of each kind of row, mm."""
        return 2 * (self.uniform.ring + self.shape_radii)

    @property
    def shape_radii(self) -> Floats:
        """Radius of the swollen balloons of each kind of row, (k,) mm."""
        return self.uniform.shape_radii

    def with_rise(self, rise: Floats) -> RowKinds:
        """These choices with other rises, (k, k) mm."""
        return dataclasses.replace(self, rise=rise)

    def subset(self, which: Ints) -> RowKinds:
        """Only the kinds at the indices `which`, (k,)."""
        w = np.asarray(which, dtype=int)
        return RowKinds(
            count=self.count,
            nominals=self.nominals[w],
            diameters=self.diameters[w],
            slacks=self.slacks[w],
            fill=self.fill[w],
            uniform=self.uniform.of(w),
            rise=self.rise[np.ix_(w, w)],
            extent=self.extent[np.ix_(w, w)],
            cap=self.cap[w],
        )


Kind = tuple[float, float]
"""Nominal size (in) and sized diameter (mm)."""


@lru_cache(maxsize=32)
def choices_for(
    count: int, nominals: tuple[NominalSize, ...], sizer: Sizer, packing: Packing, pinned: tuple[Kind, ...] = ()
) -> RowKinds | None:
    """Every sized diameter the sizer has for each nominal size; None when there is none.

    Where two nominal sizes reach one diameter, both are kept: they differ in slack and fill.
    Kinds of `pinned` rows come last, whether on the sizer or not.
    """
    free = [(size.nominal_in, diameter) for size in nominals for diameter in sizer.diameters(size)]
    if not free:
        return None
    nominal, diameter = np.array([*free, *pinned]).T
    slack = np.array([packing.neck_slack(n, d, count) for n, d in zip(nominal, diameter, strict=True)])
    uniform = uniform_stacks(count, diameter, slack, packing)
    rise = _rises(count, diameter, uniform)
    return RowKinds(
        count=count,
        nominals=nominal,
        diameters=diameter,
        slacks=slack,
        fill=diameter / (nominal * MM_PER_INCH),
        uniform=uniform,
        rise=rise,
        extent=_extents(count, uniform, rise),
        cap=_caps(count, uniform),
    )


def _rises(count: int, diameter: Floats, uniform: Uniform) -> Floats:
    ring, overlap = uniform.ring, uniform.overlap
    across = ring[:, None] ** 2 + ring[None, :] ** 2 - 2 * ring[:, None] * ring[None, :] * np.cos(np.pi / count)
    reach = (diameter[:, None] + diameter[None, :] - overlap[:, None] - overlap[None, :]) / 2
    least = 0.1 * np.minimum(diameter[:, None], diameter[None, :])
    return np.asarray(np.sqrt(np.maximum(reach**2 - across, least**2)))


def _lean(count: int, turned: bool) -> Floats:
    """How far sideways the outermost balloon of a row looks, as cos(angle to the view's edge), (a,).

    Azimuths are spread over half a period; by symmetry they stand for all of them.
    """
    angles = (np.arange(AZIMUTH_SAMPLES) + 0.5) / AZIMUTH_SAMPLES * np.pi / count
    return np.asarray(np.cos(np.pi / count - angles if turned else angles))


def _half_width(ring: Floats, radius: Floats, lean: Floats, angles: Floats) -> Floats:
    """Half-width of rows at heights `off` from their knots; ring, radius, off broadcast; adds an axis."""
    chord = np.sqrt(np.maximum(radius**2 - angles**2, 0.0))
    reach = (ring[..., None] * lean + chord[..., None]).astype(np.float64)
    return np.where((np.abs(angles) < radius)[..., None], reach, 0.0)


def _extents(count: int, uniform: Uniform, rise: Floats) -> Floats:
    ring, radius = uniform.ring, uniform.shape_radii
    share = (np.arange(BAND_SAMPLES) + 0.5) / BAND_SAMPLES
    up = rise[:, :, None] * share
    down = rise[:, :, None] * (1 - share)
    low = _half_width(ring[:, None, None], radius[:, None, None], _lean(count, False), up)
    high = _half_width(ring[None, :, None], radius[None, :, None], _lean(count, True), down)
    return np.maximum(low, high).astype(np.float32)


def _caps(count: int, uniform: Uniform) -> Floats:
    ring, radius = uniform.ring, uniform.shape_radii
    share = (np.arange(BAND_SAMPLES) + 0.5) / BAND_SAMPLES
    return _half_width(ring[:, None], radius[:, None], _lean(count, False), radius[:, None] * share).astype(np.float32)
