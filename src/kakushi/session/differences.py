"""Where two states of a job differ, for undo and redo to bring into view."""

from __future__ import annotations

from dataclasses import dataclass

from kakushi.model.job import Job
from kakushi.model.piece import Piece

_JOB_STAGES = {
    "brief": "brief", "days": "brief", "palette": "colour", "pricing": "supplies", "settings": "stand", "done": "prep",
}  # fmt: skip
"""By field of the job: the stage in which it is changed."""
_PIECE_STAGES = {
    "name": "shape", "layers": "colour", "paint_shown": "colour", "school": "colour", "locked": "colour",
    "half_turns": "colour", "tie_mixed": "colour", "foot_angle_deg": "colour", "dressing": "dress", "frame": "stand",
    "seen_sides": "brief", "step_order": "build", "firmness": "stand", "meant": "shape",
}  # fmt: skip
"""By field of a piece; rows, outline and all others are changed in Shape."""
_STAND_PARTS = ("weight", "cap")


@dataclass(frozen=True, slots=True)
class Difference:
    """The stage in which a change is made, and the keys of the piece and the row that it concerns."""

    stage: str
    piece: int | None = None
    row: int | None = None


def difference(before: Job, after: Job) -> Difference | None:
    """The first thing that differs; None between equal jobs."""
    old = {piece.key: piece for piece in before.pieces}
    for piece in after.pieces:
        if piece != old.get(piece.key):
            former = old.get(piece.key)
            return _of_piece(former, piece) if former else Difference("shape", piece.key)
    if before.pieces != after.pieces:
        # A piece is gone again, or the order differs.
        return Difference("shape", after.pieces[-1].key if after.pieces else None)
    if before.settings.confidence != after.settings.confidence:
        return Difference("supplies")
    if before.brief.gust_mps != after.brief.gust_mps:
        return Difference("stand")
    changed = (name for name in _JOB_STAGES if getattr(before, name) != getattr(after, name))
    return next((Difference(_JOB_STAGES[name]) for name in changed), None)


def _of_piece(before: Piece, after: Piece) -> Difference:
    changed = [name for name in type(after).model_fields if getattr(before, name) != getattr(after, name)]
    if "parts" in changed:
        kinds = {part.kind for part in set(before.parts) ^ set(after.parts)}
        return Difference("stand" if kinds <= set(_STAND_PARTS) else "dress", after.key)
    if "learnt_tau" in changed or (changed == ["copies"] and len(before.copies) == len(after.copies)):
        # The rest of a copy was planned again while it was built.
        return Difference("build", after.key)
    if "groups" not in changed:
        return Difference(_PIECE_STAGES.get(changed[0], "shape"), after.key)
    former = {row.key: row for row in before.rows}
    rows = [row for row in after.rows if row != former.get(row.key)]
    # Of many rows none is the one that is meant.
    row = rows[0] if len(rows) == 1 else None
    is_paint = all(
        row.key in former and [s.diameter_mm for s in row.slots] == [s.diameter_mm for s in former[row.key].slots]
        for row in rows
    ) and len(former) == len(after.rows)
    return Difference("colour" if rows and is_paint else "shape", after.key, row.key if row else None)
