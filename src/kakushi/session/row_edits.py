"""Edits of rows. Rows are named by their key, so an edit still means the same row after others moved."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Hashable, Sequence
from random import Random

from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, Length
from kakushi.model.groups import Row, Slot, rows_groups, uniform_row
from kakushi.model.job import Job
from kakushi.model.limits import LARGEST_DIAMETER_MM, MAX_ROWS, SMALLEST_DIAMETER_MM
from kakushi.model.piece import Piece, free_row_key, with_rows
from kakushi.model.sizing import Sizing
from kakushi.model.values import replace
from kakushi.session.edits import piece_edit, validated
from kakushi.session.session import Edit

MAX_ROW_COUNT = 8
"""Most balloons in a row that hands can join into one cluster."""
MIN_ROW_COUNT = 2
"""Fewest balloons in a row: a duplet."""


def resize_row(key: int, row_key: int, steps: int, studio: Studio) -> Edit:
    """Change the sized diameter by sizer steps, snapped to the sizer grid and the catalogue's reach.

    Where the nominal size ends, the row stays at that end.
    """

    def change(row: Row) -> Row:
        return replace(row, slots=tuple(resized_slot(slot, steps, studio) for slot in row.slots), sizing=None)

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
        return replace(row, slots=slots, sizing=None)

    return _row_edit("Resize row", key, row_key, change, ("resize", key, row_key))


def set_row_sizing(key: int, row_key: int, sizing: Sizing, studio: Studio) -> Edit:
    """Have a row sized by strokes, seconds, a reference, within a range or freely; its diameters follow from that."""
    from kakushi.workshop.sized_by import sized_by  # noqa: PLC0415 - calibrations are long to load, and few rows need it

    def change(row: Row) -> Row:
        slots = tuple(
            replace(slot, diameter_mm=sized_by(sizing, slot.nominal_in, slot.diameter_mm, studio).diameter_mm)
            for slot in row.slots
        )
        return replace(row, slots=slots, sizing=sizing)

    return _row_edit("Size row", key, row_key, change, ("resize", key, row_key))


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
        # A setting or a range was meant for the other size.
        return replace(row, slots=slots, sizing=None)

    return _row_edit("Change nominal size", key, row_key, change, ("nominal", key, row_key))


def set_row_sizes(key: int, row_key: int, diameters: Sequence[float]) -> Edit:
    """Size a row slot by slot, mm. Raises BadInput, when applied, for another number of sizes than balloons."""

    def change(row: Row) -> Row:
        if len(diameters) != row.count:
            raise BadInput(f"The row has {row.count} balloons; {len(diameters)} sizes do not fit.", "sizes")
        slots = [validated(slot, "sized diameter", diameter_mm=d) for slot, d in zip(row.slots, diameters, strict=True)]
        return replace(row, slots=tuple(slots), sizing=None)

    return _row_edit("Size slot by slot", key, row_key, change)


def assort_row(key: int, row_key: int, spread: float, count: int, seed: int, studio: Studio) -> Edit:
    """At most `many` sizes of the sizer within +-`spread` (a share) of the row's mean, in an order by the seed.

    Neighbours are not alike where the number of sizes allows it.
    """

    def change(row: Row) -> Row:
        random, mean = Random(seed), row.diameter_mm
        slots: list[Slot] = []
        for slot in row.slots:
            size = studio.nominal(slot.nominal_in)
            sizes = studio.sizer.few(size, count, mean * (1 - spread), mean * (1 + spread)) if size else (mean,)
            beside = {slots[-1].diameter_mm} if slots else set()
            if len(slots) == row.count - 1 and slots:
                beside.add(slots[0].diameter_mm)
            free = [each for each in sizes if each not in beside] or list(sizes)
            # The one used least so far: every size appears.
            used = Counter(each.diameter_mm for each in slots)
            least = min(used[each] for each in free)
            chosen = random.choice([each for each in free if used[each] == least])
            slots.append(replace(slot, diameter_mm=min(max(chosen, SMALLEST_DIAMETER_MM), LARGEST_DIAMETER_MM)))
        return replace(row, slots=tuple(slots))

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
        return _checked_rows(piece, (*rows[: index + 1], duplicate, *rows[index + 1 :]), group)

    return piece_edit(name, key, change)


def insert_row(key: int, row: Row, above: int | None) -> Edit:
    """Insert `row` (its key is made free) above the row with key `above`, or at the foot."""

    def change(piece: Piece) -> Piece:
        fresh = replace(row, key=free_row_key(piece))
        if above is None:
            return _checked_rows(piece, (fresh, *_first_rows(piece)))
        group, rows, index = _row_at(piece, above)
        return _checked_rows(piece, (*rows[: index + 1], fresh, *rows[index + 1 :]), group)

    return piece_edit("Insert row", key, change)


def delete_row(key: int, row_key: int) -> Edit:
    """Take a row out; those above come down."""

    def change(piece: Piece) -> Piece:
        group, rows, index = _row_at(piece, row_key)
        return _checked_rows(piece, (*rows[:index], *rows[index + 1 :]), group)

    return piece_edit("Delete row", key, change)


def move_row(key: int, row_key: int, by: int) -> Edit:
    """Move a row up (positive) or down the column."""

    def change(piece: Piece) -> Piece:
        group, group_rows, index = _row_at(piece, row_key)
        rows = list(group_rows)
        row = rows.pop(index)
        rows.insert(min(max(index + by, 0), len(rows)), row)
        return _checked_rows(piece, tuple(rows), group)

    return piece_edit("Move row", key, change, ("move", key, row_key))


def together(edits: Sequence[Edit], name: str = "") -> Edit:
    """Several edits as one step to undo; held keys merge as those of the single ones do."""

    def change(job: Job) -> Job:
        for edit in edits:
            job = edit.change(job)
        return job

    merges = tuple(edit.merge_key for edit in edits)
    return Edit(name or edits[0].name, change, None if None in merges else merges)


def insert_rows(key: int, rows: Sequence[Row], above: int | None, name: str = "Paste rows") -> Edit:
    """Insert rows, their keys made free, above the row with key `above`, or at the foot."""

    def change(piece: Piece) -> Piece:
        first = free_row_key(piece)
        fresh = tuple(replace(row, key=first + place) for place, row in enumerate(rows))
        if above is None:
            return _checked_rows(piece, (*fresh, *_first_rows(piece)))
        group, old, index = _row_at(piece, above)
        return _checked_rows(piece, (*old[: index + 1], *fresh, *old[index + 1 :]), group)

    return piece_edit(name, key, change)


def rows_of_sizes(sizes: Sequence[float], like: Row | None, studio: Studio) -> tuple[Row, ...]:
    """Rows of some sizes, mm, of as many balloons as another one has, each of a nominal size that reaches it.

    That is the other row's where it does, else the smallest. Raises BadInput for sizes that none reaches.
    """
    count = like.count if like else _USUAL_COUNT
    rows = []
    for number, size in enumerate(sizes, 1):
        fits = [each for each in studio.nominals if each.smallest_mm - 0.1 <= size <= each.largest_mm + 0.1]
        if not fits:
            raise BadInput("No balloon of the catalogue is sized to {size}.", "sizes", size=Length(size))
        own = next((each for each in fits if like and each.nominal_in == like.slots[0].nominal_in), None)
        rows.append(uniform_row(number, count, (own or min(fits, key=lambda each: each.nominal_in)).nominal_in, size))
    return tuple(rows)


_USUAL_COUNT = 4
"""Balloons of a row where no other says how many: most columns are built of quads."""


def _row_edit(name: str, key: int, row_key: int, change: Callable[[Row], Row], merge: Hashable = None) -> Edit:
    def change_piece(piece: Piece) -> Piece:
        group, rows, index = _row_at(piece, row_key)
        return _checked_rows(piece, (*rows[:index], change(rows[index]), *rows[index + 1 :]), group)

    return piece_edit(name, key, change_piece, merge)


def _row_at(piece: Piece, row_key: int) -> tuple[int, tuple[Row, ...], int]:
    """The group a row is in, that group's rows, and its place among them."""
    for place, group in rows_groups(piece.groups):
        for index, row in enumerate(group.rows):
            if row.key == row_key:
                return place, group.rows, index
    raise BadInput("That row is no longer in the piece.", "row")


def _checked_rows(piece: Piece, rows: Sequence[Row], place: int | None = None) -> Piece:
    """The piece with other rows in one group, the first of rows unless `place` says which. Raises BadInput."""
    if len(rows) > MAX_ROWS:
        raise BadInput(f"A piece holds at most {MAX_ROWS} rows.", "rows")
    return with_rows(piece, tuple(rows), place)


def replace_rows(key: int, rows: Sequence[Row], name: str = "Choose rows") -> Edit:
    """Put `rows` in place of the rows of the piece's first group of rows."""
    return piece_edit(name, key, lambda piece: _checked_rows(piece, tuple(rows)))


def _first_rows(piece: Piece) -> tuple[Row, ...]:
    groups = rows_groups(piece.groups)
    return groups[0][1].rows if groups else ()
