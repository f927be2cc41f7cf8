"""From supplies and stock to what is bought: whole bags, what is left, and ideas where something is short."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from kakushi.model.catalogue import Studio
from kakushi.model.units import format_nominal
from kakushi.model.wishes import Aim
from kakushi.prep.bags import Purchase, bags_for, purchase
from kakushi.prep.supplies import SupplyLine


@dataclass(frozen=True, slots=True)
class BuyLine:
    """One nominal size and colour: what the job takes, what is on hand, what is bought (None: none are sold)."""

    nominal_in: float
    colour: str
    total: int
    on_hand: int
    purchase: Purchase | None
    unit_cost: float | None

    @property
    def short(self) -> int:
        """Balloons missing from stock."""
        return max(self.total - self.on_hand, 0)

    @property
    def left(self) -> int:
        """Balloons in stock when the job has taken all of its own, spares too."""
        bought = self.purchase.bought if self.purchase else 0
        return max(self.on_hand + bought - self.total, 0)

    @property
    def cost(self) -> float:
        """Price of the bags to buy."""
        return self.purchase.cost if self.purchase else 0.0

    @property
    def used_cost(self) -> float:
        """What the balloons of the job are worth, at the cheapest bag's price each."""
        return self.total * (self.unit_cost or 0.0)


def buy_lines(supplies: Iterable[SupplyLine], studio: Studio, aim: Aim = "cheapest") -> tuple[BuyLine, ...]:
    """What to buy for supplies, line by line."""
    return tuple(_buy_line(line, studio, aim) for line in supplies)


def _buy_line(line: SupplyLine, studio: Studio, aim: Aim) -> BuyLine:
    bags = bags_for(line.nominal_in, line.colour, studio.bags)
    on_hand = studio.on_hand(line.nominal_in, line.colour)
    unit = min((price / size for size, price in bags), default=None)
    return BuyLine(
        line.nominal_in, line.colour, line.total, on_hand, purchase(max(line.total - on_hand, 0), bags, aim), unit
    )


Sized = tuple[float, float, str]
"""Nominal size (in), sized diameter (mm), colour key of a balloon of the design."""


def substitutes(short: BuyLine, sized: Sequence[Sized], lines: Sequence[BuyLine], studio: Studio) -> tuple[str, ...]:
    """Ways out where a size and colour is short: the same diameter from another size, or another colour at hand."""
    taken = {(line.nominal_in, line.colour): line.total for line in lines}
    missing = short.short
    spare = {
        (item.nominal_in, item.colour): item.balloons - taken.get((item.nominal_in, item.colour), 0)
        for item in studio.stock
    }
    diameters = sorted({round(d, 1) for n, d, c in sized if (n, c) == (short.nominal_in, short.colour)})
    ideas = []
    for size in studio.nominals:
        if size.nominal_in == short.nominal_in or not diameters:
            continue
        reaches = size.smallest_mm - 0.1 <= diameters[0] and diameters[-1] <= size.largest_mm + 0.1
        over = spare.get((size.nominal_in, short.colour), 0)
        if reaches and over >= missing:
            ideas.append(f"{format_nominal(size.nominal_in)} of the same colour reaches the same size; {over} to spare")
    ideas += [
        f"swap some rows to “{colour}”: {over} × {format_nominal(nominal)} to spare"
        for (nominal, colour), over in sorted(spare.items())
        if nominal == short.nominal_in and colour != short.colour and over >= missing
    ]
    return tuple(ideas)
