"""The lists of a job as plain tables: one source for screen, print, spreadsheet and CSV, so that they agree."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from kakushi.building.step import Waiting, Work
from kakushi.dress.table import name_of
from kakushi.model.groups import rows_of
from kakushi.model.memo import remembered
from kakushi.model.piece import copy_name
from kakushi.model.roles import BalloonRole
from kakushi.model.sizing import Sizing
from kakushi.model.units import UnitSystem, format_inches, format_nominal, inches
from kakushi.model.used import Used
from kakushi.plan.stability import stance_of
from kakushi.plan.values import Plan
from kakushi.stand.cutting import same_bars
from kakushi.words.sheet import advice_words, bags_words, kind_words, rows_words, spares_words
from kakushi.words.sizing import sizing_words
from kakushi.words.stand import FAR_ENOUGH_DEG, frame_words, stand_words
from kakushi.words.steps import no_cuts_words
from kakushi.words.wording import Wording, amount_words, counted, hours_words, item_words, thickness
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.ledger import things_used
from kakushi.workshop.sheet import SheetLine
from kakushi.workshop.supplies import SupplyLine

ColumnKind = Literal[
    "text", "nominal", "colour", "count", "amount", "money", "mm", "setting", "degrees", "speed", "minutes"
]
Cell = str | float | int | None


@dataclass(frozen=True, slots=True)
class Column:
    """A column: its heading, what its cells are, whether they are added up; `formula` for spreadsheets.

    A formula names other columns in braces, as in "{needed} + {spares}".
    """

    key: str
    head: str
    kind: ColumnKind = "text"
    summed: bool = False
    formula: str = ""


@dataclass(frozen=True, slots=True)
class Listing:
    """A table of a job. Cells are numbers and words: lengths in mm, colours as keys, words in the chosen units."""

    key: str
    title: str
    note: str
    columns: tuple[Column, ...]
    rows: tuple[tuple[Cell, ...], ...]
    units: UnitSystem = UnitSystem.METRIC

    def column(self, key: str) -> tuple[Cell, ...]:
        """The cells of a column."""
        place = [column.key for column in self.columns].index(key)
        return tuple(row[place] for row in self.rows)

    def total(self, key: str) -> float:
        """The sum of a column's numbers."""
        return sum(cell for cell in self.column(key) if isinstance(cell, int | float))


@remembered(16)
def lists_of(dossier: Dossier, units: UnitSystem) -> dict[str, Listing]:
    """Every list of a job by key, in the order of the work."""
    wording = Wording(dossier.plan.job, units)
    made = (
        supplies_list(dossier),
        buying_list(dossier),
        materials_list(dossier, wording),
        cut_list_of(dossier, wording),
        inflation_list(dossier, wording),
        packing_list(dossier),
        stand_list(dossier, wording),
        cost_list(dossier, wording),
    )
    return {listing.key: listing for listing in made}


def supplies_list(dossier: Dossier) -> Listing:
    """Balloons by nominal size and colour: needed, spares, total, and what every piece needs."""
    plan, supplies = dossier.plan, dossier.supplies
    pieces = [p.piece for p in plan.pieces if supplies.pieces[p.piece.key]]
    columns = (
        Column("nominal_in", "Nominal", "nominal"), Column("colour", "Colour", "colour"),
        Column("needed", "Needed", "count", summed=True), Column("spares", "Spares", "count", summed=True),
        Column("total", "Total", "count", summed=True, formula="{needed} + {spares}"),
        *(Column(f"piece{piece.key}", _head(piece.name, len(piece.copies)), "count", True) for piece in pieces),
    )  # fmt: skip
    rows = tuple(
        (
            line.nominal_in,
            line.colour,
            line.needed,
            line.spares,
            line.total,
            *(_needed(supplies.pieces[piece.key], line) for piece in pieces),
        )
        for line in supplies.whole
    )
    return Listing("supplies", "Balloons", spares_words(supplies, plan), columns, rows)


def _needed(lines: Sequence[SupplyLine], wanted: SupplyLine) -> int | None:
    return sum(line.needed for line in lines if line.kind == wanted.kind) or None


def _head(name: str, copies: int) -> str:
    return f"{name} × {copies}" if copies > 1 else name


def buying_list(dossier: Dossier) -> Listing:
    """List what to buy: stock, whole bags, the rest and the cost."""
    columns = (
        Column("nominal_in", "Nominal", "nominal"), Column("colour", "Colour", "colour"),
        Column("total", "Total", "count", summed=True), Column("on_hand", "On hand", "count"),
        Column("short", "To buy", "count", summed=True, formula="MAX({total} - {on_hand}, 0)"),
        Column("bags", "Bags"), Column("bought", "In bags", "count", summed=True),
        Column("left", "Left over", "count", summed=True, formula="MAX({on_hand} + {bought} - {total}, 0)"),
        Column("cost", "Cost", "money", summed=True),
    )  # fmt: skip
    rows = tuple(
        (
            line.nominal_in,
            line.colour,
            line.total,
            line.on_hand,
            line.short,
            bags_words(line.purchase),
            line.purchase.bought if line.purchase else 0,
            line.left,
            line.cost,
        )
        for line in dossier.buying
    )
    return Listing("buying", "To buy", "Whole bags after what is in stock.", columns, rows)


def balloons_to_buy(dossier: Dossier) -> Listing:
    """Balloons on one list, for paper: needed and spare, in stock, and what is bought in which bags."""
    supplies, buying = supplies_list(dossier), buying_list(dossier)
    kept = ("on_hand", "short", "bags", "left", "cost")
    columns = (*supplies.columns[:5], *(column for column in buying.columns if column.key in kept))
    bought = {row[:2]: dict(zip((c.key for c in buying.columns), row, strict=True)) for row in buying.rows}
    rows = tuple((*row[:5], *(bought[row[:2]][key] for key in kept)) for row in supplies.rows)
    return Listing("balloons", "Balloons", supplies.note, columns, rows)


def materials_to_buy(dossier: Dossier, wording: Wording) -> Listing:
    """Everything that is no balloon on one list, for paper: what each piece takes stands on its own sheet."""
    listing = materials_list(dossier, wording)
    kept = [place for place, column in enumerate(listing.columns) if not column.key.startswith("piece")]
    return replace(
        listing,
        columns=tuple(listing.columns[place] for place in kept),
        rows=tuple(tuple(row[place] for place in kept) for row in listing.rows),
    )


def materials_list(dossier: Dossier, wording: Wording) -> Listing:
    """Everything that is not a balloon on a card."""
    pieces = [piece_plan.piece for piece_plan in dossier.plan.pieces]
    columns = (
        Column("item", "Item"), Column("needed", "Needed", "amount"), Column("spares", "Spare", "amount"),
        Column("unit", "Unit"), Column("pack", "Pack of", "amount"),
        Column("packs", "Packs", "count", formula="ROUNDUP(({needed} + {spares}) / {pack}, 0)"),
        Column("cost", "Cost", "money", summed=True),
        *(Column(f"piece{piece.key}", _head(piece.name, len(piece.copies)), "amount") for piece in pieces),
    )  # fmt: skip
    by_piece = {piece.key: things_used(dossier.steps_of_piece(piece.key)) for piece in pieces}
    rows = []
    for line in dossier.materials:
        needed, unit = amount_words(line.needed, line.unit, wording.units)
        factor = needed / line.needed if line.needed else 1.0
        own = (_amount(by_piece[piece.key], line.item, factor) for piece in pieces)
        item = item_words(line.item, wording.units)
        rows.append(
            (
                item,
                needed,
                round(line.spares * factor, 2) or None,
                unit,
                line.pack * factor,
                line.packs,
                line.cost,
                *own,
            )
        )
    note = "Strips, line and tape are estimates by the rules of your studio; bases and poles are what you charge."
    return Listing("materials", "Materials", note, columns, tuple(rows), wording.units)


def _amount(materials: Iterable[Used], item: str, factor: float) -> float | None:
    return round(sum(used.count for used in materials if used.item == item) * factor, 2) or None


def cut_list_of(dossier: Dossier, wording: Wording) -> Listing:
    """List the stock lengths and their cuts."""
    metric = wording.units is UnitSystem.METRIC
    columns = (
        Column("pole", "Pole"), Column("stock_mm", "Stock length", "mm"), Column("many", "How many", "count"),
        Column("cuts", "Cut to, mm" if metric else "Cut to"), Column("offcut_mm", "Offcut each", "mm"),
    )  # fmt: skip
    rows, problems = list[tuple[Cell, ...]](), list[str]()
    for pole in dossier.poles:
        name = item_words(pole.pole, wording.units)
        for bar, bars in same_bars(pole.cuts.bars):
            cuts = " + ".join(f"{cut:.0f}" if metric else format_inches(cut) for cut in bar.cuts)
            rows.append((name, bar.stock, bars, cuts, bar.offcut))
        if pole.problem:
            problems.append(f"{name}: {no_cuts_words(pole, wording)}")
        elif not pole.cuts.exact:
            problems.append(f"{name}: a good list; less waste may be possible.")
    kerf = thickness(dossier.plan.studio.frame_rules.kerf_mm, wording.units)
    note = " ".join([f"Saw kerf {kerf}. Cut away from you, wear eye protection.", *problems, *_waits_words(dossier)])
    return Listing("cuts", "Cut list", note, columns, tuple(rows), wording.units)


_WAITS = {"paint": "Paint dries", "glue": "Glue sets in foam bases"}


def _waits_words(dossier: Dossier) -> Iterator[str]:
    waits = {step.fact.what: step.wait_minutes for step in dossier.steps if isinstance(step.fact, Waiting)}
    yield from (f"{_WAITS[what]}: wait {minutes / 60:g} h." for what, minutes in waits.items())


def inflation_list(dossier: Dossier, wording: Wording) -> Listing:
    """List what is inflated and tied: kinds of duplets, in working order."""
    inflator = dossier.inflator
    setting = inflator.unit.capitalize() if inflator and inflator.method == "strokes" else "Seconds"
    columns = (
        Column("what", "For"), Column("kind", "Tied together"), Column("many", "How many", "count", summed=True),
        Column("nominal", "Nominal"), Column("sized_mm", "Sized to", "mm"),
        Column("setting", setting if inflator else "Setting", "setting"),
        Column("hole", "Sizer hole", "count"), Column("fill", "Fill"), Column("rows", "Rows"),
        Column("advice", "Notes"),
    )  # fmt: skip
    rows = tuple(_inflation_row(line, dossier, wording) for line in dossier.sheet)
    method = (
        f"Settings for “{inflator.name}”."
        if inflator
        else ("No inflator is calibrated: size one of each size with a template; it is the reference for the others.")
    )
    time = f"About {hours_words(dossier.work.get(Work.INFLATE, 0.0))} of inflating and tying for one."
    note = f"Largest first, two at a time. {method} {time}"
    return Listing("inflation", "Inflation sheet", note, columns, rows, wording.units)


def _inflation_row(line: SheetLine, dossier: Dossier, wording: Wording) -> tuple[Cell, ...]:
    sizes = [b.diameter_mm for b in line.balloons if b.diameter_mm]
    sizing = sizing_of(line, dossier.plan)
    settings = list(dict.fromkeys(s.setting for s in line.settings if s.setting is not None))
    holes = list(dict.fromkeys(s.hole for s in line.settings if s.hole is not None))
    fills = dict.fromkeys(f"{b.diameter_mm / inches(b.nominal_in):.0%}" for b in line.balloons if b.diameter_mm)
    return (
        "rows" if line.part is BalloonRole.ROW else line.part.value,
        kind_words(line.balloons, wording),
        line.count,
        " / ".join(dict.fromkeys(format_nominal(b.nominal_in) for b in line.balloons)),
        sizing_words(sizing, wording.units) if sizing else max(sizes) if sizes else None,
        settings[0] if not sizing and len(settings) == 1 else None,
        holes[0] if not sizing and len(holes) == 1 else None,
        " / ".join(fills),
        rows_words(line, dossier.plan),
        "; ".join(advice_words(advice, wording.units) for advice in line.advice),
    )


def sizing_of(line: SheetLine, plan: Plan) -> Sizing | None:
    """How the balloons of a line are sized where nobody measures them; None where any of its rows is measured."""
    sizings = set()
    for key, index in line.rows:
        piece = plan.piece(key)
        if piece is not None and index < len(piece.piece.rows):
            sizings.add(piece.piece.rows[index].sizing)
    return sizings.pop() if len(sizings) == 1 else None


def packing_list(dossier: Dossier) -> Listing:
    """What goes into which bag."""
    columns = (Column("bag", "Bag"), Column("content", "Content"))
    rows = tuple((name, "; ".join(contents)) for name, contents in packed_bags(dossier))
    return Listing("packing", "Packing list", "Row 1 on top: it is built first.", columns, rows)


def packed_bags(dossier: Dossier) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Names and contents: a bag per copy with its clusters, one with sized spares, one with tools."""
    job = dossier.plan.job
    for piece in job.pieces:
        for number, copy in enumerate(piece.copies):
            rows = len(rows_of(copy.groups or piece.groups))
            contents = [f"{counted(rows, 'cluster')}, row {rows} at the bottom, row 1 on top"] if rows else []
            contents += [name_of(part) for part in piece.parts]
            if piece.frame.has_pole:
                contents.append("pole and base" if piece.frame.base.is_there else "pole")
            yield copy_name(piece, number), tuple(contents)
    spares = [
        f"{line.spares} × {format_nominal(line.nominal_in)} {job.colour(line.colour).name}"
        for line in dossier.supplies.whole
        if line.spares
    ]
    if spares:
        yield "Spares, some sized and kept apart", tuple(spares)
    yield "Tools", ("sizer, inflator, scissors", "line, strips, tape", "camera, this plan", "bin bags")


def stand_list(dossier: Dossier, wording: Wording) -> Listing:
    """How every piece stands, at its worst step."""
    columns = (
        Column("piece", "Piece"), Column("frame", "Frame"), Column("mass_kg", "Mass, kg", "amount"),
        Column("tilt_deg", "May lean", "degrees"), Column("push_n", "Tips or slides at, N", "amount"),
        Column("gust", "Tips in gusts of", "speed"),
        Column("words", "In words"),
    )  # fmt: skip
    plan, units = dossier.plan, wording.units
    named = [
        (f"{piece_plan.piece.name}{label and f', {label}'}", shown)
        for piece_plan in plan.pieces
        for label, shown in (("", piece_plan), *piece_plan.own_copies)
    ]
    rows = []
    for name, piece_plan in named:
        stance = stance_of(piece_plan, plan.job.settings, plan.studio, dossier.gust)
        rows.append(
            (
                name,
                frame_words(piece_plan.piece.frame, units),
                round(stance.finished.balance.mass_g / 1000, 2),
                min(round(math.degrees(stance.leaning.balance.tilt), 1), FAR_ENOUGH_DEG),
                round(stance.pushed.push.newtons, 1),
                round(stance.windy.gust, 1) if math.isfinite(stance.windy.gust) else None,
                " ".join(stand_words(piece_plan, stance, units)),
            )
        )
    return Listing("stand", "Does it stand?", "Estimates at the worst step of the build.", columns, tuple(rows), units)


def cost_list(dossier: Dossier, wording: Wording) -> Listing:
    """What the job costs, part by part, and the price; for the studio's own eyes."""
    cost, pricing = dossier.cost, wording.job.pricing
    columns = (
        Column("what", "What"), Column("minutes", "Time", "minutes", True), Column("amount", "Amount", "money", True)
    )  # fmt: skip
    rows: tuple[tuple[Cell, ...], ...] = (
        ("Balloons, at the bags’ prices", None, cost.balloons),
        ("Materials", None, cost.materials),
        *((f"Work: {kind.value}", minutes, amount) for kind, minutes, amount in cost.work),
        ("Delivery", None, cost.delivery),
        (f"Margin, {pricing.margin_percent:g} %", None, cost.margin),
        (f"Tax, {pricing.tax_percent:g} %", None, cost.tax),
    )
    spend = f"To spend now, in whole bags and packs: {cost.to_spend:.2f} {pricing.currency}".strip()
    note = f"Work in all: {hours_words(dossier.minutes)} at {pricing.hourly:g} an hour. {spend}."
    unpriced = [f"{format_nominal(nominal)} {wording.colour(key)}" for nominal, key in cost.unpriced]
    unpriced += [item_words(item, wording.units) for item in cost.unpriced_things]
    if unpriced:
        note += f" Without a price: {', '.join(unpriced)}."
    return Listing("cost", "Cost", note, columns, rows, wording.units)
