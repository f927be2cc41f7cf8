"""A length of bare pole, wrapped or not."""

from __future__ import annotations

from kakushi.model.groups import BarePoleGroup
from kakushi.model.units import format_length
from kakushi.packing.groups.kind import GroupKind, Wrapping, length_only


def _wrapping(group: BarePoleGroup) -> Wrapping | None:
    if group.wrap == "none":
        return None
    return Wrapping(group.wrap, group.strands, group.inflated, group.colour, group.clockwise)


KIND = GroupKind(
    value=BarePoleGroup,
    offered="bare pole",
    made=lambda _piece: BarePoleGroup(height_mm=200, wrap="none"),
    said=lambda group, units: (
        "bare pole, what remains" if group.fills else f"bare pole, {format_length(group.height_mm, units)}"
    ),
    settle=length_only,
    wrapping=_wrapping,
)
