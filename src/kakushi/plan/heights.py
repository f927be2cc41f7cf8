"""Build a piece at another height: repeat or leave out rows evenly, then size them to fit."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable
from functools import partial

from pydantic import ValidationError

from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, Length
from kakushi.model.groups import BarePoleGroup, Group, LinkFrameGroup, RoomGroup, Row, RowsGroup, rows_groups
from kakushi.model.limits import LARGEST_HEIGHT_MM, SMALLEST_HEIGHT_MM
from kakushi.model.parts import Part
from kakushi.model.paths import DrawnPath, PresetPath, Strand
from kakushi.model.piece import Piece
from kakushi.model.values import replace
from kakushi.packing.assembly import Assembly
from kakushi.plan.geometry import assembly_of
from kakushi.plan.parts import topper_rise_mm

_ROUNDS = 8
"""Most rounds of sizing rows for a height, or adding rows to a strand. Both are nearly linear: three usually do."""
_SCALES = 20
"""Most scales tried for a height: three usually do, but bounds are found by halving."""
_NEAR = (0.97, 0.985, 1.015, 1.03)
"""Shares of the best scale that are tried too: what ends in whole rows does not rise evenly."""
_CANDIDATES = 3
"""Number of scales, nearest first, whose rows are then sized: balloons of the nearest may be full already."""
_FACTORS = (0.7, 1.4)
"""Smallest and largest factor on all sizes: beyond these the piece no longer looks like its recipe."""
_SMALLEST_SHARE = 0.05
"""Smallest scale tried, as a share of the piece as kept."""
_MAY_MISS, _MAY_MISS_MM = 0.01, 10.0
"""Share of a height, and mm, by which a piece may miss it: a hand stacks no more exactly."""
_TOLD_MM = 5.0
"""Step, mm, to which the nearest possible height is rounded in the refusal: no tape is read finer."""
RISE = 0.72
"""First guess of the height that a row adds, in diameters: the usual rise of packed rows (`docs/accuracy.md`)."""

Sizes = tuple[tuple[float, float], ...]


def at_height(piece: Piece, height_mm: float, studio: Studio) -> Piece:
    """A piece at another height, mm, with the counts, ratios of sizes and pattern that it has.

    What is measured rather than counted (paths, frames, bare pole) is scaled; rows are repeated or left out evenly, and
    sized alike until the piece is as tall as asked, within 1 %. Raises BadInput for a height that it cannot have,
    naming the nearest one that it can.
    """
    if not SMALLEST_HEIGHT_MM <= height_mm <= LARGEST_HEIGHT_MM:
        low, high = Length(SMALLEST_HEIGHT_MM), Length(LARGEST_HEIGHT_MM)
        raise BadInput("A height is between {low} and {high}.", "height", low=low, high=high)

    def reached(made: Piece) -> float:
        return _height_mm(made, studio)

    def miss(made: Piece) -> float:
        return abs(reached(made) - height_mm)

    candidates = sorted(_scaled_to(piece, height_mm, studio, reached), key=miss)[:_CANDIDATES]
    for made in tuple(candidates):
        if _straight(made):
            sized = min((made, *_sized_to(made, height_mm, studio, reached)), key=miss)
            candidates += [sized, *_stepped_to(sized, height_mm, studio, reached)]
    best = min(candidates, key=miss)
    if miss(best) > max(_MAY_MISS * height_mm, _MAY_MISS_MM):
        raise BadInput(
            "It cannot be {wished} tall: the nearest it can be is {got}.",
            "height",
            wished=Length(height_mm),
            got=Length(round(reached(best) / _TOLD_MM) * _TOLD_MM),
        )
    return best


def _height_mm(piece: Piece, studio: Studio) -> float:
    """The height that the target height speaks of, as the piece is packed."""
    assembly = assembly_of(piece, piece.groups, studio)
    return assembly.top + (topper_rise_mm(piece, assembly) if piece.target_includes_topper else 0.0)


def _straight(piece: Piece) -> list[int]:
    """Places of the groups of straight rows."""
    return [place for place, group in rows_groups(piece.groups) if group.rows and group.strand is None]


# --- all that is measured or counted, by one scale -----------------------------------------------


def _scaled_to(piece: Piece, height_mm: float, studio: Studio, reached: Callable[[Piece], float]) -> list[Piece]:
    """Pieces scaled towards a height, by secants: what keeps its size (balls, a base) takes its part of it.

    Raises BadInput where nothing can be made of it.
    """
    scales = _Scales(piece, height_mm, studio, reached)
    scale, slope, enough = 1.0, reached(piece), studio.sizer.step_mm / 2
    for _ in range(_SCALES):
        if scales.attempt(scale):
            if scales.miss(scale) <= enough:
                break
            slope = scales.slope() or slope
            scale = max(scale + (height_mm - scales.heights[scale]) / max(slope, 1.0), _SMALLEST_SHARE)
        scale = scales.within(scale)
        if scale in scales.made or not math.isfinite(scale):
            break
    if not scales.made:
        raise BadInput("It cannot be built at another height.", "height")
    best = min(scales.made, key=scales.miss)
    if scales.miss(best) > enough and rows_groups(piece.groups):
        for share in _NEAR:
            scales.attempt(best * share)
    return list(scales.made.values())


class _Scales:
    """Scales tried: what was made, how tall (mm), and between which it can be made at all."""

    def __init__(self, piece: Piece, height_mm: float, studio: Studio, reached: Callable[[Piece], float]) -> None:
        self._piece, self._height_mm, self._studio, self._reached = piece, height_mm, studio, reached
        self.made: dict[float, Piece] = {}
        self.heights: dict[float, float] = {}
        self._low, self._high = 0.0, math.inf

    def attempt(self, scale: float) -> bool:
        """Make the piece; False beyond the bounds of what it is made of."""
        made = _scaled(self._piece, scale, self._height_mm, self._studio)
        if made is not None:
            self.made[scale], self.heights[scale] = made, self._reached(made)
        elif scale > min(self.made, default=1.0):
            self._high = min(self._high, scale)
        else:
            self._low = max(self._low, scale)
        return made is not None

    def within(self, scale: float) -> float:
        """A scale; beyond a bound that is known, half the way back to what can be made."""
        if scale >= self._high:
            return (max(self.made, default=self._low) + self._high) / 2
        if scale <= self._low:
            return (min(self.made, default=self._high) + self._low) / 2
        return scale

    def miss(self, scale: float) -> float:
        """How far from the height it is, mm."""
        return abs(self.heights[scale] - self._height_mm)

    def slope(self) -> float | None:
        """Rise of the height per unit of scale, mm, from the two nearest scales; None where it does not rise."""
        if len(self.made) < 2:
            return None
        one, other = sorted(self.made, key=self.miss)[:2]
        return max((self.heights[one] - self.heights[other]) / (one - other), 0.0) or None


def _scaled(piece: Piece, by: float, height_mm: float, studio: Studio) -> Piece | None:
    """Scale measures and row counts of a piece; None where a measure leaves its bounds."""
    pole = piece.frame.pole_length_mm
    key = max((row.key for row in piece.rows), default=0)
    groups: list[Group] = []
    try:
        frame = replace(piece.frame, pole_length_mm=round(pole * by, 1)) if pole else piece.frame
        for group in piece.groups:
            scaled = _group_scaled(group, by)
            if isinstance(scaled, RowsGroup) and by != 1.0:
                scaled, key = _with_rows(scaled, max(round(len(scaled.rows) * by), 1), key)
            groups.append(scaled)
        parts = tuple(_part_scaled(part, by) for part in piece.parts)
        made = replace(piece, target_height_mm=height_mm, groups=tuple(groups), frame=frame, parts=parts)
        return _filled(made, piece, studio, key)
    except ValidationError:
        return None


def _group_scaled(group: Group, by: float) -> Group:
    """Scale a group: the path of a strand, joints and links, bare pole, the height it stands or hangs at."""
    if isinstance(group, RowsGroup):
        group = replace(group, anchor=replace(group.anchor, height_mm=group.anchor.height_mm * by))
        return group if group.strand is None else replace(group, strand=_strand_scaled(group.strand, by))
    if isinstance(group, LinkFrameGroup):
        joints = tuple(replace(j, x_mm=j.x_mm * by, y_mm=j.y_mm * by, z_mm=j.z_mm * by) for j in group.joints)
        # A chain of more links where they would be too long, so that each stays near the length that it had.
        chains = []
        for chain in group.chains:
            links = max(round(chain.links * by), 1)
            chains.append(replace(chain, links=links, length_mm=chain.length_mm * by * chain.links / links))
        return replace(group, joints=joints, chains=tuple(chains))
    if isinstance(group, RoomGroup | BarePoleGroup):
        return replace(group, height_mm=group.height_mm * by)
    return group


def _strand_scaled(strand: Strand, by: float) -> Strand:
    path: PresetPath | DrawnPath = strand.path
    if isinstance(path, PresetPath):
        path = replace(path, **{n: round(getattr(path, n) * by, 1) for n in ("width_mm", "height_mm", "tail_mm")})
    else:
        path = replace(path, points=tuple(replace(p, x_mm=p.x_mm * by, z_mm=p.z_mm * by) for p in path.points))
    return replace(strand, path=path, x_mm=strand.x_mm * by)


def _part_scaled(part: Part, by: float) -> Part:
    """A part as much higher on the piece; its own size stays."""
    height: float = getattr(part, "height_mm", 0.0)
    return replace(part, height_mm=height * by) if height else part


def _with_rows(group: RowsGroup, new: int, key: int) -> tuple[RowsGroup, int]:
    """Give a group `new` rows, each like the one at the same share of its height; also the last key used."""
    many = len(group.rows)
    rows: list[Row] = []
    used = set[int]()
    for k in range(new if many else 0):
        row = group.rows[min(int((k + 0.5) * many / new), many - 1)]
        if row.key in used:
            # A row that is there twice needs a name of its own.
            key += 1
            row = replace(row, key=key)
        used.add(row.key)
        rows.append(row)
    return replace(group, rows=tuple(rows)), key


def _filled(made: Piece, piece: Piece, studio: Studio, key: int) -> Piece:
    """Give each open strand of `made` the rows that its path takes, shared out like those of the `piece` as kept."""
    for _ in range(_ROUNDS):
        laid, groups = dict(assembly_of(made, made.groups, studio).strands), list(made.groups)
        for (place, group), (_, kept) in zip(rows_groups(made.groups), rows_groups(piece.groups), strict=True):
            strand = laid.get(place)
            more = round(strand.missing_mm * len(group.rows) / max(strand.used_mm, 1.0)) if strand else 0
            if more:
                filled = replace(group, rows=kept.rows)
                groups[place], key = _with_rows(filled, max(len(group.rows) + more, 1), key)
        if groups == list(made.groups):
            break
        made = replace(made, groups=tuple(groups))
    return made


# --- sizes of straight rows ----------------------------------------------------------------------


def _sized_to(piece: Piece, height_mm: float, studio: Studio, reached: Callable[[Piece], float]) -> list[Piece]:
    """Pieces with all straight rows sized alike, towards a height."""
    factor, tried, got = 1.0, [], reached(piece)
    rows_mm = max(_rows_mm(piece, assembly_of(piece, piece.groups, studio)), 1.0)
    for _ in range(_ROUNDS):
        further = factor + (height_mm - got) / rows_mm
        if not _FACTORS[0] <= further <= _FACTORS[1] or abs(further - factor) < 1e-3:
            break
        factor = further
        tried.append(_with_straight_rows(piece, partial(_resized, studio=studio, factor=factor)))
        got = reached(tried[-1])
        if abs(got - height_mm) <= studio.sizer.step_mm / 2:
            break
    return tried


def _rows_mm(piece: Piece, assembly: Assembly) -> float:
    """How much of a piece's height its straight rows are."""
    return sum(assembly.spans[place][1] - assembly.spans[place][0] for place in _straight(piece))


def _stepped_to(piece: Piece, height_mm: float, studio: Studio, reached: Callable[[Piece], float]) -> list[Piece]:
    """Pieces with some rows a step of the sizer larger or smaller; rows of one size together as far as that goes.

    So a piece has at most one size more than it had.
    """
    many, slope, tried = 0, RISE * studio.sizer.step_mm, []
    for _ in range(_ROUNDS):
        made = _stepped(piece, many, studio)
        tried.append(made)
        more = round((height_mm - reached(made)) / slope)
        if not more or (many and (many + more) * many < 0):
            break
        many += more
    return tried


def _stepped(piece: Piece, many: int, studio: Studio) -> Piece:
    """Make `many` straight rows one sizer step larger (smaller below 0), beginning with the commonest size."""
    rows = [row for _, group in rows_groups(piece.groups) if group.strand is None for row in group.rows]
    alike = Counter(_sizes(row) for row in rows)
    changed = set[int]()
    for sizes, _ in alike.most_common():
        room = abs(many) - len(changed)
        changed |= {row.key for row in [row for row in rows if _sizes(row) == sizes][:room]}
    step = 1 if many > 0 else -1
    return _with_straight_rows(piece, lambda row: _resized(row, studio, steps=step) if row.key in changed else row)


def _sizes(row: Row) -> Sizes:
    return tuple((slot.nominal_in, slot.diameter_mm) for slot in row.slots)


def _resized(row: Row, studio: Studio, factor: float = 1.0, steps: int = 0) -> Row:
    """A row with its sizes times a factor, and so many steps of the sizer larger; as far as its balloons reach."""
    slots = (
        replace(slot, diameter_mm=studio.reachable(slot.nominal_in, wanted, slot.diameter_mm))
        for slot in row.slots
        for wanted in (studio.sizer.stepped(slot.diameter_mm * factor, steps),)
    )
    return replace(row, slots=tuple(slots))


def _with_straight_rows(piece: Piece, changed: Callable[[Row], Row]) -> Piece:
    groups = tuple(
        replace(group, rows=tuple(map(changed, group.rows)))
        if isinstance(group, RowsGroup) and group.strand is None
        else group
        for group in piece.groups
    )
    return replace(piece, groups=groups)
