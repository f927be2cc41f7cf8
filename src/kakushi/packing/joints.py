"""Joints: what each kind does to packing force and necks, and what it consumes."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kakushi.model.joints import JointKind

_KNOT_MM = 150.0
"""Length of line or ribbon that knots and ends take, mm. Assumed."""

_RIBBON_HOLD = 3.7
"""Stiffness over p·D of ribbon that goes round every balloon once: about that of a skin. So snug hands, at a tenth of
their packing force, come to the middle of what practice says, 0.93 to 1.0 d."""
_LINE_HOLD = 2.2
"""Stiffness over p·D of line that goes round both knots: it gives more than ribbon. So snug hands come to the middle of
what practice says, 0.88 to 1.0 d."""


@dataclass(frozen=True, slots=True)
class JointNeeds:
    """What one joint uses: whole strips, line (mm), ribbon (mm)."""

    strips: float = 0.0
    line: float = 0.0
    ribbon: float = 0.0


def _nothing(_rise: float, _diameters: tuple[float, ...]) -> JointNeeds:
    return JointNeeds()


def _strip(_rise: float, _diameters: tuple[float, ...]) -> JointNeeds:
    return JointNeeds(strips=1)


def _figure_eight(rise: float, _diameters: tuple[float, ...]) -> JointNeeds:
    """Line for a figure eight: twice around both knots."""
    return JointNeeds(line=4 * rise + _KNOT_MM)


def _ribbon(_rise: float, diameters: tuple[float, ...]) -> JointNeeds:
    """Ribbon for a joint: half around every balloon."""
    return JointNeeds(ribbon=sum(math.pi * d / 2 for d in diameters) + _KNOT_MM)


def _knotted(_diameters: tuple[float, ...]) -> JointNeeds:
    """Line that begins at the knot of the first row."""
    return JointNeeds(line=_KNOT_MM)


def _two_turns(diameters: tuple[float, ...]) -> JointNeeds:
    """Ribbon that begins with two turns, wound round every balloon of the first row."""
    return JointNeeds(ribbon=2 * sum(math.pi * d / 2 for d in diameters) + _KNOT_MM)


@dataclass(frozen=True, slots=True)
class Joint:
    """A kind of joint: `packing` scales the packing force, `slack` the neck slack; `needs(rise, diameters)`, mm, used.

    `hold`: stiffness over p·D of what is wound round the balloons, which keeps knots up to a balloon apart.
    `begins(diameters)`: what the first row uses where the joints of a group are one line or ribbon. `holds`: whether it
    ties a row to the one before it, so that the row stays down with nothing pressing on it.

    Assumptions held to the figures of practice (`docs/accuracy.md`): rows tied on line or wound with ribbon are not
    pushed down. A measured packing replaces the factors
    for its own kind of joint, a studio's rules add to what is used.
    """

    packing: float
    slack: float
    needs: Callable[[float, tuple[float, ...]], JointNeeds]
    hold: float = 0.0
    begins: Callable[[tuple[float, ...]], JointNeeds] | None = None
    holds: bool = True


JOINTS: Mapping[JointKind, Joint] = {
    JointKind.WRAPPED: Joint(1.0, 1.0, _nothing, holds=False),
    JointKind.NECK_TIED: Joint(0.9, 1.0, _nothing),
    JointKind.LINE_EIGHT: Joint(0.1, 1.0, _figure_eight, hold=_LINE_HOLD, begins=_knotted),
    JointKind.RIBBON: Joint(0.1, 1.0, _ribbon, hold=_RIBBON_HOLD, begins=_two_turns),
    JointKind.STRIP: Joint(0.7, 1.0, _strip),
    JointKind.LINK_TIED: Joint(0.5, 1.0, _nothing),
}
