"""Lettering for a cutter: the film at 1 : 1, the baselines as thin guides."""

from __future__ import annotations

from html import escape

import numpy as np

from kakushi.dress.lettering import Layout
from kakushi.model.arrays import Floats

_MARGIN_MM, _GUIDE_MM = 10.0, 0.2
"""Margin of the page and width of the guide lines, mm."""


def lettering_svg(layout: Layout, mirrored: bool = False, title: str = "") -> str:
    """The letters of a layout on their film, mm; `mirrored` for film that is cut from its back."""
    film = layout.film
    points = np.concatenate([polygon for letter in film for polygon in letter])
    (left, low), (right, high) = points.min(axis=0) - _MARGIN_MM, points.max(axis=0) + _MARGIN_MM
    wide, tall = right - left, high - low
    flip = f"translate({wide:.3f} 0) scale(-1 1)" if mirrored else ""

    def path(lines: list[Floats], closed: bool) -> str:
        told = []
        for line in lines:
            at = " L".join(f"{x - left:.3f} {high - y:.3f}" for x, y in line.tolist())
            told.append(f"M{at}{' Z' if closed else ''}")
        return " ".join(told)

    letters = "\n".join(
        f'<path class="cut" fill="black" fill-rule="evenodd" d="{path(list(polygons), closed=True)}">'
        f"<title>{escape(letter.sign)}</title></path>"
        for letter, polygons in zip(layout.letters, film, strict=True)
    )
    guides = (
        f'<path class="guide" fill="none" stroke="#999" stroke-width="{_GUIDE_MM}" stroke-dasharray="3 3" '
        f'd="{path(layout.film_baselines(), closed=False)}"/>'
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.2f}mm" height="{tall:.2f}mm" '
        f'viewBox="0 0 {wide:.3f} {tall:.3f}">\n<title>{escape(title)}</title>\n'
        f'<g transform="{flip}">\n{guides}\n{letters}\n</g>\n</svg>\n'
    )
