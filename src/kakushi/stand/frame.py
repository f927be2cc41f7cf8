"""What a frame is made of: wrapped pole, the hole of a row, paint, sections."""

from __future__ import annotations

import math
from typing import NamedTuple

from kakushi.model.workshop import FrameRules

_PLAIT_PITCH = 4.0
"""Climb of a plaited strand per turn, in strand widths: close enough to hide the pole. Assumed."""
# Of the inflated width and length: a modelling balloon as it comes out of the bag. Assumed.
_FLAT_WIDE, _FLAT_LONG = 0.5, 0.27
# mm of each end that knots and nozzle take.
_END_MM = 40.0


def water_in_hole(radius: float, pole_radius: float, tall: float) -> float:
    """Water (g) that a balloon filling a hole of `radius` mm and at most `tall` mm holds, less the pole through it."""
    # A pole that fills the hole leaves no room for a balloon around it.
    if radius <= pole_radius or tall <= 0:
        return 0.0
    flatter = min(tall / (2 * radius), 1.0)
    # A ball with a cylinder through its middle keeps 4/3·π·(R² - r²)^(3/2); pressed flat it is an ellipsoid.
    return flatter * 4 / 3 * math.pi * math.sqrt(radius**2 - pole_radius**2) ** 3 / 1000


def wrapping_balloons(
    length: float, pole_diameter: float, style: str, rules: FrameRules, strands: int = 1, inflated: bool = True
) -> int:
    """Modelling balloons that wrap `length` mm of pole: strands side by side (coil), or crossing both ways (plait).

    A balloon `w` wide lies on a helix of diameter D + w; coiled strands climb their widths per turn, each of the (at
    least two) strands of a plait 4 w. Every balloon loses its two ends to knots; each strand is tied anew.
    """
    laid = strands_of(style, strands, inflated, rules)
    if not laid or length <= 0:
        return 0
    wide, pitch = laid[0].wide, laid[0].pitch
    turn = math.hypot(math.pi * (pole_diameter + wide), pitch)
    each = rules.modelling_in * 25.4 * (1.0 if inflated else _FLAT_LONG) - 2 * _END_MM
    # Each strand by itself: a balloon begun on one is not cut for the next.
    return len(laid) * math.ceil(length / pitch * turn / max(each, 1.0) - 1e-9)


class Winding(NamedTuple):
    """A strand wound around a pole: width and pitch, mm, starting angle, radians, and sense of turning.

    Anticlockwise is 1, clockwise -1.
    """

    wide: float
    pitch: float
    begins: float
    way: int


def strands_of(style: str, strands: int, inflated: bool, rules: FrameRules) -> list[Winding]:
    """The strands of a wrapping, as `wrapping_balloons` counts them."""
    wide = rules.modelling_wide_mm * (1.0 if inflated else _FLAT_WIDE)
    match style:
        case "coil":
            return [Winding(wide, strands * wide, 2 * math.pi * k / strands, 1) for k in range(strands)]
        case "plait":
            count = max(strands, 2)
            return [
                Winding(wide, _PLAIT_PITCH * wide, 2 * math.pi * (k // 2) / count, 1 - 2 * (k % 2))
                for k in range(count)
            ]
        case _:
            return []


def paint_cans(pole_lengths: list[float], diameter: float, rules: FrameRules) -> int:
    """Cans for painting round poles (mm), all coats, with the spare ones."""
    area = sum(math.pi * diameter * length for length in pole_lengths) / 1e6
    return math.ceil(area * rules.coats / rules.cover_m2 - 1e-9) + rules.spare_cans if area > 0 else 0


def sections(length: float, section: float) -> int:
    """Screwed sections that make up a pole of `length` mm."""
    return max(math.ceil(length / section - 1e-9), 1)
