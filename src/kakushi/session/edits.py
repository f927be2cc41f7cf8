"""The edits a sculptor can make. Each function returns an `Edit`; none touches a session.

Bad values raise BadInput when the edit is applied, never while it is made.
"""

from __future__ import annotations

import dataclasses
from collections import Counter
from collections.abc import Callable, Hashable, Sequence

from pydantic import ValidationError

from kakushi.model.catalogue import BalloonColour
from kakushi.model.errors import BadInput
from kakushi.model.groups import Group, Row, RowsGroup
from kakushi.model.job import Brief, Done, Job, Settings
from kakushi.model.joints import JointKind
from kakushi.model.layers import SolidLayer
from kakushi.model.limits import MAX_COPIES
from kakushi.model.outline import Outline
from kakushi.model.piece import Copy, Meant, Piece, StockLine, with_rows
from kakushi.model.values import V, first_fault, replace
from kakushi.model.workshop import StockItem
from kakushi.session.session import Edit
from kakushi.shape.presets import default_outline

NEW_HEIGHT_MM = 2100.0
"""A column for a doorway."""


def validated(value: V, what: str, **changes: object) -> V:
    """`replace` that answers unusable values with BadInput in one sentence."""
    try:
        return replace(value, **changes)
    except ValidationError as error:
        where, fault = first_fault(error)
        field = where.replace(" › ", " ").replace("_", " ")
        raise BadInput(f"The {what} was not changed: {field or 'it'}: {fault.lower()}.", field) from error


def set_brief(**changes: object) -> Edit:
    """Change fields of the brief."""

    def change(job: Job) -> Job:
        brief: Brief = validated(job.brief, "brief", **changes)
        return replace(job, brief=brief)

    return Edit("Edit brief", change, ("brief", tuple(changes)))


def set_settings(name: str, /, **changes: object) -> Edit:
    """Change what the job is planned with; `name` is shown at undo."""

    def change(job: Job) -> Job:
        settings: Settings = validated(job.settings, "setting", **changes)
        return replace(job, settings=settings)

    return Edit(name, change, ("settings", tuple(changes)))


def set_pricing(**changes: object) -> Edit:
    """Change what the job is priced with."""

    def change(job: Job) -> Job:
        return replace(job, pricing=validated(job.pricing, "price", **changes))

    return Edit("Change price", change, ("pricing", tuple(changes)))


def set_done(line: str, count: int) -> Edit:
    """Record how many of a line of the inflation sheet are ready; 0 removes the tick."""

    def change(job: Job) -> Job:
        others = tuple(done for done in job.done if done.line != line)
        return replace(job, done=(*others, Done(line=line, count=count)) if count else others)

    return Edit("Tick off" if count else "Untick", change, ("done", line))


def set_palette(palette: Sequence[BalloonColour], name: str = "Change palette") -> Edit:
    """Change the job's palette; slots and patterns keep naming colours by key."""

    def change(job: Job) -> Job:
        return validated(job, "palette", palette=tuple(palette))

    return Edit(name, change, ("palette", tuple(c.key for c in palette)))


def add_piece(piece: Piece) -> Edit:
    """Add a piece at the end of the shelf; its key must be free (see `free_piece_key`)."""
    return Edit("Add piece", lambda job: replace(job, pieces=(*job.pieces, piece)))


def add_built(made: Job) -> Edit:
    """Add the first piece of another job, with the colours that it needs; raises BadInput where they do not fit."""

    def change(job: Job) -> Job:
        piece = made.pieces[0]
        known = {colour.key for colour in job.palette}
        codes = {colour.code for colour in job.palette}
        new = []
        for colour in made.palette:
            if colour.key not in known:
                others = (colour.code, *(f"{colour.code[:2]}{number}" for number in range(2, 99)))
                code = next(each for each in others if each not in codes)
                codes.add(code)
                new.append(replace(colour, code=code))
        name = piece.name if piece.name not in {each.name for each in job.pieces} else _free_name(job, piece.name)
        added = replace(piece, key=free_piece_key(job), name=name)
        return validated(job, "job", palette=(*job.palette, *new), pieces=(*job.pieces, added))

    return Edit("Add from the shelf", change)


def add_new_piece(key: int) -> Edit:
    """Add a straight piece with an outline to change, in the job's first colour; `key` must be free."""

    def change(job: Job) -> Job:
        piece = Piece(
            key=key,
            name=f"Piece {key}",
            target_height_mm=NEW_HEIGHT_MM,
            outline=default_outline("straight", NEW_HEIGHT_MM),
            layers=(SolidLayer(colour=job.palette[0].key),),
        )
        return replace(job, pieces=(*job.pieces, piece))

    return Edit("Add piece", change)


def free_piece_key(job: Job) -> int:
    """A key no piece of the job has."""
    return max((p.key for p in job.pieces), default=0) + 1


def duplicate_piece(key: int) -> Edit:
    """Add a copy of a piece right after it, as a design of its own."""

    def change(job: Job) -> Job:
        index, piece = find_piece(job, key)
        duplicate = replace(piece, key=free_piece_key(job), name=_free_name(job, piece.name))
        return replace(job, pieces=(*job.pieces[: index + 1], duplicate, *job.pieces[index + 1 :]))

    return Edit("Duplicate piece", change)


def remove_piece(key: int) -> Edit:
    """Remove a piece."""
    return Edit("Remove piece", lambda job: replace(job, pieces=tuple(p for p in job.pieces if p.key != key)))


def move_piece(key: int, place: int) -> Edit:
    """Move a piece to a place on the shelf, counted from 0 among the others."""

    def change(job: Job) -> Job:
        _, piece = find_piece(job, key)
        others = [each for each in job.pieces if each.key != key]
        at = min(max(place, 0), len(others))
        return replace(job, pieces=(*others[:at], piece, *others[at:]))

    return Edit("Move piece", change)


def _free_name(job: Job, name: str) -> str:
    names = {p.name for p in job.pieces}
    return next(n for i in range(2, len(names) + 3) if (n := f"{name} {i}") not in names)


def set_piece(key: int, edit_name: str, /, **changes: object) -> Edit:
    """Change fields of a piece; `edit_name` is shown at undo. Same fields in a row merge."""
    return piece_edit(
        edit_name, key, lambda piece: validated(piece, "piece", **changes), ("piece", key, tuple(sorted(changes)))
    )


def set_packing(key: int, **changes: object) -> Edit:
    """Choose how a piece is packed. Forces measured on rows that stand are forgotten, in its copies too."""

    def forgotten(groups: tuple[Group, ...]) -> tuple[Group, ...]:
        return tuple(replace(group, learnt_tau=None) if isinstance(group, RowsGroup) else group for group in groups)

    def change(piece: Piece) -> Piece:
        copies = tuple(
            copy if copy.groups is None else replace(copy, groups=forgotten(copy.groups)) for copy in piece.copies
        )
        return validated(piece, "piece", **changes, groups=forgotten(piece.groups), copies=copies, learnt_tau=None)

    return piece_edit("Change packing", key, change, ("packing", key))


def set_inside(key: int, edit_name: str, field: str, /, **changes: object) -> Edit:
    """Change fields of a value that a piece has, its frame or its fit; `edit_name` is shown at undo."""

    def change(piece: Piece) -> Piece:
        return validated(piece, "piece", **{field: validated(getattr(piece, field), field, **changes)})

    return piece_edit(edit_name, key, change, (field, key, tuple(sorted(changes))))


_JOINT_OF_FRAME = {"pole": JointKind.WRAPPED, "line": JointKind.LINE_EIGHT, "frameless": JointKind.NECK_TIED}
"""How rows are usually held on each kind of frame."""


def set_frame_kind(key: int, kind: str) -> Edit:
    """Change what holds a piece; rows held as is usual on the old frame are held as is usual on the new one."""

    def change(piece: Piece) -> Piece:
        frame = validated(piece.frame, "frame", kind=kind)
        usual = piece.joint is _JOINT_OF_FRAME[piece.frame.kind]
        return validated(piece, "piece", frame=frame, joint=_JOINT_OF_FRAME[frame.kind] if usual else piece.joint)

    return piece_edit("Change frame", key, change)


def set_aside(key: int, meant: Meant) -> Edit:
    """Tell a warning or an advice of a piece no more, unless it gets worse."""

    def change(piece: Piece) -> Piece:
        others = tuple(each for each in piece.meant if each.what != meant.what)
        return validated(piece, "piece", meant=(*others, meant))

    return piece_edit("Set advice aside", key, change)


def take_back(key: int, what: str) -> Edit:
    """Tell a warning or an advice again that was set aside."""

    def change(piece: Piece) -> Piece:
        return validated(piece, "piece", meant=tuple(each for each in piece.meant if each.what != what))

    return piece_edit("Tell advice again", key, change)


def set_outline(key: int, outline: Outline) -> Edit:
    """Change the outline or its handles; the rows stay."""
    return set_piece(key, "Change outline", outline=outline)


def set_copies(key: int, count: int) -> Edit:
    """Set how many copies are built. Copies with heights of their own are kept first."""

    def change(piece: Piece) -> Piece:
        if not 1 <= count <= MAX_COPIES:
            raise BadInput(f"A piece has between 1 and {MAX_COPIES} copies; {count} does not work.", "copies")
        kept = sorted(piece.copies, key=lambda copy: copy.groups is None)[:count]
        return replace(piece, copies=(*kept, *(Copy() for _ in range(count - len(kept)))))

    return piece_edit("Change copies", key, change, ("copies", key))


def find_piece(job: Job, key: int) -> tuple[int, Piece]:
    """A piece and its place on the shelf. Raises BadInput."""
    for index, piece in enumerate(job.pieces):
        if piece.key == key:
            return index, piece
    raise BadInput("That piece is no longer in the job.", "piece")


def piece_edit(name: str, key: int, change: Callable[[Piece], Piece], merge: Hashable = None) -> Edit:
    """An edit of one piece. Edits with equal `merge` keys in a row become one."""

    def change_job(job: Job) -> Job:
        index, piece = find_piece(job, key)
        return replace(job, pieces=(*job.pieces[:index], change(piece), *job.pieces[index + 1 :]))

    return Edit(name, change_job, merge)


def shape_outline(key: int, outline: Outline, rows: Sequence[Row] | None = None) -> Edit:
    """Shape the outline by hand; with rows for it, which join the step that they were worked out for."""

    def change(piece: Piece) -> Piece:
        shaped = validated(piece, "piece", outline=outline)
        return shaped if rows is None else with_rows(shaped, tuple(rows))

    edit = piece_edit("Shape outline", key, change, ("shape outline", key))
    return edit if rows is None else dataclasses.replace(edit, joins=True)


def fit_within_stock(key: int, stock: Sequence[StockItem]) -> Edit:
    """Limit the fit of a piece to the stock of every nominal size, whatever its colour."""
    balloons: Counter[float] = Counter()
    for item in stock:
        balloons[item.nominal_in] += item.balloons

    def change(piece: Piece) -> Piece:
        lines = tuple(StockLine(nominal_in=size, balloons=balloons[size]) for size in sorted(balloons))
        return replace(piece, fit=replace(piece.fit, stock=lines))

    return piece_edit("Fit within stock", key, change)
