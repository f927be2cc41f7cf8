"""What a copy takes besides balloons: by the studio's rules, for its joints, its line, its wrapped pole, its base."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace

from kakushi.building.poles import sections_of
from kakushi.dress.kind import STRIPS
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Row, RowsGroup, rows_groups
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.model.used import Used
from kakushi.model.workshop import ItemRule, Per
from kakushi.packing.groups.table import lines_beside_rows, wrappings_of
from kakushi.packing.joints import JOINTS, JointNeeds
from kakushi.packing.strands import Laid
from kakushi.plan.values import PiecePlan
from kakushi.stand.frame import wrapping_balloons

LINE, RIBBON, GLUE = "line", "ribbon", "glue"
_CAP_SIZES_IN = (9.0, 11.0, 12.0, 16.0, 18.0, 24.0, 36.0)
"""Nominal sizes of round balloons, in, that a cap is chosen from, in that order: whatever is at hand."""
_PULLS_OVER_MM_PER_INCH = 7.0
"""Diameter of pole that an uninflated balloon is pulled over, per inch of nominal size.

Assumed: it lies flat 0.22 of nominal wide, and stretches to twice that.
"""


def by_rules(counted: Mapping[Per, float], rules: Iterable[ItemRule]) -> tuple[Used, ...]:
    """What the rules ask for, given how many of everything there are."""
    return tuple(
        Used(item=rule.item, count=amount, unit=rule.unit)
        for rule in rules
        if (amount := rule.amount * counted.get(rule.per, 0.0)) > 0
    )


def pole_joints(design: PiecePlan, studio: Studio) -> int:
    """Joints between screwed sections of a copy's pole."""
    screwed = sections_of(design.piece, studio)
    return screwed.number - 1 if screwed is not None else 0


def frame_uses(design: PiecePlan, studio: Studio) -> tuple[Used, ...]:
    """What the frame of one copy takes by the rules: per copy, metre of pole, metre of height, joint of the pole."""
    frame = design.piece.frame
    pole = (frame.pole_length_mm or 0.0) if frame.has_pole else 0.0
    counted: dict[Per, float] = {
        "copy": 1.0,
        "metre of pole": pole / 1000,
        "metre of height": design.assembly.top / 1000,
        "pole joint": pole_joints(design, studio),
    }
    return by_rules(counted, studio.rules)


def joint_uses(design: PiecePlan) -> dict[int, tuple[Used, ...]]:
    """What joins each row (index) to the row below, in one copy; rows of different groups are not joined."""
    piece, index, uses = design.piece, 0, {}
    rises = design.assembly.rows.frames.rises
    for _, group in rows_groups(piece.groups):
        for row in group.rows[1:]:
            index += 1
            uses[index] = _used(JOINTS[row.joint or piece.joint].needs(float(rises[index - 1]), _sizes(row)))
        index += bool(group.rows)
    return uses


def closing_uses(group: RowsGroup, piece: Piece, closing_mm: float) -> tuple[Used, ...]:
    """What joins the last row of a closed strand to its first, `closing_mm` apart."""
    row = group.rows[0]
    return _used(JOINTS[row.joint or piece.joint].needs(closing_mm, _sizes(row)))


def slack_uses(group: RowsGroup, piece: Piece, laid: Laid) -> tuple[Used, ...]:
    """Line left slack at the bends of a strand whose rows are wound with line."""
    wound = JOINTS[group.rows[0].joint or piece.joint].begins is not None
    if not wound or laid.slack_mm < _LEAST_SLACK_MM:
        return ()
    return (Used(item=LINE, count=laid.slack_mm / 1000, unit="m"),)


def beginning_uses(row: Row, piece: Piece, studio: Studio) -> tuple[Used, ...]:
    """What the first row of a group takes of the line or ribbon that the group is built on, with its tail."""
    begins = JOINTS[row.joint or piece.joint].begins
    if begins is None:
        return ()
    needs, tail = begins(_sizes(row)), studio.frame_rules.line_tail_mm
    return _used(replace(needs, line=needs.line and needs.line + tail, ribbon=needs.ribbon and needs.ribbon + tail))


def _sizes(row: Row) -> tuple[float, ...]:
    return tuple(slot.diameter_mm for slot in row.slots)


def _used(needs: JointNeeds) -> tuple[Used, ...]:
    amounts = ((STRIPS, "pcs", needs.strips), (LINE, "m", needs.line / 1000), (RIBBON, "m", needs.ribbon / 1000))
    return tuple(Used(item=item, count=amount, unit=unit) for item, unit, amount in amounts if amount)


def core_uses(design: PiecePlan, studio: Studio) -> Iterator[Used]:
    """The line through one copy without a pole; rows on line or wound with ribbon hang on that."""
    piece = design.piece
    hangs_on_joints = any(JOINTS[row.joint or piece.joint].begins is not None for row in piece.rows)
    if piece.frame.kind == "line" and not hangs_on_joints:
        bent = sum(laid.used_mm for _, laid in design.assembly.strands)
        length = (bent or design.assembly.top) + 2 * studio.frame_rules.line_tail_mm
        yield Used(item=LINE, count=length / 1000, unit="m")


def wrap_uses(design: PiecePlan, studio: Studio, job: Job) -> Iterator[tuple[int, Used]]:
    """Modelling balloons that wrap bare pole in one copy, with the places of the groups."""
    piece = design.piece
    for place, wrapping in wrappings_of(piece.groups):
        low, high = design.assembly.spans[place]
        balloons = wrapping_balloons(
            high - low,
            piece.frame.pole_diameter_mm,
            wrapping.style,
            studio.frame_rules,
            wrapping.strands,
            wrapping.inflated,
        )
        of = f", {job.colour(wrapping.colour).name}" if wrapping.colour else ""
        yield place, Used(item=f"{STRIPS}{of}", count=balloons)


_LEAST_SLACK_MM = 10.0
"""Slack, mm, below which nobody leaves any: knots give as much."""


def cap_balloon(design: PiecePlan, others: Iterable[PiecePlan] = ()) -> tuple[float, str]:
    """Choose a cap (nominal size, in, and colour) among the balloons of the piece, else of the others in the job."""
    least = design.piece.frame.pole_diameter_mm / _PULLS_OVER_MM_PER_INCH
    for one in (design, *others):
        used = {nominal: colour for nominal, colour in _kinds_of(one) if nominal >= least}
        nominal = next((size for size in _CAP_SIZES_IN if size in used), None) or min(used, default=None)
        if nominal is not None:
            return nominal, used[nominal]
    return next((size for size in _CAP_SIZES_IN if size >= least), _CAP_SIZES_IN[-1]), design.fallback


def _kinds_of(design: PiecePlan) -> Iterator[tuple[float, str]]:
    """Nominal size (in) and colour of each balloon of a piece: balls first, then rows from the foot up."""
    for _, line in lines_beside_rows(design.piece.groups):
        for slot in line.slots:
            yield slot.nominal_in, slot.colour or design.fallback
    for row, colours in zip(design.piece.rows, design.colouring, strict=True):
        for slot, colour in zip(row.slots, colours, strict=True):
            yield slot.nominal_in, colour


def base_name(piece: Piece, studio: Studio) -> str:
    """The base as it is named on the lists; "" without one."""
    base = piece.frame.base
    if not base.is_there:
        return ""
    alike = next((b for b in studio.bases if (b.radius_mm, b.mass_g) == (base.radius_mm, base.mass_g)), None)
    return f"base: {alike.name if alike else base.kind}"


def base_prices(studio: Studio) -> Iterator[ItemRule]:
    """Charges for the use of bases."""
    for base in studio.bases:
        yield ItemRule(item=f"base: {base.name}"[:80], price=base.price)
