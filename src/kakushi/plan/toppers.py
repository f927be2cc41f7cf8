"""What there is to say of a topper: wide and light enough for the row it stands on, and how far it leans."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from kakushi.dress.table import mass_of, name_of, standing_parts
from kakushi.model.catalogue import Studio
from kakushi.model.parts import Extended, Part
from kakushi.model.piece import Piece
from kakushi.packing.assembly import Assembly
from kakushi.packing.stack import Geometry
from kakushi.plan.facts import TopperHeavy, TopperLeans, TopperNarrow
from kakushi.plan.parts import lean_of
from kakushi.stand.balance import GRAVITY

_AIR_PA = 2500.0
"""Gauge pressure in a round latex balloon, Pa: 2 to 3 kPa, whatever its size. Assumed."""
_PRESSED = 0.1
"""Flattening of a balloon of the top row, as a share of its diameter, under the most it should bear."""


def topper_notes(
    piece: Piece, assembly: Assembly, studio: Studio
) -> Iterator[TopperNarrow | TopperHeavy | TopperLeans]:
    """Toppers narrower than the top row, or heavier than it bears, and the lean of those that follow the swirl."""
    rows, masses = assembly.rows, {size.nominal_in: size.mass_g for size in studio.nominals}
    if not len(rows.knots):
        return
    wide = top_row_width(rows)
    weighs = 0.0
    for number, (part, tall) in enumerate(standing_parts(piece.parts)):
        # A single balloon is as wide as it is tall, whatever its box is said to be.
        width = tall if sum(line.count for line in part.balloons) == 1 else _width_of(part) or tall
        # A topper narrower than its row shows the knots around it; a second one stands on the first.
        if width < wide and not number:
            yield TopperNarrow(name_of(part), width / wide, wide)
        bears, weighs = bearable_g(rows), weighs + mass_of(part, masses)
        if weighs > bears:
            yield TopperHeavy(name_of(part), weighs, bears)
        lean = 0.0 if not part.balloons else lean_of(part, piece.parts, piece.rows, assembly)
        if lean > 0:
            yield TopperLeans(name_of(part), lean)


def _width_of(part: Part) -> float:
    return part.wide_mm if isinstance(part, Extended) else 0.0


def top_row_width(rows: Geometry) -> float:
    """Width of the last row, mm, over the swollen balloons."""
    top_row = rows.of_row(len(rows.knots) - 1)
    out = np.hypot(rows.centres[top_row, 0], rows.centres[top_row, 1]) + rows.shape_radii[top_row]
    return float(2 * out.max())


def bearable_g(rows: Geometry) -> float:
    """What the last row bears, g: as much as presses each of its balloons a tenth of its diameter flatter.

    Force of a flat on a balloon: pressure times π·r·δ; taken at 45°, as a topper in its hollow leans on them.
    """
    radii = rows.radii[rows.of_row(len(rows.knots) - 1)] / 1000
    force = float((_AIR_PA * math.pi * radii * _PRESSED * 2 * radii).sum()) * math.cos(math.pi / 4)
    return force / GRAVITY * 1000
