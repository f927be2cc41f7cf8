"""Open frames of link balloons, with clusters at their joints."""

from __future__ import annotations

from functools import lru_cache

from kakushi.model.groups import LinkFrameGroup, Slot
from kakushi.model.joints import JointKind
from kakushi.model.memo import Cancelled
from kakushi.model.piece import Piece
from kakushi.model.roles import BalloonRole
from kakushi.model.units import UnitSystem
from kakushi.packing.groups.kind import BalloonLine, GroupKind, Settled, without_colours
from kakushi.packing.link_frames import FrameGeometry, Grid, Trim, grid, settle_frame
from kakushi.packing.stack import Packing

AT_JOINT = (Slot(nominal_in=5, diameter_mm=100.0),) * 4
"""A quad of small balloons hides a joint."""
COLLAR = (Slot(nominal_in=5, diameter_mm=60.0),) * 8
"""Smaller ones round it hide what it does not."""
_LINK_MM, _THICK_MM = 350.0, 130.0
"""Length and thickness of a 12-inch link balloon, three quarters full."""


def _made(_piece: Piece) -> LinkFrameGroup:
    return grid(Grid(2, 2, 1, 1, _LINK_MM, _THICK_MM, True), Trim(AT_JOINT))


def _said(group: LinkFrameGroup, _units: UnitSystem) -> str:
    links = sum(chain.links for chain in group.chains)
    return f"link frame: {links} links, {len(group.joints)} joints"


def _settle(
    group: LinkFrameGroup, _packing: Packing, _joint: JointKind, _foot_angle: float, _cancelled: Cancelled
) -> Settled:
    frame = settled_frame(group)
    return Settled(None, None, frame.bottom, frame.top, frame=frame)


@lru_cache(maxsize=64)
def settled_frame(group: LinkFrameGroup) -> FrameGeometry:
    """`settle_frame`, remembered."""
    return settle_frame(group)


def links_of(group: LinkFrameGroup) -> tuple[Slot, ...]:
    """Every link as a balloon as thick as it is, in the order in which a frame's geometry has them."""
    return tuple(
        Slot(nominal_in=chain.nominal_in, diameter_mm=chain.thick_mm, colour=chain.colour)
        for chain in group.chains
        for _ in range(chain.links)
    )


def _balloons(group: LinkFrameGroup) -> tuple[BalloonLine, ...]:
    at_joints = tuple(slot for joint in group.joints for slot in joint.balloons)
    return (BalloonLine(BalloonRole.JOINT, (*at_joints, *links_of(group)), takes_pattern=False),)


def _without_paint(group: LinkFrameGroup) -> LinkFrameGroup:
    joints = tuple(
        joint.model_copy(update={"slots": without_colours(joint.slots), "collar": without_colours(joint.collar)})
        for joint in group.joints
    )
    chains = tuple(chain.model_copy(update={"colour": None}) for chain in group.chains)
    return group.model_copy(update={"joints": joints, "chains": chains})


KIND = GroupKind(
    value=LinkFrameGroup,
    offered="link frame",
    made=_made,
    said=_said,
    settle=_settle,
    balloons=_balloons,
    without_paint=_without_paint,
)
