"""Tying cards and the duplets to tie, for the printed dossier."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from reportlab.graphics.shapes import Circle, Drawing, PolyLine, String
from reportlab.lib import colors
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import Flowable, KeepTogether, Spacer, Table

from kakushi.colour.card import HIGH, WIDE, CardLine, Disc, Shape, Words, card_shapes
from kakushi.colour.rgb import is_dark
from kakushi.colour.tying import Card
from kakushi.formats.print.text import in_one_face, paragraph
from kakushi.model.job import Job
from kakushi.model.units import UnitSystem
from kakushi.words.cards import card_name, card_steps, common_steps, rows_words, sizes_words, title_words
from kakushi.words.wording import Wording, capital
from kakushi.workshop.dossier import Dossier

Style = Callable[..., ParagraphStyle]
_CARD_WIDE = {3: 158.0, 4: 117.0}
"""Width of a card's drawing, points, where so many lie across a page."""


def card_pages(dossier: Dossier, piece: int, units: UnitSystem, style: Style, fonts: tuple[str, str]) -> list[Flowable]:
    """Tying cards of one piece, three across: clusters that differ only in size share one, plain ones need none."""
    plan = dossier.plan
    names, wording = {p.piece.key: p.piece.name for p in plan.pieces}, Wording(plan.job, units)
    named = [
        (card_name(index), card)
        for index, card in enumerate(dossier.cards)
        if any(at.piece == piece for at in card.rows)
    ]
    if not has_drawn_cards(dossier, piece):
        return []
    shared: dict[object, list[tuple[str, Card]]] = {}
    for name, card in named:
        if not _is_plain(card):
            shared.setdefault(_look(card), []).append((name, card))
    story: list[Flowable] = [Spacer(1, 8)]
    heading: list[Flowable] = [paragraph("Tying cards", style(14, bold=True, after=4))]
    common = common_steps([cards[0][1] for cards in shared.values()], wording)
    if common:
        heading.append(paragraph(f"For every card: {' '.join(common)}", style(8.8, after=3)))
    across = _across(len(shared))
    wide = _CARD_WIDE[across]
    own = names[piece]
    drawn = [_card(alike, plan.job, wording, names, own, style, fonts, wide, common) for alike in shared.values()]
    for first in range(0, len(drawn), across):
        several = drawn[first : first + across]
        if len(several) == 1:
            # By itself its words stand beside it, and take less of the page.
            cells: list[Any] = [several[0][:1], several[0][1:]]
            widths: list[float | None] = [wide + 8, None]
        else:
            cells, widths = [*several], [wide + 8] * len(several)
        table = Table([cells], colWidths=widths, hAlign="LEFT")
        table.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 2),
                        ("BOX", (0, 0), (-1, -1), 0.6, colors.grey)])  # fmt: skip
        story.append(KeepTogether([*heading, table, Spacer(1, 6)]))
        heading = []
    return story


def has_drawn_cards(dossier: Dossier, piece: int) -> bool:
    """Whether any cluster of a piece needs a drawing: of balloons that are all alike its row says everything."""
    return any(not _is_plain(card) and any(at.piece == piece for at in card.rows) for card in dossier.cards)


def _across(count: int) -> int:
    """How many cards lie beside each other: four where three would leave one by itself."""
    return 4 if count > 3 and (count % 4 == 0 or count % 3 == 1) else 3


def _is_plain(card: Card) -> bool:
    """Whether all balloons of a cluster are alike: then there is nothing to get wrong, and nothing to draw."""
    return len({(b.colour, b.nominal_in, b.diameter_mm) for b in card.cluster.balloons}) == 1


def _look(card: Card) -> object:
    """What clusters of one look share: colours in their places, how they are tied, which balloons are large."""
    sizes = [balloon.diameter_mm for balloon in card.cluster.balloons]
    larger = tuple(size > min(sizes) for size in sizes)
    return tuple(balloon.colour for balloon in card.cluster.balloons), card.tying, larger


def _card(
    cards: list[tuple[str, Card]],
    job: Job,
    wording: Wording,
    names: dict[int, str],
    own: str,
    style: Style,
    fonts: tuple[str, str],
    wide: float,
    common: Sequence[str],
) -> list[Flowable]:
    """One drawing with the sizes and rows of all cards that look like it."""
    first = cards[0][1]
    story: list[Flowable] = [_drawing(first, job, fonts, wide / WIDE)]
    for name, card in cards:
        sizes = sizes_words(card.cluster.balloons, wording)
        # On a sheet of its own the piece is not named again.
        rows = [line.removeprefix(f"{own}, ") for line in rows_words(card, names)]
        story.append(paragraph(f"{title_words(name, card)}: {sizes}", style(8.8, bold=True)))
        story.append(paragraph(" ".join(map(capital, rows)), style(8.5)))
    own_steps = [sentence for sentence in card_steps(first, wording) if sentence not in common]
    return [*story, paragraph(" ".join(own_steps), style(8.5))]


def _drawing(card: Card, job: Job, fonts: tuple[str, str], scale: float) -> Drawing:
    drawing = Drawing(WIDE * scale, HIGH * scale)
    for shape in card_shapes(card, job):
        for part in _parts(shape, fonts):
            drawing.add(part)
    drawing.scale(scale, scale)
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
