"""A plan with all that follows from it for the workshop: what screens, prints, spreadsheets and JSON share."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

from kakushi.building.materials import base_prices
from kakushi.building.poles import PoleCuts, pole_prices
from kakushi.building.step import Cutting, Step, Work
from kakushi.building.steps import steps_of
from kakushi.building.tying import cards_of
from kakushi.colour.tying import Card
from kakushi.dress.kinds.weight import WEIGHTS
from kakushi.model.memo import Cancelled, never
from kakushi.model.wishes import Wishes
from kakushi.model.workshop import Inflator
from kakushi.plan.stability import expected_gust, stance_of
from kakushi.plan.values import PiecePlan, Plan
from kakushi.sim.forecast import Forecast
from kakushi.stand.stance import Stance
from kakushi.workshop.buying import BuyLine, MaterialLine, Shortage, buy_lines, material_lines, shortages
from kakushi.workshop.fill import Climate, climate_of
from kakushi.workshop.ledger import TiedKind, things_used, tied_kinds, work_minutes
from kakushi.workshop.price import CostSheet, cost_sheet
from kakushi.workshop.sheet import SheetLine, sheet_lines
from kakushi.workshop.supplies import Supplies, supplies_of


class LastRow(NamedTuple):
    """What one row more or fewer takes on all copies of a piece: balloons by nominal size and colour."""

    piece: str
    copies: int
    balloons: tuple[tuple[float, str, int], ...]


@dataclass(frozen=True, eq=False)
class Dossier:
    """A plan with its forecast and settings; everything else is computed once, when first asked for."""

    plan: Plan
    forecast: Forecast | None = None
    wishes: Wishes = field(default_factory=Wishes)

    @property
    def inflator(self) -> Inflator | None:
        """The inflator the sheet is for, None where the studio has none."""
        known = self.plan.studio.inflators
        return next((i for i in known if i.name == self.wishes.inflator), known[0] if known else None)

    @property
    def climate(self) -> Climate:
        """Heat and sun where the pieces stand."""
        return climate_of(self.plan.job.brief, self.forecast)

    @property
    def gust(self) -> float | None:
        """The gust (m/s) they should hold; None indoors."""
        return expected_gust(self.plan.job.brief, self.forecast)

    @cached_property
    def steps(self) -> tuple[Step, ...]:
        """Every step: the ledger that all else adds up."""
        return steps_of(self.plan)

    @cached_property
    def cards(self) -> tuple[Card, ...]:
        """The tying cards."""
        return cards_of(self.plan)

    @cached_property
    def supplies(self) -> Supplies:
        """Balloons with spares."""
        return supplies_of(self.plan)

    def steps_of_piece(self, key: int) -> Iterator[Step]:
        """The steps of all copies of a piece."""
        return (step for step in self.steps if step.piece == key)

    @cached_property
    def tied(self) -> tuple[TiedKind, ...]:
        """Kinds of duplets, triplets and singles."""
        return tied_kinds(self.steps)

    @cached_property
    def work(self) -> dict[Work, float]:
        """Minutes of work by kind."""
        return work_minutes(self.steps)

    @property
    def minutes(self) -> float:
        """Minutes of work in all, as if one person did it."""
        return sum(self.work.values())

    @cached_property
    def poles(self) -> tuple[PoleCuts, ...]:
        """How poles are cut: what the step that cuts them says."""
        return next((step.fact.poles for step in self.steps if isinstance(step.fact, Cutting)), ())

    @cached_property
    def materials(self) -> tuple[MaterialLine, ...]:
        """Everything that is no balloon, in whole packs."""
        prices = (*self.plan.studio.rules, *pole_prices(self.plan), *base_prices(self.plan.studio))
        things = things_used(self.steps)
        # What the log says is wasted is bought too; what it says is saved is not relied on.
        waste = {used.item: used.count * max(self.plan.studio.waste_of(used.item) - 1, 0.0) for used in things}
        return material_lines(things, prices, {**waste, **self.supplies.links})

    @cached_property
    def buying(self) -> tuple[BuyLine, ...]:
        """Balloons to buy, in whole bags."""
        return buy_lines(self.supplies.whole, self.plan.studio, self.wishes.aim)

    @cached_property
    def shortages(self) -> tuple[Shortage, ...]:
        """What stock does not cover."""
        sized = [
            (slot.nominal_in, slot.diameter_mm, colour)
            for piece_plan in self.plan.pieces
            for row, line in zip(piece_plan.piece.rows, piece_plan.colouring, strict=True)
            for slot, colour in zip(row.slots, line, strict=True)
        ]
        return tuple(shortages(self.buying, sized, self.plan.studio))

    @cached_property
    def sheet(self) -> tuple[SheetLine, ...]:
        """The inflation sheet."""
        return sheet_lines(
            kinds=self.tied,
            cards=self.cards,
            studio=self.plan.studio,
            inflator=self.inflator,
            climate=self.climate,
            looks={colour.key: colour.hex for colour in self.plan.job.palette},
            order=self.wishes.order,
        )

    @cached_property
    def cost(self) -> CostSheet:
        """What the job costs, and the price."""
        unpriced = [(line.nominal_in, line.colour) for line in self.buying if line.unit_cost is None]
        # Ballast is not sold.
        things = [line.item for line in self.materials if not line.cost and line.item != WEIGHTS]
        return cost_sheet(self.buying, self.materials, self.work, self.plan.job.pricing, unpriced, things)

    def last_rows(self) -> Iterator[LastRow]:
        """What one row more needs, where a pole may take one more."""
        for piece_plan in self.plan.pieces:
            piece = piece_plan.piece
            if piece.frame.has_pole and piece.frame.pole_length_mm and piece.rows:
                slots = zip(piece.rows[-1].slots, piece_plan.colouring[-1], strict=True)
                sizes = Counter((slot.nominal_in, colour) for slot, colour in slots)
                copies = len(piece.copies)
                yield LastRow(piece.name, copies, tuple((*kind, n * copies) for kind, n in sizes.items()))

    def worked_out(self, cancelled: Cancelled = never) -> Dossier:
        """Itself, with nothing left to work out: for a worker. Raises `errors.Cancelled`."""
        for piece_plan in self.plan.pieces:
            for _, _, design in piece_plan.built:
                self._stance(design, cancelled)
        _ = self.cost, self.sheet, self.shortages
        return self

    @property
    def answers(self) -> dict[str, Any]:
        """What is worked out so far, by name."""
        return {name: value for name, value in vars(self).items() if name not in {"plan", "forecast", "wishes"}}

    def with_answers(self, answers: Mapping[str, Any]) -> Dossier:
        """Itself, with what was worked out elsewhere of an equal one."""
        vars(self).update(answers)
        return self

    def stance(self, piece_plan: PiecePlan) -> Stance:
        """How a piece stands."""
        return self._stance(piece_plan, never)

    @cached_property
    def _stances(self) -> dict[PiecePlan, Stance]:
        return {}

    def _stance(self, piece_plan: PiecePlan, cancelled: Cancelled) -> Stance:
        if piece_plan not in self._stances:
            plan = self.plan
            self._stances[piece_plan] = stance_of(piece_plan, plan.job.settings, plan.studio, self.gust, cancelled)
        return self._stances[piece_plan]
