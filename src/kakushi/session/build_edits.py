"""Edits that a build asks for: a way out is taken for the copy that went wrong."""

from __future__ import annotations

from kakushi.model.errors import BadInput
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.session.edits import piece_edit, validated
from kakushi.session.session import Edit


def take_way(key: int, copy: int, edited: Piece) -> Edit:
    """Build one copy (from 0) of a piece with the groups of an `edited` one; the others stay as they are.

    What was learnt of how the rows are packed holds for the piece: the same hands build all of it.
    """

    def change(piece: Piece) -> Piece:
        if not 0 <= copy < len(piece.copies):
            raise BadInput("That copy is gone.", "copy")
        done = piece.copies[copy]
        changes: dict[str, object] = {"learnt_tau": edited.learnt_tau}
        if done.groups is None and piece.copies_alike == 1:
            changes["groups"] = edited.groups
        else:
            own = replace(done, groups=edited.groups, target_height_mm=edited.target_height_mm)
            changes["copies"] = (*piece.copies[:copy], own, *piece.copies[copy + 1 :])
        return validated(piece, "rows", **changes)

    return piece_edit("Plan the rest again", key, change)
