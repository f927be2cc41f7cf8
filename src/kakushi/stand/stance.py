"""How a piece stands at every step of its build, and where it is worst."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from kakushi.stand.balance import Balance, Ballast, Exposure, Load, balance, ballast_for, base_mass_for, tipping_gust


@dataclass(frozen=True, slots=True)
class Step:
    """One step of the build: what it is called, what it adds, and all sides the wind then meets."""

    name: str
    added: tuple[Load, ...]
    exposures: tuple[Exposure, ...]


@dataclass(frozen=True, slots=True)
class StepStance:
    """How it stands after a step: centre of mass, and the gust (m/s) that would tip it from its worst side."""

    name: str
    balance: Balance
    gust: float


@dataclass(frozen=True, slots=True)
class Foot:
    """The foot: radius and height (mm) and mass (g)."""

    radius: float
    height: float
    mass_g: float


@dataclass(frozen=True, slots=True)
class Assumed:
    """Drag coefficient, gusts over mean wind, the tilt (radians) a piece should stand."""

    drag: float
    gust_factor: float
    tilt: float


@dataclass(frozen=True, slots=True, eq=False)
class Stance:
    """How a piece stands, step by step.

    `leaning` is the step that may be tilted least, `windy` the one the smallest gust tips. `ballast` would make
    the leaning step stand the wanted tilt (None: no ballast on this foot does); `base_mass` (g) and
    `base_radius` (mm) are a base that would hold the wanted `gust` when all is built, None without one.
    """

    steps: tuple[StepStance, ...]
    foot: Foot
    assumed: Assumed
    ballast: Ballast | None
    gust: float | None
    base_mass: float | None
    base_radius: float

    @property
    def finished(self) -> StepStance:
        """When all is built."""
        return self.steps[-1]

    @property
    def leaning(self) -> StepStance:
        """The step at which it may be tilted least."""
        return min(self.steps, key=lambda step: step.balance.tilt)

    @property
    def windy(self) -> StepStance:
        """The step that the smallest gust tips."""
        return min(self.steps, key=lambda step: step.gust)

    @property
    def stands(self) -> bool:
        """Whether every step stands the wanted tilt."""
        return self.leaning.balance.tilt >= self.assumed.tilt

    @property
    def holds(self) -> bool:
        """Whether every step holds the wanted gust; True where none is asked for."""
        return self.gust is None or self.windy.gust >= self.gust


WIDER_FOOT = (1.0, 1.5, 2.0)
_HEAVY_G = 25_000


def stance(steps: Sequence[Step], foot: Foot, assumed: Assumed, gust: float | None = None) -> Stance:
    """Stand every step on a round foot; `gust` (m/s) is what it should hold, None indoors. Needs a first step."""
    loads: list[Load] = []
    stances = []
    for step in steps:
        loads += step.added
        now = balance(loads, foot.radius)
        tipping = min((tipping_gust(now, e, assumed.drag) for e in step.exposures), default=math.inf)
        stances.append(StepStance(step.name, now, tipping))
    leaning = min((s.balance for s in stances), key=lambda b: b.tilt)
    ballast = ballast_for(leaning, assumed.tilt, foot.height / 2)
    mass, radius = _base_for(steps, loads, foot, assumed, gust)
    return Stance(
        steps=tuple(stances), foot=foot, assumed=assumed, ballast=ballast, gust=gust, base_mass=mass, base_radius=radius
    )


def _base_for(
    steps: Sequence[Step], loads: Sequence[Load], foot: Foot, assumed: Assumed, gust: float | None
) -> tuple[float | None, float]:
    """The base that would hold a gust in place of the one there is.

    On the same foot, or on a wider one where that would weigh more than one can carry.
    """
    if gust is None or not foot.radius:
        return None, foot.radius
    rest = balance([load for load in loads if load.name != BASE], foot.radius)
    for factor in WIDER_FOOT:
        radius = foot.radius * factor
        mass = max((base_mass_for(rest, e, gust, radius, assumed.drag) for e in steps[-1].exposures), default=0.0)
        if mass <= _HEAVY_G:
            break
    return mass, radius


BASE = "base"
