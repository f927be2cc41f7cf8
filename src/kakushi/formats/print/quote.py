"""A quote for the client with the picture, labels for the bags, and the cost sheet for the studio."""

from __future__ import annotations

from reportlab.lib import colors
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, LongTable, Spacer, Table

from kakushi.formats.print.lists import list_flowables
from kakushi.formats.print.pack import job_picture
from kakushi.formats.print.style import GRID, QUIET, brief_line, chapters_pdf, short, style
from kakushi.formats.print.text import fonts, paragraph
from kakushi.model.cautions import GENERAL
from kakushi.model.units import UnitSystem, format_length
from kakushi.words.lists import lists_of, packed_bags
from kakushi.workshop.dossier import Dossier

_LABELS_ACROSS, _LABEL_HIGH = 2, 38 * mm
"""Labels side by side, and the height of one."""


def quote_pdf(dossier: Dossier, units: UnitSystem = UnitSystem.METRIC) -> bytes:
    """A quote for the client: pieces, price and tax, cautions; no costs."""
    fonts()
    plan, brief, cost = dossier.plan, dossier.plan.job.brief, dossier.cost
    currency = plan.job.pricing.currency
    cells = [[paragraph(h, style(9, bold=True)) for h in ("Piece", "Pieces", "Height")]]
    for piece_plan in plan.pieces:
        topper = piece_plan.overall_height_mm > piece_plan.height_mm
        height = format_length(piece_plan.overall_height_mm, units) + (" with topper" if topper else "")
        words = (piece_plan.piece.name, str(len(piece_plan.piece.copies)), height)
        cells.append([paragraph(w, style(10.5)) for w in words])
    pieces = LongTable(cells, colWidths=[100 * mm, 25 * mm, None], repeatRows=1)
    pieces.setStyle(GRID)
    lines = [("Balloon work", cost.net - cost.delivery), ("Delivery", cost.delivery)]
    lines = [line for line in lines if line[1] or line[0] == "Balloon work"]
    if cost.tax:
        lines.append((f"Tax, {plan.job.pricing.tax_percent:g} %", cost.tax))
    sums = [[paragraph(a, style(10.5)), _money(b, currency)] for a, b in lines]
    sums.append([paragraph("Price", style(13, bold=True)), _money(cost.price, currency, bold=True)])
    price = Table(sums, colWidths=[125 * mm, None])
    price.setStyle(GRID)
    story: list[Flowable] = [
        paragraph("Quote", style(26, bold=True, after=2)),
        paragraph(brief.title, style(15, bold=True, after=2)),
        paragraph(brief_line(brief), style(11, colour=QUIET, after=10)),
        job_picture(plan, 170 * mm, 100 * mm),
        Spacer(1, 12),
        pieces,
        Spacer(1, 12),
        price,
        Spacer(1, 12),
        *(paragraph(text, style(9, colour=QUIET)) for text in GENERAL),
    ]
    return chapters_pdf(brief.title, [("Quote", story)])


def _money(value: float, currency: str, bold: bool = False) -> Flowable:
    shown = style(13 if bold else 10.5, bold=bold)
    return paragraph(f"{value:.2f} {currency}".strip(), shown)


def cost_pdf(dossier: Dossier, units: UnitSystem = UnitSystem.METRIC) -> bytes:
    """The cost sheet with what it rests on, for the studio."""
    fonts()
    job, lists = dossier.plan.job, lists_of(dossier, units)
    price = f"Price: {dossier.cost.price:.2f} {job.pricing.currency}".strip()
    story = [*list_flowables(lists["cost"], job), paragraph(price, style(13, bold=True, after=8))]
    for key in ("buying", "materials"):
        story += [Spacer(1, 10), *list_flowables(lists[key], job)]
    return chapters_pdf(job.brief.title, [("Cost sheet", story)])


def labels_pdf(dossier: Dossier) -> bytes:
    """Labels for the bags of the transport, two across, to cut out."""
    fonts()
    labels = [_label(*bag, dossier.plan.job.brief.title) for bag in packed_bags(dossier)]
    labels += [[] for _ in range(-len(labels) % _LABELS_ACROSS)]
    rows = [labels[i : i + _LABELS_ACROSS] for i in range(0, len(labels), _LABELS_ACROSS)]
    story: list[Flowable] = []
    if rows:
        table = LongTable(rows, colWidths=[88 * mm] * _LABELS_ACROSS, rowHeights=[_LABEL_HIGH] * len(rows))
        table.setStyle([("GRID", (0, 0), (-1, -1), 0.5, colors.grey), ("VALIGN", (0, 0), (-1, -1), "TOP")])
        story = [table]
    return chapters_pdf(dossier.plan.job.brief.title, [("Labels", story)])


def _label(name: str, contents: tuple[str, ...], job: str) -> list[Flowable]:
    content = short("; ".join(contents), 150)
    return [
        paragraph(short(name, 40), style(12, bold=True, after=2)),
        paragraph(content, style(8.5)),
        paragraph(short(job, 60), style(8, colour=QUIET)),
    ]
