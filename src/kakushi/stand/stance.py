"""How a piece stands at every step of its build, and where it is worst."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from kakushi.stand.balance import (
    HAND_HEIGHT_MM,
    Balance,
    Ballast,
    Exposure,
    Footing,
    Load,
    Push,
    balance,
    balances,
    ballast_for,
    base_mass_for,
    least_push,
    tipping_gust,
)


class BuiltPart(NamedTuple):
    """What of a piece stands: the bare frame, a number of `rows`, a ball, or a part (by name)."""

    what: Literal["frame", "rows", "ball", "part"]
    rows: int = 0
    part: str = ""


@dataclass(frozen=True, slots=True)
class BuildState:
    """State after one step of the build: what stands, what it added, the sides the wind meets, the top (mm)."""

    stage: BuiltPart
    added: tuple[Load, ...]
    exposures: tuple[Exposure, ...]
    top: float = HAND_HEIGHT_MM


@dataclass(frozen=True, slots=True)
class StepStance:
    """How it stands after a step: centre of mass, the least push and the least gust (m/s) that tips or slides it."""

    stage: BuiltPart
    balance: Balance
    gust: float
    push: Push


@dataclass(frozen=True, slots=True)
class Foot:
    """The foot: what it covers of the floor, its height (mm) and mass (g)."""

    on: Footing
    height: float
    mass_g: float

    @property
    def radius(self) -> float:
        """From the middle to the nearest edge, mm."""
        return self.on.reach


@dataclass(frozen=True, slots=True)
class Assumed:
    """Drag coefficient, gusts over mean wind, the lean (radians) and the push (N) that a piece should stand."""

    drag: float
    gust_factor: float
    tilt: float
    push: float


@dataclass(frozen=True, slots=True, eq=False)
class Stance:
    """How a piece stands, step by step.

    `leaning` is the step that may lean least, `pushed` the one the least push moves, `windy` the one the smallest gust
    does. `ballast` would make both stand what is wanted (None: no ballast on this foot does); `base_mass` (g) and
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
        """The step that decides how far it may lean: a half-built one that hardly stands by itself, else the last."""
        worst = min(self.steps, key=lambda step: step.balance.tilt)
        return worst if worst.balance.tilt < HALF_BUILT_TILT else self.finished

    @property
    def pushed(self) -> StepStance:
        """The step that is pushed: the finished piece. While it is built somebody is at it."""
        return self.finished

    @property
    def windy(self) -> StepStance:
        """The step that the smallest gust tips."""
        return min(self.steps, key=lambda step: step.gust)

    @property
    def stands(self) -> bool:
        """Whether the finished piece stands the wanted lean and push, and every step before by itself."""
        if self.ballast is not None and self.ballast.mass_g < _HAND_G and self.leaning.balance.tilt >= 0:
            return True
        wanted = self.assumed.tilt if self.leaning is self.finished else min(HALF_BUILT_TILT, self.assumed.tilt)
        return self.leaning.balance.tilt >= wanted and self.pushed.push.newtons >= self.assumed.push

    @property
    def holds(self) -> bool:
        """Whether the piece holds the wanted gust at every step; True where none is wanted."""
        return self.gust is None or self.windy.gust >= self.gust


_HAND_G = 50.0
"""Ballast, g, below which a hand cannot tell whether it is there, and no figure here is that sure. Assumed."""
HALF_BUILT_TILT = math.radians(1.0)
"""Lean, radians, that a half-built piece must stand: somebody is beside it. Assumed."""
WIDER_FOOT = (1.0, 1.5, 2.0)
"""Factors by which the foot is widened, in order, before a heavier base is asked for."""
_HEAVY_G = 25_000
"""Mass of base, g, that one person can carry: the limit for lifting in many workplace rules."""


def stance(steps: Sequence[BuildState], foot: Foot, assumed: Assumed, gust: float | None = None) -> Stance:
    """Stand every step on its foot; `gust` (m/s) is what it should hold, None indoors. Needs a first step.

    Steps after which nothing is there yet are left out: they neither stand nor fall.
    """
    stances = []
    for step, now in zip(steps, balances([step.added for step in steps], foot.on), strict=True):
        if now.mass_g <= 0 and step is not steps[-1]:
            continue
        # From the worst side: nobody knows where the wind will come from.
        tipping = min((tipping_gust(now, e, assumed.drag) for e in step.exposures), default=math.inf)
        push = least_push(now, min(HAND_HEIGHT_MM, max(step.top, 1.0)))
        stances.append(StepStance(step.stage, now, tipping, push))
    finished, weakest = stances[-1], min(stances, key=lambda step: step.balance.tilt)
    by_itself = min(HALF_BUILT_TILT, assumed.tilt)
    ballasts = [
        ballast_for(finished.balance, assumed.tilt, foot.height / 2, assumed.push, finished.push.height),
        ballast_for(weakest.balance, by_itself, foot.height / 2),
    ]
    sure = [ballast for ballast in ballasts if ballast is not None]
    ballast = max(sure, key=lambda each: each.mass_g) if len(sure) == len(ballasts) else None
    loads = [load for step in steps for load in step.added]
    mass, radius = _base_for(steps, loads, foot, assumed, gust)
    return Stance(
        steps=tuple(stances), foot=foot, assumed=assumed, ballast=ballast, gust=gust, base_mass=mass, base_radius=radius
    )


def _base_for(
    steps: Sequence[BuildState], loads: Sequence[Load], foot: Foot, assumed: Assumed, gust: float | None
) -> tuple[float | None, float]:
    """The base that would hold a gust in place of the one there is.

    On the same foot, or on a wider one where that would weigh more than one can carry.
    """
    if gust is None or not foot.radius:
        return None, foot.radius
    # The new base takes the place of the old one.
    rest = balance([load for load in loads if load.name != BASE], foot.on)
    for factor in WIDER_FOOT:
        radius = foot.radius * factor
        mass = max((base_mass_for(rest, e, gust, radius, assumed.drag) for e in steps[-1].exposures), default=0.0)
        if mass <= _HEAVY_G:
            break
    return mass, radius


BASE = "base"
