"""Bows: two loops of ribbon with tails."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kakushi.dress.bodies import NO_BODY, Body, balls, chain, joined, lump
from kakushi.dress.fixings import RIBBON
from kakushi.dress.kind import BallMaterial, PartKind, Surroundings, extended_wind, placed_spot
from kakushi.dress.kinds.ribbons import KNOT_M, tails_body
from kakushi.model.parts import Bow
from kakushi.model.used import Used

_BAND = 0.14
"""Width of the ribbon, as a share of the bow's."""


def _made(key: int, around: Surroundings) -> Bow:
    high = around.at_most(1000)
    return Bow(
        key=key, name="bow", height_mm=high, offset_mm=min(180.0, round(high / 4, -1)), mass_g=30,
        wide_mm=250, tall_mm=120, deep_mm=60, colour=around.colour,
    )  # fmt: skip


def _body(part: Bow) -> Body:
    if not part.colour or not part.wide_mm:
        return NO_BODY
    band = _BAND * part.wide_mm
    high = max(part.tall_mm - band, 1.0) / 2
    out = max(part.wide_mm - band, 1.0) / 4
    turns = [2 * math.pi * k / 24 for k in range(25)]
    loops = [
        chain([(side * out * (1 - math.cos(t)), 0.0, high * math.sin(t)) for t in turns], band, part.colour)
        for side in (-1, 1)
    ]
    knot = lump(band * 1.2, band, band * 1.4, part.colour)
    return joined(
        [*loops, balls(knot.centres, knot.radii, part.colour), tails_body(part.tails, part.tail_mm, band, part.colour)]
    )


def _uses(part: Bow) -> Iterator[Used]:
    # Each loop goes out, back, and as far round as it is high.
    loops = 2 * (part.wide_mm + part.tall_mm)
    yield Used(item=RIBBON, count=(loops + part.tails * part.tail_mm) / 1000 + KNOT_M, unit="m")


KIND = PartKind(
    value=Bow,
    words="bow",
    order=5,
    made=_made,
    spot=placed_spot,
    wind=extended_wind,
    uses=_uses,
    body=_body,
    skin=BallMaterial.RIBBON,
)
