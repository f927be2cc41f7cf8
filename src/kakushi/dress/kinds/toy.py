"""Cloths and toys: soft things held at two places of the piece."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

from kakushi.dress.bodies import NO_BODY, Body, chain, joined, lump, turned
from kakushi.dress.kind import BallMaterial, PartKind, PointMm, Surroundings, extended_wind
from kakushi.dress.kinds.hung_load import FIXINGS_WANTED, OFF_POLE_MM, fixing_wishes, things_hung
from kakushi.dress.wishes import TurnsRound, Wish
from kakushi.model.parts import Toy
from kakushi.model.used import Used

_CORD_MM = 8.0
"""Thickness of the cord as drawn, mm: thinner could not be seen."""
_SAGS = 0.15
"""Sag of a cloth between its two fixings, as a share of the distance between them."""


def _made(key: int, around: Surroundings) -> Toy:
    high = around.at_most(1000)
    return Toy(
        key=key, name="toy", height_mm=high, offset_mm=min(OFF_POLE_MM, round(high / 4, -1)), mass_g=200,
        wide_mm=200, tall_mm=300, deep_mm=150, fixings=FIXINGS_WANTED, colour=around.colour,
    )  # fmt: skip


def _spot(part: Toy, _top_mm: float) -> PointMm:
    """Half way between its two places, hanging down by half its height."""
    x = y = 0.0
    for azimuth in (math.radians(part.azimuth_deg), math.radians(part.azimuth_deg + part.to_deg)):
        x += part.offset_mm * math.sin(azimuth) / 2
        y -= part.offset_mm * math.cos(azimuth) / 2
    return PointMm(x, y, max(part.height_mm + part.to_up_mm / 2 - part.tall_mm / 2, 0.0))


def _body(part: Toy) -> Body:
    """It hangs on a cord between its two places."""
    if not part.colour or not part.tall_mm or not part.wide_mm:
        return NO_BODY
    half = math.radians(part.to_deg) / 2
    apart, top, tilt = part.offset_mm * math.sin(half), part.tall_mm / 2, part.to_up_mm / 2
    ends = [(-apart, 0.0, top - tilt), (0.0, 0.0, top - _SAGS * abs(apart)), (apart, 0.0, top + tilt)]
    thing = lump(part.wide_mm, part.wide_mm if part.deep_mm is None else part.deep_mm, part.tall_mm, part.colour)
    # Its face is turned to the middle between its two places.
    whole = replace(
        joined([thing, chain(ends, _CORD_MM, part.colour)]), film=thing.film, filmed=len(thing) if thing.film else None
    )
    return turned(whole, half, (0.0, 0.0, 0.0))


def _uses(part: Toy) -> Iterator[Used]:
    yield Used(item=f"cloth or toy: {part.name or 'toy'}", count=1.0)


def _wishes(part: Toy) -> Iterator[Wish]:
    yield from fixing_wishes(part)
    if part.to_deg == 0 and part.to_up_mm == 0:
        yield TurnsRound(part.name or part.kind)


KIND = PartKind(
    value=Toy,
    words="cloth or toy",
    order=1,
    step="hang",
    made=_made,
    counted_as="hung load",
    things=things_hung,
    is_marked=True,
    spot=_spot,
    wind=extended_wind,
    uses=_uses,
    wishes=_wishes,
    body=_body,
    is_main=True,
    skin=BallMaterial.SOLID,
)
