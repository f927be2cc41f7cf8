"""The table of kinds of group: everything that is asked of a group goes through here."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from kakushi.model.groups import Group
from kakushi.model.joints import JointKind
from kakushi.model.memo import Cancelled, never
from kakushi.model.roles import BalloonRole
from kakushi.packing.groups import ball, bare_pole, link_frame, room, rows
from kakushi.packing.groups.kind import BalloonLine, GroupKind, Settled, Wrapping
from kakushi.packing.stack import Packing

_IN_THE_MENU = (ball, rows, bare_pole, room, link_frame)
KINDS: Mapping[str, GroupKind[Any]] = {
    module.KIND.value.model_fields["kind"].default: module.KIND for module in _IN_THE_MENU
}
"""By the name of the kind, in the order in which they are offered."""


def kind_of(group: Group) -> GroupKind[Any]:
    """Everything that is known of a group's kind."""
    return KINDS[group.kind]


def settled_group(
    group: Group, packing: Packing, joint: JointKind, foot_angle: float, cancelled: Cancelled = never
) -> Settled | None:
    """Where a group's balloons lie, at a height of its own; None where it takes no room."""
    return kind_of(group).settle(group, packing, joint, foot_angle, cancelled)


def balloon_lines(groups: Iterable[Group]) -> Iterator[BalloonLine]:
    """The rows and balls of groups in order, foot first."""
    for group in groups:
        yield from kind_of(group).balloons(group)


def lines_beside_rows(groups: Iterable[Group]) -> Iterator[tuple[int, BalloonLine]]:
    """Lines of balloons outside the patterns, each with the place of its group, in the order of the geometry."""
    every = [
        (place, line)
        for place, group in enumerate(groups)
        for line in kind_of(group).balloons(group)
        if not line.takes_pattern
    ]
    yield from (each for each in every if each[1].role is not BalloonRole.JOINT)
    yield from (each for each in every if each[1].role is BalloonRole.JOINT)


def wrappings_of(groups: Iterable[Group]) -> list[tuple[int, Wrapping]]:
    """How groups wrap the length of pole that they take, with their places among the groups."""
    return [(k, wrapping) for k, group in enumerate(groups) if (wrapping := kind_of(group).wrapping(group))]


def without_paint(group: Group) -> Group:
    """A group without its hand paint: colours never settle anything again."""
    plain: Group = kind_of(group).without_paint(group)
    return plain
