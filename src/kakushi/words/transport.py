"""What is said of the way to the place, and of the sizes a client may choose from."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from kakushi.building.transport import CopyLoad, loads_of, trips_of
from kakushi.model.units import UnitSystem, format_height, format_length
from kakushi.plan.values import Plan
from kakushi.words.wording import counted, error_words

if TYPE_CHECKING:
    from kakushi.workshop.offers import Offer

_PROBLEMS = {"too wide": "is too wide", "too long": "is too long even in parts"}


def load_words(load: CopyLoad, copies: int, units: UnitSystem) -> str:
    """How a copy travels."""
    each = f" ({copies} of them)" if copies > 1 else ""
    long, wide = load.boxes[0]
    if load.problem:
        return f"{load.name}{each} {_PROBLEMS[load.problem]}: build it there ({format_length(wide, units)} across)."
    if load.at == "ties":
        return f"{load.name}{each}: undo the ties between its {len(load.parts)} strands; each travels by itself."
    if load.is_split:
        rows, joints = 0, []
        for count in load.parts[:-1]:
            rows += count
            joints.append(f"{rows} and {rows + 1}")
        end = "where the pole must come apart too" if load.at == "pole" else "where its line is knotted together again"
        return f"{load.name}{each}: split between rows {', '.join(joints)}, {end}."
    if not load.at:
        return f"{load.name}{each}: whole, {format_length(long, units)} × {format_length(wide, units)} on the floor."
    if load.stands:
        return f"{load.name}{each}: whole, standing."
    return f"{load.name}{each}: whole, lying down, {format_length(long, units)} long."


def transport_words(plan: Plan, units: UnitSystem) -> Iterator[str]:
    """How everything travels, in sentences."""
    loads = loads_of(plan)
    for load, copies in loads:
        yield load_words(load, copies, units)
    bags = sum(len(load.boxes) * copies for load, copies in loads if not load.problem)
    if trips := trips_of(loads, plan.studio.way):
        large = counted(bags, "large bag")
        yield f"{counted(trips, 'trip')} with your vehicle, {large} to cover the parts."


def offer_heights(offer: Offer, units: UnitSystem) -> str:
    """How tall the pieces of a size are."""
    heights = [piece.overall_height_mm for piece in offer.plan.pieces if piece.balloon_count]
    low, high = (format_height(each, units) for each in (min(heights, default=0.0), max(heights, default=0.0)))
    return f"{high if low == high else f'{low} to {high}'} tall"


def offer_words(offers: Iterable[Offer], currency: str, units: UnitSystem) -> Iterator[str]:
    """Each size in a sentence."""
    for offer in offers:
        price = f"{offer.price:.2f} {currency}".rstrip()
        tall, balloons = offer_heights(offer, units), f"{offer.balloons} balloons with spares"
        yield f"{offer.name.capitalize()}: {tall}, {balloons}, {price}."
        for name, error in offer.problems:
            yield f"{name} stays as it is: {error_words(error, units)}"
