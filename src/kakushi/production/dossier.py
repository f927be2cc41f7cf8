"""A plan with all that follows from it for the workshop: what screens, prints, spreadsheets and JSON share."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

from kakushi.model.memo import Cancelled, never
from kakushi.model.wishes import Wishes
from kakushi.model.workshop import Inflator
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.fill import Climate
from kakushi.production.preparation import Preparation, prepare
from kakushi.production.stability import assumptions_of, climate_of, expected_gust, stance_of, stand_words
from kakushi.production.tables import Listing, all_lists
from kakushi.sim.forecast import Forecast
from kakushi.stand.stance import Stance


@dataclass(frozen=True, eq=False)
class Dossier:
    """A plan, the weather it is for, and the wishes; the rest is worked out when asked for."""

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
    def preparation(self) -> Preparation:
        """Materials, buying, sheet, price."""
        return prepare(self.plan, self.climate, self.inflator, self.wishes.order, self.wishes.aim)

    @cached_property
    def lists(self) -> dict[str, Listing]:
        """All lists by key, in the order of the work."""
        listings = all_lists(self.plan, self.preparation, self.inflator, self.gust)
        return {listing.key: listing for listing in listings}

    def worked_out(self, cancelled: Cancelled = never) -> Dossier:
        """Itself, with nothing left to work out: for a worker. Raises `errors.Cancelled`."""
        for piece_plan in self.plan.pieces:
            for _, _, design in piece_plan.built:
                stance_of(design, self.plan.job.settings, self.plan.studio, self.gust, cancelled)
        _ = self.lists
        return self

    def stance(self, piece_plan: PiecePlan) -> Stance:
        """How a piece stands."""
        return stance_of(piece_plan, self.plan.job.settings, self.plan.studio, self.gust)

    def stand_words(self, piece_plan: PiecePlan) -> tuple[str, ...]:
        """The same in words."""
        return stand_words(piece_plan, self.plan.job.settings, self.plan.studio, self.gust)

    def assumptions(self, piece_plan: PiecePlan) -> tuple[str, ...]:
        """What that rests on."""
        return assumptions_of(piece_plan, self.plan.job.settings, self.plan.studio, self.gust)
