"""Ways out when balloons for the joints of an open frame run short."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping

from kakushi.building.remedies import Enough, Fetch, Kind, Recoloured, Remedy, RescueOption
from kakushi.building.rows import used_balloons
from kakushi.model.errors import BadInput
from kakushi.model.groups import FrameJoint, LinkFrameGroup
from kakushi.model.memo import Cancelled, stop_if
from kakushi.model.piece import Piece
from kakushi.model.roles import BalloonRole
from kakushi.model.used import Used, merged
from kakushi.model.values import replace
from kakushi.packing.link_frames import numbers_of_joints
from kakushi.plan.pipeline import plan
from kakushi.plan.values import PiecePlan, Plan

_Place = tuple[int, int]
"""A group and one of its joints."""


def frame_short_of(
    whole: Plan, piece_plan: PiecePlan, built: int, left: Mapping[Kind, int], buy_minutes: float, cancelled: Cancelled
) -> list[RescueOption]:
    """Ways to go on with the balloons `left` of some kinds, `built` joints being tied. Raises BadInput."""
    order = [
        (place, joint)
        for place, group in enumerate(piece_plan.piece.groups)
        if isinstance(group, LinkFrameGroup)
        for joint in numbers_of_joints(group)
    ]
    if not 0 <= built <= len(order):
        raise BadInput(f"“{piece_plan.piece.name}” has {len(order)} joints; {built} cannot be tied.", "built")
    stop_if(cancelled)
    uses = _uses(whole, piece_plan, order[built:])
    needed = {use.kind: int(use.count) for use in uses}
    ways: list[RescueOption] = []
    for kind, have in left.items():
        missing = needed.get(kind, 0) - have
        if missing > 0:
            ways += _other_colours(whole, piece_plan, order, built, kind, missing, left)
            ways.append(RescueOption(Fetch(kind, missing), None, piece_plan, uses, missing, buy_minutes, 0.9))
    if not ways:
        return [RescueOption(Enough(), None, piece_plan, uses, 0, 0.0, 0.0)]
    return sorted(ways, key=lambda option: option.noticed)


def _joint(piece: Piece, at: _Place) -> FrameJoint:
    group = piece.groups[at[0]]
    assert isinstance(group, LinkFrameGroup)
    return group.joints[at[1]]


def _uses(whole: Plan, piece_plan: PiecePlan, order: list[_Place]) -> tuple[Used, ...]:
    used = [
        use
        for at in order
        for slots in [_joint(piece_plan.piece, at).balloons]
        for use in used_balloons(
            slots, tuple(slot.colour or piece_plan.fallback for slot in slots), BalloonRole.JOINT, whole.job
        )
    ]
    return tuple(sorted(merged(used), key=lambda use: (use.kind, use.seen)))


def _other_colours(
    whole: Plan,
    piece_plan: PiecePlan,
    order: list[_Place],
    built: int,
    kind: Kind,
    missing: int,
    left: Mapping[Kind, int],
) -> Iterator[RescueOption]:
    """Whole last joints of that kind in the frame's most used other colour."""
    nominal, colour = kind
    piece, fallback = piece_plan.piece, piece_plan.fallback
    counted = Counter(slot.colour or fallback for at in order for slot in _joint(piece, at).balloons)
    others = [key for key, _ in counted.most_common() if key != colour and left.get((nominal, key), 1) > 0]
    if not others:
        return
    changed, done = piece, 0
    numbers = []
    for number in range(len(order) - 1, built - 1, -1):
        at = order[number]
        own = _joint(changed, at)
        fits = [(slot.nominal_in, slot.colour or fallback) == kind for slot in own.balloons]
        if any(fits) and done < missing:
            done += sum(fits)
            numbers.append(number)
            new = [
                replace(slot, colour=others[0]) if fit else slot for slot, fit in zip(own.balloons, fits, strict=True)
            ]
            at_joint, collar = tuple(new[: len(own.slots)]), tuple(new[len(own.slots) :])
            changed = _with_joint(changed, at, replace(own, slots=at_joint, collar=collar))
    remedy: Remedy = Recoloured(kind, done, "joints", (others[0],), tuple(sorted(numbers)))
    planned = plan(replace(whole.job, pieces=(changed,)), whole.studio).pieces[0]
    yield RescueOption(remedy, changed, planned, _uses(whole, planned, order[built:]), 0, 0.0, 2.0)


def _with_joint(piece: Piece, at: _Place, joint: FrameJoint) -> Piece:
    group = piece.groups[at[0]]
    assert isinstance(group, LinkFrameGroup)
    joints = tuple(joint if k == at[1] else other for k, other in enumerate(group.joints))
    groups = tuple(replace(group, joints=joints) if k == at[0] else g for k, g in enumerate(piece.groups))
    return replace(piece, groups=groups)
