"""Toppers: what ends the column, standing on the highest balloons unless a height says otherwise."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from kakushi.dress.bodies import NO_BODY, Body, balls, directions, joined
from kakushi.dress.kind import USUAL_FILL, PartKind, PointMm, Surroundings, extended_wind, placed_spot
from kakushi.dress.wishes import LargerThanItsBalloon, Wish
from kakushi.model.parts import Fixing, PartBalloons, Topper
from kakushi.model.units import inches

_FLAT_UP_TO = 4
"""Balloons of a topper that lie side by side in a flat cluster; more of them point all ways."""
_MOST_DRAWN = 40
"""Balloons of a topper that are drawn: more are no topper."""


def _made(key: int, around: Surroundings) -> Topper:
    return Topper(key=key, name="topper", tall_mm=300, wide_mm=300, fixing=Fixing.STRIP, balloons=around.balloon(16.0))


def _count(part: Topper) -> int:
    return sum(line.count for line in part.balloons)


def _largest(part: Topper) -> float:
    """What the largest of its balloons can be sized to, mm."""
    return max((inches(line.nominal_in) for line in part.balloons if line.count), default=0.0)


def _standing(part: Topper) -> float:
    """One balloon is no taller than it can be; several are as tall as they lie."""
    if _count(part) == 1:
        return min(part.tall_mm, _largest(part))
    body = _body(part)
    if not len(body):
        return part.tall_mm
    return float((body.centres[:, 2] + body.radii).max() - (body.centres[:, 2] - body.radii).min())


def _body(part: Topper) -> Body:
    """Several balloons tied by their necks, touching; a single one is drawn where it rests."""
    count = _count(part)
    if not 1 < count <= _MOST_DRAWN:
        return NO_BODY
    lines = [line for line in part.balloons for _ in range(line.count)]
    radii = np.array([_sized(line) for line in lines]) / 2
    if count <= _FLAT_UP_TO:
        turn = np.arange(count) * 2 * math.pi / count
        ways = np.stack([np.cos(turn), np.sin(turn), np.zeros(count)], axis=1)
        apart = 2 * math.sin(math.pi / count)
    else:
        ways = directions(count)
        apart = float(np.sort(np.linalg.norm(ways[:, None] - ways[None], axis=2), axis=1)[:, 1].min())
    # As far out as the larger of two neighbours needs.
    centres = ways * 2 * radii.max() / apart
    return joined([
        balls(centres[k : k + 1], radii[k : k + 1], line.colour) for k, line in enumerate(lines)
    ])  # fmt: skip


def _sized(line: PartBalloons) -> float:
    return line.diameter_mm or USUAL_FILL * inches(line.nominal_in)


def _spot(part: Topper, top_mm: float) -> PointMm:
    spot = placed_spot(part, top_mm)
    return spot if part.height_mm else spot._replace(z=top_mm + _standing(part) / 2)


def _wishes(part: Topper) -> Iterator[Wish]:
    if _count(part) == 1 and part.tall_mm > _largest(part):
        yield LargerThanItsBalloon(part.name or part.kind, part.tall_mm, _largest(part))


KIND = PartKind(
    value=Topper,
    words="topper",
    order=0,
    step="topper",
    made=_made,
    counted_as="topper",
    has_balloons=True,
    spot=_spot,
    standing=_standing,
    wind=extended_wind,
    wishes=_wishes,
    body=_body,
)
