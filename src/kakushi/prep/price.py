"""What a job costs and what is asked for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kakushi.model.job import Pricing
from kakushi.model.workshop import Rates
from kakushi.prep.buying import BuyLine
from kakushi.prep.materials import MaterialLine


@dataclass(frozen=True, slots=True)
class WorkTime:
    """Seconds of work, task by task, as if one person did it all."""

    inflate: float
    tie: float
    stack: float
    parts: float
    set_up: float

    @property
    def total(self) -> float:
        """All of it, s."""
        return self.inflate + self.tie + self.stack + self.parts + self.set_up


def work_time(balloons: int, tied: int, rows: int, parts: int, copies: int, rates: Rates) -> WorkTime:
    """Time for so many balloons inflated, duplets and triplets tied, rows stacked, parts put on, copies set up."""
    return WorkTime(
        balloons * rates.inflate_s,
        tied * rates.tie_s,
        rows * rates.row_s,
        parts * rates.part_s,
        copies * rates.set_up_s,
    )


@dataclass(frozen=True, slots=True)
class CostSheet:
    """What a job costs, in the job's own currency; `unpriced` names what has no price yet."""

    balloons: float
    materials: float
    labour: float
    delivery: float
    margin: float
    tax: float
    to_spend: float
    unpriced: tuple[str, ...]

    @property
    def cost(self) -> float:
        """Before margin and tax."""
        return self.balloons + self.materials + self.labour + self.delivery

    @property
    def net(self) -> float:
        """With the margin, before tax."""
        return self.cost + self.margin

    @property
    def price(self) -> float:
        """What the client pays."""
        return self.net + self.tax


def cost_sheet(
    buying: Sequence[BuyLine],
    materials: Sequence[MaterialLine],
    work: WorkTime,
    pricing: Pricing,
    unpriced: Sequence[str] = (),
) -> CostSheet:
    """Materials at what the job uses of them, labour by the hour, delivery, then margin and tax on the sum so far."""
    balloons = sum(line.used_cost for line in buying)
    used = sum(line.used_cost for line in materials)
    labour = work.total / 3600 * pricing.hourly
    cost = balloons + used + labour + pricing.delivery
    margin = cost * pricing.margin_percent / 100
    tax = (cost + margin) * pricing.tax_percent / 100
    to_spend = sum(line.cost for line in buying) + sum(line.cost for line in materials)
    return CostSheet(
        balloons=balloons,
        materials=used,
        labour=labour,
        delivery=pricing.delivery,
        margin=margin,
        tax=tax,
        to_spend=to_spend,
        unpriced=tuple(unpriced),
    )
