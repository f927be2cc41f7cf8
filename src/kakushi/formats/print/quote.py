"""A quote for the client with the picture, labels for the bags, and the cost sheet for the studio."""

from __future__ import annotations

import io
from collections.abc import Sequence

from reportlab.lib import colors
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Image, KeepTogether, LongTable, Spacer, Table

from kakushi.formats.export.png import png_bytes
from kakushi.formats.print.job_picture import job_picture
from kakushi.formats.print.lists import list_flowables
from kakushi.formats.print.scene import scenes_to_one_scale
from kakushi.formats.print.style import GRID, QUIET, Chapter, brief_line, short, style
from kakushi.formats.print.text import fonts, paragraph
from kakushi.model.cautions import GENERAL
from kakushi.model.units import UnitSystem
from kakushi.words.client import CARE, included_words, piece_told
from kakushi.words.lists import lists_of, packed_bags
from kakushi.words.transport import offer_heights
from kakushi.words.wording import capital
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.ledger import balloon_count
from kakushi.workshop.offers import Offer

_LABELS_ACROSS, _LABEL_HIGH = 2, 38 * mm
"""Labels side by side, and the height of one."""
_APART = 5
"""Space between the parts of the sheet, pt: that of a job of a dozen pieces is one page."""
_DOTS = 200 / 72
"""Pixels over a point: 200 dpi."""


def client_sheet(dossier: Dossier, units: UnitSystem, offers: Sequence[Offer] = ()) -> Chapter:
    """The sheet for the client."""
    fonts()
    plan, brief, cost = dossier.plan, dossier.plan.job.brief, dossier.cost
    job, currency = plan.job, plan.job.pricing.currency
    sign = dossier.plan.studio.sign
    # Where the studio has no name yet there is room for a stamp or a card.
    mark = [paragraph(sign.name, style(13, bold=True, after=1)), paragraph(sign.contact, style(9, colour=QUIET))]
    title = [paragraph(brief.title, style(26, bold=True, after=2)),
             paragraph(brief_line(brief), style(11, colour=QUIET))]  # fmt: skip
    head = Table([[title, mark]], colWidths=[118 * mm, 60 * mm])
    head.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
    cells = []
    for piece_plan in plan.pieces:
        if piece_plan.balloon_count:
            many = len(piece_plan.piece.copies)
            name = f"{many} × {piece_plan.piece.name}" if many > 1 else piece_plan.piece.name
            told = paragraph(piece_told(piece_plan, job, units), style(9.5))
            cells.append([paragraph(name, style(10.5, bold=True)), told])
    pieces = LongTable(cells or [["", ""]], colWidths=[48 * mm, None])
    pieces.setStyle(GRID)
    balloons = balloon_count(dossier.steps)
    included = "; ".join(included_words(job, cost, balloons))
    lines = [("Balloon work", cost.net - cost.delivery), ("Delivery", cost.delivery)]
    lines = [line for line in lines if line[1] or line[0] == "Balloon work"]
    if cost.tax:
        lines.append((f"Tax, {job.pricing.tax_percent:g} %", cost.tax))
    sums = [[paragraph(a, style(10)), _money(b, currency)] for a, b in lines]
    sums.append([paragraph("Price", style(14, bold=True)), _money(cost.price, currency, bold=True)])
    price = Table(sums, colWidths=[125 * mm, None])
    price.setStyle(GRID)
    story: list[Flowable] = [
        head,
        Spacer(1, 6),
        job_picture(plan, 178 * mm, 92 * mm),
        Spacer(1, _APART),
        pieces,
        Spacer(1, _APART),
        paragraph("What is included", style(10.5, bold=True, after=1)),
        paragraph(f"{capital(included)}.", style(9.5)),
        Spacer(1, _APART),
        price,
        *_in_sizes(offers, units, currency),
        Spacer(1, _APART),
        KeepTogether(
            [
                paragraph("Looking after it", style(10.5, bold=True, after=1)),
                *(paragraph(text, style(8.5)) for text in CARE),
                Spacer(1, 4),
                *(paragraph(text, style(8, colour=QUIET)) for text in GENERAL),
            ]
        ),
    ]
    return "For the client", story


def _in_sizes(offers: Sequence[Offer], units: UnitSystem, currency: str) -> list[Flowable]:
    """The job in several sizes, side by side to one scale, each with its height and price."""
    if not offers:
        return []
    wide, tall = 178 * mm / len(offers), 34 * mm
    pictures = scenes_to_one_scale([offer.plan for offer in offers], round(wide * _DOTS), round(tall * _DOTS))
    shown = [
        Image(io.BytesIO(png_bytes(picture)), wide - 6, (wide - 6) * picture.height / picture.width)
        for picture in pictures
    ]
    said = [
        [
            paragraph(capital(offer.name), style(10.5, bold=True, after=1)),
            paragraph(offer_heights(offer, units), style(9.5)),
            _money(offer.price, currency),
        ]
        for offer in offers
    ]
    table = Table([shown, said], colWidths=[wide] * len(offers))
    table.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 3)])
    head = paragraph("The same in other sizes", style(10.5, bold=True, after=1))
    return [Spacer(1, _APART), KeepTogether([head, table])]


def _money(value: float, currency: str, bold: bool = False) -> Flowable:
    shown = style(13 if bold else 10.5, bold=bold)
    return paragraph(f"{value:.2f} {currency}".strip(), shown)


def cost_pages(dossier: Dossier, units: UnitSystem) -> Chapter:
    """The cost sheet."""
    fonts()
    job, lists = dossier.plan.job, lists_of(dossier, units)
    price = f"Price: {dossier.cost.price:.2f} {job.pricing.currency}".strip()
    story = [*list_flowables(lists["cost"], job), paragraph(price, style(13, bold=True, after=8))]
    for key in ("buying", "materials"):
        story += [Spacer(1, 10), *list_flowables(lists[key], job)]
    return "Cost sheet", story


def label_pages(dossier: Dossier) -> Chapter:
    """The labels."""
    fonts()
    labels = [_label(*bag, dossier.plan.job.brief.title) for bag in packed_bags(dossier)]
    labels += [[] for _ in range(-len(labels) % _LABELS_ACROSS)]
    rows = [labels[i : i + _LABELS_ACROSS] for i in range(0, len(labels), _LABELS_ACROSS)]
    story: list[Flowable] = []
    if rows:
        table = LongTable(rows, colWidths=[88 * mm] * _LABELS_ACROSS, rowHeights=[_LABEL_HIGH] * len(rows))
        table.setStyle([("GRID", (0, 0), (-1, -1), 0.5, colors.grey), ("VALIGN", (0, 0), (-1, -1), "TOP")])
        story = [table]
    return "Labels", story


def _label(name: str, contents: tuple[str, ...], job: str) -> list[Flowable]:
    content = short("; ".join(contents), 150)
    return [
        paragraph(short(name, 40), style(12, bold=True, after=2)),
        paragraph(content, style(8.5)),
        paragraph(short(job, 60), style(8, colour=QUIET)),
    ]
