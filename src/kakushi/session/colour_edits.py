"""Edits of colour: hand paint, layers, swaps, the palette. See `session.edits`."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Mapping, Sequence
from typing import Any

from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import Row, rows_groups
from kakushi.model.job import Job
from kakushi.model.layers import ColourLayer
from kakushi.model.piece import Piece
from kakushi.model.recolour import colours_named, with_colours
from kakushi.model.values import replace
from kakushi.session.edits import piece_edit, set_piece
from kakushi.session.row_edits import resized_slot
from kakushi.session.session import Edit

SlotKey = tuple[int, int]
"""A row's key and a slot from 0."""


def paint(key: int, colours: Mapping[SlotKey, str | None], stroke: Hashable = None) -> Edit:
    """Paint balloons by hand; None gives them back to the pattern. Strokes of one drag merge."""
    name = "Paint" if any(colours.values()) else "Back to the pattern"
    return piece_edit(
        name, key, lambda piece: _with_slots(piece, colours), None if stroke is None else ("paint", key, stroke)
    )


def _with_slots(piece: Piece, colours: Mapping[SlotKey, str | None]) -> Piece:
    def change(row: Row) -> Row:
        slots = tuple(
            replace(slot, colour=colours[row.key, i]) if (row.key, i) in colours else slot
            for i, slot in enumerate(row.slots)
        )
        return row if slots == row.slots else replace(row, slots=slots)

    return _each_row(piece, change)


def _each_row(piece: Piece, change: Any) -> Piece:
    groups = list(piece.groups)
    for place, group in rows_groups(piece.groups):
        groups[place] = replace(group, rows=tuple(change(row) for row in group.rows))
    return replace(piece, groups=tuple(groups))


def clear_paint(key: int) -> Edit:
    """Give every balloon back to the pattern."""

    def change(row: Row) -> Row:
        return replace(row, slots=tuple(replace(slot, colour=None) for slot in row.slots))

    return piece_edit("Clear hand paint", key, lambda piece: _each_row(piece, change))


def show_paint(key: int, shown: bool) -> Edit:
    """Show or hide the hand paint."""
    return set_piece(key, "Show hand paint" if shown else "Hide hand paint", paint_shown=shown)


def set_layer(key: int, index: int, layer: ColourLayer) -> Edit:
    """Change one layer, from 0 at the bottom; changes of one layer in a row merge."""

    def change(piece: Piece) -> Piece:
        _check_layer(piece, index)
        return replace(piece, layers=(*piece.layers[:index], layer, *piece.layers[index + 1 :]))

    return piece_edit(f"Change {layer.kind}", key, change, ("layer", key, index, layer.kind))


def _check_layer(piece: Piece, index: int) -> None:
    if not 0 <= index < len(piece.layers):
        raise BadInput("That layer is no longer there.", "layer")


def add_layer(key: int, layer: ColourLayer) -> Edit:
    """Lay a layer on top of the others."""
    return piece_edit(f"Add {layer.kind}", key, lambda piece: replace(piece, layers=(*piece.layers, layer)))


def remove_layer(key: int, index: int) -> Edit:
    """Take a layer away."""

    def change(piece: Piece) -> Piece:
        _check_layer(piece, index)
        return replace(piece, layers=piece.layers[:index] + piece.layers[index + 1 :])

    return piece_edit("Remove layer", key, change)


def move_layer(key: int, index: int, by: int) -> Edit:
    """Move a layer up (positive) or down among the others."""

    def change(piece: Piece) -> Piece:
        _check_layer(piece, index)
        layers = list(piece.layers)
        layer = layers.pop(index)
        layers.insert(min(max(index + by, 0), len(layers)), layer)
        return replace(piece, layers=tuple(layers))

    return piece_edit("Move layer", key, change)


def swap_colours(key: int, one: str, other: str) -> Edit:
    """Exchange two colours everywhere on a piece: layers, hand paint, balls, parts."""
    swapped = {one: other, other: one}
    return piece_edit("Swap colours", key, lambda piece: with_colours(piece, swapped))


def resize_slots(key: int, slots: Sequence[SlotKey], steps: int, studio: Studio) -> Edit:
    """Size some balloons by sizer steps: a raised motif, or level again."""
    chosen = set(slots)

    def change(row: Row) -> Row:
        sized = tuple(
            resized_slot(slot, steps, studio) if (row.key, i) in chosen else slot for i, slot in enumerate(row.slots)
        )
        return row if sized == row.slots else replace(row, slots=sized)

    return piece_edit(
        "Raise the motif" if steps > 0 else "Level the motif", key, lambda piece: _each_row(piece, change)
    )


def colour_uses(job: Job) -> Counter[str]:
    """How often the pieces of a job name each colour, in layers, paint, balls and parts."""
    counts: Counter[str] = Counter()
    for piece in job.pieces:
        counts += colours_named(piece)
    return counts


def remove_colour(key: str) -> Edit:
    """Take a colour out of the palette. Raises BadInput, when applied, while it is used."""

    def change(job: Job) -> Job:
        if len(job.palette) == 1:
            raise BadInput("A palette keeps at least one colour.", "palette")
        used = colour_uses(job)[key] + sum(key in (c.outer, c.inner) for c in job.palette)
        if used:
            raise BadInput(f"“{job.colour(key).name}” is still used; swap it for another first.", "palette")
        return replace(job, palette=tuple(c for c in job.palette if c.key != key))

    return Edit("Remove colour", change)
