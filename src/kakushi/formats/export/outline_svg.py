"""An outline as an SVG drawing, in millimetres, that any drawing program opens and `outline_svg` reads back."""

from __future__ import annotations

from html import escape

from kakushi.shape.profile import Profile

_MARGIN_MM = 20.0
"""Margin around the outline, mm."""


def outline_svg(profile: Profile, name: str) -> str:
    """SVG text of a profile, 1 unit = 1 mm, foot at the bottom."""
    half = max(float(profile.left.max()), float(profile.right.max())) + _MARGIN_MM
    wide, tall = 2 * half, profile.height + 2 * _MARGIN_MM
    floor = tall - _MARGIN_MM
    right = [(half + x, floor - z) for x, z in zip(profile.right.tolist(), profile.heights.tolist(), strict=True)]
    left = [(half - x, floor - z) for x, z in zip(profile.left.tolist(), profile.heights.tolist(), strict=True)]
    points = " L ".join(f"{x:.2f} {y:.2f}" for x, y in [*right, *reversed(left)])
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.2f}mm" height="{tall:.2f}mm" '
        f'viewBox="0 0 {wide:.2f} {tall:.2f}">\n'
        f"  <title>{escape(name)}</title>\n"
        f'  <path d="M {points} Z" fill="#d9cbb3" stroke="#2b2622" stroke-width="2"/>\n'
        f"</svg>\n"
    )
