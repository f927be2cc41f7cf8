"""Everything between the plan and the first row: materials, cut lists, buying, inflation sheet, packing, price."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache

from kakushi.colour.tying import JobTying
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import BarePoleGroup, RowsGroup
from kakushi.model.job import Job
from kakushi.model.parts import PartKind
from kakushi.model.piece import Copy, Piece
from kakushi.model.units import format_nominal
from kakushi.model.workshop import Inflator, ItemRule, Per, PoleKind
from kakushi.plan.copies import variant_colouring
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.bags import Aim
from kakushi.prep.buying import BuyLine, buy_lines, substitutes
from kakushi.prep.fill import USUAL, Climate
from kakushi.prep.materials import Material, MaterialLine, by_rules, material_lines, summed
from kakushi.prep.price import CostSheet, WorkTime, cost_sheet, work_time
from kakushi.prep.sheet import Order, SheetLine, sheet_lines
from kakushi.prep.spares import pop_rate
from kakushi.prep.supplies import totals
from kakushi.production.tying import tying_of
from kakushi.stand.cutting import CutList, cut_list
from kakushi.stand.frame import joint_needs, paint_cans, sections, wrapping_balloons

STRIPS, LINE, RIBBON, GLUE = "modelling balloons 260", "line", "ribbon", "glue"
PAINT, WEIGHTS = "spray paint", "weights"


@dataclass(frozen=True, slots=True)
class PoleCuts:
    """The cut list of one kind of pole; `problem` says why there is none."""

    pole: str
    wanted: tuple[tuple[float, int], ...]
    cuts: CutList
    problem: str = ""


@dataclass(frozen=True, slots=True)
class Shortage:
    """A size and colour that stock does not cover, and ways out."""

    line: BuyLine
    ideas: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Wait:
    """Something that has to dry or rest before the work goes on, hours."""

    what: str
    hours: float


@dataclass(frozen=True, slots=True)
class TransportBag:
    """What goes into one bag of the transport."""

    name: str
    contents: tuple[str, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Preparation:
    """All of it for one plan. `by_piece` are materials for all copies of a piece, by its key."""

    by_piece: Mapping[int, tuple[Material, ...]]
    materials: tuple[MaterialLine, ...]
    poles: tuple[PoleCuts, ...]
    waits: tuple[Wait, ...]
    buying: tuple[BuyLine, ...]
    shortages: tuple[Shortage, ...]
    sheet: tuple[SheetLine, ...]
    work: WorkTime
    cost: CostSheet
    bags: tuple[TransportBag, ...]
    spares_sentence: str
    row_sentences: tuple[str, ...]
    tying: JobTying


def prepare(
    plan: Plan,
    climate: Climate = USUAL,
    inflator: Inflator | None = None,
    order: Order = "largest first",
    aim: Aim = "cheapest",
) -> Preparation:
    """Work out the preparation of a plan; asked for twice, it is worked out once."""
    return _prepared(plan, climate, inflator, order, aim)


@lru_cache(maxsize=8)
def _prepared(plan: Plan, climate: Climate, inflator: Inflator | None, order: Order, aim: Aim) -> Preparation:
    job, studio = plan.job, plan.studio
    tying = tying_of(plan)
    by_piece = {piece_plan.piece.key: _piece_materials(piece_plan, plan) for piece_plan in plan.pieces}
    poles = tuple(_pole_cuts(plan))
    used = [m for materials in by_piece.values() for m in materials]
    used += [*by_rules({"job": 1.0}, studio.rules), *_pole_materials(poles), *_paint(plan)]
    materials = material_lines(used, (*studio.rules, *_other_prices(plan)))
    buying = buy_lines(plan.supplies, studio, aim)
    looks = {colour.key: colour.hex for colour in job.palette}
    sheet = sheet_lines(
        kinds=tying.kinds,
        cards=tying.cards,
        studio=studio,
        inflator=inflator,
        climate=climate,
        looks=looks,
        order=order,
    )
    work = _work(plan, sheet)
    unpriced = [f"{format_nominal(b.nominal_in)} {job.colour(b.colour).name}" for b in buying if b.unit_cost is None]
    unpriced += [line.item for line in materials if not line.cost and line.item != WEIGHTS]
    return Preparation(
        by_piece=by_piece,
        materials=materials,
        poles=poles,
        waits=tuple(_waits(plan)),
        buying=buying,
        shortages=tuple(_shortages(plan, buying)),
        sheet=sheet,
        work=work,
        cost=cost_sheet(buying, materials, work, job.pricing, unpriced),
        bags=tuple(_bags(plan)),
        spares_sentence=spares_sentence(plan),
        row_sentences=tuple(_row_sentences(plan)),
        tying=tying,
    )


# --- what a piece uses ---------------------------------------------------------------------


def _copies(piece_plan: PiecePlan, studio: Studio) -> Iterator[tuple[int, Piece]]:
    """The designs a piece is built in, and how many copies of each."""
    piece = piece_plan.piece
    alike = sum(1 for copy in piece.copies if copy.groups is None)
    if alike:
        yield alike, piece
    for copy in piece.copies:
        if copy.groups is not None:
            yield 1, variant_colouring(piece, copy.groups, studio, piece_plan.fallback)[0]


def _piece_materials(piece_plan: PiecePlan, plan: Plan) -> tuple[Material, ...]:
    """Materials of all copies of a piece, poles and paint excepted (they are cut and painted over the whole job)."""
    used: list[Material] = []
    for many, design in _copies(piece_plan, plan.studio):
        counted = {per: amount * many for per, amount in _counted(piece_plan, design, plan.studio).items()}
        used += by_rules(counted, plan.studio.rules)
        used += [Material(m.item, m.unit, m.amount * many) for m in _frame_materials(piece_plan, design, plan.studio)]
    copies = len(piece_plan.piece.copies)
    for part in piece_plan.piece.parts:
        used += [Material(item.item, item.unit, item.count * copies) for item in part.items]
        if part.strips:
            used.append(Material(STRIPS, "pcs", part.strips * copies))
        if part.kind is PartKind.WEIGHT and part.mass_g:
            used.append(Material(WEIGHTS, "kg", part.mass_g / 1000 * copies))
    if piece_plan.piece.frame.base.kind == "foam" and plan.studio.frame_rules.glue_g:
        used.append(Material(GLUE, "g", plan.studio.frame_rules.glue_g * copies))
    if base := _base_name(piece_plan.piece, plan.studio):
        used.append(Material(base, "pcs", copies))
    return summed(used)


def _counted(piece_plan: PiecePlan, design: Piece, studio: Studio) -> dict[Per, float]:
    """What the rules count, in one copy."""
    kinds = Counter(part.kind for part in design.parts)
    pole = design.frame.pole_length_mm or 0.0 if design.frame.kind == "pole" else 0.0
    kind = pole_kind(design, studio)
    joined = sections(pole, kind.section_mm) - 1 if kind and kind.section_mm and pole else 0
    groups = sum(1 for g in design.groups if isinstance(g, RowsGroup) and g.rows)
    return {
        "copy": 1.0,
        "row": len(design.rows),
        "joint": max(len(design.rows) - groups, 0),
        "balloon": sum(counted.count for counted in piece_plan.balloon_counts),
        "topper": kinds[PartKind.TOPPER],
        "hung load": kinds[PartKind.HUNG],
        "accent": kinds[PartKind.ACCENT],
        "filler": kinds[PartKind.FILLER],
        "metre of pole": pole / 1000,
        "metre of height": piece_plan.height_mm / 1000,
        "pole joint": joined,
    }


def _frame_materials(piece_plan: PiecePlan, design: Piece, studio: Studio) -> Iterator[Material]:
    """Strips, line, ribbon and wrapping of one copy."""
    rules = studio.frame_rules
    strips = line = ribbon = 0.0
    knots = piece_plan.geometry.knots
    for index, row in enumerate(design.rows):
        if index == 0:
            continue
        rise = float(knots[index] - knots[index - 1]) if index < len(knots) else row.diameter_mm
        needs = joint_needs(row.joint or design.joint, rise, tuple(slot.diameter_mm for slot in row.slots))
        strips, line, ribbon = strips + needs.strips, line + needs.line, ribbon + needs.ribbon
    if design.frame.kind == "line":
        line += piece_plan.height_mm + 2 * rules.line_tail_mm
    for group in design.groups:
        if isinstance(group, BarePoleGroup) and group.wrap != "none":
            strips += wrapping_balloons(group.height_mm, design.frame.pole_diameter_mm, group.wrap, rules)
    if strips:
        yield Material(STRIPS, "pcs", strips)
    if line:
        yield Material(LINE, "m", line / 1000)
    if ribbon:
        yield Material(RIBBON, "m", ribbon / 1000)


def pole_kind(piece: Piece, studio: Studio) -> PoleKind | None:
    """The catalogue's kind of a piece's pole, or None."""
    return next((kind for kind in studio.poles if kind.name == piece.frame.pole_name), None)


def _base_name(piece: Piece, studio: Studio) -> str:
    base = piece.frame.base
    if base.kind == "none":
        return ""
    alike = next((b for b in studio.bases if (b.radius_mm, b.mass_g) == (base.radius_mm, base.mass_g)), None)
    return f"base: {alike.name if alike else base.kind}"


# --- poles and paint --------------------------------------------------------------------------


def _pole_cuts(plan: Plan) -> Iterator[PoleCuts]:
    wanted: dict[str, Counter[float]] = defaultdict(Counter)
    kinds: dict[str, PoleKind] = {}
    for piece_plan in plan.pieces:
        frame, kind = piece_plan.piece.frame, pole_kind(piece_plan.piece, plan.studio)
        if frame.kind != "pole" or not frame.pole_length_mm:
            continue
        name = kind.name if kind else f"pole {frame.pole_diameter_mm:.0f} mm"
        if kind:
            kinds[name] = kind
        wanted[name][frame.pole_length_mm] += len(piece_plan.piece.copies)
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


def _pole_materials(poles: tuple[PoleCuts, ...]) -> Iterator[Material]:
    for pole in poles:
        for stock, many in sorted(Counter(bar.stock for bar in pole.cuts.bars).items(), reverse=True):
            yield Material(_stock_name(pole.pole, stock), "pcs", many)


def _stock_name(pole: str, stock: float) -> str:
    return f"{pole}, {stock / 1000:g} m"


def _other_prices(plan: Plan) -> Iterator[ItemRule]:
    """Prices of what is not in the rules: poles by their length, bases, cans."""
    for kind in plan.studio.poles:
        for stock in kind.stock_mm:
            yield ItemRule(item=_stock_name(kind.name, stock)[:80], price=kind.price_per_m * stock / 1000)
    for base in plan.studio.bases:
        yield ItemRule(item=f"base: {base.name}"[:80], price=base.price)
    yield ItemRule(item=PAINT, price=plan.studio.frame_rules.can_price)


def _paint(plan: Plan) -> Iterator[Material]:
    lengths: dict[float, list[float]] = defaultdict(list)
    for piece_plan in plan.pieces:
        frame = piece_plan.piece.frame
        if frame.painted and frame.kind == "pole" and frame.pole_length_mm:
            lengths[frame.pole_diameter_mm] += [frame.pole_length_mm] * len(piece_plan.piece.copies)
    rules = plan.studio.frame_rules
    spare = rules.spare_cans
    cans = sum(paint_cans(of, diameter, rules) - spare for diameter, of in lengths.items())
    if lengths:
        yield Material(PAINT, "cans", cans + spare)


def _waits(plan: Plan) -> Iterator[Wait]:
    rules = plan.studio.frame_rules
    frames = [piece_plan.piece.frame for piece_plan in plan.pieces if piece_plan.piece.frame.kind == "pole"]
    if any(frame.painted for frame in frames):
        yield Wait("paint dries", rules.paint_dry_h)
    if any(frame.base.kind == "foam" for frame in frames):
        yield Wait("glue sets in foam bases", rules.glue_dry_h)


# --- buying and price ---------------------------------------------------------------------------


def _shortages(plan: Plan, buying: tuple[BuyLine, ...]) -> Iterator[Shortage]:
    """Only where a stock is kept at all does a line count as short."""
    if not plan.studio.stock:
        return
    sized = [
        (slot.nominal_in, slot.diameter_mm, colour)
        for piece_plan in plan.pieces
        for row, line in zip(piece_plan.piece.rows, piece_plan.colouring, strict=True)
        for slot, colour in zip(row.slots, line, strict=True)
    ]
    for line in buying:
        if line.short:
            yield Shortage(line, substitutes(line, sized, buying, plan.studio))


def _work(plan: Plan, sheet: tuple[SheetLine, ...]) -> WorkTime:
    balloons = sum(line.count * len(line.balloons) for line in sheet)
    tied = sum(line.count for line in sheet if len(line.balloons) > 1)
    rows = sum(
        len(design.rows) * many for piece_plan in plan.pieces for many, design in _copies(piece_plan, plan.studio)
    )
    parts = sum(len(piece_plan.piece.parts) * len(piece_plan.piece.copies) for piece_plan in plan.pieces)
    copies = sum(len(piece_plan.piece.copies) for piece_plan in plan.pieces)
    return work_time(balloons, tied, rows, parts, copies, plan.studio.rates)


def spares_sentence(plan: Plan) -> str:
    """Why there are so many spares, in one sentence."""
    sums = totals(plan.supplies)
    if not sums.needed:
        return "No balloons are needed yet."
    place = plan.job.brief.place
    counted = [r for r in plan.studio.pops if r.handling == place]
    rates = [pop_rate(line.nominal_in, place, plan.studio.pops).mean for line in plan.supplies]
    low, high = min(rates), max(rates)
    rate = f"{high:.1%}" if high - low < 0.0005 else f"{low:.1%} to {high:.1%}"
    source = f"{sum(r.popped for r in counted)} of {sum(r.used for r in counted)} counted" if counted else "not counted"
    known = f"your log has {source}" if counted else "your log has none yet"
    return (
        f"{sums.spares} spares: then, with a chance of {plan.confidence:.1%}, no size and colour runs out, "
        f"if {rate} of balloons pop {place} ({known})."
    )


def _row_sentences(plan: Plan) -> Iterator[str]:
    """What one row more needs, where a pole may take one more."""
    for piece_plan in plan.pieces:
        frame = piece_plan.piece.frame
        if frame.kind != "pole" or not frame.pole_length_mm or not piece_plan.piece.rows:
            continue
        last, copies = piece_plan.piece.rows[-1], len(piece_plan.piece.copies)
        sizes = Counter(
            (slot.nominal_in, colour) for slot, colour in zip(last.slots, piece_plan.colouring[-1], strict=True)
        )
        words = ", ".join(
            f"{n * copies} × {format_nominal(nominal)} {plan.job.colour(colour).name}"
            for (nominal, colour), n in sizes.items()
        )
        each = f" on all {copies}" if copies > 1 else ""
        yield f"{piece_plan.piece.name}, one row more or fewer{each}: {words}."


# --- packing ---------------------------------------------------------------------------------------


def copy_names(job: Job) -> list[tuple[Piece, Copy, str]]:
    """Every copy of every piece with what it is called."""
    named = []
    for piece in job.pieces:
        for number, copy in enumerate(piece.copies, 1):
            label = copy.label or (str(number) if len(piece.copies) > 1 else "")
            named.append((piece, copy, f"{piece.name} {label}".strip()))
    return named


def _bags(plan: Plan) -> Iterator[TransportBag]:
    """A bag per copy with its clusters, one with sized spares, one with tools."""
    for piece, copy, name in copy_names(plan.job):
        rows = sum(len(g.rows) for g in copy.groups or piece.groups if isinstance(g, RowsGroup))
        contents = [f"{rows} cluster{'s' if rows != 1 else ''}, row {rows} at the bottom, row 1 on top"] if rows else []
        contents += [part.name or part.kind.value for part in piece.parts]
        if piece.frame.kind == "pole":
            contents.append("pole and base" if piece.frame.base.kind != "none" else "pole")
        yield TransportBag(name, tuple(contents))
    spares = [
        f"{line.spares} × {format_nominal(line.nominal_in)} {plan.job.colour(line.colour).name}"
        for line in plan.supplies
        if line.spares
    ]
    if spares:
        yield TransportBag("Spares, some sized and kept apart", tuple(spares))
    yield TransportBag("Tools", ("sizer, inflator, scissors", "line, strips, tape", "camera, this plan", "bin bags"))


def hours_words(seconds: float) -> str:
    """A working time: 45 min, 3 h 20 min."""
    minutes = math.ceil(seconds / 60)
    hours, rest = divmod(minutes, 60)
    return f"{minutes} min" if not hours else f"{hours} h {rest} min" if rest else f"{hours} h"
