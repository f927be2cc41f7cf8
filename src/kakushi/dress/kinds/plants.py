"""Flowers and grass about the foot, or wherever they stand."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from kakushi.dress.bodies import GOLDEN, MOST_BALLS, NO_BODY, Body, balls, chain, joined
from kakushi.dress.kind import PartKind, PointMm, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Plants
from kakushi.model.used import Used

_STEM_MM = 10.0
"""Thickness of a stem as drawn, mm."""
LEANS, RING_DEEP = 0.25, 0.3
"""Outward lean of a stem's tip, and how deep the ring of stems is, as shares of their height."""
_MOST_BALLS = 3 * MOST_BALLS
"""Most balls of all stems together: with fewer, thin stems would show as dots."""


def _made(key: int, around: Surroundings) -> Plants:
    return Plants(
        key=key, name="grass", mass_g=100, offset_mm=0, wide_mm=500, tall_mm=min(250.0, around.at_most(250)),
        colour=around.colour,
    )  # fmt: skip


def _spot(part: Plants, top_mm: float) -> PointMm:
    """Stems stand on their height: the middle lies half their height above."""
    spot = placed_spot(part, top_mm)
    return spot._replace(z=spot.z + part.tall_mm / 2)


def _body(part: Plants) -> Body:
    """Stems in a ring about the middle, each with its head."""
    if not part.colour or not part.tall_mm:
        return NO_BODY
    deep = min(RING_DEEP * part.tall_mm, RING_DEEP * part.wide_mm / 2)
    stems, most = [], max(_MOST_BALLS // part.stems, 3)
    for stem in range(part.stems):
        turn = stem * GOLDEN
        out = part.wide_mm / 2 - deep * (1 - (stem % 3) / 2)
        tall = part.tall_mm * (0.75 + 0.25 * ((stem * 7) % 5) / 4)
        direction = np.array([math.sin(turn), -math.cos(turn), 0.0])
        foot = direction * max(out - LEANS * tall, 0.0) - np.array([0.0, 0.0, (part.tall_mm - _STEM_MM) / 2])
        tip = foot + direction * LEANS * tall + np.array([0.0, 0.0, max(tall - 2 * _STEM_MM, 1.0)])
        stems += [
            chain(
                [foot, (foot + tip) / 2 + np.array([0.0, 0.0, tall * 0.08]), tip],
                _STEM_MM,
                part.colour,
                _STEM_MM / 2,
                most,
            ),
            balls(tip[None], np.array([_STEM_MM * 1.5]), part.colour),
        ]
    return joined(stems)


def _uses(part: Plants) -> Iterator[Used]:
    yield Used(item=part.name or "flowers or grass", count=part.stems, unit="stems")


KIND = PartKind(
    value=Plants,
    words="flowers or grass",
    order=4,
    made=_made,
    spot=_spot,
    wind=extended_wind,
    uses=_uses,
    body=_body,
)
