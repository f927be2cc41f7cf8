"""The unrolled skin as SVG: whole at any scale, or in pages with marks to be glued together."""

from __future__ import annotations

import math
from html import escape

from kakushi.colour.rgb import is_dark
from kakushi.model.job import Job
from kakushi.plan.values import PiecePlan

SMALLEST_SCALE = 0.02
"""Smallest scale: a tall piece on one page."""
PAGE_MM = (190.0, 277.0)
"""What a printer reaches of an A4 page."""
_EDGE, _MARK, _OVERLAP = 6.0, 4.0, 10.0
"""Margin of the sheet, half length of a crop mark, and overlap of pages, mm."""


def skin_svg(piece: PiecePlan, job: Job, scale: float = 1.0) -> str:
    """The whole skin in one drawing, mm; `scale` 1 is full size. The front mark is in the middle."""
    wide, tall = _extent(piece, scale)
    return _document(wide, tall, (0.0, 0.0), _content(piece, job, scale))


def skin_pages(piece: PiecePlan, job: Job, scale: float = 1.0) -> list[str]:
    """The skin over several pages, row by row from the top left, each with corner marks and its place.

    Neighbouring pages overlap by 10 mm; glue them so that the corner marks meet.
    """
    wide, tall = _extent(piece, scale)
    step_x, step_y = PAGE_MM[0] - _OVERLAP, PAGE_MM[1] - _OVERLAP
    across, down = max(math.ceil((wide - _OVERLAP) / step_x), 1), max(math.ceil((tall - _OVERLAP) / step_y), 1)
    content = _content(piece, job, scale)
    pages = []
    for line in range(down):
        for column in range(across):
            corner = (column * step_x, line * step_y)
            place = f"{piece.piece.name}: page {line * across + column + 1} of {across * down}"
            pages.append(_document(*PAGE_MM, corner, content + _marks(corner, place)))
    return pages


def _extent(piece: PiecePlan, scale: float) -> tuple[float, float]:
    around = 2 * math.pi * _radius(piece)
    tallest = float(piece.geometry.shape_radii.max(initial=0.0))
    return around * scale + 2 * _EDGE, (piece.surface.tall + 2 * tallest) * scale + 2 * _EDGE


def _radius(piece: PiecePlan) -> float:
    """The widest row's ring: there discs lie as far apart as on the piece."""
    return float(piece.surface.rings.max(initial=1.0))


def _document(wide: float, tall: float, corner: tuple[float, float], content: str) -> str:
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.2f}mm" height="{tall:.2f}mm" '
        f'viewBox="{corner[0]:.2f} {corner[1]:.2f} {wide:.2f} {tall:.2f}">\n{content}</svg>\n'
    )


def _content(piece: PiecePlan, job: Job, scale: float) -> str:
    surface, geometry = piece.surface, piece.geometry
    wide, tall = _extent(piece, scale)
    largest = float(geometry.shape_radii.max(initial=0.0))
    around = 2 * math.pi * _radius(piece) * scale
    lines = [f'<rect x="0" y="0" width="{wide:.2f}" height="{tall:.2f}" fill="#ffffff"/>']
    lines.append(
        f'<path d="M {wide / 2:.2f} 0 V {tall:.2f}" stroke="#17666b" stroke-width="0.4" stroke-dasharray="3 2" '
        'fill="none"/>'
    )
    for index, colour in enumerate(map(job.colour, piece.balloon_colours())):
        radius = float(geometry.shape_radii[index]) * scale
        y = tall - _EDGE - (float(surface.heights[index]) + largest - float(geometry.shape_radii.min())) * scale
        x = wide / 2 + float(surface.angles[index]) / (2 * math.pi) * around
        # Discs over the seam are drawn at both ends.
        for at in {x, x - around if x > wide / 2 else x + around}:
            if -radius < at - _EDGE and at + _EDGE < wide + radius:
                lines.append(_disc(at, y, radius, colour.hex, colour.code))
    lines.append(f'<text x="{wide / 2:.2f}" y="{tall - 1:.2f}" font-size="4" text-anchor="middle">front</text>')
    return "\n".join(lines) + "\n"


def _disc(x: float, y: float, radius: float, hex_colour: str, code: str) -> str:
    ink = "#ffffff" if is_dark(hex_colour) else "#1f1d1a"
    return (
        f'<circle cx="{x:.2f}" cy="{y:.2f}" r="{radius:.2f}" fill="{hex_colour}" stroke="#1f1d1a" stroke-width="0.25"/>'
        f'<text x="{x:.2f}" y="{y + radius * 0.22:.2f}" font-size="{radius * 0.6:.2f}" text-anchor="middle" '
        f'fill="{ink}" font-family="sans-serif">{escape(code)}</text>'
    )


def _marks(corner: tuple[float, float], place: str) -> str:
    """Crosses where pages meet, and which page it is."""
    x0, y0 = corner[0] + _OVERLAP / 2, corner[1] + _OVERLAP / 2
    x1, y1 = corner[0] + PAGE_MM[0] - _OVERLAP / 2, corner[1] + PAGE_MM[1] - _OVERLAP / 2
    crosses = "".join(
        f'<path d="M {x - _MARK:.2f} {y:.2f} h {2 * _MARK} M {x:.2f} {y - _MARK:.2f} v {2 * _MARK}" stroke="#000000" '
        'stroke-width="0.2" fill="none"/>'
        for x in (x0, x1)
        for y in (y0, y1)
    )
    return f'{crosses}<text x="{x0 + 6:.2f}" y="{y0 - 1:.2f}" font-size="3">{escape(place)}</text>\n'
