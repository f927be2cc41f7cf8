"""What a sculptor should know about a settled piece, in words: warnings, and advice for the build."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from kakushi.model.catalogue import NominalSize, Studio
from kakushi.model.groups import Row, rows_groups
from kakushi.model.piece import Piece
from kakushi.model.units import format_diameter
from kakushi.packing.dome_remedies import DomeRemedies, dome_remedies
from kakushi.packing.pole import PoleRange, rows_on_pole
from kakushi.packing.release import domed_after_knock
from kakushi.packing.stack import Geometry, Packing, StackRow, stack_row

MAX_NAMED = 6
KNOCKED_FROM_COUNT = 5
_ALMOST_MM = 0.1


def named_rows(rows: Sequence[int]) -> str:
    """Row numbers for people, like “rows 3, 4”."""
    listed = ", ".join(str(row + 1) for row in rows[:MAX_NAMED]) + ("…" if len(rows) > MAX_NAMED else "")
    return f"row{'s' if len(rows) > 1 else ''} {listed}"


def row_warnings(rows: Sequence[Row], nominals: Sequence[NominalSize]) -> tuple[str, ...]:
    """Rows sized outside the usable range of their balloons."""
    sizes = {n.nominal_in: n for n in nominals}
    outside = [
        index
        for index, row in enumerate(rows)
        if any(
            (size := sizes.get(slot.nominal_in))
            and not size.smallest_mm - _ALMOST_MM <= slot.diameter_mm <= size.largest_mm + _ALMOST_MM
            for slot in row.slots
        )
    ]
    return (f"Sized outside the usable range of its balloon: {named_rows(outside)}.",) if outside else ()


def packing_warnings(piece: Piece, studio: Studio) -> tuple[str, ...]:
    """A measured packing that this studio does not have."""
    if piece.packing_name and studio.packing(piece.packing_name) is None:
        return (f"The packing “{piece.packing_name}” is not in this studio: planned as {piece.tightness.value}.",)
    return ()


def settling_warnings(piece: Piece, geometry: Geometry, packing: Packing) -> tuple[str, ...]:
    """What the settling could not answer well, and rows that want to dome, with what keeps them down."""
    report, warnings = geometry.report, []
    if not report.converged:
        warnings.append("The rows could not be brought to balance: heights are rough.")
    if not report.in_order:
        warnings.append("A row is swallowed by its neighbour: it finds room beside it.")
    domed = [int(row) for row in np.flatnonzero(~geometry.flat)]
    if domed:
        wants = "want" if len(domed) > 1 else "wants"
        words = _remedy_words(_remedies(_stack(piece, packing), domed[-1], packing))
        warnings.append(f"{named_rows(domed).capitalize()} {wants} to dome: {words}.")
    return tuple(warnings)


def _remedy_words(remedies: DomeRemedies) -> str:
    why = "nothing presses from above" if remedies.nothing_above else "the necks are too short for the count"
    helps = []
    if remedies.row_above:
        helps.append("one more row on top")
    if remedies.tau is not None:
        helps.append(f"packing as tight as {remedies.tau:g}")
    if remedies.longer_necks_mm is not None:
        helps.append(f"necks {remedies.longer_necks_mm:.0f} mm longer")
    return f"{why}; {' or '.join(helps)} keeps it down" if helps else f"{why}; hold it with line or strips"


def advice(piece: Piece, geometry: Geometry, packing: Packing, studio: Studio) -> tuple[str, ...]:
    """Hints for the build: rows that pop when knocked, rows on the pole."""
    hints: list[str] = []
    stack = _stack(piece, packing)
    if any(row.count >= KNOCKED_FROM_COUNT for row in stack) and len(stack) == len(geometry.frames):
        knocked = _knocked(stack, packing, geometry)
        if knocked:
            hints.append(f"Keep a hand on it: {named_rows(knocked)} would dome if knocked during the build.")
    length = piece.frame.pole_length_mm
    rows_end_it = not piece.groups or bool(rows_groups(piece.groups[-1:]))
    if stack and length and piece.frame.has_pole and rows_end_it:
        room = length - piece.foot_mm
        hints.append(_pole_words(len(stack), _on_pole(stack, packing, room, piece.frame.capped, studio)))
    return tuple(hints)


def _pole_words(rows: int, on_pole: PoleRange) -> str:
    low, high = on_pole.fewest, on_pole.most
    words = f"The pole takes {low} rows" if low == high else f"The pole takes {low} to {high} rows"
    words += f"; planned are {rows}."
    if on_pole.bare < 0:
        return words + f" The last knot is {-on_pole.bare:.0f} mm above the pole: one row fewer, or a longer pole."
    if on_pole.last_diameter is not None:
        return words + f" End with a smaller row, about {format_diameter(on_pole.last_diameter)}, to cover the end."
    if rows < low:
        return words + " One more row covers the end."
    return words


@lru_cache(maxsize=256)
def _stack(piece: Piece, packing: Packing) -> tuple[StackRow, ...]:
    """The rows of the piece's only group of rows; empty where there are several."""
    groups = [group for _, group in rows_groups(piece.groups) if group.rows]
    if len(groups) != 1:
        return ()
    return tuple(stack_row(row, packing, piece.joint) for row in groups[0].rows)


@lru_cache(maxsize=256)
def _remedies(stack: tuple[StackRow, ...], row: int, packing: Packing) -> DomeRemedies:
    return dome_remedies(stack, row, packing) if stack else DomeRemedies(False, False, None, None)


@lru_cache(maxsize=256)
def _knocked(stack: tuple[StackRow, ...], packing: Packing, geometry: Geometry) -> tuple[int, ...]:
    return tuple(int(row) for row in np.flatnonzero(domed_after_knock(stack, packing, geometry)))


@lru_cache(maxsize=256)
def _on_pole(stack: tuple[StackRow, ...], packing: Packing, length: float, capped: bool, studio: Studio) -> PoleRange:
    return rows_on_pole(stack, packing, length, capped, studio.sizing_scatter_mm)
