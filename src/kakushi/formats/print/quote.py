"""A quote for the client with the picture, labels for the bags, and the cost sheet for the studio."""

from __future__ import annotations

from reportlab.lib import colors
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, LongTable, Spacer, Table

from kakushi.formats.print.job_picture import job_picture
from kakushi.formats.print.lists import list_flowables
from kakushi.formats.print.style import GRID, LINE, QUIET, Chapter, brief_line, chapters_pdf, short, style
from kakushi.formats.print.text import fonts, paragraph
from kakushi.model.cautions import GENERAL
from kakushi.model.units import UnitSystem
from kakushi.words.client import CARE, included_words, piece_told
from kakushi.words.lists import lists_of, packed_bags
from kakushi.words.wording import capital
from kakushi.workshop.dossier import Dossier

_LABELS_ACROSS, _LABEL_HIGH = 2, 38 * mm
"""Labels side by side, and the height of one."""


def quote_pdf(dossier: Dossier, units: UnitSystem = UnitSystem.METRIC) -> bytes:
    """A sheet for the client: the scene, the pieces in words, the price; no costs."""
    return chapters_pdf(dossier.plan.job.brief.title, [client_sheet(dossier, units)])


def client_sheet(dossier: Dossier, units: UnitSystem) -> Chapter:
    """The sheet for the client."""
    fonts()
    plan, brief, cost = dossier.plan, dossier.plan.job.brief, dossier.cost
    job, currency = plan.job, plan.job.pricing.currency
    mark = Table([[paragraph("Your name and mark", style(8, colour=LINE))]], colWidths=[58 * mm], rowHeights=[20 * mm])
    mark.setStyle([("BOX", (0, 0), (-1, -1), 0.5, LINE), ("VALIGN", (0, 0), (-1, -1), "MIDDLE")])
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
    balloons = sum(line.needed for line in dossier.supplies.whole)
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
        Spacer(1, 8),
        pieces,
        Spacer(1, 8),
        paragraph("What is included", style(10.5, bold=True, after=1)),
        paragraph(f"{capital(included)}.", style(9.5)),
        Spacer(1, 8),
        price,
        Spacer(1, 8),
        paragraph("Looking after it", style(10.5, bold=True, after=1)),
        *(paragraph(text, style(8.5)) for text in CARE),
        Spacer(1, 4),
        *(paragraph(text, style(8, colour=QUIET)) for text in GENERAL),
    ]
    return "For the client", story


def _money(value: float, currency: str, bold: bool = False) -> Flowable:
    shown = style(13 if bold else 10.5, bold=bold)
    return paragraph(f"{value:.2f} {currency}".strip(), shown)


def cost_pdf(dossier: Dossier, units: UnitSystem = UnitSystem.METRIC) -> bytes:
    """The cost sheet with what it rests on, for the studio."""
    return chapters_pdf(dossier.plan.job.brief.title, [cost_pages(dossier, units)])


def cost_pages(dossier: Dossier, units: UnitSystem) -> Chapter:
    """The cost sheet."""
    fonts()
    job, lists = dossier.plan.job, lists_of(dossier, units)
    price = f"Price: {dossier.cost.price:.2f} {job.pricing.currency}".strip()
    story = [*list_flowables(lists["cost"], job), paragraph(price, style(13, bold=True, after=8))]
    for key in ("buying", "materials"):
        story += [Spacer(1, 10), *list_flowables(lists[key], job)]
    return "Cost sheet", story


def labels_pdf(dossier: Dossier) -> bytes:
    """Labels for the bags of the transport, two across, to cut out."""
    return chapters_pdf(dossier.plan.job.brief.title, [label_pages(dossier)])


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
