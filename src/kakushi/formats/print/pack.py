"""The printed dossier: a build sheet per piece and the supplies list. Readable in black and white."""

from __future__ import annotations

import io
from collections import defaultdict
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

from kakushi.building.steps import steps_of_copy
from kakushi.formats.export.png import piece_image, png_bytes
from kakushi.formats.print.cards import card_pages
from kakushi.formats.print.lists import list_flowables
from kakushi.formats.print.scene import scene_on_paper
from kakushi.formats.print.steps import step_table
from kakushi.formats.print.style import (
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
from kakushi.formats.print.text import fonts, paragraph
from kakushi.model.catalogue import BalloonColour
from kakushi.model.cautions import ESTIMATE, GENERAL, STAND, cautions_of
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem, format_diameter, format_length, format_nominal
from kakushi.plan.relations import relation_of
from kakushi.plan.strands import marks_of, strands_of
from kakushi.plan.values import PiecePlan, Plan
from kakushi.words.lists import lists_of
from kakushi.words.plan import mechanics_words
from kakushi.words.rows import short_relation
from kakushi.words.sizing import sized_words
from kakushi.words.stand import assumption_sentences, frame_words, stand_words
from kakushi.words.strands import mark_words
from kakushi.words.wording import Wording, capital
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.ledger import balloons_used


def dossier_pdf(dossier: Dossier, units: UnitSystem = UnitSystem.METRIC, only: str | None = None) -> bytes:
    """PDF of everything the build needs; `only` names one piece (its sheet and cards alone)."""
    fonts()
    plan = dossier.plan
    chapters: list[Chapter] = []
    if only is None and plan.pieces:
        chapters.append(("Overview", _cover(dossier, units)))
    for piece in plan.pieces:
        if only is None or piece.piece.name == only:
            sheet = [*_build_sheet(piece, dossier, units), *card_pages(dossier, piece.piece.key, units, style, fonts())]
            chapters.append((piece.piece.name, sheet))
    if only is None:
        lists, job = lists_of(dossier, units), plan.job
        supplies = [flowable for key in _SUPPLIES for flowable in (*list_flowables(lists[key], job), Spacer(1, 12))]
        chapters += [
            ("Inflation sheet", list_flowables(lists["inflation"], job)),
            ("Supplies", supplies),
            ("Stand", _stand(dossier, units)),
            ("Packing list", list_flowables(lists["packing"], job)),
        ]
    return chapters_pdf(plan.job.brief.title, chapters)


_SUPPLIES = ("supplies", "buying", "materials", "cuts")
"""Lists of what a job takes."""


def _cover(dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    """All pieces to one scale on one floor, the brief, the cautions."""
    plan, brief = dossier.plan, dossier.plan.job.brief
    story: list[Flowable] = [
        paragraph(brief.title, style(26, bold=True, after=4)),
        paragraph(brief_line(brief), style(11, colour=QUIET, after=10)),
        job_picture(plan, 170 * mm, 105 * mm),
        Spacer(1, 10),
    ]
    cells = [[paragraph(h, style(9, bold=True)) for h in ("Piece", "Copies", "Height", "Balloons used, each")]]
    for piece_plan in plan.pieces:
        words = (
            piece_plan.piece.name,
            str(len(piece_plan.piece.copies)),
            format_length(piece_plan.overall_height_mm, units),
            str(_balloons_each(dossier, piece_plan)),
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


def _balloons_each(dossier: Dossier, piece_plan: PiecePlan) -> int:
    """Balloons that the first copy of a piece uses up."""
    return int(sum(used.count for used in balloons_used(steps_of_copy(dossier.steps, piece_plan.piece.key, 0))))


def _stand(dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    """Frames, how they stand, what that rests on."""
    cautions = cautions_of(part for piece in dossier.plan.pieces for part in piece.piece.parts)
    story: list[Flowable] = [paragraph("Stand", style(20, bold=True, after=4))]
    for piece_plan in dossier.plan.pieces:
        story.append(paragraph(piece_plan.piece.name, style(13, bold=True, after=2)))
        story.append(paragraph(f"{capital(frame_words(piece_plan.piece.frame, units))}.", style(10)))
        said = stand_words(piece_plan, dossier.stance(piece_plan), units)
        story += [paragraph(words, style(10)) for words in said]
        story.append(Spacer(1, 6))
    if dossier.plan.pieces:
        assumed = assumption_sentences(dossier.stance(dossier.plan.pieces[0]))
        story += [paragraph(words, style(9, colour=QUIET)) for words in assumed]
    if dossier.forecast and dossier.gust is not None:
        words = f"Weather: {dossier.forecast.source}, gusts {dossier.forecast.gust_mps:g} m/s."
        story.append(paragraph(words, style(9, colour=QUIET)))
    return [*story, *(paragraph(text, style(9, colour=QUIET)) for text in (*STAND, *cautions, ESTIMATE))]


def _build_sheet(piece: PiecePlan, dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    job = dossier.plan.job
    picture = Image(io.BytesIO(png_bytes(piece_image(piece, job, 420, 600))), 63 * mm, 90 * mm)
    facts = [paragraph(piece.piece.name, style(20, bold=True, after=6)), _facts(piece, dossier, units)]
    facts += [Spacer(1, 8), _legend([job.colour(k) for k in dict.fromkeys(piece.drawn_colours())])]
    top = Table([[picture, facts]], colWidths=[66 * mm, None])
    top.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
    return [
        top,
        Spacer(1, 8),
        *([_rows_table(piece, job, units), Spacer(1, 10)] if piece.piece.rows else []),
        *_parts(piece, dossier, units),
    ]


def _parts(piece: PiecePlan, dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    """The parts where they sit, in the order in which they are put on."""
    put_on = [step for step in steps_of_copy(dossier.steps, piece.piece.key, 0) if step.part is not None]
    if not put_on:
        return []
    return [
        paragraph("Dressing, in this order", style(11, bold=True, after=3)),
        step_table(put_on, Wording(dossier.plan.job, units)),
        Spacer(1, 10),
    ]


def _facts(piece: PiecePlan, dossier: Dossier, units: UnitSystem) -> Table:
    p = piece.piece
    wished = "with topper" if p.target_includes_topper else "without topper"
    lines = [
        ("Height", f"{format_length(piece.height_mm, units)} without topper"),
        ("Target", f"{format_length(piece.wished_height_mm, units)} {wished}"),
        ("Match with outline", f"{piece.match.mean:.0%}" if piece.match else "–"),
        ("Copies", str(len(p.copies))),
        ("Balloons used, each", str(_balloons_each(dossier, piece))),
        ("Different sizes", str(piece.distinct_sizes)),
        ("Packing", f"{p.tightness.value}, {p.joint.value}"),
        ("Seen from", p.seen_sides.value),
        ("Mechanics", mechanics_words(piece)),
    ]
    lines = [(name, said) for name, said in lines if said]
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


_DITTO = "as the row before"


def _rows_table(piece: PiecePlan, job: Job, units: UnitSystem) -> LongTable:
    heads = ["Row", "Count", "Nominal", "Sized to", "Knot at", "Colours from slot 1, anticlockwise", "How it is turned"]
    cells: list[list[Any]] = [[paragraph(h, style(9, bold=True)) for h in heads]]
    wording, marks = Wording(job, units), defaultdict[int, list[str]](list)
    for first, group, laid in strands_of(piece.piece, piece.assembly):
        for mark in marks_of(group, laid):
            marks[first + mark.row].append(mark_words(mark))
    before = ""
    for index, row in enumerate(piece.piece.rows):
        nominals = " / ".join(dict.fromkeys(format_nominal(s.nominal_in) for s in row.slots))
        sizes = " / ".join(dict.fromkeys(format_diameter(s.diameter_mm, units) for s in row.slots))
        if row.sizing is not None:
            sizes = sized_words(row.sizing, sizes, units)
        knot = format_length(float(piece.geometry.knots[index]), units)
        words = [str(index + 1), str(row.count), nominals, sizes, knot]
        colours = [job.colour(key) for key in piece.colouring[index]]
        how = short_relation(relation_of(piece, index), wording)
        # Rows turned like the one before are not told once more.
        said = [_DITTO if how and how == before else how, *map(capital, marks[index])]
        before = how
        turned = paragraph("; ".join(filter(None, said)), style(8))
        cells.append([*(paragraph(w, style(10)) for w in words), swatches(colours), turned])
    widest = max((row.count for row in piece.piece.rows), default=4) * SWATCH_W + 4
    table = LongTable(cells, colWidths=[11 * mm, 13 * mm, 17 * mm, 18 * mm, 20 * mm, widest, None], repeatRows=1)
    table.setStyle(GRID)
    return table
