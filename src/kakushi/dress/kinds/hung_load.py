"""Hung loads: something heavy that hangs on the piece, and what all hung things have in common."""

from __future__ import annotations

from collections.abc import Iterator

from kakushi.dress.bodies import NO_BODY, Body, lump
from kakushi.dress.fixings import fixings_of
from kakushi.dress.kind import BallMaterial, PartKind, Surroundings, extended_wind, placed_spot
from kakushi.dress.wishes import TooFewFixings, Wish
from kakushi.model.parts import Board, HungLoad, Toy

FIXINGS_WANTED = 2
"""Fixings of a hung load, each able to hold it alone: the usual rule for what hangs over people."""
OFF_POLE_MM = 250.0
"""Distance of a new load from the pole, mm: in front of a column of 11-inch quads."""


def _made(key: int, around: Surroundings) -> HungLoad:
    high = around.at_most(1200)
    return HungLoad(
        key=key,
        name="hung load",
        height_mm=high,
        offset_mm=min(OFF_POLE_MM, round(high / 4, -1)),
        mass_g=500,
        tall_mm=200,
        wide_mm=200,
        fixings=FIXINGS_WANTED,
        colour=around.colour,
    )


def _body(part: HungLoad) -> Body:
    if not part.colour:
        return NO_BODY
    return lump(part.wide_mm, part.wide_mm if part.deep_mm is None else part.deep_mm, part.tall_mm, part.colour)


def things_hung(part: HungLoad | Board | Toy) -> float:
    """Loads that a hung thing counts as for the studio's rule, which says what one with two fixings takes."""
    return fixings_of(part) / FIXINGS_WANTED


def fixing_wishes(part: HungLoad | Board | Toy) -> Iterator[Wish]:
    """Fewer fixings than what hangs over people should have."""
    if fixings_of(part) < FIXINGS_WANTED:
        yield TooFewFixings(part.name or part.kind, fixings_of(part))


KIND = PartKind(
    value=HungLoad,
    words="hung load",
    order=1,
    step="hang",
    made=_made,
    counted_as="hung load",
    things=things_hung,
    is_marked=True,
    spot=placed_spot,
    wind=extended_wind,
    wishes=fixing_wishes,
    body=_body,
    skin=BallMaterial.SOLID,
)
