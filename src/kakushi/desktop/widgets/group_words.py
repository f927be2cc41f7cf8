"""What a group of a piece is called: on its card on the ladder, in the list on the centreline."""

from __future__ import annotations

from kakushi.model.groups import BallGroup, Group, RowsGroup
from kakushi.model.units import UnitSystem, format_diameter, format_length, format_nominal


def group_words(group: Group, units: UnitSystem) -> str:
    """Kind and size of a group in a few words."""
    match group:
        case RowsGroup():
            return f"{len(group.rows)} row{'' if len(group.rows) == 1 else 's'}"
        case BallGroup():
            slot = group.slots[0]
            size = f"{format_nominal(slot.nominal_in)} to {format_diameter(slot.diameter_mm, units)}"
            return f"ball of {len(group.slots)} × {size}"
        case _:
            return f"{group.kind}, {format_length(group.height_mm, units)}"
