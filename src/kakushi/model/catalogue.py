"""Nominal sizes with their usable fill range, balloon colours and finishes."""

from __future__ import annotations

from enum import StrEnum

from pydantic import Field

from kakushi.model.units import inches
from kakushi.model.values import Value


class Finish(StrEnum):
    """How the skin takes the light."""

    PLAIN = "plain"
    PEARL = "pearl"
    METALLIC = "metallic"
    CLEAR = "clear"
    PRINTED = "printed"


class NominalSize(Value):
    """One size of round balloon and the fill ratios at which it is usable."""

    nominal_in: float = Field(gt=0, le=100)
    fill_low: float = Field(gt=0, le=1)
    fill_high: float = Field(gt=0, le=1)

    @property
    def smallest_mm(self) -> float:
        """Smallest usable sized diameter, mm."""
        return inches(self.nominal_in) * self.fill_low

    @property
    def largest_mm(self) -> float:
        """Largest usable sized diameter, mm."""
        return inches(self.nominal_in) * self.fill_high


class BalloonColour(Value):
    """A named colour of balloon. `key` identifies it in slots and patterns."""

    key: str = Field(min_length=1, max_length=60)
    name: str = Field(min_length=1, max_length=60)
    code: str = Field(min_length=1, max_length=4)
    hex: str = Field(pattern=r"^#[0-9a-fA-F]{6}$")
    finish: Finish = Finish.PLAIN


DEFAULT_NOMINALS: tuple[NominalSize, ...] = (
    NominalSize(nominal_in=5, fill_low=0.50, fill_high=1.00),
    NominalSize(nominal_in=9, fill_low=0.50, fill_high=0.95),
    NominalSize(nominal_in=11, fill_low=0.50, fill_high=0.95),
    NominalSize(nominal_in=12, fill_low=0.50, fill_high=0.95),
    NominalSize(nominal_in=16, fill_low=0.50, fill_high=0.95),
    NominalSize(nominal_in=18, fill_low=0.50, fill_high=0.92),
    NominalSize(nominal_in=24, fill_low=0.50, fill_high=0.92),
    NominalSize(nominal_in=36, fill_low=0.50, fill_high=0.90),
)

DEFAULT_PALETTE: tuple[BalloonColour, ...] = (
    BalloonColour(key="harbour-blue", name="harbour blue", code="HB", hex="#2f5f9e"),
    BalloonColour(key="sail-white", name="sail white", code="SW", hex="#f4efe4"),
    BalloonColour(key="signal-red", name="signal red", code="SR", hex="#c8322b"),
    BalloonColour(key="sea-glass", name="sea glass", code="SG", hex="#8fc7b5"),
    BalloonColour(key="rope", name="rope", code="R", hex="#c9a877"),
    BalloonColour(key="lantern-yellow", name="lantern yellow", code="LY", hex="#f2b632"),
    BalloonColour(key="deep-teal", name="deep teal", code="DT", hex="#16605f"),
    BalloonColour(key="dusk-violet", name="dusk violet", code="DV", hex="#6b5390"),
)


class Studio(Value):
    """What the sculptor owns and how they work, shared by all jobs."""

    nominals: tuple[NominalSize, ...] = DEFAULT_NOMINALS
    sizer_step_mm: float = Field(default=inches(0.25), gt=0, le=100)

    def nominal(self, nominal_in: float) -> NominalSize | None:
        """The catalogue's entry for `nominal_in`, or None when it is not listed."""
        return next((n for n in self.nominals if n.nominal_in == nominal_in), None)
