"""A ball: many duplets crossed on one knot, pointing all ways."""

from __future__ import annotations

from functools import lru_cache

from kakushi.model.groups import BallGroup, Slot
from kakushi.model.joints import JointKind
from kakushi.model.memo import Cancelled
from kakushi.model.piece import Piece
from kakushi.model.roles import BalloonRole
from kakushi.model.units import UnitSystem, format_diameter, format_nominal
from kakushi.packing.ball import BallGeometry, settle_ball
from kakushi.packing.groups.kind import BalloonLine, GroupKind, Settled, without_colours
from kakushi.packing.stack import Packing, default_slack

_SLOTS = (Slot(nominal_in=11, diameter_mm=220.0),) * 10
"""Five duplets of 11-inch balloons: the usual core of a table piece."""


def _made(_piece: Piece) -> BallGroup:
    return BallGroup(slots=_SLOTS)


def _said(group: BallGroup, units: UnitSystem) -> str:
    slot = group.slots[0]
    size = f"{format_nominal(slot.nominal_in)} to {format_diameter(slot.diameter_mm, units)}"
    return f"ball of {len(group.slots)} × {size}"


def _settle(
    group: BallGroup, packing: Packing, _joint: JointKind, _foot_angle: float, _cancelled: Cancelled
) -> Settled:
    ball = settled_ball(tuple((s.nominal_in, s.diameter_mm) for s in group.slots), packing.slack)
    return Settled(None, ball, ball.bottom, ball.top)


@lru_cache(maxsize=64)
def settled_ball(sizes: tuple[tuple[float, float], ...], slack: float) -> BallGeometry:
    """`settle_ball` for (nominal size in, sized diameter mm) pairs, remembered."""
    return settle_ball([d for _, d in sizes], [default_slack(n, d, slack) for n, d in sizes])


def _balloons(group: BallGroup) -> tuple[BalloonLine, ...]:
    return (BalloonLine(BalloonRole.BALL, group.slots, takes_pattern=False),)


def _without_paint(group: BallGroup) -> BallGroup:
    return group.model_copy(update={"slots": without_colours(group.slots)})


KIND = GroupKind(
    value=BallGroup,
    offered="ball",
    made=_made,
    said=_said,
    settle=_settle,
    balloons=_balloons,
    without_paint=_without_paint,
)
