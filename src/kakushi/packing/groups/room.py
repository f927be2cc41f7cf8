"""Reserved room on the pole."""

from __future__ import annotations

from kakushi.model.groups import RoomGroup
from kakushi.model.units import format_length
from kakushi.packing.groups.kind import GroupKind, length_only

KIND = GroupKind(
    value=RoomGroup,
    offered="room",
    made=lambda _piece: RoomGroup(height_mm=200),
    said=lambda group, units: f"room, {format_length(group.height_mm, units)}",
    settle=length_only,
)
