"""What a sculptor should know about a settled piece, in words: warnings, and advice for the build."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import combinations

from kakushi.model.catalogue import NominalSize, Studio
from kakushi.model.groups import Row, RowsGroup, rows_groups
from kakushi.model.memo import Cancelled, never, remembered, stop_if
from kakushi.model.piece import Piece
from kakushi.model.units import format_diameter, format_length
from kakushi.packing.assembly import Assembly
from kakushi.packing.dome_remedies import DomeRemedies
from kakushi.packing.pole import PoleRange, rows_on_pole
from kakushi.packing.stack import Geometry, Packing, StackRow, balloons_stacked
from kakushi.plan.doming import GroupDoming, remedies_of, stack_of

MAX_NAMED = 6
_ALMOST_MM = 0.1
# mm: a shorter gap is hidden by the balloons beside it.
_BARE_MM = 40.0
# mm: balloons give that much.
_OVERLAP_MM = 5.0


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


def bare_spans(piece: Piece, assembly: Assembly) -> list[tuple[float, float]]:
    """Lengths of pole between groups that nothing covers, from and to, mm above the floor."""
    if not piece.frame.has_pole:
        return []
    spans = sorted(span for span in assembly.spans if span[1] > span[0])
    bare, reached = [], spans[0][1] if spans else 0.0
    for low, high in spans[1:]:
        if low - reached > _BARE_MM:
            bare.append((reached, low))
        reached = max(reached, high)
    return bare


def overlap_warnings(piece: Piece, assembly: Assembly) -> tuple[str, ...]:
    """Groups that take up the same length of pole, and groups that begin below the floor."""
    spans, warnings = assembly.spans, []
    for (a, one), (b, other) in combinations(enumerate(spans), 2):
        shared = min(one[1], other[1]) - max(one[0], other[0])
        if shared > _OVERLAP_MM:
            which = f"Groups {a + 1} and {b + 1}, counted from the foot,"
            warnings.append(f"{which} overlap by {format_length(shared)}: move one of them.")
    base = piece.frame.base_height_mm
    warnings += [
        f"Group {k + 1} reaches {format_length(base - low)} below where it can stand: hang it higher."
        for k, (low, high) in enumerate(spans)
        if high > low and low < base - _OVERLAP_MM
    ]
    return tuple(warnings)


def settling_warnings(
    geometry: Geometry, doming: Iterable[GroupDoming], packing: Packing, cancelled: Cancelled = never
) -> tuple[str, ...]:
    """What the settling could not answer well, and rows that want to dome, with what keeps them down."""
    report, warnings = geometry.report, []
    if not report.converged:
        warnings.append("The rows could not be brought to balance: heights are rough.")
    if not report.in_order:
        warnings.append("A row is swallowed by its neighbour: it finds room beside it.")
    for group in doming:
        domed = group.rows(~group.flat)
        if domed:
            wants = "want" if len(domed) > 1 else "wants"
            at = domed[-1] - group.first
            built = len(group.stack) - 1 - at if group.hangs else at
            stop_if(cancelled)
            words = _remedy_words(remedies_of(group.stack, built, packing), group)
            warnings.append(f"{named_rows(domed).capitalize()} {wants} to dome: {words}.")
    return tuple(warnings)


def _remedy_words(remedies: DomeRemedies, group: GroupDoming) -> str:
    away, on = ("below", "below") if group.hangs else ("above", "on top")
    why = f"nothing presses from {away}" if remedies.nothing_above else "the necks are too short for the count"
    helps = []
    if remedies.row_above:
        helps.append(f"one more row {on}")
    if remedies.tau is not None:
        helps.append(f"a packing force of {remedies.tau:g}")
    if remedies.longer_necks_mm is not None:
        helps.append(f"necks {remedies.longer_necks_mm:.0f} mm longer")
    return f"{why}; {' or '.join(helps)} keeps it flat" if helps else f"{why}; hold it with line or strips"


def advice(
    piece: Piece,
    assembly: Assembly,
    packing: Packing,
    studio: Studio,
    doming: Iterable[GroupDoming],
    cancelled: Cancelled = never,
) -> tuple[str, ...]:
    """Hints for the build: rows that pop when knocked or want to come up, bare pole, rows on the pole."""
    hints = [words for group in doming for words in _hand_words(group)]
    hints += [
        f"Bare pole shows from {format_length(low)} to {format_length(high)}: wrap it or move a group."
        for low, high in bare_spans(piece, assembly)
    ]
    return (*hints, *_pole_hints(piece, assembly.rows, packing, studio, cancelled))


def _hand_words(group: GroupDoming) -> list[str]:
    words = []
    knocked = group.rows(group.knocked & group.flat)
    if knocked:
        words.append(f"Keep a hand on it: {named_rows(knocked)} would dome if knocked during the build.")
    if group.comes_up and not group.knocked[-1]:
        row = group.rows(group.is_free)[0]
        up, away = ("down", "below") if group.hangs else ("up", "above")
        words.append(
            f"Row {row + 1} wants to come {up}: nothing presses from {away}. Hold it with line, strips or a cap."
        )
    return words


def _pole_hints(piece: Piece, geometry: Geometry, packing: Packing, studio: Studio, cancelled: Cancelled) -> list[str]:
    """How many rows the pole takes, of the group that ends at its end."""
    found = pole_range(piece, geometry, packing, studio, cancelled)
    if found is None:
        return []
    of = "" if len(rows_groups(piece.groups)) == 1 else " above the others"
    return [_pole_words(*found, of)]


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
    return len(stack), _on_pole(stack, packing, length - foot, piece.frame.capped, studio, cancelled=cancelled)


def _bottom_mm(group: RowsGroup, geometry: Geometry, first: int) -> float:
    """Lowest point of a group's balloons, mm above the floor; `first` is the index of its first row."""
    mine = (geometry.row_of >= first) & (geometry.row_of < first + len(group.rows))
    return float((geometry.centres[mine, 2] - geometry.shape_radii[mine]).min())


def _pole_words(rows: int, on_pole: PoleRange, of: str) -> str:
    low, high = on_pole.fewest, on_pole.most
    words = f"The pole takes {low} rows{of}" if low == high else f"The pole takes {low} to {high} rows{of}"
    words += f"; planned are {rows}."
    if rows > high:
        fewer = rows - high
        return words + f" {'One row' if fewer == 1 else f'{fewer} rows'} fewer, or a longer pole."
    if rows < low:
        more = low - rows
        ends = f" End with a smaller row, about {_last_size(on_pole)}, or" if on_pole.last_diameter else ""
        rows_more = "one more row covers" if more == 1 else f"{more} more rows cover"
        return words + (f"{ends} {rows_more} the end." if ends else f" {rows_more[0].upper()}{rows_more[1:]} the end.")
    if on_pole.bare < 0:
        return words + f" The last knot comes {-on_pole.bare:.0f} mm above the pole's end: press the rows well."
    if on_pole.last_diameter is not None:
        return words + f" A smaller row on top, about {_last_size(on_pole)}, covers the end for sure."
    return words


def _last_size(on_pole: PoleRange) -> str:
    return format_diameter(on_pole.last_diameter or 0.0)


@remembered(512, balloons_stacked)
def _on_pole(
    stack: tuple[StackRow, ...], packing: Packing, length: float, capped: bool, studio: Studio, *, cancelled: Cancelled
) -> PoleRange:
    return rows_on_pole(stack, packing, length, capped, studio.sizing_scatter_mm, cancelled)
