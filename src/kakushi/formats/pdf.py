"""The printed pack: a build sheet per piece and the supplies list. Readable in black and white."""

from __future__ import annotations

import io
from collections.abc import Sequence
from functools import lru_cache
from typing import Any
from xml.sax.saxutils import escape

from reportlab.graphics.shapes import Drawing, Rect, String
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    Image,
    LongTable,
    NextPageTemplate,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
    Table,
)

from kakushi.colour.lab import is_dark
from kakushi.formats.paths import data_path
from kakushi.formats.pdf_cards import card_pages, tied_table
from kakushi.formats.png import piece_image, png_bytes
from kakushi.model.catalogue import BalloonColour
from kakushi.model.cautions import ESTIMATE, GENERAL
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem, format_diameter, format_length, format_nominal
from kakushi.planning import PiecePlan, Plan
from kakushi.prep.supplies import SupplyLine, totals
from kakushi.prep_plan import spares_sentence

_MARGIN = 16 * mm
_INK, _QUIET, _LINE = colors.HexColor("#1f1d1a"), colors.HexColor("#5c574f"), colors.HexColor("#b9b2a6")
_SWATCH_W, _SWATCH_H = 25.0, 13.0


@lru_cache(maxsize=1)
def _fonts() -> tuple[str, str]:
    for name, file in (("Lato", "Lato-Regular.ttf"), ("Lato-Bold", "Lato-Bold.ttf")):
        pdfmetrics.registerFont(TTFont(name, str(data_path("fonts", file))))
    pdfmetrics.registerFontFamily("Lato", normal="Lato", bold="Lato-Bold", italic="Lato", boldItalic="Lato-Bold")
    return "Lato", "Lato-Bold"


def _style(size: float, bold: bool = False, colour: colors.Color = _INK, after: float = 0) -> ParagraphStyle:
    """A paragraph style; large bold text is a heading and stays with what follows."""
    name = _fonts()[1 if bold else 0]
    stays = bold and size > 12
    return ParagraphStyle(
        f"{name}{size}",
        fontName=name,
        fontSize=size,
        leading=size * 1.3,
        textColor=colour,
        spaceAfter=after,
        keepWithNext=stays,
    )


def pack_pdf(plan: Plan, units: UnitSystem = UnitSystem.METRIC, only: str | None = None) -> bytes:
    """PDF of build sheets and supplies; `only` names one piece (its sheet alone)."""
    _fonts()
    buffer = io.BytesIO()
    document = BaseDocTemplate(
        buffer, pagesize=A4, leftMargin=_MARGIN, rightMargin=_MARGIN, topMargin=24 * mm, bottomMargin=16 * mm,
        title=plan.job.brief.title, author="Kakushi",
    )  # fmt: skip
    pieces = [p for p in plan.pieces if only is None or p.piece.name == only]
    story: list[Flowable] = []
    templates = []
    for index, piece in enumerate(pieces):
        templates.append(_template(document, f"piece{index}", plan.job, piece.piece.name))
        story += [
            NextPageTemplate(f"piece{index}"),
            *([PageBreak()] if index else []),
            *_build_sheet(piece, plan.job, units),
            *card_pages(plan, piece.piece.key, units, _style, _fonts()),
        ]
    if only is None:
        tied = tied_table(plan, units, _style, _GRID)
        for key, heading, part in (("tying", "Tying", tied), ("supplies", "Supplies", _supplies(plan))):
            templates.append(_template(document, key, plan.job, heading))
            story += [NextPageTemplate(key), *([PageBreak()] if story and part else []), *part]
    document.addPageTemplates(templates)
    document.build(story or [Spacer(1, 1)], canvasmaker=_NumberedCanvas)
    return buffer.getvalue()


def _template(document: BaseDocTemplate, key: str, job: Job, heading: str) -> PageTemplate:
    frame = Frame(document.leftMargin, document.bottomMargin, document.width, document.height, 0, 0, 0, 0, id=key)

    def heads(canvas: Canvas, _: object) -> None:
        canvas.saveState()
        canvas.setFillColor(_QUIET)
        canvas.setFont(_fonts()[0], 9)
        top = A4[1] - 14 * mm
        canvas.drawString(_MARGIN, top, _short(job.brief.title, 60))
        canvas.drawRightString(A4[0] - _MARGIN, top, _short(heading, 50))
        canvas.setStrokeColor(_LINE)
        canvas.line(_MARGIN, top - 2 * mm, A4[0] - _MARGIN, top - 2 * mm)
        canvas.restoreState()

    return PageTemplate(id=key, frames=[frame], onPage=heads)


class _NumberedCanvas(Canvas):
    """Writes “page x of y”, which is known only at the end."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._pages: list[dict[str, Any]] = []

    def showPage(self) -> None:
        self._pages.append(dict(self.__dict__))
        self._startPage()

    def save(self) -> None:
        for number, page in enumerate(self._pages, 1):
            self.__dict__.update(page)
            self.setFont(_fonts()[0], 9)
            self.setFillColor(_QUIET)
            self.drawRightString(A4[0] - _MARGIN, 9 * mm, f"page {number} of {len(self._pages)}")
            super().showPage()
        super().save()


def _short(text: str, most: int) -> str:
    return text if len(text) <= most else f"{text[: most - 1]}…"


def _build_sheet(piece: PiecePlan, job: Job, units: UnitSystem) -> list[Flowable]:
    picture = Image(io.BytesIO(png_bytes(piece_image(piece, job, 420, 600))), 63 * mm, 90 * mm)
    facts = [Paragraph(escape(piece.piece.name), _style(20, bold=True, after=6)), _facts(piece, units)]
    facts += [Spacer(1, 8), _legend([job.colour(k) for k in dict.fromkeys(piece.drawn_colours())])]
    top = Table([[picture, facts]], colWidths=[66 * mm, None])
    top.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
    return [
        top, Spacer(1, 8), _rows_table(piece, job, units), Spacer(1, 10),
        *(Paragraph(escape(text), _style(8.5, colour=_QUIET)) for text in (ESTIMATE, *GENERAL)),
    ]  # fmt: skip


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
    ]
    if piece.overall_height_mm > piece.height_mm:
        lines.insert(1, ("With topper", format_length(piece.overall_height_mm, units)))
    cells = [[Paragraph(a, _style(10, colour=_QUIET)), Paragraph(escape(b), _style(10))] for a, b in lines]
    table = Table(cells, colWidths=[34 * mm, None])
    table.setStyle([("TOPPADDING", (0, 0), (-1, -1), 1), ("BOTTOMPADDING", (0, 0), (-1, -1), 1)])
    return table


def _legend(used: Sequence[BalloonColour]) -> Table:
    cells = [[_swatches([c]), Paragraph(escape(c.name), _style(10))] for c in used] or [["", ""]]
    table = Table(cells, colWidths=[12 * mm, None])
    table.setStyle(
        [
            ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
            ("TOPPADDING", (0, 0), (-1, -1), 1),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
        ]
    )
    return table


def _swatches(used: Sequence[BalloonColour]) -> Drawing:
    drawing = Drawing(_SWATCH_W * len(used), _SWATCH_H)
    for index, colour in enumerate(used):
        x = index * _SWATCH_W
        fill = colors.HexColor(colour.hex)
        drawing.add(Rect(x, 0, _SWATCH_W - 2, _SWATCH_H, fillColor=fill, strokeColor=_INK, strokeWidth=0.5))
        drawing.add(
            String(
                x + _SWATCH_W / 2 - 1, 3.4, colour.code, textAnchor="middle", fontName=_fonts()[1], fontSize=8.5,
                fillColor=colors.white if is_dark(colour.hex) else _INK,
            )
        )  # fmt: skip
    return drawing


def _rows_table(piece: PiecePlan, job: Job, units: UnitSystem) -> LongTable:
    heads = ["Row", "Count", "Nominal", "Sized to", "Knot at", "Colours from slot 1, anticlockwise", "How it is turned"]
    cells: list[list[Any]] = [[Paragraph(h, _style(9, bold=True)) for h in heads]]
    for index, row in enumerate(piece.piece.rows):
        nominals = " / ".join(dict.fromkeys(format_nominal(s.nominal_in) for s in row.slots))
        sizes = " / ".join(dict.fromkeys(format_diameter(s.diameter_mm, units) for s in row.slots))
        knot = format_length(float(piece.geometry.knots[index]), units)
        words = [str(index + 1), str(row.count), nominals, sizes, knot]
        colours = [job.colour(key) for key in piece.colouring[index]]
        turned = Paragraph(escape(piece.turned(index, job)), _style(8))
        cells.append([*(Paragraph(w, _style(10)) for w in words), _swatches(colours), turned])
    widest = max((row.count for row in piece.piece.rows), default=4) * _SWATCH_W + 4
    table = LongTable(cells, colWidths=[11 * mm, 13 * mm, 17 * mm, 18 * mm, 20 * mm, widest, None], repeatRows=1)
    table.setStyle(_GRID)
    return table


_GRID = [
    ("LINEBELOW", (0, 0), (-1, 0), 1, _INK),
    ("LINEBELOW", (0, 1), (-1, -1), 0.4, _LINE),
    ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
    ("TOPPADDING", (0, 0), (-1, -1), 2),
    ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
    ("LEFTPADDING", (0, 0), (-1, -1), 2),
]


def _supplies(plan: Plan) -> list[Flowable]:
    spares = spares_sentence(plan)
    story: list[Flowable] = [
        Paragraph("Supplies", _style(20, bold=True, after=2)),
        Paragraph(spares, _style(10, after=8)),
    ]
    story += [Paragraph("Whole job", _style(13, bold=True, after=3)), _supply_table(plan.supplies, plan.job)]
    for piece in plan.pieces:
        copies = len(piece.piece.copies)
        title = f"{piece.piece.name}: {copies} cop{'y' if copies == 1 else 'ies'}"
        story += [Spacer(1, 10), Paragraph(escape(title), _style(13, bold=True, after=3))]
        story.append(_supply_table(piece.supplies, plan.job))
    return story


def _supply_table(lines: Sequence[SupplyLine], job: Job) -> LongTable:
    heads = ["Nominal", "", "Colour", "Needed", "Spares", "Total"]
    cells: list[list[Any]] = [[Paragraph(h, _style(9, bold=True)) for h in heads]]
    for line in lines:
        colour = job.colour(line.colour)
        name = colour.name if colour.finish.value == "plain" else f"{colour.name}, {colour.finish.value}"
        numbers = [str(line.needed), str(line.spares), str(line.total)]
        cells.append(
            [Paragraph(format_nominal(line.nominal_in), _style(10)), _swatches([colour]),
             Paragraph(escape(name), _style(10)), *(Paragraph(n, _style(10)) for n in numbers)]
        )  # fmt: skip
    all_lines = totals(lines)
    sums = [str(number) for number in (all_lines.needed, all_lines.spares, all_lines.total)]
    cells.append(
        [
            "",
            "",
            Paragraph("Balloons in all", _style(10, bold=True)),
            *(Paragraph(s, _style(10, bold=True)) for s in sums),
        ]
    )
    table = LongTable(cells, colWidths=[20 * mm, 14 * mm, 70 * mm, 22 * mm, 22 * mm, 22 * mm], repeatRows=1)
    table.setStyle(_GRID)
    return table
