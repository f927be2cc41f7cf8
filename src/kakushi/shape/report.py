"""Where a fitted column misses its outline, and why."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.packing.stack import Geometry
from kakushi.shape.facts import MissReason
from kakushi.shape.match import SIDES
from kakushi.shape.profile import Profile

# mm between the lines on which widths are compared.
LINES_MM = 5.0
# Of the wanted width: a smaller miss is not worth a sentence.
MIN_MISS = 0.08
# Stretches named: more nobody reads.
MAX_NAMED = 4


@dataclass(frozen=True, slots=True)
class Miss:
    """A stretch of the outline that the column does not fill or overfills.

    Heights from the foot and widths in mm; `off` is the mean difference of the widths over the
    outline's (negative: too thin); `reason`: why.
    """

    low: float
    high: float
    wanted: float
    reached: float
    off: float
    reason: MissReason


@dataclass(frozen=True, slots=True)
class Reach:
    """Widths, mm, of the thinnest and widest rows that could be chosen, and the limits in force.

    `few_sizes`: the number of different sizes was limited.
    """

    thinnest: float
    widest: float
    count: int
    ratio_limit: float
    few_sizes: bool = False


def half_widths(geometry: Geometry, lines: Floats) -> Floats:
    """Half-width of a geometry's silhouette at heights `lines`, (k,) mm, averaged over the azimuths and sides."""
    offset = lines[:, None] - geometry.centres[None, :, 2]
    chord = np.sqrt(np.maximum(geometry.shape_radii[None, :] ** 2 - offset**2, 0.0))
    # Over a whole turn each half-width is seen from both sides.
    azimuths = (np.arange(2 * SIDES) + 0.5) * np.pi / SIDES
    x = np.outer(np.cos(azimuths), geometry.centres[:, 0]) + np.outer(np.sin(azimuths), geometry.centres[:, 1])
    reach = np.where(chord[None] > 0, x[:, None, :] + chord[None], 0.0).max(axis=2)
    return np.asarray(reach.mean(axis=0))


def misses(geometry: Geometry, profile: Profile, reach: Reach) -> tuple[Miss, ...]:
    """The worst stretches, at most MOST_NAMED, largest area first; each about one row tall."""
    if not len(geometry.frames):
        return ()
    along = geometry.frames.along
    middles = (along[1:] + along[:-1]) / 2
    edges = np.concatenate([[0.0], middles, [max(geometry.top, profile.height)]])
    diameters = np.array([2 * geometry.radii[geometry.row_of == row].max() for row in range(len(geometry.frames))])
    runs: list[tuple[float, Miss]] = []
    for row, (low, high) in enumerate(pairwise(edges)):
        lines = np.arange(low + LINES_MM / 2, high, LINES_MM)
        if not len(lines):
            continue
        wanted, reached = 2 * profile.mean_half_width(lines).mean(), 2 * half_widths(geometry, lines).mean()
        error = (reached - wanted) / max(wanted, 1e-6)
        if abs(error) >= MIN_MISS:
            reason = _reason(row, wanted, error, diameters, reach)
            area = abs(reached - wanted) * (high - low)
            runs.append((area, Miss(float(low), float(high), float(wanted), float(reached), float(error), reason)))
    runs.sort(key=lambda pair: -pair[0])
    return tuple(miss for _, miss in runs[:MAX_NAMED])


def _reason(row: int, wanted: float, error: float, diameters: Floats, reach: Reach) -> MissReason:
    if error > 0 and wanted < reach.thinnest * 1.02:
        return MissReason("smallest", reach.count, reach.thinnest)
    if error < 0 and wanted > reach.widest * 0.9:
        return MissReason("largest", reach.count, reach.widest)
    return MissReason(_why(row, diameters, reach), reach.count, 0.0)


def _why(row: int, diameters: Floats, reach: Reach) -> Literal["few sizes", "unequal", "round end", "steep", "bulges"]:
    is_end = row in {0, len(diameters) - 1}
    if reach.few_sizes and not is_end:
        return "few sizes"
    near = diameters[max(row - 1, 0) : row + 2]
    unlike = near.max() / near.min()
    if unlike > reach.ratio_limit * 0.95:
        return "unequal"
    if is_end:
        return "round end"
    return "steep" if unlike > 1.15 else "bulges"
