"""What a job costs and what is asked for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kakushi.building.step import Work
from kakushi.model.job import Pricing
from kakushi.workshop.buying import BuyLine, MaterialLine


def in_cents(amount: float) -> float:
    """An amount of money to the cent, as it is printed."""
    return round(amount, 2)


@dataclass(frozen=True, slots=True)
class CostSheet:
    """What a job costs, in the job's own currency, and what has no price yet.

    `work`: kinds of work with their minutes and what they cost.
    `unpriced`: balloons by nominal size (in) and colour key; `unpriced_things`: items of the materials.
    """

    balloons: float
    materials: float
    work: tuple[tuple[Work, float, float], ...]
    delivery: float
    margin: float
    tax: float
    to_spend: float
    unpriced: tuple[tuple[float, str], ...]
    unpriced_things: tuple[str, ...]

    @property
    def labour(self) -> float:
        """All work."""
        return sum(amount for _, _, amount in self.work)

    @property
    def cost(self) -> float:
        """Before margin and tax."""
        return in_cents(self.balloons + self.materials + self.labour + self.delivery)

    @property
    def net(self) -> float:
        """With the margin, before tax."""
        return in_cents(self.cost + self.margin)

    @property
    def price(self) -> float:
        """What the client pays."""
        return in_cents(self.net + self.tax)


def cost_sheet(
    buying: Sequence[BuyLine],
    materials: Sequence[MaterialLine],
    work: Mapping[Work, float],
    pricing: Pricing,
    unpriced: Sequence[tuple[float, str]] = (),
    unpriced_things: Sequence[str] = (),
) -> CostSheet:
    """Materials in the amounts used, minutes of `work` by kind, delivery, then margin and tax on all of it.

    Each line is in whole cents, so that what is printed adds up.
    """
    balloons = in_cents(sum(line.used_cost for line in buying))
    used = in_cents(sum(line.used_cost for line in materials))
    paid = tuple((kind, minutes, in_cents(minutes / 60 * pricing.hourly)) for kind, minutes in work.items())
    delivery = in_cents(pricing.delivery)
    cost = balloons + used + sum(amount for _, _, amount in paid) + delivery
    margin = in_cents(cost * pricing.margin_percent / 100)
    tax = in_cents((cost + margin) * pricing.tax_percent / 100)
    to_spend = in_cents(sum(line.cost for line in buying) + sum(line.cost for line in materials))
    return CostSheet(
        balloons=balloons,
        materials=used,
        work=paid,
        delivery=delivery,
        margin=margin,
        tax=tax,
        to_spend=to_spend,
        unpriced=tuple(unpriced),
        unpriced_things=tuple(unpriced_things),
    )
