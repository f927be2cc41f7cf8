"""Flowers tied from balloons: petals round a middle, each flower on a modelling balloon as its stem, about the foot."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from kakushi.dress.bodies import GOLDEN, Body, balls, chain, joined
from kakushi.dress.kind import STRIPS, USUAL_FILL, PartKind, PointMm, Surroundings, extended_wind, placed_spot
from kakushi.model.parts import Flowers, PartBalloons
from kakushi.model.units import inches
from kakushi.model.used import Used

_STEM_MM = 30.0
"""Thickness of a stem, mm: a modelling balloon 60 inches long, softly filled."""
_STEM_BALLS = 48
"""Balls that a stem is drawn with."""
_LEANS = math.radians(35)
"""How far a flower is turned up from facing outwards, radians."""
_MIDDLE = 0.7
"""Width of the middle beside that of a petal: it lies in the ring of petals and does not push them apart."""
_MOST_DRAWN = 300
"""Petals of all flowers together that are drawn."""


def _made(key: int, around: Surroundings) -> Flowers:
    return Flowers(
        key=key, name="flowers", flowers=5, tall_mm=min(350.0, around.at_most(350)), wide_mm=700, colour=around.colour,
        middle_colour=around.colour, balloons=(PartBalloons(nominal_in=5, colour=around.colour, count=5),),
    )  # fmt: skip


def petals_of(part: Flowers) -> int:
    """Petals of one flower."""
    return sum(line.count for line in part.balloons)


def _petal_mm(part: Flowers) -> float:
    line = part.balloons[0]
    return line.diameter_mm or USUAL_FILL * inches(line.nominal_in)


def head_mm(part: Flowers) -> float:
    """Half the width of a flower, mm; 0 without petals."""
    petals = petals_of(part)
    return _petal_mm(part) / 2 * (1 + 1 / math.sin(math.pi / max(petals, 2))) if petals else 0.0


def _all_balloons(part: Flowers) -> tuple[PartBalloons, ...]:
    """Petals of all flowers, and a middle in each."""
    petals = tuple(line.model_copy(update={"count": line.count * part.flowers}) for line in part.balloons if line.count)
    if not petals or not part.middle_colour:
        return petals
    middle = {"colour": part.middle_colour, "count": part.flowers, "diameter_mm": _petal_mm(part) * _MIDDLE}
    return (*petals, part.balloons[0].model_copy(update=middle))


def _spot(part: Flowers, top_mm: float) -> PointMm:
    """Flowers stand on their height: the middle lies half their height above."""
    spot = placed_spot(part, top_mm)
    return spot._replace(z=spot.z + part.tall_mm / 2)


def _body(part: Flowers) -> Body:
    """Flowers in a ring about the middle, each facing outwards and up."""
    petals = petals_of(part)
    if not petals or petals * part.flowers > _MOST_DRAWN:
        return joined(())
    drawn, wide, head = [], _petal_mm(part), head_mm(part)
    ring = wide / 2 / math.sin(math.pi / max(petals, 2))
    colours = [line.colour for line in part.balloons for _ in range(line.count)]
    for flower in range(part.flowers):
        turn = flower * (GOLDEN if part.flowers > _RING else 2 * math.pi / part.flowers)
        out = np.array([math.sin(turn), -math.cos(turn), 0.0])
        faces = out * math.cos(_LEANS) + np.array([0.0, 0.0, math.sin(_LEANS)])
        # Every second one is lower, so that neighbours do not hide each other.
        tall = part.tall_mm - head * math.cos(_LEANS) - (head if flower % 2 and part.tall_mm > 4 * head else 0.0)
        foot = out * max(part.wide_mm / 2 - head, 0.0) - np.array([0.0, 0.0, part.tall_mm / 2])
        tip = foot + np.array([0.0, 0.0, max(tall, wide)])
        across, up = np.cross(faces, [0.0, 0.0, 1.0]), np.zeros(3)
        across /= np.linalg.norm(across)
        up = np.cross(across, faces)
        angles = np.arange(petals) * 2 * math.pi / petals
        places = tip + ring * (np.cos(angles)[:, None] * across + np.sin(angles)[:, None] * up)
        drawn.append(Body(places, np.full(petals, wide / 2), tuple(colours)))
        if part.middle_colour:
            drawn.append(balls((tip + faces * wide * 0.2)[None], np.array([wide * _MIDDLE / 2]), part.middle_colour))
        if part.colour:
            low = foot + np.array([0.0, 0.0, _STEM_MM / 2])
            drawn.append(chain([low, tip - faces * wide / 2], _STEM_MM, part.colour, most=_STEM_BALLS))
    return joined(drawn)


_RING = 12
"""Flowers that stand evenly in a ring; more are spread by the golden angle."""


def _uses(part: Flowers) -> Iterator[Used]:
    if petals_of(part):
        yield Used(item=STRIPS, count=part.flowers)


KIND = PartKind(
    value=Flowers,
    words="flowers of balloons",
    order=4,
    made=_made,
    has_balloons=True,
    balloons=_all_balloons,
    things=lambda part: part.flowers,
    spot=_spot,
    wind=extended_wind,
    uses=_uses,
    body=_body,
)
