"""Everything between the plan and the first row: materials, cut lists, buying, inflation sheet, packing, price."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache

from kakushi.colour.tying import JobTying
from kakushi.dress.kinds.weight import WEIGHTS
from kakushi.dress.table import name_of
from kakushi.model.groups import rows_of
from kakushi.model.job import Job
from kakushi.model.piece import Copy, Piece
from kakushi.model.units import format_nominal
from kakushi.model.wishes import Aim, Order
from kakushi.model.workshop import Inflator
from kakushi.plan.values import Plan
from kakushi.prep.buying import BuyLine, buy_lines, substitutes
from kakushi.prep.fill import USUAL, Climate
from kakushi.prep.materials import Material, MaterialLine, by_rules, material_lines
from kakushi.prep.price import CostSheet, WorkTime, cost_sheet, work_time
from kakushi.prep.sheet import SheetLine, sheet_lines
from kakushi.prep.spares import pop_rate
from kakushi.prep.supplies import totals
from kakushi.production.materials import (
    PoleCuts,
    Wait,
    paint_needed,
    piece_materials,
    pole_cuts,
    pole_materials,
    prices_outside_rules,
    waits_of,
)
from kakushi.production.tying import tying_of


@dataclass(frozen=True, slots=True)
class Shortage:
    """A size and colour that stock does not cover, and ways out."""

    line: BuyLine
    ideas: tuple[str, ...]


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
    by_piece = {piece_plan.piece.key: piece_materials(piece_plan, plan) for piece_plan in plan.pieces}
    poles = tuple(pole_cuts(plan))
    used = [m for materials in by_piece.values() for m in materials]
    used += [*by_rules({"job": 1.0}, studio.rules), *pole_materials(poles), *paint_needed(plan)]
    materials = material_lines(used, (*studio.rules, *prices_outside_rules(plan)))
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
        waits=tuple(waits_of(plan)),
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
    rows = sum(len(design.piece.rows) * many for piece_plan in plan.pieces for _, many, design in piece_plan.built)
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
        if not frame.has_pole or not frame.pole_length_mm or not piece_plan.piece.rows:
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
        rows = len(rows_of(copy.groups or piece.groups))
        contents = [f"{rows} cluster{'s' if rows != 1 else ''}, row {rows} at the bottom, row 1 on top"] if rows else []
        contents += [name_of(part) for part in piece.parts]
        if piece.frame.has_pole:
            contents.append("pole and base" if piece.frame.base.is_there else "pole")
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
