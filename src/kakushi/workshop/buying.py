"""From supplies, materials and stock to what is bought: whole bags and packs, and ways out where something is short."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from kakushi.model.catalogue import Studio
from kakushi.model.used import Used
from kakushi.model.wishes import Aim
from kakushi.model.workshop import ItemRule
from kakushi.workshop.bags import Purchase, bags_for, purchase
from kakushi.workshop.supplies import SupplyLine


@dataclass(frozen=True, slots=True)
class BuyLine:
    """One nominal size and colour: needed, on hand, to buy (None where none are sold)."""

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
        """Cost of the balloons used: the price each in the bags bought, else in the cheapest bag."""
        bought = self.purchase.bought if self.purchase else 0
        unit = self.cost / bought if bought else self.unit_cost
        return self.total * (unit or 0.0)


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


class Substitute(NamedTuple):
    """Balloons in stock that can stand in for those that are short: as many as are to `spare` there.

    Of another nominal size in the same colour, sized the same, or of the same nominal size in another colour.
    """

    nominal_in: float
    colour: str
    spare: int


def substitutes(
    short: BuyLine, sized: Sequence[Sized], lines: Sequence[BuyLine], studio: Studio
) -> tuple[Substitute, ...]:
    """Substitutes for a size and colour you are short of: the same diameter from another size, or another colour."""
    taken = {(line.nominal_in, line.colour): line.total for line in lines}
    spare = {
        (item.nominal_in, item.colour): item.balloons - taken.get((item.nominal_in, item.colour), 0)
        for item in studio.stock
    }
    enough = {kind: over for kind, over in spare.items() if over >= short.short}
    diameters = sorted({round(d, 1) for n, d, c in sized if (n, c) == (short.nominal_in, short.colour)})
    substitutes_found = []
    for size in studio.nominals:
        if size.nominal_in == short.nominal_in or not diameters or (size.nominal_in, short.colour) not in enough:
            continue
        if size.smallest_mm - 0.1 <= diameters[0] and diameters[-1] <= size.largest_mm + 0.1:
            substitutes_found.append(Substitute(size.nominal_in, short.colour, enough[size.nominal_in, short.colour]))
    substitutes_found += [
        Substitute(nominal, colour, over)
        for (nominal, colour), over in sorted(enough.items())
        if nominal == short.nominal_in and colour != short.colour
    ]
    return tuple(substitutes_found)


@dataclass(frozen=True, slots=True)
class Shortage:
    """A size and colour that stock does not cover, and what could stand in."""

    line: BuyLine
    substitutes: tuple[Substitute, ...]


def shortages(lines: Sequence[BuyLine], sized: Sequence[Sized], studio: Studio) -> Iterator[Shortage]:
    """Lines the job is short of; none where no stock is kept."""
    if studio.stock:
        yield from (Shortage(line, substitutes(line, sized, lines, studio)) for line in lines if line.short)


@dataclass(frozen=True, slots=True)
class MaterialLine:
    """An item over the whole job: amount needed and spare, whole packs to buy, their cost, and what the job uses up."""

    item: str
    unit: str
    needed: float
    spares: float
    pack: float
    packs: int
    cost: float
    used_cost: float


def material_lines(
    materials: Iterable[Used], rules: Iterable[ItemRule], spares: Mapping[str, float]
) -> tuple[MaterialLine, ...]:
    """Materials of the whole job in whole packs; an item without a rule is bought singly and has no price.

    `spares`: how much more of an item is taken along.
    """
    known = {rule.item: rule for rule in rules}
    lines = []
    for used in materials:
        rule = known.get(used.item)
        pack, price = (rule.pack, rule.price) if rule else (1.0, 0.0)
        spare = spares.get(used.item, 0)
        total = used.count + spare
        packs = math.ceil(total / pack - 1e-9)
        lines.append(
            MaterialLine(used.item, used.unit, used.count, spare, pack, packs, packs * price, total / pack * price)
        )
    return tuple(lines)
