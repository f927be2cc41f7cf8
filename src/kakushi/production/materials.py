"""What the pieces of a plan use besides balloons: strips, line, poles, paint, and how poles are cut."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

from kakushi.dress.kind import STRIPS
from kakushi.dress.table import kind_of, materials_of, things_of
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import rows_groups
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.model.workshop import ItemRule, Per, PoleKind
from kakushi.packing.groups.table import wrappings_of
from kakushi.packing.joints import JOINTS
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.materials import Material, by_rules, summed
from kakushi.stand.cutting import CutList, cut_list
from kakushi.stand.frame import paint_cans, sections, wrapping_balloons

LINE, RIBBON, GLUE, PAINT = "line", "ribbon", "glue", "spray paint"


@dataclass(frozen=True, slots=True)
class PoleCuts:
    """The cut list of one kind of pole; `problem` says why there is none."""

    pole: str
    wanted: tuple[tuple[float, int], ...]
    cuts: CutList
    problem: str = ""


@dataclass(frozen=True, slots=True)
class Wait:
    """Something that has to dry or rest before the work goes on, hours."""

    what: str
    hours: float


def piece_materials(piece_plan: PiecePlan, plan: Plan) -> tuple[Material, ...]:
    """Materials of all copies of a piece, poles and paint excepted (they are cut and painted over the whole job)."""
    used: list[Material] = []
    counted: defaultdict[Per, float] = defaultdict(float)
    for _, many, design in piece_plan.built:
        for per, amount in counted_in(design, plan.studio).items():
            counted[per] += amount * many
        used += [Material(m.item, m.unit, m.amount * many) for m in _frame_materials(design, plan.studio, plan.job)]
    used += by_rules(counted, plan.studio.rules)
    copies = len(piece_plan.piece.copies)
    for part in piece_plan.piece.parts:
        used += [Material(u.item, u.unit, u.amount * copies) for u in materials_of(part)]
    if piece_plan.piece.frame.base.kind == "foam" and plan.studio.frame_rules.glue_g:
        used.append(Material(GLUE, "g", plan.studio.frame_rules.glue_g * copies))
    if base := base_name(piece_plan.piece, plan.studio):
        used.append(Material(base, "pcs", copies))
    return summed(used)


def counted_in(piece_plan: PiecePlan, studio: Studio) -> dict[Per, float]:
    """What the rules count, in one copy."""
    design = piece_plan.piece
    parts: defaultdict[Per, float] = defaultdict(float)
    for part in design.parts:
        if counted_as := kind_of(part).counted_as:
            parts[counted_as] += things_of(part)
    pole = design.frame.pole_length_mm or 0.0 if design.frame.has_pole else 0.0
    kind = pole_kind(design, studio)
    joined = sections(pole, kind.section_mm) - 1 if kind and kind.section_mm and pole else 0
    groups = sum(1 for _, group in rows_groups(design.groups) if group.rows)
    return {
        "copy": 1.0,
        "row": len(design.rows),
        "joint": max(len(design.rows) - groups, 0),
        "balloon": piece_plan.consumed_count,
        **parts,
        "metre of pole": pole / 1000,
        "metre of height": piece_plan.assembly.top / 1000,
        "pole joint": joined,
    }


def _frame_materials(piece_plan: PiecePlan, studio: Studio, job: Job) -> Iterator[Material]:
    """Strips, line, ribbon and wrapping of one copy."""
    for _, wrapping in wrap_materials(piece_plan, studio, job):
        yield wrapping
    yield from summed([m for joint in joint_materials(piece_plan).values() for m in joint])
    yield from core_materials(piece_plan, studio)


def joint_materials(piece_plan: PiecePlan) -> dict[int, tuple[Material, ...]]:
    """What joins each row (index) to the row below, in one copy; rows of different groups are not joined."""
    design, index, found = piece_plan.piece, 0, {}
    rises = piece_plan.assembly.rows.frames.rises
    for _, group in rows_groups(design.groups):
        for row in group.rows[1:]:
            index += 1
            sizes = tuple(slot.diameter_mm for slot in row.slots)
            needs = JOINTS[row.joint or design.joint].needs(float(rises[index - 1]), sizes)
            found[index] = tuple(
                Material(item, unit, amount)
                for item, unit, amount in (
                    (STRIPS, "pcs", needs.strips), (LINE, "m", needs.line / 1000), (RIBBON, "m", needs.ribbon / 1000),
                )
                if amount
            )  # fmt: skip
        index += bool(group.rows)
    return found


def core_materials(piece_plan: PiecePlan, studio: Studio) -> Iterator[Material]:
    """The line that one copy without a pole hangs on; a column wound with ribbon hangs on its ribbon."""
    wound = any(m.item == RIBBON for joint in joint_materials(piece_plan).values() for m in joint)
    if piece_plan.piece.frame.kind == "line" and not wound:
        yield Material(LINE, "m", (piece_plan.assembly.top + 2 * studio.frame_rules.line_tail_mm) / 1000)


def wrap_materials(piece_plan: PiecePlan, studio: Studio, job: Job) -> Iterator[tuple[int, Material]]:
    """Modelling balloons that wrap bare pole in one copy, with the places of the groups."""
    design = piece_plan.piece
    for place, wrapping in wrappings_of(design.groups):
        low, high = piece_plan.assembly.spans[place]
        many = wrapping_balloons(
            high - low,
            design.frame.pole_diameter_mm,
            wrapping.style,
            studio.frame_rules,
            wrapping.strands,
            wrapping.inflated,
        )
        of = f", {job.colour(wrapping.colour).name}" if wrapping.colour else ""
        yield place, Material(f"{STRIPS}{of}", "pcs", many)


def pole_kind(piece: Piece, studio: Studio) -> PoleKind | None:
    """The catalogue's kind of a piece's pole, or None."""
    return next((kind for kind in studio.poles if kind.name == piece.frame.pole_name), None)


def base_name(piece: Piece, studio: Studio) -> str:
    """The base as it is named on the lists; "" without one."""
    base = piece.frame.base
    if not base.is_there:
        return ""
    alike = next((b for b in studio.bases if (b.radius_mm, b.mass_g) == (base.radius_mm, base.mass_g)), None)
    return f"base: {alike.name if alike else base.kind}"


def pole_cuts(plan: Plan) -> Iterator[PoleCuts]:
    """The cut list of every kind of pole in a plan."""
    wanted: dict[str, Counter[float]] = defaultdict(Counter)
    kinds: dict[str, PoleKind] = {}
    for piece_plan in plan.pieces:
        frame, kind = piece_plan.piece.frame, pole_kind(piece_plan.piece, plan.studio)
        if not frame.has_pole or not frame.pole_length_mm:
            continue
        name = kind.name if kind else f"pole {frame.pole_diameter_mm:.0f} mm"
        if kind:
            kinds[name] = kind
        for _, many, design in piece_plan.built:
            wanted[name][design.piece.frame.pole_length_mm or frame.pole_length_mm] += many
    for name, lengths in wanted.items():
        yield _cuts_of(name, lengths, kinds.get(name), plan.studio.frame_rules.kerf_mm)


def _cuts_of(name: str, lengths: Counter[float], kind: PoleKind | None, kerf: float) -> PoleCuts:
    listed = tuple(sorted(lengths.items(), reverse=True))
    if kind is None:
        return PoleCuts(name, listed, CutList((), True), "Choose a kind of pole to get a cut list.")
    if kind.section_mm:
        lengths = Counter({kind.section_mm: sum(sections(length, kind.section_mm) * n for length, n in listed)})
        return PoleCuts(name, listed, cut_list(lengths, [kind.section_mm], 0.0))
    try:
        return PoleCuts(name, listed, cut_list(lengths, kind.stock_mm, kerf))
    except BadInput as error:
        return PoleCuts(name, listed, CutList((), True), f"{error} Join sections, or choose a longer stock.")


def pole_materials(poles: tuple[PoleCuts, ...]) -> Iterator[Material]:
    """Stock lengths that the cut lists take."""
    for pole in poles:
        for stock, many in sorted(Counter(bar.stock for bar in pole.cuts.bars).items(), reverse=True):
            yield Material(_stock_name(pole.pole, stock), "pcs", many)


def _stock_name(pole: str, stock: float) -> str:
    return f"{pole}, {stock / 1000:g} m"


def prices_outside_rules(plan: Plan) -> Iterator[ItemRule]:
    """Prices of what is not in the rules: poles by their length, bases, cans."""
    for kind in plan.studio.poles:
        for stock in kind.stock_mm:
            yield ItemRule(item=_stock_name(kind.name, stock)[:80], price=kind.price_per_m * stock / 1000)
    for base in plan.studio.bases:
        yield ItemRule(item=f"base: {base.name}"[:80], price=base.price)
    yield ItemRule(item=PAINT, price=plan.studio.frame_rules.can_price)


def paint_needed(plan: Plan) -> Iterator[Material]:
    """Cans of paint for all painted poles."""
    lengths: dict[float, list[float]] = defaultdict(list)
    for piece_plan in plan.pieces:
        frame = piece_plan.piece.frame
        if frame.painted and frame.has_pole and frame.pole_length_mm:
            for _, many, design in piece_plan.built:
                lengths[frame.pole_diameter_mm] += [design.piece.frame.pole_length_mm or frame.pole_length_mm] * many
    rules = plan.studio.frame_rules
    spare = rules.spare_cans
    cans = sum(paint_cans(of, diameter, rules) - spare for diameter, of in lengths.items())
    if lengths:
        yield Material(PAINT, "cans", cans + spare)


def waits_of(plan: Plan) -> Iterator[Wait]:
    """What has to dry or set before the work goes on."""
    rules = plan.studio.frame_rules
    frames = [piece_plan.piece.frame for piece_plan in plan.pieces if piece_plan.piece.frame.has_pole]
    if any(frame.painted for frame in frames):
        yield Wait("paint dries", rules.paint_dry_h)
    if any(frame.base.kind == "foam" for frame in frames):
        yield Wait("glue sets in foam bases", rules.glue_dry_h)
