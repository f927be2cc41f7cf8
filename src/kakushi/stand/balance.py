"""Whether a thing on a foot stands: centre of mass, leaning, pushes, gusts, sliding, and the ballast that would help.

Axes as everywhere: x right, y away from the viewer, z up from the floor, mm; masses g; speeds m/s; forces N.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

GRAVITY = 9.81
"""Standard gravity, m/s²."""
AIR_KG_PER_M3 = 1.2
"""Density of air at sea level and 20 °C, kg/m³."""
FRICTION = 0.4
"""Coefficient of friction of rubber, paint or steel on a hard, dry floor: the low end of handbook values."""
HAND_HEIGHT_MM = 1000.0
"""Height of a push, mm: an adult's hand or a child's shoulder. Lower pieces are pushed at their top."""


@dataclass(frozen=True, slots=True)
class Footing:
    """What a thing stands on: a disc of `radius` mm about the origin, or the convex polygon of `corners`, mm.

    The corners run anticlockwise seen from above.
    """

    radius: float = 0.0
    corners: tuple[tuple[float, float], ...] = ()

    @property
    def reach(self) -> float:
        """From the middle to the nearest edge, mm."""
        return self.margin(0.0, 0.0)

    def margin(self, x: float, y: float) -> float:
        """From a place to the nearest edge, mm; negative outside."""
        if not self.corners:
            return self.radius - math.hypot(x, y)
        return min((edge.distance(x, y) for edge in self._edges()), default=0.0)

    def arm(self, x: float, y: float, azimuth: float) -> float:
        """Lever, mm, against being pushed away from a viewer at `azimuth`, of a mass at a place."""
        towards = (-math.sin(azimuth), math.cos(azimuth))
        if not self.corners:
            return self.radius - (x * towards[0] + y * towards[1])
        faced = ((edge, edge.out[0] * towards[0] + edge.out[1] * towards[1]) for edge in self._edges())
        return min((edge.distance(x, y) / facing for edge, facing in faced if facing > 1e-6), default=0.0)

    def _edges(self) -> list[_Edge]:
        return [_edge(a, b) for a, b in zip(self.corners, (*self.corners[1:], *self.corners[:1]), strict=True)]


@dataclass(frozen=True, slots=True)
class _Edge:
    """An edge of a footing through a point, with its direction outward."""

    through: tuple[float, float]
    out: tuple[float, float]

    def distance(self, x: float, y: float) -> float:
        """From a place inside to the edge, mm."""
        return (self.through[0] - x) * self.out[0] + (self.through[1] - y) * self.out[1]


def _edge(a: tuple[float, float], b: tuple[float, float]) -> _Edge:
    along = math.hypot(b[0] - a[0], b[1] - a[1]) or 1e-9
    return _Edge(a, ((b[1] - a[1]) / along, -(b[0] - a[0]) / along))


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
    """Mass (g) and centre of mass (mm) of something on a foot."""

    mass_g: float
    x: float
    y: float
    z: float
    foot: Footing

    @property
    def offset(self) -> float:
        """How far the centre of mass is off the middle of the foot, mm."""
        return math.hypot(self.x, self.y)

    @property
    def margin(self) -> float:
        """From the centre of mass to the nearest tipping edge, seen from above, mm; negative: it falls."""
        return self.foot.margin(self.x, self.y)

    @property
    def tilt(self) -> float:
        """How far it may lean before it goes over by itself, radians; negative: it falls as it is."""
        if self.mass_g <= 0:
            return 0.0
        return math.atan2(self.margin, max(self.z, 1e-9))


@dataclass(frozen=True, slots=True)
class Push:
    """The least push (N, level) at a `height` (mm) that moves a thing: it tips, or it slides."""

    newtons: float
    slides: bool
    height: float


@dataclass(frozen=True, slots=True)
class Exposure:
    """What the wind sees from one side: area (mm²) and the height of its middle above the floor (mm)."""

    azimuth: float
    area: float
    middle: float


@dataclass(frozen=True, slots=True)
class Ballast:
    """A mass (g) at a distance (mm) from the middle and an angle seen from above (0 along +x, anticlockwise)."""

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


def balance(loads: Iterable[Load], foot: Footing | float) -> Balance:
    """Centre of mass of loads on a foot, a number being the radius of a round one, mm."""
    return balances([tuple(loads)], foot)[-1]


def balances(added: Iterable[Iterable[Load]], foot: Footing | float) -> list[Balance]:
    """Centre of mass after every step of a build, of all loads added till then."""
    footing = foot if isinstance(foot, Footing) else Footing(foot)
    mass = x = y = z = 0.0
    balances_found = []
    for loads in added:
        for load in loads:
            mass, x, y, z = (
                mass + load.mass_g, x + load.mass_g * load.x, y + load.mass_g * load.y, z + load.mass_g * load.z,
            )  # fmt: skip
        balances_found.append(
            Balance(mass, x / mass, y / mass, z / mass, footing) if mass > 0 else Balance(0, 0, 0, 0, footing)
        )
    return balances_found


def least_push(now: Balance, height: float, friction: float = FRICTION) -> Push:
    """The least level push at `height` mm that tips it over its nearest edge or slides it.

    Tips: F·h = m·g·margin; slides: F = friction·m·g.
    """
    weight = now.mass_g / 1000 * GRAVITY
    tips = weight * max(now.margin, 0.0) / max(height, 1.0)
    slides = friction * weight
    return Push(min(tips, slides), slides < tips, height)


def ballast_for(
    now: Balance, tilt: float, height: float, push: float = 0.0, push_height: float = HAND_HEIGHT_MM
) -> Ballast | None:
    """The least ballast (its middle `height` mm up) that lets it lean by `tilt` radians and stand a `push`, N.

    None where none can. An off-centre piece gets it on the opposite edge, a centred one in the middle; moments about
    the tipping edge: mass·(margin - z·tan tilt) + ballast·(reach - height·tan tilt) = 0 and
    (mass·margin + ballast·reach)·g = push·push_height, reach twice the foot's on the opposite edge, once in the middle.
    """
    # Opposite to the lean a weight acts over the whole foot; in the middle over half of it.
    off_centre = now.offset > now.foot.reach * _CENTRED
    reach = now.foot.reach * (2 if off_centre else 1)
    leaning = now.mass_g * (now.z * math.tan(tilt) - now.margin)
    pushed = push / GRAVITY * 1000 * push_height - now.mass_g * now.margin
    # Ballast helps against sliding wherever it lies.
    sliding = push / (FRICTION * GRAVITY) * 1000 - now.mass_g
    if max(leaning, pushed, sliding) <= 0:
        return Ballast(0.0, 0.0, 0.0)
    lever = reach - height * math.tan(tilt)
    # Ballast that lies beyond the edge would only pull it over.
    if (leaning > 0 and lever <= 0) or (pushed > 0 and reach <= 0):
        return None
    mass = max(leaning / lever if leaning > 0 else 0.0, pushed / reach if pushed > 0 else 0.0, sliding, 0.0)
    opposite = math.atan2(-now.y, -now.x)
    return Ballast(mass, now.foot.reach if off_centre else 0.0, opposite if off_centre else 0.0)


_CENTRED = 0.02
"""Offset, as a share of the foot's reach, below which a piece counts as centred: ballast cannot be placed closer."""


def tipping_gust(now: Balance, exposure: Exposure, drag: float, friction: float = FRICTION) -> float:
    """The gust (m/s) that tips it over the edge downwind, or slides it. inf where nothing is exposed.

    Tips: ½·ρ·v²·c·A·h = m·g·arm; slides: ½·ρ·v²·c·A = friction·m·g. `drag` is the drag coefficient of the silhouette.
    """
    weight = now.mass_g / 1000 * GRAVITY
    # The edge downwind, not the nearest one: wind from the other side is another exposure.
    moment = weight * now.foot.arm(now.x, now.y, exposure.azimuth) / 1000
    if moment <= 0:
        return 0.0
    force = 0.5 * AIR_KG_PER_M3 * drag * exposure.area / 1e6
    lever = force * exposure.middle / 1000
    tips = math.sqrt(moment / lever) if lever > 0 else math.inf
    return min(tips, math.sqrt(friction * weight / force) if force > 0 else math.inf)


def base_mass_for(rest: Balance, exposure: Exposure, gust: float, radius: float, drag: float) -> float:
    """The mass of base (g) on a round foot of `radius` mm that holds a gust (m/s), with the `rest` of the piece on it.

    It neither tips nor slides.
    """
    force = 0.5 * AIR_KG_PER_M3 * drag * gust**2 * exposure.area / 1e6
    arm = Footing(radius).arm(rest.x, rest.y, exposure.azimuth)
    held = rest.mass_g / 1000 * GRAVITY * arm / 1000
    tipping = (force * exposure.middle / 1000 - held) / (GRAVITY * radius / 1000) * 1000
    return max(tipping, force / (FRICTION * GRAVITY) * 1000 - rest.mass_g, 0.0)
