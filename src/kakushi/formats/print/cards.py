"""Tying cards and the duplets to tie, for the printed dossier."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from reportlab.graphics.shapes import Circle, Drawing, PolyLine, String
from reportlab.lib import colors
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, KeepTogether, LongTable, Spacer, Table

from kakushi.colour.card import HIGH, WIDE, CardLine, Disc, Shape, Words, card_shapes
from kakushi.colour.rgb import is_dark
from kakushi.colour.tying import Card
from kakushi.formats.print.text import in_one_face, paragraph
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem, format_diameter, format_nominal
from kakushi.words.cards import card_name, card_steps, rows_words, sizes_words, title_words
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier

Style = Callable[..., ParagraphStyle]
_SHRUNK = 0.72
"""Scale of the drawing of a card, so that its words fit beside it."""


def card_pages(dossier: Dossier, piece: int, units: UnitSystem, style: Style, fonts: tuple[str, str]) -> list[Flowable]:
    """The tying cards of one piece."""
    plan = dossier.plan
    names, wording = {p.piece.key: p.piece.name for p in plan.pieces}, Wording(plan.job, units)
    cards = [
        (card_name(index), card)
        for index, card in enumerate(dossier.cards)
        if any(at.piece == piece for at in card.rows)
    ]
    if not cards:
        return []
    story: list[Flowable] = [Spacer(1, 12), paragraph("Tying cards", style(14, bold=True, after=4))]
    for name, card in cards:
        words = [paragraph(title_words(name, card), style(11, bold=True, after=2))]
        lines = [sizes_words(card.cluster.balloons, wording), *card_steps(card, wording), *rows_words(card, names)]
        words += [paragraph(line, style(9.5)) for line in lines]
        table = Table([[_drawing(card, plan.job, fonts), words]], colWidths=[WIDE * _SHRUNK + 6, None])
        table.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("BOX", (0, 0), (-1, -1), 0.6, colors.grey)])
        story.append(KeepTogether([table, Spacer(1, 6)]))
    return story


def _drawing(card: Card, job: Job, fonts: tuple[str, str]) -> Drawing:
    drawing = Drawing(WIDE * _SHRUNK, HIGH * _SHRUNK)
    for shape in card_shapes(card, job):
        for part in _parts(shape, fonts):
            drawing.add(part)
    drawing.scale(_SHRUNK, _SHRUNK)
    return drawing


def _parts(shape: Shape, fonts: tuple[str, str]) -> list[Any]:
    match shape:
        case Disc():
            fill = colors.HexColor(shape.hex) if shape.hex else colors.grey
            ink = colors.white if shape.hex is None or is_dark(shape.hex) else colors.black
            y = HIGH - shape.y
            disc = Circle(shape.x, y, shape.radius, fillColor=fill, strokeColor=colors.black, strokeWidth=0.8)
            return [disc, _string(shape.x, y - 3.5, shape.words, fonts[1], 10, ink)]
        case CardLine():
            flat = [value for x, y in shape.points for value in (x, HIGH - y)]
            dash = [4, 3] if shape.dashed else None
            width = 3.2 if shape.heavy else 1.6
            return [PolyLine(flat, strokeColor=colors.black, strokeWidth=width, strokeDashArray=dash)]
        case Words():
            bold = shape.is_number
            font, size = (fonts[1], 11) if bold else (fonts[0], 10)
            return [_string(shape.x, HIGH - shape.y - 3.5, shape.text, font, size, colors.black)]


def _string(x: float, y: float, text: str, font: str, size: float, ink: colors.Color) -> String:
    face, shown = in_one_face(text, font)
    return String(x, y, shown, textAnchor="middle", fontName=face, fontSize=size, fillColor=ink)


def tied_table(dossier: Dossier, units: UnitSystem, style: Style, grid: list[Any]) -> list[Flowable]:
    """What to inflate and tie for the whole job."""
    if not dossier.tied:
        return []
    heads = ["How many", "Colours", "Nominal", "Sized to", "For"]
    cells: list[list[Any]] = [[paragraph(h, style(9, bold=True)) for h in heads]]
    for kind in dossier.tied:
        listed = [dossier.plan.job.colour(balloon.colour) for balloon in kind.balloons]
        names = " + ".join(f"{colour.name} ({colour.code})" for colour in listed)
        nominals = " / ".join(dict.fromkeys(format_nominal(b.nominal_in) for b in kind.balloons))
        sizes = " / ".join(
            dict.fromkeys(format_diameter(b.diameter_mm, units) if b.diameter_mm else "–" for b in kind.balloons)
        )
        words = [str(kind.count), names, nominals, sizes, kind.part.value]
        cells.append([paragraph(w, style(10)) for w in words])
    table = LongTable(cells, colWidths=[22 * mm, None, 22 * mm, 28 * mm, 30 * mm], repeatRows=1)
    table.setStyle(grid)
    return [paragraph("To inflate and tie, all copies", style(13, bold=True, after=3)), table, Spacer(1, 10)]
