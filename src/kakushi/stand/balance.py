"""Whether a thing on a round foot stands: centre of mass, bumps, gusts, and the ballast that would help.

Axes as everywhere: x right, y away from the viewer, z up from the floor, mm; masses g; speeds m/s.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

GRAVITY = 9.81
AIR_KG_PER_M3 = 1.2


@dataclass(frozen=True, slots=True)
class Load:
    """A mass (g) and where it is (mm)."""

    name: str
    mass_g: float
    x: float
    y: float
    z: float


@dataclass(frozen=True, slots=True)
class Balance:
    """Mass (g) and centre of mass (mm) of something on a round foot of `radius` mm about the origin."""

    mass_g: float
    x: float
    y: float
    z: float
    radius: float

    @property
    def offset(self) -> float:
        """How far the centre of mass is off the middle of the foot, mm."""
        return math.hypot(self.x, self.y)

    @property
    def margin(self) -> float:
        """From the centre of mass to the nearest tipping edge, seen from above, mm; negative: it falls."""
        return self.radius - self.offset

    @property
    def tilt(self) -> float:
        """How far it may be tilted before it falls by itself, radians; negative: it falls as it is."""
        if self.mass_g <= 0:
            return 0.0
        return math.atan2(self.margin, max(self.z, 1e-9))

    def off_towards(self, azimuth: float) -> float:
        """Offset of the centre of mass in the direction (-sin a, cos a), away from a viewer at azimuth a, mm."""
        return -self.x * math.sin(azimuth) + self.y * math.cos(azimuth)


@dataclass(frozen=True, slots=True)
class Exposure:
    """What the wind sees from one side: area (mm²) and the height of its middle above the floor (mm)."""

    azimuth: float
    area: float
    middle: float


@dataclass(frozen=True, slots=True)
class Ballast:
    """So much mass (g), that far (mm) from the middle, at an angle seen from above (0: +x, anticlockwise)."""

    mass_g: float
    offset: float
    angle: float

    @property
    def weight_g(self) -> float:
        """The mass rounded up to 100 g: what a weight is filled to."""
        return math.ceil(self.mass_g / 100) * 100.0

    @property
    def azimuth_deg(self) -> float:
        """Its direction as parts are placed: whole degrees from the front, anticlockwise from above."""
        return round(math.degrees(self.angle)) + 90.0 if self.offset else 0.0


def balance(loads: Iterable[Load], radius: float) -> Balance:
    """Centre of mass of loads on a foot of `radius` mm."""
    listed = [load for load in loads if load.mass_g > 0]
    mass = sum(load.mass_g for load in listed)
    if mass <= 0:
        return Balance(0.0, 0.0, 0.0, 0.0, radius)
    x, y, z = (sum(load.mass_g * getattr(load, axis) for load in listed) / mass for axis in "xyz")
    return Balance(mass, x, y, z, radius)


def ballast_for(now: Balance, tilt: float, height: float) -> Ballast | None:
    """The least ballast (its middle `height` mm up) that lets it be tilted by `tilt` radians; None where none can.

    An off-centre piece gets it on the opposite edge, a centred one in the middle; moments about the tipping edge:
    mass·(R - e - z·tan tilt) + ballast·(reach - height·tan tilt) = 0, reach 2R on the opposite edge, R in the middle.
    """
    missing = now.mass_g * (now.z * math.tan(tilt) - now.margin)
    if missing <= 0:
        return Ballast(0.0, 0.0, 0.0)
    off_centre = now.offset > now.radius * _CENTRED
    reach = now.radius * (2 if off_centre else 1) - height * math.tan(tilt)
    if reach <= 0:
        return None
    opposite = math.atan2(-now.y, -now.x)
    return Ballast(missing / reach, now.radius if off_centre else 0.0, opposite if off_centre else 0.0)


_CENTRED = 0.02


def tipping_gust(now: Balance, exposure: Exposure, drag: float) -> float:
    """The gust (m/s) that tips it over the edge downwind: ½·ρ·v²·c·A·h = m·g·(R - e). inf where nothing is exposed.

    `drag` is the drag coefficient of the silhouette; e is the offset of the centre of mass downwind.
    """
    arm = (now.radius - now.off_towards(exposure.azimuth)) / 1000
    moment = now.mass_g / 1000 * GRAVITY * arm
    if moment <= 0:
        return 0.0
    per_square = 0.5 * AIR_KG_PER_M3 * drag * exposure.area / 1e6 * exposure.middle / 1000
    return math.sqrt(moment / per_square) if per_square > 0 else math.inf


def base_mass_for(rest: Balance, exposure: Exposure, gust: float, radius: float, drag: float) -> float:
    """The mass of base (g) on a foot of `radius` mm that holds a gust (m/s), with the `rest` of the piece on it."""
    wind = 0.5 * AIR_KG_PER_M3 * drag * gust**2 * exposure.area / 1e6 * exposure.middle / 1000
    held = rest.mass_g / 1000 * GRAVITY * (radius - rest.off_towards(exposure.azimuth)) / 1000
    return max((wind - held) / (GRAVITY * radius / 1000) * 1000, 0.0)
