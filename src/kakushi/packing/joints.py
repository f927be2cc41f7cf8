"""Joints: what each kind does to packing force and necks, and what it consumes."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kakushi.model.joints import JointKind

_KNOT_MM = 150.0
"""Length of line or ribbon that knots and ends take, mm. Assumed."""


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


@dataclass(frozen=True, slots=True)
class Joint:
    """A kind of joint: `packing` scales the packing force, `slack` the neck slack; `needs(rise, diameters)`, mm, used.

    `holds`: whether it ties a row to the one before it, so that the row stays down with nothing pressing on it.

    Assumptions held to the figures of practice (`docs/accuracy.md`): rows tied on line or wound with ribbon are not
    pushed down, and what is wound round the necks leaves them little slack. A measured packing replaces the factors
    for its own kind of joint, a studio's rules add to what is used.
    """

    packing: float
    slack: float
    needs: Callable[[float, tuple[float, ...]], JointNeeds]
    holds: bool = True


JOINTS: Mapping[JointKind, Joint] = {
    JointKind.WRAPPED: Joint(1.0, 1.0, _nothing, holds=False),
    JointKind.NECK_TIED: Joint(0.9, 1.0, _nothing),
    JointKind.LINE_EIGHT: Joint(0.1, 0.15, _figure_eight),
    JointKind.RIBBON: Joint(0.1, 0.15, _ribbon),
    JointKind.STRIP: Joint(0.7, 1.0, _strip),
    JointKind.LINK_TIED: Joint(0.5, 1.0, _nothing),
}
