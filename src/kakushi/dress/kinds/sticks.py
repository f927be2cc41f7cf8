"""Straws and sticks: cut to one length and fanned out from where they are held."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kakushi.dress.bodies import MOST_BALLS, NO_BODY, Body, chain, joined
from kakushi.dress.kind import PartKind, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Fixing, Sticks
from kakushi.model.used import Used

_FAN = math.radians(70)
"""Angle that the sticks are fanned out over, radians; a single one stands upright."""


def _made(key: int, around: Surroundings) -> Sticks:
    return Sticks(
        key=key, name="sticks", height_mm=around.at_most(1000), tall_mm=250, wide_mm=250, deep_mm=20, mass_g=20,
        colour=around.colour, fixing=Fixing.DOTS,
    )  # fmt: skip


def _body(part: Sticks) -> Body:
    """The sticks from their lower ends, about the middle of an upright one."""
    if not part.colour or not part.tall_mm:
        return NO_BODY
    lines, most = [], max(MOST_BALLS // part.sticks, 6)
    for stick in range(part.sticks):
        lean = _FAN * (stick / (part.sticks - 1) - 0.5) if part.sticks > 1 else 0.0
        tip = (part.tall_mm * math.sin(lean), 0.0, part.tall_mm * (math.cos(lean) - 0.5))
        lines.append(chain([(0.0, 0.0, -part.tall_mm / 2), tip], part.thick_mm, part.colour, most=most))
    return joined(lines)


def _uses(part: Sticks) -> Iterator[Used]:
    yield Used(item=f"{part.name or 'sticks'}, {part.tall_mm / 10:.0f} cm", count=part.sticks)


KIND = PartKind(
    value=Sticks,
    words="straws or sticks",
    order=5,
    made=_made,
    spot=placed_spot,
    wind=extended_wind,
    uses=_uses,
    body=_body,
)
