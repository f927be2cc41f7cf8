"""The build sheet of a piece: picture and rows at their true height, the other steps beside, how rows go on below."""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import numpy as np
from reportlab.lib import colors
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.platypus import CondPageBreak, Flowable, Image, Paragraph, Spacer
from reportlab.platypus.flowables import BalancedColumns

from kakushi.building.bent_loads import is_bent
from kakushi.building.step import LayingRow, Looking, Step, StepKind
from kakushi.building.steps import steps_of_copy
from kakushi.colour.rgb import is_dark
from kakushi.formats.export.png import pictured, piece_image, png_bytes
from kakushi.formats.print.cards import has_drawn_cards
from kakushi.formats.print.steps import step_lines
from kakushi.formats.print.style import INK, LINE, QUIET, style
from kakushi.formats.print.text import draw_line, fonts, in_one_face, paragraph, width_of
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import BalloonColour
from kakushi.model.job import Job
from kakushi.model.units import format_length, format_nominal
from kakushi.model.used import Used
from kakushi.picture.scene import portrait_view
from kakushi.plan.facts import PoleTooShort
from kakushi.plan.values import PiecePlan
from kakushi.words.counts import balloons_words, height_words
from kakushi.words.plan import mechanics_words, note_words
from kakushi.words.rows import Said
from kakushi.words.sheet import settings_words
from kakushi.words.sizing import row_sizes
from kakushi.words.step_text import said_once, step_text, told_briefly
from kakushi.words.wording import Wording, capital, counted
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.sized_by import is_unmeasured

_WIDE = 178 * mm
"""Width of the text on a page."""
_CARD, _GAP = 5.6 * mm, 0.9 * mm
"""Height of a row's card, and least space to the next one."""
_TALLEST, _LOWEST = 168 * mm, 55 * mm
"""Most and least height of picture and rows: with head and foot a page is full."""
_EASY, _WITH_CARDS = 11 * mm, 118 * mm
"""Height per row at which cards usually lie beside their rows, and height that leaves half a page for tying cards."""
_MOST_ROWS = int(_TALLEST / (_CARD + _GAP))
"""Rows whose cards fit beside each other on a page."""
_PICTURE = (9 * mm, 60 * mm)
"""Where the picture begins, after the ruler, and its width."""
_CARDS = (76 * mm, 56 * mm)
_BESIDE = (136 * mm, 42 * mm)
"""Where cards, and the steps beside them, begin and how wide they are."""
_DOTS = 200 / 72
"""Pixels over a point: 200 dpi."""
_LEAST_BENT, _MOST_BENT, _UNEVEN = 40 * mm, 85 * mm, 14 * mm
"""Height of the picture of a piece that is not drawn beside its rows, at least and at most; and how uneven two columns
of steps may end."""
_BELOW_HEAD = 222 * mm
"""Height of a page below name, facts and what is needed."""
_HEADED = 40 * mm
"""Room that the heading of steps needs with their first lines."""
_TICK_MM = 200.0
"""Heights on the ruler, mm apart."""
_BOX = 3.2 * mm
_CHIP = 5.4 * mm


def build_sheets(piece: PiecePlan, dossier: Dossier, wording: Wording) -> list[Flowable]:
    """The sheets of a piece: one for its copies that are alike, one for each of the others."""
    alike: dict[object, list[tuple[str, int, PiecePlan]]] = {}
    for label, copies, design in piece.built:
        p = design.piece
        alike.setdefault((p.groups, p.parts, p.frame, p.layers), []).append((label, copies, design))
    story: list[Flowable] = []
    for group in alike.values():
        design, copies = group[0][2], sum(copies for _, copies, _ in group)
        copy = next((k for k in range(len(piece.piece.copies)) if piece.of_copy(k) is design), 0)
        steps = list(steps_of_copy(dossier.steps, piece.piece.key, copy))
        labels = ", ".join(filter(None, (label for label, _, _ in group)))
        story += _sheet(design, f"{piece.piece.name} {labels}".strip(), copies, steps, dossier, wording)
    return story


def _sheet(
    design: PiecePlan, name: str, copies: int, steps: Sequence[Step], dossier: Dossier, wording: Wording
) -> Iterator[Flowable]:
    job = dossier.plan.job
    yield paragraph(name, style(20, bold=True, after=2))
    yield paragraph(_facts(design, copies, steps, wording), style(9.5, colour=QUIET, after=4))
    for note in design.warnings:
        if isinstance(note, PoleTooShort):
            yield paragraph(note_words(note, wording), style(9.5, bold=True, after=4))
    yield _Needed([use for step in steps for use in step.uses], job)
    rows = [step for step in steps if step.row is not None and isinstance(step.fact, LayingRow)]
    if not rows or len(rows) > _MOST_ROWS or is_bent(design):
        yield from _wide(design, steps, job, wording)
        return
    beside = _beside(steps, rows, wording)
    needed = len(rows) * (_CARD + _GAP) + 6 * mm
    others_tall = sum(each.height for each in beside)
    fits = others_tall <= _TALLEST
    # Where there are cards to draw below, the rows leave them room if they can.
    most = max(needed, _WITH_CARDS) if has_drawn_cards(dossier, design.piece.key) else _TALLEST
    tall = min(max(needed, _LOWEST, len(rows) * _EASY, others_tall if fits else 0.0), most, _TALLEST)
    fits = others_tall <= tall
    yield Spacer(1, 4)
    yield _Ladder(design, rows, beside if fits else [], tall, job, dossier, wording)
    yield Spacer(1, 4)
    yield from _how(rows, dossier, wording)
    if not fits:
        others = [step for step in steps if step not in rows]
        # The heading begins the page that its first lines stand on, not the one where all of them fit.
        yield CondPageBreak(_HEADED)
        yield Spacer(1, 6)
        yield paragraph("Also, in this order", style(12, bold=True, after=3))
        yield BalancedColumns(step_lines(others, wording, of_copy=steps), nCols=2, innerPadding=6)
    yield Spacer(1, 8)


def _facts(design: PiecePlan, copies: int, steps: Sequence[Step], wording: Wording) -> str:
    """A piece in a line: how high, of how many balloons, how it is held."""
    said = [", ".join(height_words(design, wording.units))]
    if copies > 1:
        said.insert(0, f"{copies} of them, each")
    said += [balloons_words(steps), counted(design.distinct_sizes, "size") if design.piece.rows else ""]
    said += [design.piece.tightness.value if design.piece.rows else "", mechanics_words(design)]
    return " · ".join(filter(None, [*said, f"seen {design.piece.seen_sides.value}"]))


class _Needed(Flowable):  # type: ignore[misc] # reportlab has no types
    """What a piece takes: a chip for each kind of balloon with its number, other things in a line below."""

    _HIGH = 6 * mm

    def __init__(self, uses: Sequence[Used], job: Job) -> None:
        super().__init__()
        counts: Counter[tuple[float, str]] = Counter()
        for use in uses:
            if use.is_balloon:
                counts[use.kind] += int(use.count)
        self._chips = [
            (job.colour(colour), f"{count} × {format_nominal(nominal)}")
            for (nominal, colour), count in sorted(counts.items(), reverse=True)
        ]
        self._places, x, y = list[tuple[float, float, float]](), 22 * mm, 0.0
        for _, words in self._chips:
            wide = _CHIP + 9 + width_of(words, 9)
            if x + wide > _WIDE:
                x, y = 22 * mm, y + self._HIGH
            self._places.append((x, y, wide))
            x += wide + 4
        self.width, self.height = _WIDE, y + self._HIGH

    def wrap(self, _wide: float, _tall: float) -> tuple[float, float]:
        """The room it takes."""
        return self.width, self.height

    def draw(self) -> None:
        """Draw it."""
        canvas = self.canv
        canvas.setFillColor(INK)
        draw_line(canvas, 0, self.height - self._HIGH + 6, "You need", 9.5, fonts()[1])
        for (colour, words), (x, y, wide) in zip(self._chips, self._places, strict=True):
            low = self.height - y - self._HIGH + 2
            canvas.setStrokeColor(LINE)
            canvas.roundRect(x, low, wide, self._HIGH - 4, 2)
            _chip(canvas, x + 2, low + 1.5, colour, self._HIGH - 7)
            canvas.setFillColor(INK)
            draw_line(canvas, x + _CHIP + 6, low + 4, words, 9)


class _Beside(NamedTuple):
    """A step that is no row: its paragraph, and the row (place among the rows) before which it is done."""

    words: Paragraph
    height: float
    row: int


def _beside(steps: Sequence[Step], rows: Sequence[Step], wording: Wording) -> list[_Beside]:
    """The steps that are not rows, from the foot up."""
    found = list[_Beside]()
    # The inflation sheet says what is blown up.
    others = [step for step in steps if step not in rows and step.kind is not StepKind.INFLATE]
    for run, text in told_briefly(others, wording, steps):
        before = sum(1 for row in rows if steps.index(row) < steps.index(run[0]))
        at = (
            "first" if not before else "at the end" if before == len(rows) else f"after row {_number(rows[before - 1])}"
        )
        told = " ".join(filter(None, (text.headline, text.note, text.how)))
        words = paragraph(told if isinstance(run[0].fact, Looking) else f"{capital(at)}: {told}", style(7.6))
        _, high = words.wrap(_BESIDE[1] - _BOX - 4, 1e5)
        found.append(_Beside(words, high + 4, before))
    # Looks come up again; they stand where somebody looks first.
    return sorted(found, key=lambda each: each.row)


def _number(step: Step) -> int:
    return step.row.index + 1 if step.row else 0


class _Ladder(Flowable):  # type: ignore[misc] # as above
    """Picture, ruler, and a card for each row at its height, with the other steps to the right."""

    def __init__(
        self,
        design: PiecePlan,
        rows: Sequence[Step],
        beside: Sequence[_Beside],
        tall: float,
        job: Job,
        dossier: Dossier,
        wording: Wording,
    ) -> None:
        super().__init__()
        self._design, self._rows, self._beside, self._job = design, rows, beside, job
        self._dossier, self._wording = dossier, wording
        self.width, self.height = _WIDE, tall
        wide, high = round(_PICTURE[1] * _DOTS), round(tall * _DOTS)
        drawn, _ = pictured(design, job)
        self._view = portrait_view(drawn, design.piece.frame, wide, high)
        self._image = piece_image(design, job, wide, high)

    def wrap(self, _wide: float, _tall: float) -> tuple[float, float]:
        """The room it takes."""
        return self.width, self.height

    def _y(self, z_mm: float) -> float:
        return self.height - self._view.y_px(z_mm) / _DOTS

    def draw(self) -> None:
        """Draw it."""
        canvas = self.canv
        png = ImageReader(io.BytesIO(png_bytes(self._image)))
        canvas.drawImage(png, _PICTURE[0], 0, _PICTURE[1], self.height)
        canvas.setFillColor(QUIET)
        canvas.setStrokeColor(LINE)
        top = self._view.top
        for z in np.arange(_TICK_MM, top, _TICK_MM).tolist():
            said = format_length(z, self._wording.units)
            draw_line(canvas, 0, self._y(z) - 2.5, said.removesuffix(" cm"), 7)
            canvas.line(_PICTURE[0] - 5, self._y(z), _PICTURE[0] - 1, self._y(z))
        heights = np.array([self._y(float(self._design.geometry.knots[_number(step) - 1])) for step in self._rows])
        places = spread(heights, np.full(len(heights), _CARD + _GAP), self.height)
        for step, wanted, at in zip(self._rows, heights.tolist(), places.tolist(), strict=True):
            canvas.setStrokeColor(LINE)
            canvas.line(_PICTURE[0] + _PICTURE[1] - 2, wanted, _CARDS[0] - 1, at)
            self._card(step, at)
        self._draw_beside(places)

    def _card(self, step: Step, at: float) -> None:
        """A row: a box, its number, how many balloons of which size, their colours, and what is special."""
        canvas, (x, wide) = self.canv, _CARDS
        number = _number(step)
        row = self._design.piece.rows[number - 1]
        below = self._design.piece.rows[number - 2] if number > 1 else None
        sizes = row_sizes(row, self._wording.units, is_unmeasured(row, self._dossier.plan.studio))
        is_new = below is None or row_sizes(below, self._wording.units) != row_sizes(row, self._wording.units)
        canvas.setStrokeColor(LINE)
        canvas.roundRect(x, at - _CARD / 2, wide, _CARD, 2)
        canvas.setStrokeColor(INK)
        canvas.rect(x + 3, at - _BOX / 2, _BOX, _BOX)
        canvas.setFillColor(INK)
        bold, plain = fonts()[1], fonts()[0]
        draw_line(canvas, x + _BOX + 7, at - 3.2, str(number), 9.5, bold)
        # Large where the size changes: that is when the hand sets the sizer anew.
        left = x + _BOX + 22
        colours = [self._job.colour(key) for key in self._design.colouring[number - 1]]
        step_chip = min(_CHIP + 1, (x + wide - 3 - left - width_of(sizes, 8, bold) - 4) / max(len(colours), 1))
        draw_line(canvas, left, at - 2.8, sizes, 8, bold if is_new else plain)
        for place, colour in enumerate(reversed(colours)):
            _chip(canvas, x + wide - 2 - (place + 1) * step_chip, at - _CHIP / 2 + 1, colour, _CHIP - 2, step_chip - 1)

    def _draw_beside(self, places: Floats) -> None:
        if not self._beside:
            return
        canvas = self.canv
        half = (_CARD + _GAP) / 2
        wanted = [float(places[each.row - 1]) + half if each.row else float(places[0]) - half for each in self._beside]
        sizes = np.array([each.height for each in self._beside])
        for each, at in zip(self._beside, spread(np.array(wanted), sizes, self.height).tolist(), strict=True):
            canvas.setStrokeColor(INK)
            canvas.rect(_BESIDE[0], at + each.height / 2 - 4 - _BOX, _BOX, _BOX)
            each.words.drawOn(canvas, _BESIDE[0] + _BOX + 4, at - each.height / 2 + 2)


def spread(wanted: Floats, sizes: Floats, room: float) -> Floats:
    """Places (n,) of things in their order, as near to where they are wanted as they can be without overlapping.

    Things have `sizes` (n,) and stay within 0 and `room`. Least squares: less what stands below each, places rise.
    """
    from scipy.optimize import isotonic_regression  # noqa: PLC0415 - large, and only needed here

    ends = np.concatenate([[0.0], np.cumsum((sizes[1:] + sizes[:-1]) / 2)])
    low, high = float(sizes[0]) / 2, room - float(sizes[-1]) / 2 - float(ends[-1])
    return np.asarray(np.clip(isotonic_regression(wanted - ends).x, low, max(high, low)) + ends)


def _chip(canvas: Any, x: float, y: float, colour: BalloonColour, high: float, wide: float = _CHIP - 1) -> None:
    """A colour with its letters."""
    face, code = in_one_face(colour.code, fonts()[1])
    canvas.setFillColor(colors.HexColor(colour.hex))
    canvas.setStrokeColor(INK)
    canvas.roundRect(x, y, wide, high, 2, fill=1)
    canvas.setFillColor(colors.white if is_dark(colour.hex) else INK)
    size = min(6.8, high - 2)
    while width_of(code, size, face) > wide - 1 and size > 4:
        size -= 0.4
    canvas.setFont(face, size)
    canvas.drawCentredString(x + wide / 2, y + (high - size) / 2 + 0.9, code)


def _how(rows: Sequence[Step], dossier: Dossier, wording: Wording) -> Iterator[Flowable]:
    """How rows go on, each sentence once with the rows it is for; the settings of their sizes."""
    known: dict[str, Said] = {}
    where: dict[str, list[int]] = {}
    hands: list[tuple[str, int]] = []
    for step in rows:
        text, number = said_once(step_text(step, wording), known), _number(step)
        for words in filter(None, (text.note, *text.here)):
            where.setdefault(words, []).append(number)
        if text.hands:
            hands.append((" ".join(said.text for said in text.hands), number))
    yield paragraph("How every row goes on", style(11, bold=True, after=2))
    for how, number in hands:
        yield paragraph(how if number == _number(rows[0]) else f"From row {number}: {how}", style(8.8))
    for words, numbers in where.items():
        yield paragraph(f"{_rows(numbers)}: {words}", style(8.8))
    balloons = dict.fromkeys(balloon for step in rows if step.laid for balloon in step.laid.numbered)
    settings = settings_words(balloons, dossier, wording.units)
    if settings:
        yield paragraph(f"Settings: {settings}", style(8.8))


def _rows(numbers: Sequence[int]) -> str:
    """Rows by their numbers, neighbours together."""
    spans: list[list[int]] = []
    for number in sorted(numbers):
        if spans and number == spans[-1][1] + 1:
            spans[-1][1] = number
        else:
            spans.append([number, number])
    said = [str(low) if low == high else f"{low}–{high}" for low, high in spans]
    return f"{'Row' if len(numbers) == 1 else 'Rows'} {', '.join(said)}"


def _wide(design: PiecePlan, steps: Sequence[Step], job: Job, wording: Wording) -> Iterator[Flowable]:
    """A piece without rows on a pole, or with too many for a page: the picture across, the steps in two columns."""
    drawn, _ = pictured(design, job)
    across = max(float(np.ptp(drawn.centres[:, 0])) if len(drawn.radii) else 1.0, 1.0)
    tall = max(float(drawn.centres[:, 2].max()) if len(drawn.radii) else 1.0, 1.0)
    told = [step for step in steps if step.kind is not StepKind.INFLATE]
    lines = step_lines(told, wording)
    most = _most_high(lines) if is_bent(design) else 48 * mm
    high = min(max(_WIDE * tall / across, 35 * mm), most)
    wide = min(max(high * across / tall * 1.2, 50 * mm), _WIDE)
    image = piece_image(design, job, round(wide * _DOTS), round(high * _DOTS))
    yield Image(io.BytesIO(png_bytes(image)), wide, high, hAlign="LEFT")
    yield Spacer(1, 4)
    if lines:
        yield BalancedColumns(lines, nCols=2, innerPadding=6)
    yield Spacer(1, 8)


def _most_high(lines: Sequence[Flowable]) -> float:
    """Height of the picture of a bent piece, points: less where its steps then fit on the same page."""
    tall = sum(float(line.wrap(_WIDE / 2, 1e6)[1]) for line in lines)
    left: float = _BELOW_HEAD - (tall / 2 + _UNEVEN)
    return left if _LEAST_BENT <= left < _MOST_BENT else _MOST_BENT
