"""Foil shapes: star, heart, letters and others, standing on top or fixed where they hang."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from kakushi.dress.bodies import Body, balls
from kakushi.dress.foils import balls_of, film_of, letters_of
from kakushi.dress.kind import BallMaterial, PartKind, PointMm, Surroundings, extended_wind, placed_spot
from kakushi.dress.wishes import NoSuchSigns, Wish, WrongForFoil
from kakushi.model.parts import Fixing, FoilShape
from kakushi.model.used import Used

FOIL_G_PER_M2 = 60.0
"""Two sheets of metallised film of 30 g/m²: 0.02 mm, as foil balloons are made of."""


def _made(key: int, around: Surroundings) -> FoilShape:
    return FoilShape(
        key=key, name="star", shape="star", tall_mm=450, wide_mm=450, deep_mm=150, colour=around.colour,
        mass_g=round(FOIL_G_PER_M2 * 0.45 * 0.45 * 0.6, 0), fixing=Fixing.VALVE,
    )  # fmt: skip


def _body(part: FoilShape) -> Body:
    return replace(balls(*balls_of(part), part.colour), film=film_of(part))


def _spot(part: FoilShape, top_mm: float) -> PointMm:
    spot = placed_spot(part, top_mm)
    return PointMm(0.0, 0.0, top_mm + part.tall_mm / 2) if part.stands else spot


def _uses(part: FoilShape) -> Iterator[Used]:
    if part.shape == "letters" and part.outline is None:
        signs = [sign for sign in letters_of(part.text) if sign != " "]
        for sign in dict.fromkeys(signs):
            yield Used(item=f"foil “{sign}”, {part.tall_mm / 10:.0f} cm", count=signs.count(sign))
    else:
        shape = part.outline.name or "own shape" if part.outline else part.shape
        yield Used(item=f"foil {shape}, {part.tall_mm / 10:.0f} cm", count=1.0)


def _wishes(part: FoilShape) -> Iterator[Wish]:
    name = part.name or part.kind
    if part.fixing is Fixing.DOTS:
        yield WrongForFoil(name, "dots")
    if part.fixing is Fixing.STRIP:
        yield WrongForFoil(name, "strip")
    gone = [sign for sign in dict.fromkeys(part.text.upper()) if sign not in letters_of(part.text)]
    if part.shape == "letters" and gone:
        yield NoSuchSigns(name, "foil", tuple(gone))


KIND = PartKind(
    value=FoilShape,
    words="foil shape",
    order=5,
    step="topper",
    made=_made,
    spot=_spot,
    standing=lambda part: part.tall_mm if part.stands else 0.0,
    wind=extended_wind,
    uses=_uses,
    wishes=_wishes,
    body=_body,
    is_main=True,
    skin=BallMaterial.FOIL,
)
