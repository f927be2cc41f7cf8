"""What a sculptor should know about a settled piece: warnings, and advice for the build."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import combinations

from kakushi.model.catalogue import NominalSize, Studio
from kakushi.model.groups import Row, RowsGroup, Slot, rows_groups
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.piece import Piece
from kakushi.packing.assembly import Assembly
from kakushi.packing.dome_remedies import DomeRemedies
from kakushi.packing.pole import PoleRange, rows_on_pole
from kakushi.packing.stack import Geometry, Packing
from kakushi.plan.doming import GroupDoming, remedies_of, stack_of
from kakushi.plan.facts import (
    BarePole,
    Bulges,
    Domes,
    GroupsOverlap,
    GroupTooLow,
    Lifts,
    Note,
    NotSettled,
    PackingUnknown,
    PoleTooShort,
    RowsOnPole,
    RowSunk,
    SizedOutside,
)

_ALMOST_MM = 0.1
"""Tolerance of a sized diameter against a limit, mm: rounding only."""
_BARE_MM = 40.0
"""Length of bare pole, mm, that the balloons beside it no longer hide."""
_OVER_MM = 20.0
"""Height of a knot above the pole's end, mm, up to which pressing the rows brings it down on the pole."""
_OVERLAP_MM = 5.0
"""Overlap, mm, that balloons yield without harm."""


def row_warnings(rows: Sequence[Row], nominals: Sequence[NominalSize]) -> Iterator[Note]:
    """Rows sized outside the usable range of their balloons."""
    sizes = {n.nominal_in: n for n in nominals}
    beyond = [max(_beyond(slot, sizes) for slot in row.slots) for row in rows]
    # A row is told once, however many of its balloons are outside.
    if outside := tuple(index for index, share in enumerate(beyond) if share > 0):
        yield SizedOutside(outside, max(beyond))


def _beyond(slot: Slot, sizes: Mapping[float, NominalSize]) -> float:
    """How far a balloon is sized outside its usable range, as a share of the limit; 0 inside."""
    if (size := sizes.get(slot.nominal_in)) is None:
        return 0.0
    smallest, largest = size.smallest_mm - _ALMOST_MM, size.largest_mm + _ALMOST_MM
    return max(1 - slot.diameter_mm / smallest, slot.diameter_mm / largest - 1, 0.0)


def packing_warnings(piece: Piece, studio: Studio) -> Iterator[Note]:
    """A measured packing that this studio does not have."""
    if piece.packing_name and studio.packing(piece.packing_name) is None:
        yield PackingUnknown(piece.packing_name, piece.tightness.value)


def bare_spans(piece: Piece, assembly: Assembly) -> list[tuple[float, float]]:
    """Lengths of pole between groups that nothing covers, from and to, mm above the floor."""
    if not piece.frame.has_pole:
        return []
    # Wrapped or reserved lengths count as covered: somebody planned them.
    spans = sorted(
        span for place, span in enumerate(assembly.spans) if span[1] > span[0] and place not in assembly.off_pole
    )
    bare, reached = [], spans[0][1] if spans else 0.0
    for low, high in spans[1:]:
        if low - reached > _BARE_MM:
            bare.append((reached, low))
        reached = max(reached, high)
    return bare


def pole_warnings(piece: Piece, assembly: Assembly) -> Iterator[Note]:
    """Rows that are to be wrapped on a pole which ends below them."""
    if not (piece.frame.has_pole and piece.frame.pole_length_mm and assembly.pole_end):
        return
    first, above = 0, list[int]()
    knots = assembly.rows.knots
    for place, group in rows_groups(piece.groups):
        own = range(first, first + len(group.rows))
        first += len(group.rows)
        if place not in assembly.off_pole:
            above += [row for row in own if knots[row] > assembly.pole_end + _OVER_MM]
    if above:
        yield PoleTooShort(tuple(above), float(max(knots[above])) - assembly.pole_end)


def overlap_warnings(piece: Piece, assembly: Assembly) -> Iterator[Note]:
    """Warn of groups that share a length of pole, and of groups that begin below the floor."""
    # A strand is beside the pole, not on it.
    on_pole = [(place, span) for place, span in enumerate(assembly.spans) if place not in assembly.off_pole]
    for (a, one), (b, other) in combinations(on_pole, 2):
        shared = min(one[1], other[1]) - max(one[0], other[0])
        if shared > _OVERLAP_MM:
            yield GroupsOverlap(a, b, shared)
    base = piece.frame.base_height_mm
    for k, (low, high) in on_pole:
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
        stop_if(cancelled)
        if bulging := group.rows(group.bulge):
            yield Bulges(tuple(bulging), _remedies(group, bulging[-1] - group.first, packing))
        if not (group.flat[group.free] or group.held[group.free]):
            yield Domes(group.first + group.free, _remedies(group, group.free, packing), group.hangs)


def _remedies(group: GroupDoming, row: int, packing: Packing) -> DomeRemedies:
    """What makes a row of a group (index, foot first) lie flat."""
    return remedies_of(group.stack, len(group.stack) - 1 - row if group.hangs else row, packing)


def advice(
    piece: Piece,
    assembly: Assembly,
    packing: Packing,
    studio: Studio,
    doming: Iterable[GroupDoming],
    cancelled: Cancelled = never,
) -> Iterator[Note]:
    """Hints for the build: a last row that lifts, bare pole, rows on the pole."""
    for group in doming:
        if group.lifts:
            yield Lifts(group.first + group.free, group.hangs)
    yield from (BarePole(*span) for span in bare_spans(piece, assembly))
    # As many rows as the pole takes, its end covered: nothing to be done.
    if (pole := pole_range(piece, assembly.rows, packing, studio, cancelled)) and not pole[1].just_takes(pole[0]):
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
        stack, packing, length - foot, piece.frame.capped, studio.working_scatter_mm, cancelled
    )


def _bottom_mm(group: RowsGroup, geometry: Geometry, first: int) -> float:
    """Lowest point of a group's balloons, mm above the floor; `first` is the index of its first row."""
    in_group = (geometry.row_of >= first) & (geometry.row_of < first + len(group.rows))
    return float((geometry.centres[in_group, 2] - geometry.shape_radii[in_group]).min())
