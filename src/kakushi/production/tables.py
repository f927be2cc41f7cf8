"""The lists of a job as plain tables: one source for screen, print, spreadsheet and CSV, so that they agree."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from kakushi.colour.tying import Kind
from kakushi.model.job import Job
from kakushi.model.parts import BalloonRole
from kakushi.model.units import format_nominal, inches
from kakushi.model.workshop import Inflator
from kakushi.plan.values import Plan
from kakushi.prep.materials import Material
from kakushi.prep.sheet import SheetLine
from kakushi.prep.supplies import SupplyLine
from kakushi.production.preparation import Preparation, hours_words
from kakushi.production.stability import frame_words, stance_of, stand_words
from kakushi.stand.cutting import same_bars
from kakushi.stand.words import FAR_ENOUGH_DEG

ColumnKind = Literal["text", "nominal", "colour", "count", "amount", "money", "mm", "setting", "degrees", "speed"]
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
    """A table of a job: cells are numbers and words, lengths mm, colours their keys, nothing formatted."""

    key: str
    title: str
    note: str
    columns: tuple[Column, ...]
    rows: tuple[tuple[Cell, ...], ...]

    def column(self, key: str) -> tuple[Cell, ...]:
        """The cells of a column."""
        place = [column.key for column in self.columns].index(key)
        return tuple(row[place] for row in self.rows)

    def total(self, key: str) -> float:
        """The sum of a column's numbers."""
        return sum(cell for cell in self.column(key) if isinstance(cell, int | float))


def supplies_list(plan: Plan, preparation: Preparation) -> Listing:
    """Balloons by nominal size and colour: needed, spares, total, and what every piece needs."""
    pieces = [p for p in plan.pieces if p.supplies]
    columns = (
        Column("nominal_in", "Nominal", "nominal"), Column("colour", "Colour", "colour"),
        Column("needed", "Needed", "count", summed=True), Column("spares", "Spares", "count", summed=True),
        Column("total", "Total", "count", summed=True, formula="{needed} + {spares}"),
        *(Column(f"piece{p.piece.key}", _head(p.piece.name, len(p.piece.copies)), "count", True) for p in pieces),
    )  # fmt: skip
    rows = tuple(
        (
            line.nominal_in,
            line.colour,
            line.needed,
            line.spares,
            line.total,
            *(_needed(piece.supplies, line) for piece in pieces),
        )
        for line in plan.supplies
    )
    return Listing("supplies", "Balloons", preparation.spares_sentence, columns, rows)


def _needed(lines: Sequence[SupplyLine], wanted: SupplyLine) -> int | None:
    return sum(line.needed for line in lines if line.kind == wanted.kind) or None


def _head(name: str, copies: int) -> str:
    return f"{name} × {copies}" if copies > 1 else name


def buying_list(preparation: Preparation) -> Listing:
    """Stock, whole bags, what is left and what it costs."""
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
            line.purchase.words if line.purchase else "not sold here",
            line.purchase.bought if line.purchase else 0,
            line.left,
            line.cost,
        )
        for line in preparation.buying
    )
    return Listing("buying", "To buy", "Whole bags after what is in stock.", columns, rows)


def materials_list(plan: Plan, preparation: Preparation) -> Listing:
    """Everything that is not a balloon on a card."""
    columns = (
        Column("item", "Item"), Column("needed", "Needed", "amount"), Column("unit", "Unit"),
        Column("pack", "Pack of", "amount"), Column("packs", "Packs", "count", formula="ROUNDUP({needed} / {pack}, 0)"),
        Column("cost", "Cost", "money", summed=True),
        *(Column(f"piece{p.piece.key}", _head(p.piece.name, len(p.piece.copies)), "amount") for p in plan.pieces),
    )  # fmt: skip
    rows = tuple(
        (
            li.item,
            li.needed,
            li.unit,
            li.pack,
            li.packs,
            li.cost,
            *(_amount(preparation.by_piece[p.piece.key], li.item) for p in plan.pieces),
        )
        for li in preparation.materials
    )
    note = "Strips, line and tape are estimates by the rules of your studio; bases and poles are what you charge."
    return Listing("materials", "Materials", note, columns, rows)


def _amount(materials: Sequence[Material], item: str) -> float | None:
    return round(sum(m.amount for m in materials if m.item == item), 2) or None


def cut_list_of(preparation: Preparation, kerf: float) -> Listing:
    """Stock lengths and what is cut from each."""
    columns = (
        Column("pole", "Pole"), Column("stock_mm", "Stock length", "mm"), Column("many", "How many", "count"),
        Column("cuts", "Cut to, mm"), Column("offcut_mm", "Offcut each", "mm"),
    )  # fmt: skip
    rows: list[tuple[Cell, ...]] = []
    problems = []
    for pole in preparation.poles:
        for bar, many in same_bars(pole.cuts.bars):
            rows.append((pole.pole, bar.stock, many, " + ".join(f"{cut:.0f}" for cut in bar.cuts), bar.offcut))
        if pole.problem:
            problems.append(f"{pole.pole}: {pole.problem}")
        elif not pole.cuts.exact:
            problems.append(f"{pole.pole}: a good list, not proved to be the least waste.")
    waits = [f"{wait.what.capitalize()}: wait {wait.hours:g} h." for wait in preparation.waits]
    note = " ".join([f"Saw kerf {kerf:g} mm. Cut away from you, wear eye protection.", *problems, *waits])
    return Listing("cuts", "Cut list", note, columns, tuple(rows))


def inflation_list(plan: Plan, preparation: Preparation, inflator: Inflator | None) -> Listing:
    """What is inflated and tied: kinds of duplets, in working order."""
    unit = inflator.unit if inflator else ""
    setting = unit.capitalize() if inflator and inflator.method == "strokes" else "Seconds"
    columns = (
        Column("what", "For"), Column("kind", "Tied together"), Column("many", "How many", "count", summed=True),
        Column("nominal", "Nominal"), Column("sized_mm", "Sized to", "mm"),
        Column("setting", setting if inflator else "Setting", "setting"),
        Column("hole", "Sizer hole", "count"), Column("fill", "Fill"), Column("rows", "Rows"),
        Column("advice", "Mind"),
    )  # fmt: skip
    rows = tuple(_inflation_row(line, plan) for line in preparation.sheet)
    method = (
        f"Settings for “{inflator.name}”."
        if inflator
        else ("No inflator is calibrated: size one of each size with a template; it is the reference for the others.")
    )
    time = f"About {hours_words(preparation.work.inflate + preparation.work.tie)} of inflating and tying for one."
    return Listing("inflation", "Inflation sheet", f"Largest first, two at a time. {method} {time}", columns, rows)


def _inflation_row(line: SheetLine, plan: Plan) -> tuple[Cell, ...]:
    sizes = [b.diameter_mm for b in line.balloons if b.diameter_mm]
    settings = list(dict.fromkeys(s.setting for s in line.settings if s.setting is not None))
    holes = list(dict.fromkeys(s.hole for s in line.settings if s.hole is not None))
    fills = dict.fromkeys(f"{b.diameter_mm / inches(b.nominal_in):.0%}" for b in line.balloons if b.diameter_mm)
    return (
        "rows" if line.part is BalloonRole.ROW else line.part.value,
        kind_words(line.balloons, plan.job),
        line.count,
        " / ".join(dict.fromkeys(format_nominal(b.nominal_in) for b in line.balloons)),
        max(sizes) if sizes else None,
        settings[0] if len(settings) == 1 else None,
        holes[0] if len(holes) == 1 else None,
        " / ".join(fills),
        rows_words(line, plan),
        "; ".join(line.advice),
    )


TIED_WORDS = {1: "single", 2: "duplet", 3: "triplet"}


def kind_words(kind: Kind, job: Job) -> str:
    """A kind of duplet in words: “duplet: harbour blue + sail white”; sizes where they differ."""
    mixed = len({(b.nominal_in, b.diameter_mm) for b in kind}) > 1
    names = [
        job.colour(b.colour).name + (f" {format_nominal(b.nominal_in)} to {b.diameter_mm:.0f} mm" if mixed else "")
        for b in kind
    ]
    told = " + ".join(f"{many} × {name}" if many > 1 else name for name, many in Counter(names).items())
    return f"{TIED_WORDS.get(len(kind), f'{len(kind)} together')}: {told}"


def rows_words(line: SheetLine, plan: Plan) -> str:
    """Which rows of which pieces take a kind: “Gate column 1–4, 7”."""
    told = []
    for piece in dict.fromkeys(key for key, _ in line.rows):
        named_piece = plan.job.piece(piece)
        rows = sorted({row + 1 for key, row in line.rows if key == piece})
        told.append(f"{named_piece.name if named_piece else '?'} {_ranges(rows)}")
    return "; ".join(told)


def _ranges(numbers: Sequence[int]) -> str:
    runs: list[list[int]] = []
    for number in numbers:
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return ", ".join(f"{run[0]}–{run[-1]}" if len(run) > 1 else str(run[0]) for run in runs)


def cost_list(preparation: Preparation, job: Job) -> Listing:
    """What the job costs, part by part, and the price; for the studio's own eyes."""
    cost, pricing = preparation.cost, job.pricing
    rows: tuple[tuple[Cell, ...], ...] = (
        ("Balloons, at the bags’ prices", cost.balloons),
        ("Materials", cost.materials),
        (f"Work, {hours_words(preparation.work.total)} at {pricing.hourly:g} an hour", cost.labour),
        ("Delivery", cost.delivery),
        (f"Margin, {pricing.margin_percent:g} %", cost.margin),
        (f"Tax, {pricing.tax_percent:g} %", cost.tax),
    )
    note = f"To spend now, in whole bags and packs: {cost.to_spend:.2f} {pricing.currency}".strip() + "."
    if cost.unpriced:
        note += f" Without a price: {', '.join(cost.unpriced)}."
    return Listing("cost", "Cost", note, (Column("what", "What"), Column("amount", "Amount", "money", True)), rows)


def transport_list(preparation: Preparation) -> Listing:
    """What goes into which bag."""
    columns = (Column("bag", "Bag"), Column("content", "Content"))
    rows = tuple((bag.name, content) for bag in preparation.bags for content in bag.contents)
    return Listing("packing", "Packing list", "Row 1 on top: it is built first.", columns, rows)


def stand_list(plan: Plan, gust: float | None) -> Listing:
    """How every piece stands, at its worst step."""
    columns = (
        Column("piece", "Piece"), Column("frame", "Frame"), Column("mass_kg", "Mass, kg", "amount"),
        Column("tilt_deg", "May lean", "degrees"), Column("push_n", "Tips or slides at, N", "amount"),
        Column("gust", "Tips in gusts of", "speed"),
        Column("words", "In words"),
    )  # fmt: skip
    rows = []
    named = [
        (f"{piece_plan.piece.name}{label and f', {label}'}", shown)
        for piece_plan in plan.pieces
        for label, shown in (("", piece_plan), *piece_plan.own_copies)
    ]
    for name, piece_plan in named:
        stance = stance_of(piece_plan, plan.job.settings, plan.studio, gust)
        rows.append(
            (
                name,
                frame_words(piece_plan.piece.frame),
                round(stance.finished.balance.mass_g / 1000, 2),
                min(round(math.degrees(stance.leaning.balance.tilt), 1), FAR_ENOUGH_DEG),
                round(stance.pushed.push.newtons, 1),
                round(stance.windy.gust, 1) if math.isfinite(stance.windy.gust) else None,
                " ".join(stand_words(piece_plan, plan.job.settings, plan.studio, gust)),
            )
        )
    return Listing("stand", "Does it stand?", "Estimates at the worst step of the build.", columns, tuple(rows))


def all_lists(
    plan: Plan, preparation: Preparation, inflator: Inflator | None, gust: float | None
) -> tuple[Listing, ...]:
    """Every list of a job in the order of the work."""
    return (
        supplies_list(plan, preparation),
        buying_list(preparation),
        materials_list(plan, preparation),
        cut_list_of(preparation, plan.studio.frame_rules.kerf_mm),
        inflation_list(plan, preparation, inflator),
        transport_list(preparation),
        stand_list(plan, gust),
        cost_list(preparation, plan.job),
    )
