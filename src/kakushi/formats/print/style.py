"""What all prints share: type, colours, grids, page heads with job and chapter, page numbers."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any, Literal

from reportlab import rl_config
from reportlab.graphics.shapes import Drawing, Rect, String
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import BaseDocTemplate, Flowable, Frame, NextPageTemplate, PageBreak, PageTemplate, Spacer

from kakushi.colour.rgb import is_dark
from kakushi.formats.print.text import draw_line, fonts, in_one_face, width_of
from kakushi.model.catalogue import BalloonColour
from kakushi.model.job import Brief

# Bytes as they are: written as text they are a quarter longer, and pictures take seconds.
rl_config.useA85 = 0

MARGIN = 16 * mm
"""Margin of printed pages: what usual printers reach, and a hole punch."""
WIDE = A4[0] - 2 * MARGIN
"""Width of what is printed, points: that of A4 less its margins, on wider paper too."""
INK, QUIET, LINE = colors.HexColor("#1f1d1a"), colors.HexColor("#5c574f"), colors.HexColor("#b9b2a6")
SWATCH_W, _SWATCH_H = 25.0, 13.0
"""Size of a colour swatch, points."""


def style(size: float, bold: bool = False, colour: colors.Color = INK, after: float = 0) -> ParagraphStyle:
    """A paragraph style; large bold text is a heading and stays with what follows."""
    name = fonts()[1 if bold else 0]
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


Chapter = tuple[str, Sequence[Flowable]]
"""What the head of its pages says, and what is on them."""


Paper = Literal["A4", "letter"]
PAPERS = {"A4": A4, "letter": LETTER}
"""Sizes of paper, points."""


def chapters_pdf(title: str, chapters: Sequence[Chapter], paper: Paper = "A4") -> bytes:
    """A PDF of chapters, each beginning a page; empty ones are left out."""
    fonts()
    buffer = io.BytesIO()
    document = BaseDocTemplate(
        buffer,
        pagesize=PAPERS[paper],
        # As wide on all paper.
        leftMargin=(PAPERS[paper][0] - WIDE) / 2,
        rightMargin=(PAPERS[paper][0] - WIDE) / 2,
        topMargin=24 * mm,
        bottomMargin=16 * mm,
        title=title,
        author="Kakushi",
    )
    story: list[Flowable] = []
    templates = []
    for index, (heading, content) in enumerate(chapters):
        if not content:
            continue
        templates.append(_template(document, f"chapter{index}", title, heading))
        story += [NextPageTemplate(f"chapter{index}"), *([PageBreak()] if story else []), *content]
    document.addPageTemplates(templates or [_template(document, "empty", title, "")])
    document.build(story or [Spacer(1, 1)], canvasmaker=_NumberedCanvas)
    return buffer.getvalue()


def _template(document: BaseDocTemplate, key: str, title: str, heading: str) -> PageTemplate:
    frame = Frame(document.leftMargin, document.bottomMargin, document.width, document.height, 0, 0, 0, 0, id=key)

    def heads(canvas: Canvas, _: object) -> None:
        canvas.saveState()
        canvas.setFillColor(QUIET)
        top, left = document.pagesize[1] - 14 * mm, document.leftMargin
        draw_line(canvas, left, top, short(title, 60), 9)
        chapter = short(heading, 50)
        draw_line(canvas, left + WIDE - width_of(chapter, 9), top, chapter, 9)
        canvas.setStrokeColor(LINE)
        canvas.line(left, top - 2 * mm, left + WIDE, top - 2 * mm)
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
            self.setFont(fonts()[0], 9)
            self.setFillColor(QUIET)
            self.drawRightString((self._pagesize[0] + WIDE) / 2, 9 * mm, f"page {number} of {len(self._pages)}")
            super().showPage()
        super().save()


def brief_line(brief: Brief) -> str:
    """Event, date, place and handover in one line."""
    day = brief.event_date.strftime("%-d %B %Y") if brief.event_date else ""
    return " · ".join(told for told in (brief.event, day, brief.place, brief.handover) if told)


def short(text: str, most: int) -> str:
    """Shorten text to a number of characters."""
    return text if len(text) <= most else f"{text[: most - 1]}…"


def swatches(used: Sequence[BalloonColour]) -> Drawing:
    """Chips with letter codes, side by side."""
    drawing = Drawing(SWATCH_W * len(used), _SWATCH_H)
    for index, colour in enumerate(used):
        x = index * SWATCH_W
        fill, (face, code) = colors.HexColor(colour.hex), in_one_face(colour.code, fonts()[1])
        drawing.add(Rect(x, 0, SWATCH_W - 2, _SWATCH_H, fillColor=fill, strokeColor=INK, strokeWidth=0.5))
        drawing.add(
            String(
                x + SWATCH_W / 2 - 1,
                3.4,
                code,
                textAnchor="middle",
                fontName=face,
                fontSize=8.5,
                fillColor=colors.white if is_dark(colour.hex) else INK,
            )
        )
    return drawing


def named_swatch(colour: BalloonColour, name: str) -> Drawing:
    """A chip with its letters, and the colour's name beside it on the same line."""
    drawing = swatches([colour])
    face, words = in_one_face(name)
    drawing.width += stringWidth(words, face, 8.2) + 4
    drawing.add(String(SWATCH_W + 2, 3.6, words, fontName=face, fontSize=8.2, fillColor=INK))
    return drawing


BOX = "☐"
"""To be ticked."""
GRID = [
    ("LINEBELOW", (0, 0), (-1, 0), 1, INK),
    ("LINEBELOW", (0, 1), (-1, -1), 0.4, LINE),
    ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
    ("TOPPADDING", (0, 0), (-1, -1), 2),
    ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
    ("LEFTPADDING", (0, 0), (-1, -1), 2),
]
