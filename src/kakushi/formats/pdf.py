"""The printed dossier: a build sheet per piece and the supplies list. Readable in black and white."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import (
    Flowable,
    Image,
    LongTable,
    Spacer,
    Table,
)

from kakushi.build.steps import steps_of, steps_of_copy
from kakushi.formats.pdf_cards import card_pages, tied_table
from kakushi.formats.pdf_lists import list_flowables
from kakushi.formats.pdf_steps import step_table
from kakushi.formats.pdf_style import (
    GRID,
    QUIET,
    SWATCH_W,
    Chapter,
    brief_line,
    chapters_pdf,
    short,
    style,
    swatches,
)
from kakushi.formats.pdf_text import fonts, paragraph
from kakushi.formats.png import piece_image, png_bytes
from kakushi.formats.scene import scene_on_paper
from kakushi.model.catalogue import BalloonColour
from kakushi.model.cautions import DRESS, ESTIMATE, GENERAL, STAND
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem, format_diameter, format_length, format_nominal
from kakushi.plan.values import PiecePlan, Plan
from kakushi.prep.supplies import SupplyLine, totals
from kakushi.production.dossier import Dossier
from kakushi.production.preparation import spares_sentence
from kakushi.production.stability import frame_words


def dossier_pdf(dossier: Dossier, units: UnitSystem = UnitSystem.METRIC, only: str | None = None) -> bytes:
    """PDF of everything the build needs; `only` names one piece (its sheet and cards alone)."""
    fonts()
    plan = dossier.plan
    chapters: list[Chapter] = []
    if only is None and plan.pieces:
        chapters.append(("Overview", _cover(dossier, units)))
    for piece in plan.pieces:
        if only is None or piece.piece.name == only:
            sheet = [*_build_sheet(piece, dossier, units), *card_pages(plan, piece.piece.key, units, style, fonts())]
            chapters.append((piece.piece.name, sheet))
    if only is None:
        lists = dossier.lists
        chapters += [
            ("Tying", tied_table(plan, units, style, GRID)),
            ("Inflation sheet", list_flowables(lists["inflation"], plan.job, units)),
            ("Supplies", [*_supplies(plan), *_materials(dossier, units)]),
            ("Stand", _stand(dossier)),
            ("Packing list", list_flowables(lists["packing"], plan.job, units)),
        ]
    return chapters_pdf(plan.job.brief.title, chapters)


def _cover(dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    """All pieces to one scale on one floor, the brief, the cautions."""
    plan, brief = dossier.plan, dossier.plan.job.brief
    story: list[Flowable] = [
        paragraph(brief.title, style(26, bold=True, after=4)),
        paragraph(brief_line(brief), style(11, colour=QUIET, after=10)),
        job_picture(plan, 170 * mm, 105 * mm),
        Spacer(1, 10),
    ]
    cells = [[paragraph(h, style(9, bold=True)) for h in ("Piece", "Copies", "Height", "Balloons each")]]
    for piece_plan in plan.pieces:
        words = (
            piece_plan.piece.name,
            str(len(piece_plan.piece.copies)),
            format_length(piece_plan.overall_height_mm, units),
            str(piece_plan.consumed_count),
        )
        cells.append([paragraph(w, style(10)) for w in words])
    table = LongTable(cells, colWidths=[80 * mm, 25 * mm, 35 * mm, None], repeatRows=1)
    table.setStyle(GRID)
    story += [table, Spacer(1, 10)]
    if brief.notes:
        story.append(paragraph(short(brief.notes, 1500), style(10, after=8)))
    return [*story, *(paragraph(text, style(9, colour=QUIET)) for text in GENERAL)]


def job_picture(plan: Plan, wide: float, tall: float) -> Flowable:
    """All pieces of a job on one floor to one scale, within a room in points."""
    if not any(piece_plan.balloon_count for piece_plan in plan.pieces):
        return Spacer(1, 1)
    image = scene_on_paper(plan, round(wide * _DOTS), round(tall * _DOTS), round(_SKY_PT * _DOTS))
    return Image(io.BytesIO(png_bytes(image)), wide, image.height / _DOTS)


_SKY_PT = 12
"""Over the tallest piece."""
_DOTS = 200 / 72
"""Pixels over a point: 200 dpi."""


def _materials(dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    job, lists = dossier.plan.job, dossier.lists
    story: list[Flowable] = []
    for key in ("buying", "materials", "cuts"):
        if lists[key].rows:
            story += [Spacer(1, 12), *list_flowables(lists[key], job, units)]
    return story


def _stand(dossier: Dossier) -> list[Flowable]:
    """Frames, how they stand, what that rests on."""
    story: list[Flowable] = [paragraph("Stand", style(20, bold=True, after=4))]
    for piece_plan in dossier.plan.pieces:
        story.append(paragraph(piece_plan.piece.name, style(13, bold=True, after=2)))
        story.append(paragraph(frame_words(piece_plan.piece.frame).capitalize() + ".", style(10)))
        story += [paragraph(words, style(10)) for words in dossier.stand_words(piece_plan)]
        story.append(Spacer(1, 6))
    if dossier.plan.pieces:
        story += [paragraph(w, style(9, colour=QUIET)) for w in dossier.assumptions(dossier.plan.pieces[0])]
    if dossier.forecast and dossier.gust is not None:
        words = f"Weather: {dossier.forecast.source}, gusts {dossier.forecast.gust_mps:g} m/s."
        story.append(paragraph(words, style(9, colour=QUIET)))
    return [*story, *(paragraph(text, style(9, colour=QUIET)) for text in (*STAND, *DRESS))]


def _build_sheet(piece: PiecePlan, dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    job = dossier.plan.job
    picture = Image(io.BytesIO(png_bytes(piece_image(piece, job, 420, 600))), 63 * mm, 90 * mm)
    facts = [paragraph(piece.piece.name, style(20, bold=True, after=6)), _facts(piece, units)]
    facts += [Spacer(1, 8), _legend([job.colour(k) for k in dict.fromkeys(piece.drawn_colours())])]
    top = Table([[picture, facts]], colWidths=[66 * mm, None])
    top.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
    return [
        top,
        Spacer(1, 8),
        _rows_table(piece, job, units),
        Spacer(1, 10),
        *_parts(piece, dossier.plan),
        *(paragraph(text, style(8.5, colour=QUIET)) for text in (ESTIMATE, *GENERAL)),
    ]


def _parts(piece: PiecePlan, plan: Plan) -> list[Flowable]:
    """The parts where they sit, in the order in which they are put on."""
    put_on = [step for step in steps_of_copy(steps_of(plan), piece.piece.key, 0) if step.part is not None]
    if not put_on:
        return []
    return [paragraph("Dressing, in this order", style(11, bold=True, after=3)), step_table(put_on), Spacer(1, 10)]


def _facts(piece: PiecePlan, units: UnitSystem) -> Table:
    p = piece.piece
    wished = "with topper" if p.target_includes_topper else "without topper"
    lines = [
        ("Height", f"{format_length(piece.height_mm, units)} without topper"),
        ("Target", f"{format_length(p.target_height_mm, units)} {wished}"),
        ("Match with outline", f"{piece.match.mean:.0%}" if piece.match else "–"),
        ("Copies", str(len(p.copies))),
        ("Balloons each", str(piece.consumed_count)),
        ("Different sizes", str(piece.distinct_sizes)),
        ("Packing", f"{p.tightness.value}, {p.joint.value}"),
        ("Seen from", p.seen_sides.value),
        ("Mechanics", piece.core_words),
    ]
    if piece.overall_height_mm > piece.height_mm:
        lines.insert(1, ("With topper", format_length(piece.overall_height_mm, units)))
    cells = [[paragraph(a, style(10, colour=QUIET)), paragraph(b, style(10))] for a, b in lines]
    table = Table(cells, colWidths=[34 * mm, None])
    table.setStyle([("TOPPADDING", (0, 0), (-1, -1), 1), ("BOTTOMPADDING", (0, 0), (-1, -1), 1)])
    return table


def _legend(used: Sequence[BalloonColour]) -> Table:
    cells = [[swatches([c]), paragraph(c.name, style(10))] for c in used] or [["", ""]]
    table = Table(cells, colWidths=[12 * mm, None])
    table.setStyle(
        [
            ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
            ("TOPPADDING", (0, 0), (-1, -1), 1),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
        ]
    )
    return table


def _rows_table(piece: PiecePlan, job: Job, units: UnitSystem) -> LongTable:
    heads = ["Row", "Count", "Nominal", "Sized to", "Knot at", "Colours from slot 1, anticlockwise", "How it is turned"]
    cells: list[list[Any]] = [[paragraph(h, style(9, bold=True)) for h in heads]]
    for index, row in enumerate(piece.piece.rows):
        nominals = " / ".join(dict.fromkeys(format_nominal(s.nominal_in) for s in row.slots))
        sizes = " / ".join(dict.fromkeys(format_diameter(s.diameter_mm, units) for s in row.slots))
        knot = format_length(float(piece.geometry.knots[index]), units)
        words = [str(index + 1), str(row.count), nominals, sizes, knot]
        colours = [job.colour(key) for key in piece.colouring[index]]
        turned = paragraph(piece.row_turn_text(index, job), style(8))
        cells.append([*(paragraph(w, style(10)) for w in words), swatches(colours), turned])
    widest = max((row.count for row in piece.piece.rows), default=4) * SWATCH_W + 4
    table = LongTable(cells, colWidths=[11 * mm, 13 * mm, 17 * mm, 18 * mm, 20 * mm, widest, None], repeatRows=1)
    table.setStyle(GRID)
    return table


def _supplies(plan: Plan) -> list[Flowable]:
    spares = spares_sentence(plan)
    story: list[Flowable] = [
        paragraph("Supplies", style(20, bold=True, after=2)),
        paragraph(spares, style(10, after=8)),
    ]
    story += [paragraph("Whole job", style(13, bold=True, after=3)), _supply_table(plan.supplies, plan.job)]
    for piece in plan.pieces:
        copies = len(piece.piece.copies)
        title = f"{piece.piece.name}: {copies} cop{'y' if copies == 1 else 'ies'}"
        story += [Spacer(1, 10), paragraph(title, style(13, bold=True, after=3))]
        story.append(_supply_table(piece.supplies, plan.job))
    return story


def _supply_table(lines: Sequence[SupplyLine], job: Job) -> LongTable:
    heads = ["Nominal", "", "Colour", "Needed", "Spares", "Total"]
    cells: list[list[Any]] = [[paragraph(h, style(9, bold=True)) for h in heads]]
    for line in lines:
        colour = job.colour(line.colour)
        name = colour.name if colour.finish.value == "plain" else f"{colour.name}, {colour.finish.value}"
        numbers = [str(line.needed), str(line.spares), str(line.total)]
        cells.append(
            [
                paragraph(format_nominal(line.nominal_in), style(10)),
                swatches([colour]),
                paragraph(name, style(10)),
                *(paragraph(n, style(10)) for n in numbers),
            ]
        )
    all_lines = totals(lines)
    sums = [str(number) for number in (all_lines.needed, all_lines.spares, all_lines.total)]
    cells.append(
        [
            "",
            "",
            paragraph("Balloons in all", style(10, bold=True)),
            *(paragraph(s, style(10, bold=True)) for s in sums),
        ]
    )
    table = LongTable(cells, colWidths=[20 * mm, 14 * mm, 70 * mm, 22 * mm, 22 * mm, 22 * mm], repeatRows=1)
    table.setStyle(GRID)
    return table
