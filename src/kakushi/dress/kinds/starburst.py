"""Starbursts: cones of foil that point all ways, standing on top or fixed where they hang."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from kakushi.dress.bodies import Body, chain, directions, joined
from kakushi.dress.kind import STRIPS, BallMaterial, PartKind, PointMm, Surroundings, extended_wind, placed_spot
from kakushi.dress.kinds.foil_shape import FOIL_G_PER_M2
from kakushi.model.parts import Fixing, Starburst
from kakushi.model.used import Used

_THICK = 0.18
"""Width of a cone's foot, as a share of the whole width."""


def _made(key: int, around: Surroundings) -> Starburst:
    return Starburst(
        key=key, name="starburst", tall_mm=500, wide_mm=500, colour=around.colour,
        # Twelve cones, each a foil about half as long as wide as the whole.
        mass_g=round(FOIL_G_PER_M2 * 12 * 0.25 * 0.12, 0), fixing=Fixing.VALVE,
    )  # fmt: skip


def _body(part: Starburst) -> Body:
    size = np.array([part.wide_mm, part.wide_mm, part.tall_mm]) / 2
    thick = _THICK * min(part.wide_mm, part.tall_mm)
    cones = [
        chain([direction * size * 0.2, direction * size], thick, part.colour, thick / 12)
        for direction in directions(part.cones)
    ]
    return joined(cones)


def _spot(part: Starburst, top_mm: float) -> PointMm:
    return PointMm(0.0, 0.0, top_mm + part.tall_mm / 2) if part.stands else placed_spot(part, top_mm)


def _uses(part: Starburst) -> Iterator[Used]:
    if part.tied:
        yield Used(item=f"small foils, {part.tall_mm / 20:.0f} cm", count=part.cones)
        yield Used(item=STRIPS, count=1.0)
        return
    yield Used(item=f"foil starburst, {part.tall_mm / 10:.0f} cm", count=1.0)


KIND = PartKind(
    value=Starburst,
    words="starburst",
    order=5,
    step="topper",
    made=_made,
    spot=_spot,
    standing=lambda part: part.tall_mm if part.stands else 0.0,
    wind=extended_wind,
    uses=_uses,
    body=_body,
    skin=BallMaterial.FOIL,
)
