"""Edits of strands: rows bent along a path, how they are held, the points of a drawn path, ties."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

import numpy as np
from pydantic import ValidationError

from kakushi.model.errors import BadInput
from kakushi.model.groups import RowsGroup, rows_groups
from kakushi.model.joints import JointKind
from kakushi.model.paths import DrawnPath, Path, PathPoint, PresetPath, Strand
from kakushi.model.piece import Piece
from kakushi.model.ties import Tie
from kakushi.model.values import replace
from kakushi.packing.curve import curve_of
from kakushi.session.edits import piece_edit, validated
from kakushi.session.session import Edit

_TALLER = 1.5
"""Height over width of a loop with tails that is not said how tall: it is long rather than round."""
_FEW_POINTS = 9
"""Points that a preset is first drawn through: few enough to be dragged one by one."""


def set_path(key: int, place: int, path: Path | None) -> Edit:
    """Bend the rows of a group along a path, or straighten them (None). Raises BadInput, when applied.

    A piece whose rows are all bent has no pole: they are built on line, and stand on a base at each end.
    """

    def change(piece: Piece) -> Piece:
        group = _rows_at(piece, place)
        strand = None if path is None else replace(group.strand or Strand(), path=path)
        changed = _with_group(piece, place, replace(group, strand=strand))
        if path is None or any(each.strand is None for _, each in rows_groups(changed.groups)):
            return changed
        joint = JointKind.LINE_EIGHT if changed.joint is JointKind.WRAPPED else changed.joint
        return replace(changed, frame=replace(changed.frame, kind="line", pole_length_mm=None), joint=joint)

    return piece_edit("Bend rows" if path is not None else "Straighten rows", key, change, ("path", key, place))


def change_strand(key: int, place: int, **changes: Any) -> Edit:
    """Change how a strand is held, or where it is. Raises BadInput, when applied, for a group that is none."""

    def change(piece: Piece) -> Piece:
        group = _rows_at(piece, place)
        strand = validated(_strand_of(group), "strand", **changes)
        return _with_group(piece, place, replace(group, strand=strand))

    return piece_edit("Change strand", key, change, ("strand", key, place, tuple(changes)))


def change_path(key: int, place: int, **changes: Any) -> Edit:
    """Change measures of a strand's path. Raises BadInput, when applied."""

    def change(piece: Piece) -> Piece:
        group = _rows_at(piece, place)
        strand = _strand_of(group)
        path = validated(strand.path, "path", **changes)
        return _with_group(piece, place, replace(group, strand=replace(strand, path=path)))

    return piece_edit("Change path", key, change, ("path", key, place))


def reshaped(path: PresetPath, preset: str) -> PresetPath:
    """Another preset of the same measures, taller where that one has to be."""
    measures = path.model_dump() | {"preset": preset}
    for height in (path.height_mm, path.width_mm, _TALLER * path.width_mm + path.tail_mm):
        with suppress(ValidationError):
            return PresetPath.model_validate(measures | {"height_mm": round(height, 1)})
    return PresetPath.model_validate({"preset": preset})


def scale_path(key: int, place: int, by: float) -> Edit:
    """Make a strand's path `by` times as large, as its rows fill it. Raises BadInput beyond the bounds."""

    def change(piece: Piece) -> Piece:
        group = _rows_at(piece, place)
        strand = _strand_of(group)
        path = strand.path
        if isinstance(path, PresetPath):
            measures = {name: round(getattr(path, name) * by, 1) for name in ("width_mm", "height_mm", "tail_mm")}
            scaled: Path = validated(path, "path", **measures)
        else:
            points = tuple({"x_mm": point.x_mm * by, "z_mm": point.z_mm * by} for point in path.points)
            scaled = validated(path, "path", points=points)
        return _with_group(piece, place, replace(group, strand=replace(strand, path=scaled)))

    return piece_edit("Path as its rows fill it", key, change)


def drawn(path: Path) -> DrawnPath:
    """A path through points that can be dragged: a preset through a few of its own. Raises BadInput."""
    if isinstance(path, DrawnPath):
        return path
    curve = curve_of(path)
    share = np.linspace(0.0, 1.0, _FEW_POINTS + 1)
    along = (share[:-1] if path.is_closed else share) * curve.length
    origins = curve.frames_at(along).origins
    points = tuple(PathPoint(x_mm=round(float(x), 1), z_mm=round(float(z), 1)) for x, _, z in origins)
    return DrawnPath(name=f"{path.preset}, by hand", points=points, closed=path.is_closed)


def add_tie(key: int, tie: Tie) -> Edit:
    """Join two rows that are no neighbours, or one to a mount. Raises BadInput for rows that are gone."""

    def change(piece: Piece) -> Piece:
        keys = {row.key for row in piece.rows}
        if not {tie.row, tie.other or tie.row} <= keys:
            raise BadInput("That row is no longer in the piece.", "tie")
        if tie.other == tie.row:
            raise BadInput("A row is tied to another one, not to itself.", "tie")
        return replace(piece, ties=(*piece.ties, tie))

    return piece_edit("Tie rows", key, change)


def remove_tie(key: int, place: int) -> Edit:
    """Take a tie out again."""

    def change(piece: Piece) -> Piece:
        return replace(piece, ties=(*piece.ties[:place], *piece.ties[place + 1 :]))

    return piece_edit("Remove tie", key, change)


def _rows_at(piece: Piece, place: int) -> RowsGroup:
    group = piece.groups[place] if 0 <= place < len(piece.groups) else None
    if not isinstance(group, RowsGroup):
        raise BadInput("That group of rows is no longer in the piece.", "group")
    return group


def _strand_of(group: RowsGroup) -> Strand:
    if group.strand is None:
        raise BadInput("Those rows are not bent any more.", "strand")
    return group.strand


def _with_group(piece: Piece, place: int, group: RowsGroup) -> Piece:
    return replace(piece, groups=(*piece.groups[:place], group, *piece.groups[place + 1 :]))
