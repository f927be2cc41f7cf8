"""Edits of the groups of a piece: added with their defaults, changed, taken away, held elsewhere."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Any

from kakushi.model.errors import BadInput
from kakushi.model.groups import BallGroup, BarePoleGroup, Group, LinkFrameGroup
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.packing.groups.link_frame import AT_JOINT, COLLAR
from kakushi.packing.groups.table import KINDS
from kakushi.packing.link_frames import Grid, Trim, grid, grid_of, trim_of
from kakushi.session.edits import piece_edit, validated
from kakushi.session.session import Edit


def add_group(key: int, kind: str) -> Edit:
    """Put a new group of a kind, as its kind makes it, on top of the others."""
    known = KINDS[kind]

    def change(piece: Piece) -> Piece:
        return validated(piece, "piece", groups=(*piece.groups, known.made(piece)))

    return piece_edit(f"Add {known.offered}", key, change)


def remove_group(key: int, place: int) -> Edit:
    """Take away the group at `place`, 0 at the foot. Raises BadInput, when applied, for the last one."""

    def change(piece: Piece) -> Piece:
        _group_at(piece, place)
        if len(piece.groups) == 1:
            raise BadInput("A piece keeps at least one group.", "group")
        return replace(piece, groups=(*piece.groups[:place], *piece.groups[place + 1 :]))

    return piece_edit("Remove group", key, change)


def change_group(key: int, place: int, **changes: Any) -> Edit:
    """Change fields of the group at `place`; changes of one group in a row merge."""

    def change(piece: Piece) -> Piece:
        changed = validated(_group_at(piece, place), "group", **changes)
        return replace(piece, groups=(*piece.groups[:place], changed, *piece.groups[place + 1 :]))

    return piece_edit("Change group", key, change, ("group", key, place))


def change_ball(key: int, place: int, count: int, **changes: Any) -> Edit:
    """Make the ball at `place` of `count` balloons, new ones like the first, with `changes` of all. Raises BadInput."""

    def change(piece: Piece) -> Piece:
        group = _group_at(piece, place)
        if not isinstance(group, BallGroup):
            raise BadInput("That group is no ball.", "group")
        more = (group.slots[0],) * max(count - len(group.slots), 0)
        slots = tuple(validated(slot, "ball", **changes) for slot in (*group.slots, *more)[:count])
        ball = validated(group, "ball", slots=slots)
        return replace(piece, groups=(*piece.groups[:place], ball, *piece.groups[place + 1 :]))

    return piece_edit("Change group", key, change, ("group", key, place))


def change_frame(key: int, place: int, **changes: Any) -> Edit:
    """Change fields of the `Grid` or `Trim` of the link frame at `place`. Applying it raises BadInput."""

    def change(piece: Piece) -> Piece:
        group = _group_at(piece, place)
        if not isinstance(group, LinkFrameGroup):
            raise BadInput("That group is no link frame.", "group")
        of = grid_of(group)
        if of is None:
            raise BadInput("That frame is no grid of like windows.", "group")
        measures = of._replace(**{name: value for name, value in changes.items() if name in Grid._fields})
        trim = trim_of(group)._replace(**{name: value for name, value in changes.items() if name in Trim._fields})
        if "joint_count" in changes:
            trim = trim._replace(slots=(trim.slots or AT_JOINT)[:1] * int(changes["joint_count"]))
        if "collar_count" in changes:
            trim = trim._replace(collar=(trim.collar or COLLAR)[:1] * int(changes["collar_count"]))
        if trim.has_water and not trim.slots:
            raise BadInput("Water goes into a balloon at the joint: give the joints balloons first.", "group")
        try:
            made = replace(grid(measures, trim), anchor=group.anchor)
        except ValueError as error:
            raise BadInput(f"That frame cannot be tied: {error}.", "group") from error
        return replace(piece, groups=(*piece.groups[:place], made, *piece.groups[place + 1 :]))

    return piece_edit("Change link frame", key, change, ("frame", key, place, tuple(changes)))


def set_ball_colours(key: int, place: int, colours: Sequence[str]) -> Edit:
    """Colour the balloons of the ball at `place` one by one. Raises BadInput."""

    def change(piece: Piece) -> Piece:
        group = _group_at(piece, place)
        if not isinstance(group, BallGroup) or len(colours) != len(group.slots):
            raise BadInput("That ball has changed.", "group")
        slots = tuple(validated(slot, "ball", colour=colour) for slot, colour in zip(group.slots, colours, strict=True))
        ball = replace(group, slots=slots)
        return replace(piece, groups=(*piece.groups[:place], ball, *piece.groups[place + 1 :]))

    return piece_edit("Colour the ball", key, change, ("ball colours", key, place))


def set_bare_pole(key: int, height_mm: float, wrap: str = "none") -> Edit:
    """Set the length of bare pole (mm) between base and first row, wrapped or not; 0 removes it."""

    def change(piece: Piece) -> Piece:
        rest = tuple(itertools.dropwhile(lambda group: isinstance(group, BarePoleGroup), piece.groups))
        if height_mm <= 0:
            return replace(piece, groups=rest)
        # Strands and colour stay what they were.
        first = piece.groups[0] if piece.groups else None
        before = first if isinstance(first, BarePoleGroup) else BarePoleGroup(height_mm=0)
        bare = validated(before, "bare pole", height_mm=height_mm, wrap=wrap)
        return replace(piece, groups=(bare, *rest))

    return piece_edit("Change bare pole", key, change, ("bare pole", key))


def _group_at(piece: Piece, place: int) -> Group:
    if not 0 <= place < len(piece.groups):
        raise BadInput("That group is no longer in the piece.", "group")
    return piece.groups[place]
