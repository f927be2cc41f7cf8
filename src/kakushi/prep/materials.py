"""Everything used up that is not a balloon in a row: per something counted by editable rules, and bought in packs."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from kakushi.model.workshop import ItemRule, Per


@dataclass(frozen=True, slots=True)
class Material:
    """So much of an item, in its unit."""

    item: str
    unit: str
    amount: float


@dataclass(frozen=True, slots=True)
class MaterialLine:
    """An item over the whole job: what is needed, whole packs to buy, what they cost and what the job uses of that."""

    item: str
    unit: str
    needed: float
    pack: float
    packs: int
    cost: float
    used_cost: float

    @property
    def bought(self) -> float:
        """What the packs hold."""
        return self.packs * self.pack


def by_rules(counted: Mapping[Per, float], rules: Iterable[ItemRule]) -> tuple[Material, ...]:
    """What the rules ask for, given how many of everything there are."""
    return tuple(
        Material(rule.item, rule.unit, amount)
        for rule in rules
        if (amount := rule.amount * counted.get(rule.per, 0.0)) > 0
    )


def summed(materials: Iterable[Material]) -> tuple[Material, ...]:
    """One entry per item and unit, in the order first met."""
    amounts: defaultdict[tuple[str, str], float] = defaultdict(float)
    for material in materials:
        amounts[material.item, material.unit] += material.amount
    return tuple(Material(item, unit, amount) for (item, unit), amount in amounts.items())


def material_lines(materials: Iterable[Material], rules: Iterable[ItemRule]) -> tuple[MaterialLine, ...]:
    """Materials of the whole job in whole packs; an item without a rule is bought singly and has no price."""
    known = {rule.item: rule for rule in rules}
    lines = []
    for material in summed(materials):
        rule = known.get(material.item)
        pack, price = (rule.pack, rule.price) if rule else (1.0, 0.0)
        packs = math.ceil(material.amount / pack - 1e-9)
        lines.append(
            MaterialLine(
                item=material.item,
                unit=material.unit,
                needed=material.amount,
                pack=pack,
                packs=packs,
                cost=packs * price,
                used_cost=material.amount / pack * price,
            )
        )
    return tuple(lines)
