"""Points that are dragged on the elevation: of a strand's path, or the joints of an open frame."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Sequence

import numpy as np

from kakushi.model.errors import BadInput
from kakushi.model.groups import MAX_LINKS, FrameJoint, Group, LinkChain, LinkFrameGroup, RowsGroup
from kakushi.model.parts import Extended
from kakushi.model.paths import DrawnPath, PathPoint
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.session.edits import piece_edit, validated
from kakushi.session.session import Edit
from kakushi.session.strand_edits import drawn

Spot = tuple[float, float]
"""To the right of the piece's middle and above the foot, mm."""
_ALIKE_MM = 20.0
"""How far a joint may lie from the mirror image of another one to be its partner, mm."""
_FEWEST_JOINTS = 2
"""Joints that a frame keeps."""


def points_of(group: Group) -> list[Spot]:
    """The points that a group is drawn by; none where it is not."""
    if isinstance(group, RowsGroup) and group.strand is not None:
        return [(point.x_mm + group.strand.x_mm, point.z_mm) for point in drawn(group.strand.path).points]
    if isinstance(group, LinkFrameGroup) and not any(joint.y_mm for joint in group.joints):
        return [(joint.x_mm, joint.z_mm) for joint in group.joints]
    return []


def move_point(key: int, place: int, index: int, to: Spot, mirrored: bool = False) -> Edit:
    """Move a point; `mirrored`: its partner on the other side goes to the mirror image. Raises BadInput."""

    def change(group: RowsGroup | LinkFrameGroup) -> Group:
        if isinstance(group, LinkFrameGroup):
            return _moved_joint(group, index, to, mirrored)
        return _on_path(group, lambda path, x: _moved(path, index, to[0] - x, to[1], mirrored))

    return _edit(key, place, change, ("points", key, place))


def add_point(key: int, place: int, at: Spot, chosen: int | None = None) -> Edit:
    """Add a point to a path between the two nearest; to a frame a joint, tied to the chosen one or the nearest."""

    def change(group: RowsGroup | LinkFrameGroup) -> Group:
        if isinstance(group, LinkFrameGroup):
            return _added_joint(group, at, chosen)
        return _on_path(group, lambda path, x: _added(path, at[0] - x, at[1]))

    return _edit(key, place, change)


def join_points(key: int, place: int, one: int, other: int) -> Edit:
    """Tie a chain between two joints of a frame, or take out the one that is there. Raises BadInput for a path."""

    def change(group: RowsGroup | LinkFrameGroup) -> Group:
        if not isinstance(group, LinkFrameGroup):
            raise BadInput("Only the joints of a frame are joined.", "group")
        kept = tuple(chain for chain in group.chains if {chain.first, chain.last} != {one, other})
        if len(kept) == len(group.chains):
            kept = (*kept, _chain_between(group.chains[0], group.joints[one], group.joints[other], one, other))
        return validated(group, "frame", chains=kept)

    return _edit(key, place, change)


def remove_point(key: int, place: int, index: int) -> Edit:
    """Take a point out; of a frame with the chains that lead to it. Raises BadInput where too few would be left."""

    def change(group: RowsGroup | LinkFrameGroup) -> Group:
        if isinstance(group, LinkFrameGroup):
            return _without_joint(group, index)
        return _on_path(group, lambda path, _: _removed(path, index))

    return _edit(key, place, change)


def _edit(
    key: int, place: int, change_of: Callable[[RowsGroup | LinkFrameGroup], Group], merges: Hashable = None
) -> Edit:
    def change(piece: Piece) -> Piece:
        group = piece.groups[place] if 0 <= place < len(piece.groups) else None
        if not isinstance(group, RowsGroup | LinkFrameGroup) or not points_of(group):
            raise BadInput("That group is not drawn by hand.", "group")
        changed = change_of(group)
        piece = replace(piece, groups=(*piece.groups[:place], changed, *piece.groups[place + 1 :]))
        return _tied_again(piece, group, changed)

    return piece_edit("Move points", key, change, merges)


def _tied_again(piece: Piece, before: Group, now: Group) -> Piece:
    """The piece with its parts tied to the same joints as before, where a joint of its frame was taken out."""
    if not (isinstance(before, LinkFrameGroup) and isinstance(now, LinkFrameGroup)):
        return piece
    if len(now.joints) >= len(before.joints):
        return piece
    gone = next((k for k, joint in enumerate(now.joints) if joint != before.joints[k]), len(now.joints))
    parts = tuple(
        replace(part, tied_to=tuple(joint - (joint > gone) for joint in part.tied_to if joint != gone))
        if isinstance(part, Extended) and part.tied_to
        else part
        for part in piece.parts
    )
    return replace(piece, parts=parts)


# --- joints of frames ----------------------------------------------------------------------------


def _moved_joint(group: LinkFrameGroup, index: int, to: Spot, mirrored: bool) -> Group:
    joints = list(group.joints)
    if mirrored:
        other = _mirror_joint(group, index)
        if other == index:
            to = (0.0, to[1])
        elif other is not None:
            joints[other] = _at(joints[other], (-to[0], to[1]))
    joints[index] = _at(joints[index], to)
    changed = validated(group, "frame", joints=tuple(joints))
    moved = {index for index, (before, now) in enumerate(zip(group.joints, joints, strict=True)) if before != now}
    chains = tuple(
        _chain_between(chain, joints[chain.first], joints[chain.last], chain.first, chain.last)
        if moved & {chain.first, chain.last}
        else chain
        for chain in group.chains
    )
    return validated(changed, "frame", chains=chains)


def _at(joint: FrameJoint, to: Spot) -> FrameJoint:
    return validated(joint, "frame", x_mm=to[0], z_mm=max(to[1], 0.0))


def _mirror_joint(group: LinkFrameGroup, index: int) -> int | None:
    """The joint that is the mirror image of one, itself in the middle; None where there is none."""
    spot = group.joints[index]
    away = [math.hypot(joint.x_mm + spot.x_mm, joint.z_mm - spot.z_mm) for joint in group.joints]
    nearest = int(np.argmin(away))
    return nearest if away[nearest] <= _ALIKE_MM else None


def _chain_between(like: LinkChain, first: FrameJoint, last: FrameJoint, a: int, b: int) -> LinkChain:
    """A chain between two joints, of as many links like those of another as come nearest to their length."""
    apart = math.dist((first.x_mm, first.y_mm, first.z_mm), (last.x_mm, last.y_mm, last.z_mm))
    links = min(max(round(apart / like.length_mm), 1), MAX_LINKS)
    return validated(like, "frame", first=a, last=b, links=links, length_mm=round(apart / links, 1))


def _added_joint(group: LinkFrameGroup, at: Spot, chosen: int | None) -> Group:
    away = [math.hypot(joint.x_mm - at[0], joint.z_mm - at[1]) for joint in group.joints]
    to = chosen if chosen is not None and chosen < len(group.joints) else int(np.argmin(away))
    joint, new = _at(group.joints[to], at), len(group.joints)
    chain = _chain_between(group.chains[0], group.joints[to], joint, to, new)
    return validated(group, "frame", joints=(*group.joints, joint), chains=(*group.chains, chain))


def _without_joint(group: LinkFrameGroup, index: int) -> Group:
    kept = [chain for chain in group.chains if index not in (chain.first, chain.last)]
    if not kept or len(group.joints) <= _FEWEST_JOINTS:
        raise BadInput("A frame keeps two joints and a chain between them.", "group")
    chains = tuple(
        chain.model_copy(update={end: at - (at > index) for end, at in (("first", chain.first), ("last", chain.last))})
        for chain in kept
    )
    return validated(group, "frame", joints=(*group.joints[:index], *group.joints[index + 1 :]), chains=chains)


# --- points of paths -----------------------------------------------------------------------------


def _on_path(group: RowsGroup, change_of: Callable[[DrawnPath, float], DrawnPath]) -> Group:
    """A strand with another path; a preset is drawn through a few points first."""
    strand = group.strand
    assert strand is not None
    return replace(group, strand=replace(strand, path=change_of(drawn(strand.path), strand.x_mm)))


def _moved(path: DrawnPath, index: int, x_mm: float, z_mm: float, mirrored: bool = False) -> DrawnPath:
    """The path with one point elsewhere; `mirrored`: the one as far from the other end goes to the mirror image."""
    points = list(path.points)
    points[index] = PathPoint(x_mm=x_mm, z_mm=max(z_mm, 0.0))
    other = _partner(path, index)
    if mirrored and other != index:
        points[other] = PathPoint(x_mm=-x_mm, z_mm=max(z_mm, 0.0))
    elif mirrored:
        points[index] = PathPoint(x_mm=0.0, z_mm=max(z_mm, 0.0))
    return _with_points(path, points)


def _partner(path: DrawnPath, index: int) -> int:
    """The point as far from the path's end as this one is from its start; a closed path mirrors at its first point."""
    count = len(path.points)
    return (count - index) % count if path.closed else count - 1 - index


def _added(path: DrawnPath, x_mm: float, z_mm: float) -> DrawnPath:
    """The path with one more point, between the two that lie nearest on both sides of it."""
    points = np.array([(point.x_mm, point.z_mm) for point in path.points])
    nexts = np.roll(points, -1, axis=0) if path.closed else points[1:]
    firsts = points if path.closed else points[:-1]
    steps = nexts - firsts
    share = ((np.array([x_mm, z_mm]) - firsts) * steps).sum(axis=1) / np.maximum((steps**2).sum(axis=1), 1e-9)
    away = np.linalg.norm(firsts + np.clip(share, 0, 1)[:, None] * steps - [x_mm, z_mm], axis=1)
    after = int(away.argmin()) + 1
    new = [*path.points[:after], PathPoint(x_mm=x_mm, z_mm=max(z_mm, 0.0)), *path.points[after:]]
    return _with_points(path, new)


def _removed(path: DrawnPath, index: int) -> DrawnPath:
    """The path without one of its points. Raises BadInput where too few would be left."""
    if len(path.points) <= (3 if path.closed else 2):
        raise BadInput("A path keeps two points, a closed one three.", "path")
    return _with_points(path, [*path.points[:index], *path.points[index + 1 :]])


def _with_points(path: DrawnPath, points: Sequence[PathPoint]) -> DrawnPath:
    return validated(path, "path", points=tuple(points))
