"""The printed dossier: a build sheet per piece and the supplies list. Readable in black and white."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, NamedTuple, assert_never

from reportlab.lib.units import mm
from reportlab.platypus import (
    Flowable,
    LongTable,
    Spacer,
    Table,
)
from reportlab.platypus.flowables import BalancedColumns

from kakushi.building.steps import steps_of_copy
from kakushi.formats.print.build_sheet import build_sheets
from kakushi.formats.print.cards import card_pages
from kakushi.formats.print.job_picture import job_picture
from kakushi.formats.print.lists import list_flowables
from kakushi.formats.print.quote import client_sheet, cost_pages, label_pages
from kakushi.formats.print.steps import days_of, helper_pages
from kakushi.formats.print.style import (
    GRID,
    QUIET,
    Chapter,
    Paper,
    brief_line,
    chapters_pdf,
    short,
    style,
)
from kakushi.formats.print.text import fonts, paragraph
from kakushi.model.cautions import ESTIMATE, GENERAL, STAND, cautions_of
from kakushi.model.memo import Cancelled, never, stop_if
from kakushi.model.units import UnitSystem, format_height
from kakushi.words.counts import balloons_words
from kakushi.words.lists import balloons_to_buy, lists_of, materials_to_buy
from kakushi.words.stand import assumption_sentences, frame_words, stand_words
from kakushi.words.wording import Wording, capital
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.offers import Offer

Document = Literal[
    "overview", "sheets", "days", "inflation", "supplies", "stand", "packing", "client", "cost", "labels", "helpers"
]
DOCUMENTS: Mapping[Document, str] = {
    "overview": "Overview", "sheets": "Build sheets", "days": "Days", "inflation": "Inflation sheet",
    "supplies": "Supplies", "stand": "Stand", "packing": "Packing list", "client": "For the client",
    "cost": "Cost sheet", "labels": "Labels for the bags", "helpers": "Lists for helpers",
}  # fmt: skip
"""What can be printed, in the order of the pages."""
PACK: frozenset[Document] = frozenset({"overview", "sheets", "days", "inflation", "supplies", "stand", "packing"})
"""What the build needs."""


class Wanted(NamedTuple):
    """What is printed: which documents, build sheets of which pieces (keys; None: all), on which paper.

    `people`: how many share the lists for helpers; None: as many as the job has.
    """

    documents: frozenset[Document] = PACK
    pieces: frozenset[int] | None = None
    paper: Paper = "A4"
    people: int | None = None


def one_document(document: Document, people: int | None = None) -> Wanted:
    """A single document, of all pieces."""
    return Wanted(frozenset({document}), people=people)


_EVERYTHING = Wanted()


def wanted_pdf(
    dossier: Dossier,
    units: UnitSystem = UnitSystem.METRIC,
    wanted: Wanted = _EVERYTHING,
    offers: Sequence[Offer] = (),
    cancelled: Cancelled = never,
) -> bytes:
    """PDF of what is wanted, in the order of `DOCUMENTS`; `offers`: sizes that the quote shows side by side.

    Raises `errors.Cancelled`.
    """
    fonts()
    chapters = []
    for document in DOCUMENTS:
        if document in wanted.documents:
            for chapter in _chapters(document, dossier, units, wanted, offers):
                stop_if(cancelled)
                chapters.append(chapter)
    stop_if(cancelled)
    return chapters_pdf(dossier.plan.job.brief.title, chapters, wanted.paper)


def _chapters(
    document: Document, dossier: Dossier, units: UnitSystem, wanted: Wanted, offers: Sequence[Offer]
) -> Iterator[Chapter]:
    match document:
        case "sheets":
            wording = Wording(dossier.plan.job, units)
            for piece in dossier.plan.pieces:
                if wanted.pieces is None or piece.piece.key in wanted.pieces:
                    cards = card_pages(dossier, piece.piece.key, units, style, fonts())
                    yield piece.piece.name, [*build_sheets(piece, dossier, wording), *cards]
        case "helpers":
            yield from helper_pages(dossier, wanted.people or dossier.plan.job.days.people, units)
        case "client":
            yield client_sheet(dossier, units, offers)
        case "cost":
            yield cost_pages(dossier, units)
        case "labels":
            yield label_pages(dossier)
        case _:
            yield DOCUMENTS[document], _own_pages(document, dossier, units)


def _own_pages(
    document: Literal["overview", "days", "inflation", "supplies", "stand", "packing"],
    dossier: Dossier,
    units: UnitSystem,
) -> list[Flowable]:
    """Pages of a document that is one chapter of the pack."""
    job, lists = dossier.plan.job, lists_of(dossier, units)
    match document:
        case "overview":
            return _cover(dossier, units) if job.pieces else []
        case "days":
            return list(days_of(dossier.plan, units))
        case "supplies":
            bought = (balloons_to_buy(dossier), materials_to_buy(dossier, Wording(job, units)), lists["cuts"])
            return [flowable for each in bought for flowable in (*list_flowables(each, job), Spacer(1, 10))]
        case "stand":
            return _stand(dossier, units)
        case "inflation" | "packing":
            return list_flowables(lists[document], job)
        case _:
            assert_never(document)


def _cover(dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    """All pieces to one scale on one floor, the brief, the cautions."""
    plan, brief = dossier.plan, dossier.plan.job.brief
    story: list[Flowable] = [
        paragraph(brief.title, style(26, bold=True, after=4)),
        paragraph(brief_line(brief), style(11, colour=QUIET, after=10)),
        job_picture(plan, 170 * mm, 105 * mm),
        Spacer(1, 10),
    ]
    cells = [[paragraph(h, style(9, bold=True)) for h in ("Piece", "Copies", "Height, all in", "Balloons, each")]]
    for piece_plan in plan.pieces:
        words = (
            piece_plan.piece.name,
            str(len(piece_plan.piece.copies)),
            format_height(piece_plan.overall_height_mm, units),
            balloons_words(steps_of_copy(dossier.steps, piece_plan.piece.key, 0)),
        )
        cells.append([paragraph(w, style(10)) for w in words])
    table = LongTable(cells, colWidths=[55 * mm, 18 * mm, 28 * mm, None], repeatRows=1)
    table.setStyle(GRID)
    story += [table, Spacer(1, 10)]
    if brief.notes:
        story.append(paragraph(short(brief.notes, 1500), style(10, after=8)))
    return [*story, *(paragraph(text, style(9, colour=QUIET)) for text in GENERAL)]


_HALF = 86 * mm
"""Width of one of two columns."""
_NO_PADDING = [(f"{side}PADDING", (0, 0), (-1, -1), 0) for side in ("LEFT", "RIGHT", "TOP", "BOTTOM")]


def _stand(dossier: Dossier, units: UnitSystem) -> list[Flowable]:
    """Frames, how they stand, what that rests on."""
    cautions = cautions_of(part for piece in dossier.plan.pieces for part in piece.piece.parts)
    story: list[Flowable] = [paragraph("Stand", style(20, bold=True, after=4))]
    pieces: list[Flowable] = []
    for piece_plan in dossier.plan.pieces:
        said = [f"{capital(frame_words(piece_plan.piece.frame, units))}."]
        said += stand_words(piece_plan, dossier.stance(piece_plan), units)
        name = paragraph(piece_plan.piece.name, style(10.5, bold=True, after=1))
        # In one cell: no name stands alone at the foot of a column.
        together = Table([[[name, *(paragraph(words, style(8.5)) for words in said)]]], colWidths=[_HALF])
        together.setStyle(_NO_PADDING)
        pieces += [together, Spacer(1, 4)]
    if pieces:
        story.append(BalancedColumns(pieces, nCols=2, innerPadding=8))
    if dossier.plan.pieces:
        assumed = assumption_sentences(dossier.stance(dossier.plan.pieces[0]))
        story += [paragraph(words, style(7.9, colour=QUIET)) for words in assumed]
    if dossier.forecast and dossier.gust is not None:
        words = f"Weather: {dossier.forecast.source}, gusts {dossier.forecast.gust_mps:g} m/s."
        story.append(paragraph(words, style(7.9, colour=QUIET)))
    return [*story, *(paragraph(text, style(7.9, colour=QUIET)) for text in (*STAND, *cautions, ESTIMATE))]
