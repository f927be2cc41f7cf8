"""How much of a column's pole, line or hollow is seen between its balloons, from all round.

Every point of the pole's near face is looked at from outside, level and far off; it is seen where no swollen balloon
lies before it. Counted from the first knot of a group to its last: below and above there is no row to hide anything.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.model.arrays import Floats
from kakushi.packing.stack import Geometry

SIDES = 24
"""Sides looked from: twice as many change a share by less than a tenth of it."""
# mm between the heights looked at, and points across the pole.
_LINE_MM, _ACROSS = 4.0, 7
# mm. Half the width of line and knots where there is no pole.
_LINE_RADIUS_MM = 2.0
# Share of a row's height from its worst side that somebody notices.
_NOTICED = 0.03
NOTHING_SEEN = 0.005
"""A share that is told as none."""
# Shares up to which a core counts as hidden, on average and from the worst side: the figures of practice.
_HIDDEN_MEAN, _HIDDEN_WORST = 0.01, 0.03


@dataclass(frozen=True, slots=True, eq=False)
class CoreSeen:
    """Visible share of a pole (or of the line where there is none), 0 to 1 over its length within rows.

    `mean` over all sides, `worst` from the worst, which is `worst_azimuth` (radians, anticlockwise from the front);
    `by_row` (m,) from each row's own worst side.
    """

    mean: float
    worst: float
    worst_azimuth: float
    by_row: Floats

    @property
    def rows(self) -> tuple[int, ...]:
        """Indices of the rows that show the core."""
        return tuple(int(row) for row in np.flatnonzero(self.by_row > _NOTICED))


def core_seen(drawn: Geometry, pole_radius: float, groups: Sequence[range], sides: int = SIDES) -> CoreSeen:
    """Measure what is seen of the pole of radius `pole_radius` (mm; 0: a line) among the balloons `drawn`.

    `groups`: the rows of each group that touch, as ranges of indices; each counts from its first knot to its last.
    Without two rows in any group nothing is counted and nothing is seen.
    """
    knots = drawn.knots
    spans = [(knots[rows.start], knots[rows.stop - 1], rows) for rows in groups if len(rows) > 1]
    by_row = np.zeros(len(knots))
    if not spans:
        return CoreSeen(0.0, 0.0, 0.0, by_row)
    shares, heights = [], []
    for low, high, rows in spans:
        lines = np.arange(low + _LINE_MM / 2, high, _LINE_MM)
        share = _seen(drawn, pole_radius or _LINE_RADIUS_MM, lines, sides)
        shares.append(share)
        heights.append(lines)
        middles = (knots[rows.start + 1 : rows.stop] + knots[rows.start : rows.stop - 1]) / 2
        row_of_line = np.searchsorted(middles, lines)
        for place, row in enumerate(rows):
            of_row = row_of_line == place
            by_row[row] = float(share[:, of_row].mean(axis=1).max()) if of_row.any() else 0.0
    by_side = np.concatenate(shares, axis=1).mean(axis=1)
    worst = int(np.argmax(by_side))
    return CoreSeen(float(by_side.mean()), float(by_side[worst]), float(worst * 2 * np.pi / sides), by_row)


def _seen(drawn: Geometry, radius: float, lines: Floats, sides: int) -> Floats:
    """Visible share of the pole's width at heights `lines` (k,) mm, (sides, k)."""
    azimuths = np.arange(sides) * 2 * np.pi / sides
    across = ((np.arange(_ACROSS) + 0.5) / _ACROSS * 2 - 1) * radius
    face = -np.sqrt(radius**2 - across**2)
    seen = np.ones((sides, len(lines), _ACROSS), dtype=bool)
    # As `picture.view` turns the piece: x to the right of the viewer, y away from them.
    c, s = np.cos(azimuths), np.sin(azimuths)
    for (x, y, z), reach in zip(drawn.centres, drawn.shape_radii, strict=True):
        first, last = np.searchsorted(lines, [z - reach, z + reach])
        if first == last:
            continue
        aside = (c * x + s * y)[:, None] - across
        behind = np.maximum((c * y - s * x)[:, None] - face, 0.0)
        # Hidden where the balloon's near skin, sqrt(reach² - off² - aside²) before its middle, lies before the face.
        offset = lines[first:last] - z
        seen[:, first:last] &= (reach**2 - offset**2)[:, None] <= (aside**2 + behind**2)[:, None, :]
    return np.asarray(seen.mean(axis=2))


def is_bare(seen: CoreSeen) -> bool:
    """Whether more shows than practice accepts."""
    return seen.mean > _HIDDEN_MEAN or seen.worst > _HIDDEN_WORST
