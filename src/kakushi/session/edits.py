"""The edits a sculptor can make. Each function returns an `Edit`; none touches a session.

Bad values raise BadInput when the edit is applied, never while it is made.

Rows are named by their key, so an edit still means the same row after others moved.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Hashable, Sequence
from random import Random

from pydantic import ValidationError

from kakushi.model.catalogue import BalloonColour, Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import BarePoleGroup, Group, Row, RowsGroup, Slot
from kakushi.model.job import Brief, Done, Job, Settings
from kakushi.model.layers import ColourLayer
from kakushi.model.limits import LARGEST_DIAMETER_MM, MAX_COPIES, MAX_ROWS, SMALLEST_DIAMETER_MM
from kakushi.model.outline import Outline
from kakushi.model.parts import Part
from kakushi.model.piece import Copy, Piece
from kakushi.model.values import V, replace
from kakushi.session.session import Edit

MAX_ROW_COUNT = 8
MIN_ROW_COUNT = 2


def validated(value: V, what: str, **changes: object) -> V:
    """`replace` that answers unusable values with BadInput in one sentence."""
    try:
        return replace(value, **changes)
    except ValidationError as error:
        first = error.errors()[0]
        field = " ".join(str(part) for part in first["loc"]).replace("_", " ")
        raise BadInput(f"The {what} was not changed: {field or 'it'}: {first['msg'].lower()}.", field) from error


# --- brief and settings ----------------------------------------------------------------


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
    """So many of a line of the inflation sheet are ready; 0 takes the tick away."""

    def change(job: Job) -> Job:
        others = tuple(done for done in job.done if done.line != line)
        return replace(job, done=(*others, Done(line=line, count=count)) if count else others)

    return Edit("Tick off" if count else "Untick", change, ("done", line))


def set_palette(palette: Sequence[BalloonColour], name: str = "Change palette") -> Edit:
    """Change the job's palette; slots and patterns keep naming colours by key."""

    def change(job: Job) -> Job:
        return validated(job, "palette", palette=tuple(palette))

    return Edit(name, change, ("palette", tuple(c.key for c in palette)))


# --- pieces -------------------------------------------------------------------------------


def add_piece(piece: Piece) -> Edit:
    """Add a piece at the end of the shelf; its key must be free (see `free_piece_key`)."""
    return Edit("Add piece", lambda job: replace(job, pieces=(*job.pieces, piece)))


def free_piece_key(job: Job) -> int:
    """A key no piece of the job has."""
    return max((p.key for p in job.pieces), default=0) + 1


def duplicate_piece(key: int) -> Edit:
    """Add a copy of a piece right after it, as a design of its own."""

    def change(job: Job) -> Job:
        index, piece = _find_piece(job, key)
        duplicate = replace(piece, key=free_piece_key(job), name=_free_name(job, piece.name))
        return replace(job, pieces=(*job.pieces[: index + 1], duplicate, *job.pieces[index + 1 :]))

    return Edit("Duplicate piece", change)


def remove_piece(key: int) -> Edit:
    """Remove a piece."""
    return Edit("Remove piece", lambda job: replace(job, pieces=tuple(p for p in job.pieces if p.key != key)))


def _free_name(job: Job, name: str) -> str:
    names = {p.name for p in job.pieces}
    return next(n for i in range(2, len(names) + 3) if (n := f"{name} {i}") not in names)


def set_piece(key: int, edit_name: str, /, **changes: object) -> Edit:
    """Change fields of a piece; `edit_name` is shown at undo. Same fields in a row merge."""
    return piece_edit(
        edit_name, key, lambda piece: validated(piece, "piece", **changes), ("piece", key, tuple(sorted(changes)))
    )


def set_parts(key: int, parts: Sequence[Part], name: str, merge: Hashable = None) -> Edit:
    """Give a piece other parts; only changes with one `merge` in a row become one."""
    return piece_edit(
        name, key, lambda piece: validated(piece, "parts", parts=tuple(parts)), merge and ("parts", key, merge)
    )


def set_groups(key: int, groups: Sequence[Group], name: str, merge: Hashable = None) -> Edit:
    """Give a piece other groups, foot first; only changes with one `merge` in a row become one."""
    return piece_edit(
        name, key, lambda piece: validated(piece, "piece", groups=tuple(groups)), merge and ("groups", key, merge)
    )


def set_bare_pole(key: int, height_mm: float, wrap: str = "none") -> Edit:
    """Leave so much bare pole (mm) between base and first row, wrapped or not; 0 leaves none."""

    def change(piece: Piece) -> Piece:
        rest = tuple(itertools.dropwhile(lambda group: isinstance(group, BarePoleGroup), piece.groups))
        if height_mm <= 0:
            return replace(piece, groups=rest)
        bare = validated(BarePoleGroup(height_mm=0), "bare pole", height_mm=height_mm, wrap=wrap)
        return replace(piece, groups=(bare, *rest))

    return piece_edit("Change bare pole", key, change, ("bare pole", key))


def set_outline(key: int, outline: Outline) -> Edit:
    """Change the outline or its handles; the rows stay."""
    return set_piece(key, "Change outline", outline=outline)


def shape_outline(key: int, outline: Outline, rows: Sequence[Row] | None = None) -> Edit:
    """Shape the outline by hand, with rows for it where there are; steps of one drag merge."""

    def change(piece: Piece) -> Piece:
        shaped = validated(piece, "piece", outline=outline)
        return shaped if rows is None else _with_rows(shaped, tuple(rows))

    return piece_edit("Shape outline", key, change, ("shape outline", key))


def set_copies(key: int, count: int) -> Edit:
    """Set how many copies are built. Copies with heights of their own are kept first."""

    def change(piece: Piece) -> Piece:
        if not 1 <= count <= MAX_COPIES:
            raise BadInput(f"A piece has between 1 and {MAX_COPIES} copies; {count} does not work.", "copies")
        kept = sorted(piece.copies, key=lambda copy: copy.groups is None)[:count]
        return replace(piece, copies=(*kept, *(Copy() for _ in range(count - len(kept)))))

    return piece_edit("Change copies", key, change, ("copies", key))


def set_layers(key: int, layers: Sequence[ColourLayer]) -> Edit:
    """Lay a colour pattern on a piece."""
    return set_piece(key, "Change pattern", layers=tuple(layers))


def replace_rows(key: int, rows: Sequence[Row], name: str = "Choose rows") -> Edit:
    """Put `rows` in place of the rows of the piece's first group of rows."""
    return piece_edit(name, key, lambda piece: _with_rows(piece, tuple(rows)))


# --- rows ------------------------------------------------------------------------------------


def resize_row(key: int, row_key: int, steps: int, studio: Studio) -> Edit:
    """Change the sized diameter by sizer steps, snapped to the sizer grid and the catalogue's reach.

    Where the nominal size ends, the row stays at that end.
    """

    def change(row: Row) -> Row:
        return replace(row, slots=tuple(resized_slot(slot, steps, studio) for slot in row.slots))

    return _row_edit("Resize row", key, row_key, change, ("resize", key, row_key))


def resized_slot(slot: Slot, steps: int, studio: Studio) -> Slot:
    """A slot some sizer steps up or down, within the reach of its nominal size."""
    target = studio.sizer.stepped(slot.diameter_mm, steps)
    size = studio.nominal(slot.nominal_in)
    low = max(size.smallest_mm if size else SMALLEST_DIAMETER_MM, SMALLEST_DIAMETER_MM)
    high = min(size.largest_mm if size else LARGEST_DIAMETER_MM, LARGEST_DIAMETER_MM)
    return replace(slot, diameter_mm=min(max(target, low), high))


def set_row_diameter(key: int, row_key: int, diameter_mm: float) -> Edit:
    """Set the sized diameter of every balloon of a row. Raises BadInput when applied out of range."""

    def change(row: Row) -> Row:
        slots = tuple(validated(slot, "sized diameter", diameter_mm=diameter_mm) for slot in row.slots)
        return replace(row, slots=slots)

    return _row_edit("Resize row", key, row_key, change, ("resize", key, row_key))


def set_row_count(key: int, row_key: int, count: int) -> Edit:
    """Change the balloons per row (2 to 8); slots that stay keep their size and colour."""

    def change(row: Row) -> Row:
        if not MIN_ROW_COUNT <= count <= MAX_ROW_COUNT:
            raise BadInput(f"A row has {MIN_ROW_COUNT} to {MAX_ROW_COUNT} balloons; {count} does not work.", "count")
        added = replace(row.slots[-1], colour=None, inner_colour=None)
        return replace(row, slots=(*row.slots[:count], *(added,) * (count - row.count)))

    return _row_edit("Change count", key, row_key, change, ("count", key, row_key))


def set_row_nominal(key: int, row_key: int, nominal_in: float, studio: Studio) -> Edit:
    """Change the nominal size; the sized diameter is kept where the new size reaches it."""

    def change(row: Row) -> Row:
        slots = tuple(resized_slot(replace(slot, nominal_in=nominal_in), 0, studio) for slot in row.slots)
        return replace(row, slots=slots)

    return _row_edit("Change nominal size", key, row_key, change, ("nominal", key, row_key))


def set_row_sizes(key: int, row_key: int, diameters: Sequence[float]) -> Edit:
    """Size a row slot by slot, mm. Raises BadInput, when applied, for another number of sizes than balloons."""

    def change(row: Row) -> Row:
        if len(diameters) != row.count:
            raise BadInput(f"The row has {row.count} balloons; {len(diameters)} sizes do not fit.", "sizes")
        slots = [validated(slot, "sized diameter", diameter_mm=d) for slot, d in zip(row.slots, diameters, strict=True)]
        return replace(row, slots=tuple(slots))

    return _row_edit("Size slot by slot", key, row_key, change)


def assort_row(key: int, row_key: int, spread: float, seed: int, studio: Studio) -> Edit:
    """Sizes spread evenly at random over +-`spread` (a share) of the row's mean, on the sizer; seeded."""

    def change(row: Row) -> Row:
        random = Random(seed)
        mean = row.diameter_mm
        sized = [
            replace(
                slot,
                diameter_mm=min(
                    max(mean * random.uniform(1 - spread, 1 + spread), SMALLEST_DIAMETER_MM), LARGEST_DIAMETER_MM
                ),
            )
            for slot in row.slots
        ]
        return replace(row, slots=tuple(resized_slot(slot, 0, studio) for slot in sized))

    return _row_edit("Assort sizes", key, row_key, change, ("assort", key, row_key))


def set_row_turn(key: int, row_key: int, turn_deg: float | None) -> Edit:
    """Pin how far a row is turned on the row below, degrees; None lets it nest."""
    return _row_edit(
        "Turn row", key, row_key, lambda row: validated(row, "turn", turn_deg=turn_deg), ("turn", key, row_key)
    )


def pin_row(key: int, row_key: int, pinned: bool) -> Edit:
    """Pin a row so that choosing rows keeps it exactly, or let it go."""
    name = "Pin row" if pinned else "Unpin row"
    return _row_edit(name, key, row_key, lambda row: replace(row, pinned=pinned))


def duplicate_row(key: int, row_key: int, name: str = "Duplicate row") -> Edit:
    """Put a duplicate of the row above it."""

    def change(piece: Piece) -> Piece:
        group, rows, index = _row_at(piece, row_key)
        duplicate = replace(rows[index], key=free_row_key(piece))
        return _with_rows(piece, (*rows[: index + 1], duplicate, *rows[index + 1 :]), group)

    return piece_edit(name, key, change)


def insert_row(key: int, row: Row, above: int | None) -> Edit:
    """Insert `row` (its key is made free) above the row with key `above`, or at the foot."""

    def change(piece: Piece) -> Piece:
        fresh = replace(row, key=free_row_key(piece))
        if above is None:
            return _with_rows(piece, (fresh, *_rows(piece)))
        group, rows, index = _row_at(piece, above)
        return _with_rows(piece, (*rows[: index + 1], fresh, *rows[index + 1 :]), group)

    return piece_edit("Insert row", key, change)


def delete_row(key: int, row_key: int) -> Edit:
    """Take a row out; those above come down."""

    def change(piece: Piece) -> Piece:
        group, rows, index = _row_at(piece, row_key)
        return _with_rows(piece, (*rows[:index], *rows[index + 1 :]), group)

    return piece_edit("Delete row", key, change)


def move_row(key: int, row_key: int, by: int) -> Edit:
    """Move a row up (positive) or down the column."""

    def change(piece: Piece) -> Piece:
        group, group_rows, index = _row_at(piece, row_key)
        rows = list(group_rows)
        row = rows.pop(index)
        rows.insert(min(max(index + by, 0), len(rows)), row)
        return _with_rows(piece, tuple(rows), group)

    return piece_edit("Move row", key, change, ("move", key, row_key))


def free_row_key(piece: Piece) -> int:
    """A key no row of the piece has."""
    return max((row.key for row in piece.rows), default=0) + 1


# --- helpers -------------------------------------------------------------------------------------


def _find_piece(job: Job, key: int) -> tuple[int, Piece]:
    for index, piece in enumerate(job.pieces):
        if piece.key == key:
            return index, piece
    raise BadInput("That piece is no longer in the job.", "piece")


def piece_edit(name: str, key: int, change: Callable[[Piece], Piece], merge: Hashable = None) -> Edit:
    """An edit of one piece. Edits with equal `merge` keys in a row become one."""

    def change_job(job: Job) -> Job:
        index, piece = _find_piece(job, key)
        return replace(job, pieces=(*job.pieces[:index], change(piece), *job.pieces[index + 1 :]))

    return Edit(name, change_job, merge)


def _row_edit(name: str, key: int, row_key: int, change: Callable[[Row], Row], merge: Hashable = None) -> Edit:
    def change_piece(piece: Piece) -> Piece:
        group, rows, index = _row_at(piece, row_key)
        return _with_rows(piece, (*rows[:index], change(rows[index]), *rows[index + 1 :]), group)

    return piece_edit(name, key, change_piece, merge)


def _rows(piece: Piece) -> tuple[Row, ...]:
    group = next((g for g in piece.groups if isinstance(g, RowsGroup)), None)
    return group.rows if group else ()


def _row_at(piece: Piece, row_key: int) -> tuple[int, tuple[Row, ...], int]:
    """The group a row is in, that group's rows, and its place among them."""
    for place, group in enumerate(piece.groups):
        for index, row in enumerate(group.rows if isinstance(group, RowsGroup) else ()):
            if row.key == row_key and isinstance(group, RowsGroup):
                return place, group.rows, index
    raise BadInput("That row is no longer in the piece.", "row")


def _with_rows(piece: Piece, rows: tuple[Row, ...], place: int | None = None) -> Piece:
    """The piece with other rows in one group, the first of rows unless `place` says which."""
    if len(rows) > MAX_ROWS:
        raise BadInput(f"A piece holds at most {MAX_ROWS} rows.", "rows")
    groups = list(piece.groups)
    index = place if place is not None else next((i for i, g in enumerate(groups) if isinstance(g, RowsGroup)), None)
    if index is None:
        groups.append(RowsGroup(rows=rows))
    else:
        groups[index] = replace(groups[index], rows=rows)
    return replace(piece, groups=tuple(groups))
