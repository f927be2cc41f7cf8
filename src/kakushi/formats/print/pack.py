"""The printed dossier: a build sheet per piece and the supplies list. Readable in black and white."""

from __future__ import annotations

import io

from reportlab.lib.units import mm
from reportlab.platypus import (
    Flowable,
    Image,
    LongTable,
    Spacer,
)
from reportlab.platypus.flowables import BalancedColumns

from kakushi.building.steps import steps_of_copy
from kakushi.formats.export.png import png_bytes
from kakushi.formats.print.build_sheet import build_sheets
from kakushi.formats.print.cards import card_pages
from kakushi.formats.print.lists import list_flowables
from kakushi.formats.print.scene import scene_on_paper
from kakushi.formats.print.steps import days_of
from kakushi.formats.print.style import (
    GRID,
    QUIET,
    Chapter,
    brief_line,
    chapters_pdf,
    short,
    style,
)
from kakushi.formats.print.text import fonts, paragraph
from kakushi.model.cautions import ESTIMATE, GENERAL, STAND, cautions_of
from kakushi.model.units import UnitSystem, format_length
from kakushi.plan.values import PiecePlan, Plan
from kakushi.words.lists import balloons_to_buy, lists_of, materials_to_buy
from kakushi.words.stand import assumption_sentences, frame_words, stand_words
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
            sheet = [
                *build_sheets(piece, dossier, Wording(plan.job, units)),
                *card_pages(dossier, piece.piece.key, units, style, fonts()),
            ]
            chapters.append((piece.piece.name, sheet))
    if only is None:
        lists, job = lists_of(dossier, units), plan.job
        bought = (balloons_to_buy(dossier), materials_to_buy(dossier, Wording(job, units)), lists["cuts"])
        supplies = [flowable for each in bought for flowable in (*list_flowables(each, job), Spacer(1, 10))]
        chapters += [
            ("Days", list(days_of(plan, units))),
            ("Inflation sheet", list_flowables(lists["inflation"], job)),
            ("Supplies", supplies),
            ("Stand", _stand(dossier, units)),
            ("Packing list", list_flowables(lists["packing"], job)),
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
    pieces: list[Flowable] = []
    for piece_plan in dossier.plan.pieces:
        said = [f"{capital(frame_words(piece_plan.piece.frame, units))}."]
        said += stand_words(piece_plan, dossier.stance(piece_plan), units)
        pieces.append(paragraph(piece_plan.piece.name, style(10.5, bold=True, after=1)))
        pieces += [*(paragraph(words, style(8.8)) for words in said), Spacer(1, 5)]
    if pieces:
        story.append(BalancedColumns(pieces, nCols=2, innerPadding=8))
    if dossier.plan.pieces:
        assumed = assumption_sentences(dossier.stance(dossier.plan.pieces[0]))
        story += [paragraph(words, style(9, colour=QUIET)) for words in assumed]
    if dossier.forecast and dossier.gust is not None:
        words = f"Weather: {dossier.forecast.source}, gusts {dossier.forecast.gust_mps:g} m/s."
        story.append(paragraph(words, style(9, colour=QUIET)))
    return [*story, *(paragraph(text, style(9, colour=QUIET)) for text in (*STAND, *cautions, ESTIMATE))]
