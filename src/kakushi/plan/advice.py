"""What a sculptor should know about a settled piece: warnings, and advice for the build."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import combinations

from kakushi.model.catalogue import NominalSize, Studio
from kakushi.model.groups import Row, RowsGroup, rows_groups
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.piece import Piece
from kakushi.packing.assembly import Assembly
from kakushi.packing.pole import PoleRange, rows_on_pole
from kakushi.packing.stack import Geometry, Packing
from kakushi.plan.doming import GroupDoming, remedies_of, stack_of
from kakushi.plan.facts import (
    BarePole,
    Domes,
    DomesWhenKnocked,
    GroupsOverlap,
    GroupTooLow,
    Lifts,
    Note,
    NotSettled,
    PackingUnknown,
    RowsOnPole,
    RowSunk,
    SizedOutside,
)

_ALMOST_MM = 0.1
"""Tolerance of a sized diameter against a limit, mm: rounding only."""
_BARE_MM = 40.0
"""Length of bare pole, mm, that the balloons beside it no longer hide."""
_OVERLAP_MM = 5.0
"""Overlap, mm, that balloons yield without harm."""


def row_warnings(rows: Sequence[Row], nominals: Sequence[NominalSize]) -> Iterator[Note]:
    """Rows sized outside the usable range of their balloons."""
    sizes = {n.nominal_in: n for n in nominals}
    outside = tuple(
        index
        for index, row in enumerate(rows)
        # A row is told once, however many of its balloons are outside.
        if any(
            (size := sizes.get(slot.nominal_in))
            and not size.smallest_mm - _ALMOST_MM <= slot.diameter_mm <= size.largest_mm + _ALMOST_MM
            for slot in row.slots
        )
    )
    if outside:
        yield SizedOutside(outside)


def packing_warnings(piece: Piece, studio: Studio) -> Iterator[Note]:
    """A measured packing that this studio does not have."""
    if piece.packing_name and studio.packing(piece.packing_name) is None:
        yield PackingUnknown(piece.packing_name, piece.tightness.value)


def bare_spans(piece: Piece, assembly: Assembly) -> list[tuple[float, float]]:
    """Lengths of pole between groups that nothing covers, from and to, mm above the floor."""
    if not piece.frame.has_pole:
        return []
    # Wrapped or reserved lengths count as covered: somebody planned them.
    spans = sorted(span for span in assembly.spans if span[1] > span[0])
    bare, reached = [], spans[0][1] if spans else 0.0
    for low, high in spans[1:]:
        if low - reached > _BARE_MM:
            bare.append((reached, low))
        reached = max(reached, high)
    return bare


def overlap_warnings(piece: Piece, assembly: Assembly) -> Iterator[Note]:
    """Warn of groups that share a length of pole, and of groups that begin below the floor."""
    spans = assembly.spans
    for (a, one), (b, other) in combinations(enumerate(spans), 2):
        shared = min(one[1], other[1]) - max(one[0], other[0])
        if shared > _OVERLAP_MM:
            yield GroupsOverlap(a, b, shared)
    base = piece.frame.base_height_mm
    for k, (low, high) in enumerate(spans):
        if high > low and low < base - _OVERLAP_MM:
            yield GroupTooLow(k, base - low)


def settling_warnings(
    geometry: Geometry, doming: Iterable[GroupDoming], packing: Packing, cancelled: Cancelled = never
) -> Iterator[Note]:
    """What the settling could not answer well, and rows that dome, with what keeps them down."""
    if not geometry.report.converged:
        yield NotSettled()
    # Both can hold: a row that sank may lie in a perfect balance.
    if not geometry.report.in_order:
        yield RowSunk()
    for group in doming:
        domed = group.rows(~group.flat)
        if domed:
            # The last one that domes: what holds it down holds those below too.
            at = domed[-1] - group.first
            built = len(group.stack) - 1 - at if group.hangs else at
            stop_if(cancelled)
            yield Domes(tuple(domed), remedies_of(group.stack, built, packing), group.hangs)


def advice(
    piece: Piece,
    assembly: Assembly,
    packing: Packing,
    studio: Studio,
    doming: Iterable[GroupDoming],
    cancelled: Cancelled = never,
) -> Iterator[Note]:
    """Hints for the build: rows that pop when knocked or lift, bare pole, rows on the pole."""
    for group in doming:
        if knocked := group.rows(group.knocked & group.flat):
            yield DomesWhenKnocked(tuple(knocked))
        # A row that pops when knocked was told already.
        if group.comes_up and not group.knocked[-1]:
            yield Lifts(group.rows(group.is_free)[0], group.hangs)
    yield from (BarePole(*span) for span in bare_spans(piece, assembly))
    if pole := pole_range(piece, assembly.rows, packing, studio, cancelled):
        yield RowsOnPole(*pole, len(rows_groups(piece.groups)) > 1)


def pole_range(
    piece: Piece, geometry: Geometry, packing: Packing, studio: Studio, cancelled: Cancelled = never
) -> tuple[int, PoleRange] | None:
    """Rows of the group that ends at the pole's end, and how many the pole takes; None where none does."""
    length = piece.frame.pole_length_mm
    groups = rows_groups(piece.groups)
    if not (length and piece.frame.has_pole and groups) or groups[-1][0] != len(piece.groups) - 1:
        return None
    group = groups[-1][1]
    if not group.rows or group.anchor.kind == "hanging below":
        return None
    stack = stack_of(group, packing, piece)
    foot = _bottom_mm(group, geometry, len(piece.rows) - len(stack))
    return len(stack), rows_on_pole(
        stack, packing, length - foot, piece.frame.capped, studio.sizing_scatter_mm, cancelled
    )


def _bottom_mm(group: RowsGroup, geometry: Geometry, first: int) -> float:
    """Lowest point of a group's balloons, mm above the floor; `first` is the index of its first row."""
    in_group = (geometry.row_of >= first) & (geometry.row_of < first + len(group.rows))
    return float((geometry.centres[in_group, 2] - geometry.shape_radii[in_group]).min())
