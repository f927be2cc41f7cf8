"""What a frame is made of: joints and their line, ribbon and strips; wrapped pole; the hole of a row; paint."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kakushi.model.joints import JointKind
from kakushi.model.workshop import FrameRules

_KNOT_MM = 150.0
_PLAIT_PITCH = 4.0


@dataclass(frozen=True, slots=True)
class JointNeeds:
    """What one joint uses: whole strips, line (mm), ribbon (mm)."""

    strips: float = 0.0
    line: float = 0.0
    ribbon: float = 0.0


def joint_needs(kind: JointKind, rise: float, diameters: tuple[float, ...]) -> JointNeeds:
    """What holding a row of balloons of those diameters (mm), `rise` mm above the row below, uses.

    Line goes twice round both knots in a figure eight, 4 × rise; ribbon half round every balloon;
    knots take 150 mm. Assumptions for planning, not measured.
    """
    match kind:
        case JointKind.STRIP:
            return JointNeeds(strips=1)
        case JointKind.LINE_EIGHT:
            return JointNeeds(line=4 * rise + _KNOT_MM)
        case JointKind.RIBBON:
            return JointNeeds(ribbon=sum(math.pi * d / 2 for d in diameters) + _KNOT_MM)
        case _:
            return JointNeeds()


def hole_radius(count: int, diameter: float) -> float:
    """Radius (mm) of the hole in the middle of a touching ring: d/2·(1/sin(π/n) - 1); a quad's is 0.207 d."""
    return diameter / 2 * (1 / math.sin(math.pi / count) - 1)


def water_in_hole(radius: float, pole_radius: float) -> float:
    """Water (g) that a ball filling a hole of `radius` mm holds, less the pole through it."""
    if radius <= pole_radius:
        return 0.0
    # A ball with a cylinder through its middle keeps 4/3·π·(R² - r²)^(3/2).
    return 4 / 3 * math.pi * math.sqrt(radius**2 - pole_radius**2) ** 3 / 1000


def wrapping_balloons(length: float, pole_diameter: float, style: str, rules: FrameRules) -> int:
    """Modelling balloons that wrap `length` mm of pole: one coil touching itself, or two crossing (plait).

    A balloon `w` wide lies on a helix of diameter D + w; a coil climbs w per turn, a plait 4 w.
    """
    wide = rules.modelling_wide_mm
    if style == "none" or length <= 0:
        return 0
    pitch, strands = (wide, 1) if style == "coil" else (_PLAIT_PITCH * wide, 2)
    turn = math.hypot(math.pi * (pole_diameter + wide), pitch)
    return strands * math.ceil(length / pitch * turn / (rules.modelling_in * 25.4) - 1e-9)


def paint_cans(pole_lengths: list[float], diameter: float, rules: FrameRules) -> int:
    """Cans for painting round poles (mm), all coats, with the spare ones."""
    area = sum(math.pi * diameter * length for length in pole_lengths) / 1e6
    return math.ceil(area * rules.coats / rules.cover_m2 - 1e-9) + rules.spare_cans if area > 0 else 0


def sections(length: float, section: float) -> int:
    """Screwed sections that make up a pole of `length` mm."""
    return max(math.ceil(length / section - 1e-9), 1)
