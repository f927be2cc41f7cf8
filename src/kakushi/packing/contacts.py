"""What touches what in a settled column, and each row's measures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats, Ints
from kakushi.packing.near import pairs_near_in_height
from kakushi.packing.stack import Geometry

# mm of overlap: rounding does not make a contact.
TOUCHING = 1e-6


@dataclass(frozen=True, slots=True)
class Contacts:
    """Touching balloons: `pairs` (c, 2) indices, lower first, `overlap` (c,) mm."""

    pairs: Ints
    overlap: Floats


@dataclass(frozen=True, slots=True)
class RowMeasure:
    """A settled row. Lengths mm.

    `ring` mean distance of its balloons' centres from the centreline; `width` across the swollen row;
    `overlap_ratio` largest overlap with any balloon over the sum of the radii; `gap` between the pole (or the
    centreline) and the nearest skin: mechanics show through a wide one.
    """

    ring: float
    width: float
    overlap_ratio: float
    gap: float


def contacts(geometry: Geometry, gap: float = 0.0) -> Contacts:
    """Every two balloons that touch, whichever rows they are in, next-but-one rows included.

    With a `gap`, mm, those that lie no further apart too; their overlap is negative.
    """
    if len(geometry.radii) < 2:
        return Contacts(np.zeros((0, 2), dtype=np.int64), np.zeros(0))
    pairs = pairs_near_in_height(geometry.centres[:, 2], 2 * float(geometry.radii.max()) + gap)
    apart = np.linalg.norm(geometry.centres[pairs[:, 0]] - geometry.centres[pairs[:, 1]], axis=1)
    overlap = geometry.radii[pairs].sum(axis=1) - apart
    touching = overlap > TOUCHING - gap
    order = np.lexsort((pairs[touching, 1], pairs[touching, 0]))
    return Contacts(pairs[touching][order], overlap[touching][order])


def row_measures(geometry: Geometry, pole_radius: float) -> tuple[RowMeasure, ...]:
    """Measures of every row, foot first."""
    touching = contacts(geometry)
    share = touching.overlap / geometry.radii[touching.pairs].sum(axis=1)
    overlap_ratio = np.zeros(len(geometry.radii))
    for end in (0, 1):
        np.maximum.at(overlap_ratio, touching.pairs[:, end], share)
    out = geometry.local.out
    measures = []
    for row in range(len(geometry.frames)):
        in_row = geometry.of_row(row)
        reach = out[in_row] + geometry.shape_radii[in_row]
        gap = float((out[in_row] - geometry.shape_radii[in_row]).min()) - pole_radius
        measures.append(
            RowMeasure(
                float(out[in_row].mean()), float(2 * reach.max()), float(overlap_ratio[in_row].max()), max(gap, 0.0)
            )
        )
    return tuple(measures)
